package call_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
)

func TestReadHints(t *testing.T) {
	for name, c := range map[string]struct {
		header, baggage []string
		want            call.Hints
		wrong           string
	}{
		"none":                     {nil, nil, call.Hints{}, ""},
		"all of them":              {[]string{`lane=mara, scenario="storm", example=full, status=404, delay="200ms"`}, nil, call.Hints{Lane: "mara", LaneInHeader: true, Scenario: "storm", Example: "full", Status: 404, Delay: 200 * time.Millisecond}, ""},
		"in two lines":             {[]string{"status=200", "example=a"}, nil, call.Hints{Status: 200, Example: "a"}, ""},
		"in baggage":               {nil, []string{"tenant=7, rapid-mimic.lane=night%2Drun;p=1", "rapid-mimic.status=999"}, call.Hints{Lane: "night-run", Status: 999}, ""},
		"of others in baggage":     {nil, []string{"rapid=x, mimic.lane=y, lane=z"}, call.Hints{}, ""},
		"the header wins":          {[]string{"lane=mara"}, []string{"rapid-mimic.lane=ida"}, call.Hints{Lane: "mara", LaneInHeader: true}, ""},
		"only baggage has a lane":  {[]string{"status=404"}, []string{"rapid-mimic.lane=ida"}, call.Hints{Lane: "ida", Status: 404}, ""},
		"the longest delay":        {[]string{`delay="10m"`}, nil, call.Hints{Delay: 10 * time.Minute}, ""},
		"a delay that is too long": {[]string{`delay="10m1ns"`}, nil, call.Hints{}, "hint delay must be a time"},
		"a delay in the past":      {[]string{`delay="-1ms"`}, nil, call.Hints{}, "hint delay must be a time"},
		"no dictionary":            {[]string{"lane=a b"}, nil, call.Hints{}, "is not a dictionary"},
		"several values":           {[]string{"lane=(a b)"}, nil, call.Hints{}, "hint lane must have one value"},
		"a low status":             {[]string{"status=199"}, nil, call.Hints{}, "a number from 200 to 999"},
		"a high status":            {[]string{"status=1000"}, nil, call.Hints{}, "a number from 200 to 999"},
		"no status":                {[]string{"status=ok"}, nil, call.Hints{}, "a number from 200 to 999"},
		"a variable that is empty": {[]string{`scenario=""`}, nil, call.Hints{}, "hint scenario must be a name"},
		"a slip of the pen":        {[]string{"statos=404"}, nil, call.Hints{}, `"statos" is not a hint (delay, example, lane, scenario, status)`},
		"not percent-encoded":      {nil, []string{"rapid-mimic.lane=%zz"}, call.Hints{}, "baggage member rapid-mimic.lane is not percent-encoded"},
	} {
		t.Run(name, func(t *testing.T) {
			h := call.Header{}
			if c.header != nil {
				h["Rapid-Mimic"] = c.header
			}
			if c.baggage != nil {
				h["Baggage"] = c.baggage
			}
			got, err := call.ReadHints(h)
			if c.wrong != "" {
				assert.ErrorContains(t, err, c.wrong)
				return
			}
			assert.NoError(t, err)
			assert.Equal(t, c.want, got)
			assert.Equal(t, c.want.Example != "" || c.want.Status != 0, got.Given())
		})
	}
	assert.True(t, call.Hints{Generate: true}.Given())
	assert.Equal(t, "the hint", call.Hints{}.Asker())
	assert.Equal(t, "the mapping", call.Hints{By: "the mapping"}.Asker())
}

// What is asked for on top of what a call asks for counts, and the call stays as it was.
func TestOneHintMore(t *testing.T) {
	h := call.Header{"Rapid-Mimic": {`lane=night, example="free"`}}
	with, err := h.WithHint("example", `a "b"`)
	require.NoError(t, err)
	got, err := call.ReadHints(with)
	require.NoError(t, err)
	assert.Equal(t, []string{"night", `a "b"`}, []string{got.Lane, got.Example})
	assert.Len(t, h["Rapid-Mimic"], 1)
	with, err = call.Header(nil).WithHint("example", "free")
	require.NoError(t, err)
	assert.Equal(t, []string{`example="free"`}, with["Rapid-Mimic"])
	_, err = h.WithHint("example", "\x00")
	assert.Error(t, err)
}

func TestSubjectsInWords(t *testing.T) {
	for want, subject := range map[string]call.Subject{
		"mapping berth-closed":              {Kind: call.KindMapping, ID: "berth-closed"},
		"mapping a of scenario \"storm\"":   {Kind: call.KindMapping, ID: "a", From: `scenario "storm"`},
		"operation getBerth":                {Kind: call.KindOperation, ID: "getBerth"},
		"mappings":                          {Kind: call.KindMappings},
		"example chosen by lane \"mara\"":   {Kind: call.KindExample, From: `lane "mara"`},
		"answer of the mapping":             {Kind: call.KindAnswer},
		"12 more mappings of this path":     {Kind: call.KindOthers, ID: "12"},
		"errors 30% of moorings":            {Kind: call.KindImpairment, ID: "errors 30%", From: "moorings"},
		"as an earlier version has written": {ID: "as an earlier version has written"},
		"impairment of operation bookBerth": {Kind: call.KindImpairment, From: "operation bookBerth"},
	} {
		assert.Equal(t, want, subject.String())
	}
}
