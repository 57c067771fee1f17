package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/e2e/browser"
)

// A situation is switched on with one press, shown on every page and on each call,
// and gone with another.
func TestConsoleScenarios(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	p := s.page("/scenarios")
	row := func(name string) string { return "document.querySelector('[data-scenario=" + name + "]')" }
	inRow := func(name, words string) string { return row(name) + "?.innerText.includes('" + words + "')" }
	press := func(name, words string) error {
		return p.Wait("(() => { const b = [..." + row(name) + "?.querySelectorAll('button') ?? []].find((b) => b.innerText === '" + words + "' && !b.disabled); b?.click(); return !!b; })()")
	}
	must(t, p.WaitStrip("no scenario"), p.Wait(inRow("no-free-berth", "listBerths answers with example")), press("no-free-berth", "Use"),
		p.WaitText("no-free-berth is on for calls in no lane"), p.WaitStrip("scenario: no-free-berth"), p.Wait(inRow("no-free-berth", "on for calls in no lane")))
	assert.Contains(t, s.says("GET /moorings/berths"), `"total":0`)
	must(t, press("bad-night", "Use"), p.WaitStrip("scenario: bad-night"), p.WaitStrip("impaired: moorings, tides"), p.Press("Undo"), p.WaitStrip("scenario: no-free-berth"))
	must(t, p.Press("Calls"), p.WaitText("Under"), p.Click("[data-call]"), p.WaitText("under scenario no-free-berth"), p.Press("Scenarios"))
	must(t, p.Choose("How long", "10m"), p.WaitText("scenario use NAME --for 10m"), press("tides-dead", "Use"), p.Wait("/scenario: tides-dead until [0-9:]+/.test(document.body.innerText)"))
	must(t, press("tides-dead", "Switch off"), p.WaitStrip("no scenario"))
	assert.Contains(t, s.says("GET /moorings/berths"), `"total":2`)

	// put together in a form, which is another view of its document
	must(t, p.Press("New scenario"), p.Fill("Name", "gale"), p.Choose("Builds on", "tides-dead"), p.Choose("Example to choose in moorings", "listBerths: none-free"),
		p.Choose("Mapping to switch off in moorings", "booking-refused"), p.WaitText("mapping booking-refused does not answer"), p.Choose("State of customs", "off"), p.Press("Keep it"), p.WaitText("gale is kept"))
	must(t, p.Wait("document.querySelector('[data-changes=customs] select').value === 'off'"), p.Fill("Errors", "1e"), p.Press("Save"), p.WaitText("Nothing was kept."), p.WaitText("/services/customs/impair"),
		p.Fill("Errors", "100%"), p.Fill("With status", "503, 429"), p.Press("Save"), p.WaitText("customs: errors 100% with 429, 503"))
	gale, err := s.api.Scenario(t.Context(), "gale")
	require.NoError(t, err)
	assert.Equal(t, []string{"customs: switched off", "customs: errors 100% with 429, 503", `moorings: listBerths answers with example "none-free"`, "moorings: mapping booking-refused switched off"}, gale.Lines)
	// somebody else was faster: nothing is overwritten unasked
	_, err = s.api.PutScenario(t.Context(), "gale", []byte(`{name: gale, title: of Ben, services: {tides: {off: true}}}`))
	require.NoError(t, err)
	must(t, p.Fill("Title", "of Mara"), p.Press("Save"), p.WaitText("was changed by somebody else since you read it"), p.WaitText("title: of Ben"), p.Press("Save mine over it"), p.WaitText("gale is kept"))
	require.Eventually(t, func() bool {
		gale, err := s.api.Scenario(t.Context(), "gale")
		return err == nil && gale.Title == "of Mara" && len(gale.Lines) == 4
	}, 5*time.Second, 20*time.Millisecond)
	must(t, p.Press("New scenario"), p.Fill("Name", "gale"), p.Press("Keep it"), p.WaitText(`scenario "gale" already exists`), p.Press("Take theirs"), p.Wait("location.search === '?scenario=gale'"))
	must(t, p.Press("Take it out"), p.Press("Document"), p.Wait("document.querySelector('.cm-content')?.innerText.includes('none-free')"), p.Wait("!document.querySelector('.cm-content').innerText.includes('booking-refused')"),
		p.Press("Close the scenario"))

	// written as a document, whose faults have their place
	must(t, p.Press("New scenario"), p.Press("Document"), p.Click(".cm-content"), p.SelectAll(), p.Type(`{name: dusk, services: {moorings: {examples: {listBerths: none}}}}`), p.Press("Keep it"),
		p.WaitText(`example "none" not found`), p.WaitText("line 1, column 59"))
	must(t, p.Click(".cm-content"), p.SelectAll(), p.Type(`{name: dusk, buildsOn: no-free-berth, services: {moorings: {examples: {listBerths: two-free}}}}`), p.Press("Keep it"),
		p.WaitText("dusk is kept"), p.Wait("location.search === '?scenario=dusk'"), p.WaitText("example of listBerths in moorings: two-free instead of none-free"))
	must(t, p.Press("Form"), p.Fill("Title", "At dusk"), p.Press("Save"), p.WaitText("At dusk"), p.Press("Remove"), p.WaitText("Scenario dusk is removed"), p.Press("Undo"), p.Wait(inRow("dusk", "At dusk")))
	must(t, press("no-free-berth", "Edit"), p.WaitText("The harbour is full"), p.Press("Remove"), p.WaitText("in use by scenario dusk"), p.Press("Close the scenario"))

	// made of what is on, and of calls
	s.impair("tides", `latency: 3ms`)
	must(t, p.Press("Make one of what is on"), p.Fill("Name", "monday"), p.Press("Show what it would be"), p.WaitText("tides: latency 3ms"), p.Press("Keep it"),
		p.WaitText("Scenario monday is kept"), p.Wait(row("monday")))
	must(t, p.Visit("/calls?text=none-free"), p.Wait("document.querySelectorAll('[data-call]').length === 1"), p.Press("Make a scenario of these"), p.Fill("Name", "as-seen"), p.Press("Show what it would be"),
		p.WaitText("GET /berths answers 200"), p.Press("Keep it"), p.Wait(row("as-seen")))
	seen, err := s.api.Scenario(t.Context(), "as-seen")
	require.NoError(t, err)
	assert.Len(t, seen.Services["moorings"].Mappings, 1)
}

