package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Between the calls stands what was changed, and a call tells what was changed since it was
// answered.
func TestConsoleTellsWhyAnswersAreOthers(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.says("GET /moorings/berths/N13")
	p := s.page("/calls?text=N13")
	must(t, p.Wait("document.querySelectorAll('[data-call]').length === 1"), p.Click("[data-call]"), p.WaitText("Nothing that could change this answer."))
	s.put(t, "PATCH", "/services/tides", `{"seed": 7}`)
	s.put(t, "PATCH", "/services/moorings/mappings/berth-under-repair", `{"enabled": false}`)
	must(t, p.Wait("document.querySelector('[data-since]')?.innerText.includes('changed mapping berth-under-repair of moorings: enabled true → false')"))
	s.says("GET /moorings/berths/N13")
	must(t, p.Wait("document.querySelectorAll('[data-call]').length === 2"))
	must(t, p.Wait("[...document.querySelectorAll('[data-call], [data-change]')].map((row) => row.dataset.change ? row.innerText.includes('enabled true → false') : 'call').join() === 'call,true,call'"))
	assert.Empty(t, p.Faults())
}

// A service is removed and comes back with a press; what somebody else changed is seen,
// opened and taken back; what was changed since stays.
func TestConsoleActivity(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	p := s.page("/services/tides/settings")
	must(t, p.Press("Remove the service"), p.Press("Remove tides"), p.WaitText("tides was removed; its calls stay in the log"))
	assert.Regexp(t, "^404", s.says("GET /tides/notice"))
	must(t, p.Press("Undo"))
	require.Eventually(t, func() bool { return s.says("GET /tides/notice")[:3] == "200" }, 5*time.Second, 50*time.Millisecond)

	s.impair("moorings", `{ errors: { rate: 100%, status: 503 } }`)
	must(t, p.Press("Activity"), p.WaitText("made moorings slow or failing: errors 100% with 503"), p.WaitText("brought back service tides in the console"))
	must(t, p.Click("[data-entry] button[aria-expanded]"), p.WaitText("created impairment"), p.Wait("document.querySelector('[data-entry] section')?.innerText.includes('rate: 100%')"))
	must(t, p.Click("[data-entry] [aria-label^=Undo]"), p.WaitText("is undone: stopped the impairment of moorings"), p.Wait("!document.querySelector('header').innerText.includes('impaired')"))
	assert.Regexp(t, "^200", s.says("GET /moorings/berths"))

	s.put(t, "PUT", "/services/moorings/mappings/fog", `{call: {path: /fog}, answer: {text: one}}`)
	s.put(t, "PUT", "/services/moorings/mappings/fog", `{call: {path: /fog}, answer: {text: two}}`)
	must(t, p.WaitText("changed mapping fog of moorings"))
	made := "[...document.querySelectorAll('[data-entry]')].find((e) => e.innerText.includes('created mapping fog'))"
	must(t, p.Wait("(() => { const b = "+made+"?.querySelector('[aria-label^=Undo]'); b?.click(); return !!b; })()"), p.WaitText("Not undone: mapping fog of moorings: it was changed since"))
	assert.Contains(t, s.says("GET /moorings/fog"), "two")
	must(t, p.Choose("About", "tides"), p.Wait("!document.querySelector('ol').innerText.includes('fog')"), p.Wait("location.search === '?service=tides'"), p.WaitText("brought back service tides"))

	// back to a moment that was named, shown before it is done
	must(t, p.Fill("Mark this moment, to come back to it", "morning"), p.Press("Mark it"), p.WaitText("morning is marked"))
	s.put(t, "PUT", "/services/moorings/mappings/fog", `{call: {path: /fog}, answer: {text: three}}`)
	must(t, p.Press("Back to it"), p.WaitText("1 definition would be another"), p.WaitText("changed mapping fog of moorings"), p.Press("Bring everything back"), p.Wait("!document.querySelector('[role=dialog]')"), p.WaitText("Back to “morning”"))
	assert.Contains(t, s.says("GET /moorings/fog"), "two")
	must(t, p.Press("Undo"), p.Press("Back to it"), p.Press("Every night"), p.WaitText("back to it every night at 03:00"), p.Press("No longer"), p.Wait("!document.querySelector('[data-mark]').innerText.includes('every night')"), p.Press("Leave it as it is"))
	require.Eventually(t, func() bool { return s.says("GET /moorings/fog") == "200 three" }, 5*time.Second, 50*time.Millisecond, s.says("GET /moorings/fog"))
	must(t, p.Click("[aria-label='Forget the mark morning']"), p.Wait("!document.querySelector('[data-mark]')"))
}
