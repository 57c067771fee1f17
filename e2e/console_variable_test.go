package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Variables are set, put in use, kept secret and taken away on their page, each live on the
// next call; what is used stays.
func TestConsoleVariables(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	p := s.page("/variables")
	cell := func(name, set string) string {
		if set != "" {
			set = " in set " + set
		}
		return "[aria-label='Change " + name + set + "']"
	}
	says := func(name, set, text string) error {
		return p.Wait("document.querySelector(\"" + cell(name, set) + "\")?.innerText.trim() === '" + text + "'")
	}
	must(t, says("harbour", "", "Skerry Sound"), says("harbour", "drill", "—"))
	must(t, p.Click(cell("harbour", "")), p.Fill("New value", "Outer Skerry"), p.Press("Save it"), p.WaitText("harbour is set, live on the next call"), says("harbour", "", "Outer Skerry"))
	assert.Contains(t, s.says("GET /tides/notice"), "Outer Skerry harbour office.")
	must(t, p.Press("Undo"), says("harbour", "", "Skerry Sound"))
	must(t, p.Choose("Set in use, for all services", "drill"), p.WaitText("drill is in use"), p.WaitStrip("variables: drill"))
	assert.Contains(t, s.says("GET /tides/notice"), "This is a drill")
	must(t, p.Click(cell("gauges", "drill")), p.Press("Take it out of drill"), p.WaitText(`set "drill" is in use and would be gone`), p.Click("[aria-label=Close]"))
	must(t, p.Choose("Set in use, for all services", ""), p.WaitText("No set is in use"), p.Wait("!document.querySelector('header').innerText.includes('variables:')"))

	// a service has its own, a secret among them, which no page shows
	must(t, p.Choose("Variables of", "tides"), p.WaitText("tides sets no variable itself."), p.Fill("Name", "keyOfGauges"), p.Click("form button[role=switch]"), p.Fill("Value", "short"), p.Press("Set it"),
		p.WaitText("a secret needs at least 8 characters"), p.Fill("Value", "hush-hush-quay"), p.WaitText("rapidmimic variables set keyOfGauges --secret --service tides"), p.Press("Set it"), says("keyOfGauges", "", "secret"),
		p.Wait(`document.querySelector('[data-seen=keyOfGauges]')?.innerText.includes('service "tides"')`), p.Wait("!document.documentElement.outerHTML.includes('hush-hush')"))
	service, err := s.api.Service(t.Context(), "tides")
	require.NoError(t, err)
	assert.True(t, service.Variables["keyOfGauges"].Secret)
	must(t, p.Click(cell("keyOfGauges", "")), p.WaitText("Left empty, the value that is kept stays."), p.Press("Remove"), p.WaitText("keyOfGauges is removed"), p.WaitText("tides sets no variable itself."))
	must(t, p.Choose("Variables of", ""), p.Click(cell("gauges", "")), p.Press("Remove"), p.WaitText(`variable "gauges" is used by mapping "notice-board" of tides`), p.Click("[aria-label=Close]"), says("gauges", "", "The tide gauge at Lamp Skerry is read by hand this week."))
}