// A lane is opened, remembered as mine, and narrows what is shown and what is
// switched, until it closes.
func TestConsoleLanes(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	p := s.page("/lanes")
	must(t, p.WaitText("No lane is open."), p.Fill("Name", "2nd"), p.Press("Open a lane"), p.WaitText("the name of a lane is"))
	must(t, p.Fill("Name", "mara"), p.Choose("Scenario", "no-free-berth"), p.Choose("Closes itself after", "30m"), p.WaitText("rapidmimic lane open mara --scenario no-free-berth --ttl 30m"),
		p.Press("Open a lane"), p.WaitText("Lane mara is open, and yours"), p.WaitStrip("my lane: mara"), p.WaitStrip("scenario: no-free-berth"), p.WaitText("Rapid-Mimic: lane=mara"))
	assert.Contains(t, s.says("GET /@mara/moorings/berths"), `"total":0`)
	assert.Contains(t, s.says("GET /moorings/berths"), `"total":2`)
	must(t, p.Choose("Scenario of mara", "bad-night"), p.WaitText("bad-night is on in lane mara"), p.WaitStrip("impaired: moorings, tides"), p.Choose("Scenario of mara", ""), p.WaitStrip("no scenario"))
	must(t, p.Press("30 minutes more"), p.Wait("/closes in 59 min|closes in 1 h/.test(document.body.innerText)"))

	// what is switched on a service page is for my lane alone
	must(t, p.Visit("/services/tides/trouble"), p.WaitText("In my lane, mara"), p.Fill("Errors", "100%"), p.WaitText("--error-rate 100% --lane mara"), p.Press("Switch on"), p.WaitStrip("impaired: tides"))
	assert.Regexp(t, "^503", s.says("GET /@mara/tides/stations"))
	assert.Regexp(t, "^200", s.says("GET /tides/stations"))
	must(t, p.Press("Stop all"), p.WaitText("1 impairment of lane mara stopped"), p.Wait("!document.body.innerText.includes('impaired: tides')"))
	assert.Regexp(t, "^200", s.says("GET /@mara/tides/stations"))

	// examples and modes as well; a mapping is kept for it alone when that is asked for
	must(t, p.Visit("/services/moorings"), p.WaitText("In my lane, mara"), p.Choose("Example of listBerths", "none-free"), p.WaitText("listBerths answers with example “none-free” from the next call in lane mara"))
	assert.Contains(t, s.says("GET /@mara/moorings/berths"), `"total":0`)
	assert.Contains(t, s.says("GET /moorings/berths"), `"total":2`)
	must(t, p.Choose("Example of listBerths", ""), p.WaitText("listBerths answers with what everybody gets"))
	assert.Contains(t, s.says("GET /@mara/moorings/berths"), `"total":2`)
	must(t, p.Visit("/services/moorings/mappings/berth-under-repair?view=document"), p.Wait("document.querySelector('.cm-content')?.innerText.includes('N13')"),
		p.Click(".cm-content"), p.SelectAll(), p.Type(`{id: berth-under-repair, call: {path: /berths/N13}, answer: {status: 418}}`), p.Press("Save in my lane only"), p.WaitText("berth-under-repair answers in lane mara alone"))
	assert.Regexp(t, "^418", s.says("GET /@mara/moorings/berths/N13"))
	assert.Regexp(t, "^200", s.says("GET /moorings/berths/N13"))

	// it stands first among what the service answers, and is edited for the lane
	first := "document.querySelector('[data-mapping]')?.innerText"
	must(t, p.Visit("/services/moorings"), p.Wait(first+"?.includes('in my lane only') && "+first+".includes('1 call')"),
		p.Click("[data-mapping=berth-under-repair] a"), p.WaitText("only in lane mara"), p.Fill("Status", "410"), p.Press("Save in lane mara"), p.WaitText("live on the next call in lane mara"))
	assert.Regexp(t, "^410", s.says("GET /@mara/moorings/berths/N13"))
	undone := func() {
		must(t, p.Press("Undo"))
		if !assert.Eventually(t, func() bool { return strings.HasPrefix(s.says("GET /@mara/moorings/berths/N13"), "418") }, 5*time.Second, 50*time.Millisecond) {
			told, err := browser.Eval[string](p, "document.body.innerText")
			t.Fatal(told, err)
		}
	}
	undone()
	must(t, p.Press("Take out of lane mara"), p.WaitText("was removed from lane mara"))
	assert.Regexp(t, "^200", s.says("GET /@mara/moorings/berths/N13"))
	undone()
	must(t, p.Visit("/lanes"), p.WaitText("/berths/N13 answers 418"), p.Press("Edit"), p.WaitText("a mapping of its own for any /berths/N13 (berth-under-repair)"), p.Press("Document"), p.Wait("document.querySelector('.cm-content')?.innerText.includes('N13')"),
		p.Click(".cm-content"), p.SelectAll(), p.Type(`{name: mara, ttl: 1h, services: {tides: {off: 1}}}`), p.Press("Save"), p.WaitText("Nothing was kept."), p.WaitText("off must be"),
		p.Click(".cm-content"), p.SelectAll(), p.Type(`{name: mara, ttl: 1h, services: {tides: {off: true}}}`), p.Press("Save"), p.WaitText("tides: switched off"), p.Press("Close"))
	assert.Regexp(t, "^200", s.says("GET /@mara/moorings/berths/N13"))
	must(t, p.Press("Services"), p.Wait("document.querySelector('[data-service=tides]').innerText.includes('switched off')"))
	require.NoError(t, s.api.ClearCalls(t.Context()))
	for _, line := range []string{"GET /@mara/tides/stations", "GET /@mara/tides/stations", "GET /@mara/tides/stations", "GET /tides/stations", "GET /tides/stations"} {
		s.says(line)
	}

	// the calls are those of my lane, unless others are asked for; a reload keeps it
	rows := func(n string) string { return "document.querySelectorAll('[data-call]').length === " + n }
	must(t, p.Visit("/calls"), p.Wait(rows("3")), p.Choose("Lane", "-"), p.Wait(rows("2")), p.Choose("Lane", "all"), p.Wait(rows("5")), p.Wait("location.search === '?lane=all'"))
	s.says("GET /@mara/tides/notice")
	told := "document.querySelector('[role=table]').innerText.includes('lane mara')"
	must(t, p.Wait(rows("6")), p.Wait(told), p.Choose("Lane", "mara"), p.Wait(rows("4")), p.Wait("!"+told))

	_, err := s.api.CloseLane(t.Context(), "mara")
	require.NoError(t, err)
	must(t, p.WaitStrip("my lane mara is closed"), p.Wait(rows("4")), p.Press("Leave it"), p.Wait("!document.body.innerText.includes('is closed')"))
	must(t, p.Press("Lanes"), p.WaitText("No lane is open."))
}
