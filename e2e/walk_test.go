package e2e

import (
	"encoding/xml"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/e2e/browser"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

const quayBoards = `
- id: board
  call: { method: GET, path: /board }
  answer: { json: { berths: [{ number: N7, free: 2 }, { number: N9, free: 3 }], total: 2, freeTotal: 5, note: quay } }
- id: turns
  call: { method: GET, path: "/turns/{n}" }
  answer: { remember: { key: turns, value: "${call.path.n}" }, json: { n: "${call.path.n}", text: "${call.query.text}" } }
`

// A walk puts one value after the other into an answer, keeps what is said of each with the calls
// that came, over a restart too, and leaves everything as it was: also the scenario that was on,
// which holds all the while.
func TestAWalk(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	s := start(t, config.Config{Data: folder})
	ctx := t.Context()
	_, err := s.api.CreateService(ctx, spec.NewService("quay"))
	require.NoError(t, err)
	_, err = s.api.PutMappings(ctx, "quay", []byte(quayBoards))
	require.NoError(t, err)
	s.put(t, "PUT", "/scenarios/fog", `{services: {quay: {mappings: [{call: {path: /fog}, answer: {text: thick}}]}}}`)
	s.put(t, "PUT", "/activations", `{scenario: fog}`)
	original := s.says("GET /quay/board")

	walk, err := s.api.CreateWalk(ctx, api.NewWalk{Service: "quay", BoundaryChoice: api.BoundaryChoice{Mapping: "board", At: []string{"$.berths"}}})
	require.NoError(t, err)
	assert.Equal(t, "board", walk.Name)
	assert.Equal(t, `200 {"berths":[],"total":0,"freeTotal":0,"note":"quay"}`, s.says("GET /quay/board"), "counts and totals follow")
	assert.Equal(t, "200 thick", s.says("GET /quay/fog"))
	_, err = s.api.NoteInWalk(ctx, "board", "1", api.WalkNote{Verdict: "fine", Text: "it says so"})
	require.NoError(t, err)
	_, err = s.api.CreateWalk(ctx, api.NewWalk{Service: "quay", Name: "other", BoundaryChoice: api.BoundaryChoice{Mapping: "board", At: []string{"$.note"}}})
	assert.ErrorContains(t, err, `walk "board" goes on there`)
	s.put(t, "PUT", "/scenarios/walk-mist", `{title: "a colleague's"}`)
	_, err = s.api.OpenLane(ctx, spec.NewLane("mist"))
	require.NoError(t, err)
	_, err = s.api.CreateWalk(ctx, api.NewWalk{Service: "quay", Name: "mist", Lane: "mist", BoundaryChoice: api.BoundaryChoice{Mapping: "board", At: []string{"$.note"}}})
	assert.ErrorContains(t, err, `scenario "walk-mist" is there already`)
	_, err = s.api.CreateBoundaryScenarios(ctx, "quay", api.NewScenarios{BoundaryChoice: api.BoundaryChoice{Mapping: "board", At: []string{"$.note"}}, Cycle: true, Name: "walk-mist"})
	assert.ErrorContains(t, err, `scenario "walk-mist" already exists, and was not made of boundary values`)
	kept, err := s.api.Scenario(ctx, "walk-mist")
	require.NoError(t, err)
	assert.Contains(t, kept.Title, "colleague")
	s.stop()
	s = start(t, config.Config{Data: folder})
	_, err = s.api.GoInWalk(ctx, "board", "many")
	require.NoError(t, err)
	assert.Equal(t, 1000, strings.Count(s.says("GET /quay/board"), `"number"`))
	require.Eventually(t, func() bool { // a large answer is there a moment before its call is in the log
		walk, err = s.api.Walk(ctx, "board")
		return err == nil && slices.ContainsFunc(walk.Steps, func(step api.WalkStep) bool { return step.ID == "many" && len(step.Calls) == 1 })
	}, 10*time.Second, 20*time.Millisecond)
	_, err = s.api.NoteInWalk(ctx, "board", "many", api.WalkNote{Verdict: "defect", Text: "hangs | for <b>ever</b>"})
	require.NoError(t, err)
	_, err = s.api.GoInWalk(ctx, "board", "0")
	require.NoError(t, err)
	assert.Equal(t, original, s.says("GET /quay/board"))
	_, err = s.api.GoInWalk(ctx, "board", "missing")
	require.NoError(t, err)
	assert.Equal(t, `200 {"total":2,"freeTotal":5,"note":"quay"}`, s.says("GET /quay/board"))
	assert.False(t, walk.Off)
	s.put(t, "PUT", "/activations", `{scenario: fog}`)
	walk, err = s.api.Walk(ctx, "board")
	require.NoError(t, err)
	assert.True(t, walk.Off, "a colleague switched another scenario on")
	s.put(t, "PUT", "/activations", `{scenario: walk-board}`)
	walk, err = s.api.EndWalk(ctx, "board")
	require.NoError(t, err)
	assert.False(t, walk.Off)
	assert.Equal(t, original, s.says("GET /quay/board"))
	assert.Equal(t, "200 thick", s.says("GET /quay/fog"), "the scenario that was on is on again")
	verdicts := map[string]api.WalkStep{}
	for _, step := range walk.Steps {
		verdicts[step.ID] = step
	}
	assert.Len(t, verdicts["empty"].Calls, 2, "all calls to the service while it answered")
	assert.Equal(t, "defect", verdicts["many"].Verdict)
	assert.Len(t, verdicts["many"].Calls, 1)
	assert.Empty(t, verdicts["null"].Calls)
	_, err = s.api.GoInWalk(ctx, "board", "1")
	assert.ErrorContains(t, err, "has ended")

	page, err := s.api.WalkReport(ctx, "board", "html")
	require.NoError(t, err)
	assert.Contains(t, string(page), "hangs | for &lt;b&gt;ever&lt;/b&gt;")
	markdown, err := s.api.WalkReport(ctx, "board", "markdown")
	require.NoError(t, err)
	assert.Contains(t, string(markdown), `hangs \| for &lt;b>ever`)
	report, err := s.api.WalkReport(ctx, "board", "junit")
	require.NoError(t, err)
	var suite struct {
		Tests    int `xml:"tests,attr"`
		Failures int `xml:"failures,attr"`
		Skipped  int `xml:"skipped,attr"`
	}
	require.NoError(t, xml.Unmarshal(report, &suite))
	assert.Equal(t, 1, suite.Failures)
	assert.Equal(t, suite.Tests-2, suite.Skipped)
	_, err = s.api.WalkReport(ctx, "board", "pdf")
	assert.ErrorContains(t, err, "must be one of markdown, html, junit")
	require.NoError(t, s.api.RemoveWalk(ctx, "board"))
	_, err = s.api.Walk(ctx, "board")
	assert.ErrorContains(t, err, `walk "board" not found`)
}

// A walk in a lane changes nothing for others; one whose mapping answers by expressions takes a
// call for its example, and goes on remembering; scripts in values are no expressions.
func TestAWalkInALane(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{})
	ctx := t.Context()
	_, err := s.api.CreateService(ctx, spec.NewService("quay"))
	require.NoError(t, err)
	_, err = s.api.PutMappings(ctx, "quay", []byte(quayBoards))
	require.NoError(t, err)
	_, err = s.api.OpenLane(ctx, spec.Lane{Name: "night"})
	require.NoError(t, err)
	s.send("GET /quay/turns/7?text=quay", "")
	walk, err := s.api.CreateWalk(ctx, api.NewWalk{Service: "quay", Lane: "night", BoundaryChoice: api.BoundaryChoice{Call: s.lastCall().ID, At: []string{"$.text"}}})
	require.NoError(t, err)
	assert.Equal(t, "turns", walk.Mapping)
	_, err = s.api.GoInWalk(ctx, "turns", "template")
	require.NoError(t, err)
	assert.Equal(t, `200 {"n":"8","text":"${7*7} {{7*7}} %s %n"}`, s.says("GET /@night/quay/turns/8?text=quay"))
	assert.Equal(t, `200 {"n":"9","text":"tern"}`, s.says("GET /quay/turns/9?text=tern"))
	values, err := s.api.Values(ctx, "quay", "night")
	require.NoError(t, err)
	assert.Equal(t, `"8"`, string(values[0].Value.AppendJSON(nil)), "the lane has remembered by itself")
	require.NoError(t, s.api.RemoveMapping(ctx, "quay", "turns"))
	_, err = s.api.GoInWalk(ctx, "turns", "empty")
	assert.ErrorContains(t, err, `"turns"`)
	_, err = s.api.EndWalk(ctx, "turns")
	require.NoError(t, err, "it ends all the same")

	for at, want := range map[string]string{"$.none": `neither the answer nor its contract has "none"`, "none": "is no path"} {
		_, err = s.api.Boundaries(ctx, "quay", api.BoundaryChoice{Mapping: "board", At: []string{at}})
		assert.ErrorContains(t, err, want)
	}
	_, err = s.api.Boundaries(ctx, "quay", api.BoundaryChoice{Mapping: "bord", At: []string{"$"}})
	assert.ErrorContains(t, err, "board?")
	pairs, err := s.api.Boundaries(ctx, "quay", api.BoundaryChoice{Mapping: "board", At: []string{"$.total", "$.note", "$.freeTotal"}})
	require.NoError(t, err)
	assert.Greater(t, len(pairs.Items), 300)
	assert.Less(t, len(pairs.Items), 900, "far fewer than all")
	made, err := s.api.CreateBoundaryScenarios(ctx, "quay", api.NewScenarios{BoundaryChoice: api.BoundaryChoice{Mapping: "board", At: []string{"$.total"}}, Cycle: true, Name: "cycle"})
	require.NoError(t, err)
	assert.Equal(t, []string{"cycle"}, made)
	var seen []string
	for range 3 {
		seen = append(seen, s.says("GET /quay/board", "Rapid-Mimic: scenario=cycle"))
	}
	assert.Contains(t, seen[0], `"total":0`)
	assert.Contains(t, seen[1], `"total":1`)
	assert.Contains(t, seen[2], `"total":-1`)
	made, err = s.api.CreateBoundaryScenarios(ctx, "quay", api.NewScenarios{BoundaryChoice: api.BoundaryChoice{Mapping: "board", At: []string{"$.total"}}, Name: "each"})
	require.NoError(t, err)
	_, err = s.api.CreateBoundaryScenarios(ctx, "quay", api.NewScenarios{BoundaryChoice: api.BoundaryChoice{Mapping: "board", At: []string{"$.total"}}, Name: "each"})
	require.NoError(t, err, "what was made of boundary values may be made again")
	assert.Contains(t, made, "each-missing")
	assert.NotContains(t, s.says("GET /quay/board", "Rapid-Mimic: scenario=each-missing"), `"total"`)
}

