package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/e2e/browser"
)

// Definitions are found by words, on the command line and by Ctrl K in the console, which also goes to calls and does
// what can be done from anywhere.
func TestSearch(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	told := s.run(t, "find", "berth", "repair")
	assert.Regexp(t, `mapping\s+moorings\s+berth-under-repair`, told)
	assert.NotContains(t, told, "getBerth")
	assert.Regexp(t, `operation\s+moorings\s+getBerth\s+GET /berths/\{number\}`, s.run(t, "find", "getBerth"))
	assert.Contains(t, s.run(t, "find", "get", "--limit", "1"), "and more")
	assert.Contains(t, s.run(t, "find", "seagull"), `nothing has "seagull" in it`)

	s.says("GET /moorings/berths")
	p := s.page("/services/tides")
	must(t, p.WaitStrip("no scenario"))
	open := func() error {
		_, err := browser.Eval[any](p, "dispatchEvent(new KeyboardEvent('keydown', {key: 'k', ctrlKey: true, cancelable: true})); null")
		return err
	}
	words := "Words of a service, operation, mapping, scenario, lane or action, or the id of a call"
	find := func(text, first string) {
		t.Helper()
		must(t, open(), p.Fill(words, text), p.Wait("document.querySelector('[role=option][aria-selected=true]')?.innerText.includes('"+first+"')"), p.Click("[role=option][aria-selected=true]"), p.Wait("!document.querySelector('[role=dialog]')"))
	}
	find("berth-under", "berth-under-repair")
	must(t, p.Wait("location.pathname === '/services/moorings/mappings/berth-under-repair'"))
	find("settings", "moorings: settings")
	must(t, p.Wait("location.pathname === '/services/moorings/settings'"))
	find("c-1", "c-1")
	must(t, p.Wait("location.pathname === '/calls' && location.search === '?call=c-1'"))
	height := func(px string) error {
		return p.Wait("document.querySelector('[data-call]').parentElement.style.height === '" + px + "px'")
	}
	must(t, height("30"))
	find("dense", "Set lists dense")
	must(t, height("22"))
	find("roomy", "Set lists dense")
	must(t, height("30"))
	find("use bad-night", "Use scenario bad-night")
	must(t, p.WaitStrip("scenario: bad-night"))
	find("stop all", "Stop all impairments")
	must(t, p.WaitStrip("all impairments are off"))
	find("leave", "Leave scenario bad-night")
	must(t, p.WaitStrip("no scenario"))
	must(t, open(), p.Wait("document.activeElement.role === 'combobox'"), p.Type("seagull"), p.WaitText("Nothing has these words in it"), p.SelectAll(), p.Type("activity\r"), p.Wait("location.pathname === '/activity'"))
}
