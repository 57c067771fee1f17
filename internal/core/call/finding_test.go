package call_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
)

func TestFindingsInWords(t *testing.T) {
	differs := call.Finding{Code: call.Differs, Part: "query season", Seen: `"summer"`, Expected: `"winter"`}
	absent := call.Finding{Code: call.Absent, Part: "header tier", Expected: "to be there"}
	for _, c := range []struct {
		finding call.Finding
		want    string
	}{
		{call.Find(call.IfFalse), "if: the expression is false"},
		{call.Find(call.Fits, "GET /berths", ""), "method and path fit GET /berths"},
		{call.Find(call.Fits, "GET /berths", "2"), "method and path fit GET /berths; conditions met: 2"},
		{call.Find(call.Injection, "503"), "503"},
		{call.Find(call.Injection, "503", 7, 12), "503 (seed 7, draw 12)"},
		{call.Find(call.ByImpairment, "moorings", "errors 30 %", 7, 12), "Refused by the impairment of moorings: errors 30 %, seed 7, draw 12."},
		{differs, `query season is "summer", expected "winter"`},
		{call.Finding{Code: call.NoneHold, Among: []call.Finding{differs, absent}}, `none of: query season is "summer", expected "winter"; header tier is missing, expected to be there`},
		{call.Finding{Code: call.Differs, Part: "body $.a", Seen: strings.Repeat("x", 79) + "é", Expected: "1"}, "body $.a is " + strings.Repeat("x", 79) + "…, expected 1"},
		{call.Finding{Code: call.Differs, Part: "tier", Seen: "1", Expected: "one of " + strings.Repeat("gold, ", 30)}, "tier is 1, expected one of " + strings.Repeat("gold, ", 30)},
		{call.Find(call.Missed, "a{0}", "GET", "/[x]"), `Nothing in service "a{0}" fits GET /[x].`},
	} {
		assert.Equal(t, c.want, c.finding.String())
	}
	for code, meaning := range call.Codes {
		assert.NotEmpty(t, meaning, code)
		assert.NotEmpty(t, call.Finding{Code: code, Part: "part", Seen: "seen", Expected: "expected", Values: []string{"a", "b", "c", "d"}, Among: []call.Finding{differs}}.String(), code)
	}
}

func TestExplanationsAreReadBack(t *testing.T) {
	now := &call.Explanation{Summary: call.Find(call.ByMapping, "n7", "", "GET /berths"), Steps: []call.Step{
		{Stage: call.Choose, Of: call.Subject{Kind: call.KindMapping, ID: "n8", From: "lane mara"}, Verdict: call.Skipped, Finding: call.Finding{Code: call.Differs, Part: "query a", Seen: `"\"<1>\""`, Expected: "2"}},
		{Stage: call.Build, Of: call.Subject{Kind: call.KindPins}, Verdict: call.Noted, Finding: call.Finding{Code: call.NoneHold, Values: []string{"a", ""}, Among: []call.Finding{call.Find(call.IfFalse), call.Find(call.Fits, "x", 2)}}},
	}}
	read, err := call.ReadExplanation(now.AppendJSON(nil))
	require.NoError(t, err)
	assert.Equal(t, now, read)

	old, err := call.ReadExplanation([]byte(`{"sentence": "Because.", "steps": [{"stage": "choose", "subject": "mapping n8", "verdict": "passed", "reason": "it is not"}]}`))
	require.NoError(t, err)
	assert.Equal(t, "Because.", old.Summary.String())
	require.Len(t, old.Steps, 1)
	assert.Equal(t, "mapping n8: it is not", old.Steps[0].Of.String()+": "+old.Steps[0].String())
	assert.Equal(t, call.Skipped, old.Steps[0].Verdict)

	_, err = call.ReadExplanation([]byte(`{`))
	assert.Error(t, err)
}