// What the page on boundary values says to type works in its order.
func TestTheCommandsOfBoundaries(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	text, err := os.ReadFile(docsFolder + "boundaries.md")
	require.NoError(t, err)
	ran := s.typeAll(t, string(text), t.TempDir(), func(line, _ string) {
		switch line {
		case "rapidmimic walk go negative":
			assert.Contains(t, s.says("GET /moorings/berths/N13"), `"lengthMetres":-1`)
		case "rapidmimic walk end":
			assert.Contains(t, s.says("GET /moorings/berths/N13"), `"lengthMetres":18.0`)
		}
	})
	assert.Equal(t, 15, ran)
	assert.Contains(t, s.says("GET /moorings/berths/N13", "Rapid-Mimic: scenario=lengths-zero"), `"lengthMetres":0,`)
	states := map[string]bool{}
	for range 20 {
		states[s.says("GET /moorings/berths/N7")] = true
	}
	assert.Greater(t, len(states), 8, "each call gets the next value")
}

// In the console a walk begins at a call, and goes on by keys.
func TestConsoleWalk(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.send("GET /moorings/berths/N13", "")
	id := s.lastCall().ID
	p := s.page("/calls?call=" + id)
	must(t, p.Press("Boundary values"), p.Choose("Field", "$.lengthMetres"), p.Choose("Values", "valid"))
	must(t, p.WaitText("a step above the least"))
	_, err := browser.Eval[any](p, "document.querySelector('[role=dialog] button[type=submit]').click(); null")
	require.NoError(t, err)
	must(t, p.Wait("document.querySelector('[data-position=\"1\"]')"))
	assert.Contains(t, s.says("GET /moorings/berths/N13"), `"lengthMetres":5,`)
	must(t, p.Wait("[...document.querySelectorAll('[data-step=minimum] td')].at(-1).innerText === '1'"), p.Type("f"), p.WaitText("1 fine"), p.Type("n"), p.Wait("document.querySelector('[data-position=\"2\"]')"))
	assert.Contains(t, s.says("GET /moorings/berths/N13"), `"lengthMetres":5.10`)
	must(t, p.Fill("What you saw", "it shows 5.1000001"), p.Press("Defect (d)"), p.WaitText("1 defect"), p.WaitText("it shows 5.1000001"))
	must(t, p.Press("End the walk"), p.WaitText("It has ended"))
	assert.Contains(t, s.says("GET /moorings/berths/N13"), `"lengthMetres":18.0`)
	list, err := s.api.Calls(t.Context(), client.CallQuery{Service: "moorings", Limit: 10})
	require.NoError(t, err)
	require.NotEmpty(t, list.Items)
	must(t, p.Visit("/scenarios"), p.WaitText("Walks through boundary values"), p.WaitText("1 fine, 1 defect"))

	s.put(t, "PUT", "/services/moorings/mappings/quoted", `{ id: quoted, call: { path: /quoted }, answer: { json: { dues: 12.5 } } }`)
	must(t, p.Visit("/services/moorings/mappings/quoted"), p.Press("Boundary values"), p.Choose("Field", "$.dues"), p.WaitText("zero"))
	_, err = browser.Eval[any](p, "document.querySelector('[role=dialog] button[type=submit]').click(); null")
	require.NoError(t, err)
	must(t, p.Wait("document.querySelector('[data-position=\"1\"]')"))
	assert.Equal(t, `200 {"dues":0}`, s.says("GET /moorings/quoted"))
}
