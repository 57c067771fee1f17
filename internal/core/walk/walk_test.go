package walk_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/boundary"
	"rapidmimic.example/internal/core/walk"
)

var noon = time.Date(2026, 12, 1, 12, 0, 0, 0, time.UTC)

func aWalk() *walk.Walk {
	w := &walk.Walk{Name: "lengths", Service: "quay", Mapping: "berth", At: []string{"$.length"}, Started: noon, By: "ida", Lane: "night"}
	for _, id := range []string{"zero", "negative", "markup"} {
		w.Steps = append(w.Steps, walk.Step{Variant: boundary.Variant{ID: id, Says: "says " + id, Shown: id, Validity: boundary.Valid}})
	}
	w.Steps[2].Shown, w.Steps[2].Validity, w.Steps[2].Breach = "<b>|\x1b*", boundary.Invalid, "got string"
	return w
}

// Going from step to step notes which calls came in between, each visit by itself.
func TestGo(t *testing.T) {
	w := aWalk()
	for _, k := range []struct {
		to   string
		last uint64
		at   int
	}{{"1", 10, 1}, {"negative", 12, 2}, {"zero", 15, 1}, {"0", 16, 0}, {"3", 20, 3}} {
		require.NoError(t, w.Go(k.to, k.last))
		assert.Equal(t, k.at, w.Position, k.to)
	}
	assert.Equal(t, []walk.Visit{{After: 10, Last: 12}, {After: 15, Last: 16}}, w.Steps[0].Visits)
	assert.Equal(t, []walk.Visit{{After: 12, Last: 15}}, w.Steps[1].Visits)
	assert.Equal(t, []walk.Visit{{After: 20}}, w.Steps[2].Visits)
	for to, want := range map[string]string{"4": "has 3 steps", "-1": "has 3 steps", "negativ": "negative?", "nothing": `no step "nothing"`} {
		assert.ErrorContains(t, w.Go(to, 21), want)
		assert.Equal(t, 3, w.Position, "it stays where it is")
	}
	w.End(25, noon)
	assert.Equal(t, []walk.Visit{{After: 20, Last: 25}}, w.Steps[2].Visits)
	assert.Zero(t, w.Position)
	assert.ErrorContains(t, w.Go("1", 26), "has ended")
	many := aWalk()
	for i := range uint64(250) {
		require.NoError(t, many.Go("1", i))
	}
	assert.Len(t, many.Steps[0].Visits, 100, "bounded, the last ones stay")
	assert.EqualValues(t, 249, many.Steps[0].Visits[99].After)
}

func TestSay(t *testing.T) {
	w := aWalk()
	require.NoError(t, w.Say("zero", walk.Fine, "as it should"))
	require.NoError(t, w.Say("2", walk.Defect, "NaN"))
	assert.Equal(t, map[walk.Verdict]int{walk.Fine: 1, walk.Defect: 1, "": 1}, w.Counts())
	require.NoError(t, w.Say("zero", "", ""))
	assert.Equal(t, 2, w.Counts()[""], "it can be taken back")
	assert.ErrorContains(t, w.Say("0", walk.Fine, ""), "as it is")
	assert.ErrorContains(t, w.Say("1", "good", ""), "fine, defect or note")
	assert.ErrorContains(t, w.Say("1", walk.Fine, strings.Repeat("x", 2001)), "at most 2000 bytes")
	assert.ErrorContains(t, w.Say("nine", walk.Fine, ""), "no step")
}

// Each report has every step with what was said, whatever is in it.
func TestReports(t *testing.T) {
	w := aWalk()
	require.NoError(t, w.Say("zero", walk.Fine, ""))
	require.NoError(t, w.Say("markup", walk.Defect, "shows | <i>it</i>"))
	calls := func(s *walk.Step) []string {
		if s.ID == "markup" {
			return []string{"c-7 GET /quay/berth 200"}
		}
		return nil
	}
	markdown := w.Markdown(calls)
	for _, want := range []string{"# Boundary values: mapping berth of quay, $.length", "Values: 3, of them fine 1, defects 1, notes 0, open 1", "by ida, in lane night",
		`| 1 | zero | says zero | valid | fine |  | 0 |`, `| 2 | negative | says negative | valid | — |  | 0 |`, `invalid: got string | defect | shows \| &lt;i>it&lt;/i> | 1 |`, "## Defect with markup\n\n- c-7 GET"} {
		assert.Contains(t, markdown, want)
	}
	html, err := w.HTML(calls)
	require.NoError(t, err)
	assert.Contains(t, html, "&lt;b&gt;|")
	assert.Contains(t, html, `<span class="defect">defect</span><br>shows | &lt;i&gt;it&lt;/i&gt;`)
	assert.Contains(t, html, "<li><code>c-7 GET /quay/berth 200</code></li>")
	junit, err := w.JUnit(calls)
	require.NoError(t, err)
	for _, want := range []string{`tests="3" failures="1" skipped="1"`, `<testcase name="3 markup" classname="quay.berth">`, `<failure message="shows | &lt;i&gt;it&lt;/i&gt;">`, "\uFFFD*", `<skipped message="nothing was said of it">`} {
		assert.Contains(t, junit, want)
	}
	assert.NotContains(t, junit, "\x1b")
	w.Mapping, w.Operation = "", "getBerth"
	assert.Equal(t, "operation getBerth of quay, $.length", w.Of())
}
