package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/demo"
	"rapidmimic.example/e2e/browser"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec/api"
)

// chromium is started once, by the first test that needs it.
var chromium = sync.OnceValues(func() (*browser.Browser, error) {
	chromiumStarted = true
	return browser.Start()
})

var chromiumStarted bool

func closeBrowser() {
	if chromiumStarted {
		b, err := chromium()
		if err == nil {
			b.Close()
		}
	}
}

// page opens a page of the console. A page that complains fails the test.
func (s *service) page(path string) *browser.Page {
	s.t.Helper()
	browse(s.t)
	b, err := chromium()
	require.NoError(s.t, err)
	p, err := b.Open(s.control + path)
	require.NoError(s.t, err)
	s.t.Cleanup(func() {
		p.Close()
		assert.Empty(s.t, p.Faults(), "the page must not complain")
	})
	return p
}

// browsing lets two tests at a time have pages open: more of them starve each other.
var (
	browsing = make(chan struct{}, 2)
	browses  sync.Map // names of tests that do
)

func browse(t testing.TB) {
	if _, already := browses.LoadOrStore(t.Name(), true); already {
		return
	}
	browsing <- struct{}{}
	t.Cleanup(func() {
		browses.Delete(t.Name())
		<-browsing
	})
}

// must fails the test at the first step that went wrong.
func must(t *testing.T, steps ...error) {
	t.Helper()
	for i, err := range steps {
		require.NoError(t, err, "step %d", i+1)
	}
}

// The story a newcomer lives through in the console.
func TestConsoleStory(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{})
	contract, err := demo.File("moorings.yaml")
	require.NoError(t, err)
	folder := t.TempDir()
	file, broken := filepath.Join(folder, "moorings.yaml"), filepath.Join(folder, "broken.yaml")
	require.NoError(t, os.WriteFile(file, contract, 0o600))
	require.NoError(t, os.WriteFile(broken, []byte("openapi: 3.1.0\npaths:\n  /a: b: c\n"), 0o600))

	p := s.page("/")
	must(t, p.Press("Calls"), p.WaitText("No call was received yet"), p.Press("Services"), p.WaitText("Drop an OpenAPI or Swagger document on this page"))
	must(t, p.Press("Import a contract"), p.Upload("input[type=file]", broken), p.WaitText("line 3, column 8"), p.WaitText("Nothing was changed"))
	must(t, p.Press("Another contract"), p.Upload("input[type=file]", file), p.WaitText("9 operations answer, 0 skipped"))
	services, err := s.api.Services(t.Context())
	require.NoError(t, err)
	assert.Empty(t, services, "nothing is in force before the yes")
	must(t, p.Press("Make service moorings"), p.WaitText("Waiting for the first call to moorings"))
	s.send("GET /moorings/dues", "")
	must(t, p.WaitText("A call arrived."), p.Press("Stay here"), p.Wait(`document.querySelector('[data-service=moorings]')`))

	// a live call arrives while the page is open
	must(t, p.Press("Calls"), p.Wait(`document.querySelector('[data-call=c-1]')`))
	s.send("GET /moorings/berths/N7", "")
	must(t, p.Wait(`document.querySelector('[data-call=c-2]')`), p.Click("[data-call=c-2]"), p.WaitText("Answered by the contract: operation getBerth"))
	must(t, p.Wait(`location.search === '?call=c-2'`))

	// the answer is changed from what it was
	must(t, p.Press("Make a mapping"), p.Wait(`document.querySelector('.cm-content')`))
	must(t, p.Fill("Status", "503"), p.WaitText("Service Unavailable"), p.Press("Add a header"), p.Fill("Header name", "Retry-After"), p.Fill("Value of Retry-After", "5"))
	must(t, p.Click(".cm-content"), p.SelectAll(), p.Type(`{"state": "closed", "metres": 18.0`), p.WaitText("Not JSON"))
	must(t, p.Type("}"), p.Press("Save the new mapping"), p.WaitText("get-berths-n7 is saved and live on the next call"))
	resp, body := s.send("GET /moorings/berths/N7", "")
	assert.Equal(t, 503, resp.StatusCode)
	assert.Equal(t, "5", resp.Header.Get("Retry-After"))
	assert.Equal(t, `{"state":"closed","metres":18.0}`, body)

	// somebody else changes it meanwhile: nothing is overwritten unasked
	other, err := s.api.Mapping(t.Context(), "moorings", "get-berths-n7")
	require.NoError(t, err)
	other.Mapping.Answer.Status.Code = 418
	_, err = s.api.PutMapping(t.Context(), "moorings", other.Mapping, "")
	require.NoError(t, err)
	must(t, p.Fill("Title", "Mine"), p.Press("Save"), p.WaitText("was changed by somebody else since you read it"))
	must(t, p.Dismiss(), p.Press("Save mine over it"))
	kept := func(title string, status int) {
		t.Helper()
		require.Eventually(t, func() bool {
			m, err := s.api.Mapping(t.Context(), "moorings", "get-berths-n7")
			return err == nil && m.Title == title && m.Answer.Status.Code == status
		}, 10*time.Second, 20*time.Millisecond)
	}
	kept("Mine", 503)
	mine, err := s.api.MappingYAML(t.Context(), "moorings", "get-berths-n7")
	require.NoError(t, err)
	must(t, p.Wait(`!document.querySelector('[role=alert]') && [...document.querySelectorAll('button')].some((b) => b.innerText === 'Save' && b.disabled)`))
	must(t, p.Press("Undo"))
	kept("", 418)                                 // theirs is back, not what was before both
	mine, _, _ = bytes.Cut(mine, []byte("etag:")) // whatever is there now
	_, err = s.api.PutMappings(t.Context(), "moorings", mine)
	require.NoError(t, err)
	must(t, p.Visit("/services/moorings/mappings/get-berths-n7"))

	// and taken away again, with a way back
	must(t, p.Press("Remove"), p.WaitText("get-berths-n7 was removed"), p.Press("Undo"), p.Wait(`document.querySelector('[data-mapping=get-berths-n7]')`))
	resp, body = s.send("GET /moorings/berths/N7", "")
	assert.Equal(t, 503, resp.StatusCode)
	assert.Equal(t, `{"state":"closed","metres":18.0}`, body, "numbers keep their digits through the page")
}

func TestConsoleCallsPage(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	for range 3 {
		s.send("GET /moorings/bertsh/N7", "")
		s.send("GET /tides/stations", "")
	}
	p := s.page("/calls?text=miss")
	rows := func(n int) error {
		return p.Wait(fmt.Sprintf(`document.querySelectorAll('[data-call]').length === %d`, n))
	}
	must(t, rows(3), p.WaitText("3 calls"))
	must(t, p.Fill("Filter calls", "tides 200"), rows(3), p.Wait(`new URLSearchParams(location.search).get('text') === 'tides 200'`))
	must(t, p.Press("Pause"))
	s.send("GET /tides/stations", "")
	must(t, p.WaitText("1 new call waiting"), rows(3), p.Press("Follow"), rows(4))
	held := s.page("/calls")
	must(t, held.Wait("document.querySelectorAll('[data-call]').length === 7"), held.Press("Pause"))
	// what stands in bodies the service is asked for, again and again
	must(t, p.Fill("Filter calls", "body:inner-quay get"), rows(4))
	s.send("GET /tides/stations", "")
	must(t, rows(5), p.Fill("Filter calls", `body:"Inner Quay" miss`), p.WaitText("No call in the log is one of these"))
	must(t, p.Fill("Filter calls", " "), p.Type("\b"), rows(8))

	// words are switched off and on, and a filter is kept under a name
	must(t, p.Fill("Filter calls", "tides status:404"), p.WaitText("No call in the log"), p.Press("status:404"), rows(5), p.Wait("new URLSearchParams(location.search).get('off') === 'status:404'"), p.Press("tides"), rows(8), p.Press("status:404"), rows(3))
	must(t, p.Press("Saved filters"), p.Fill("Name for the filter as it is now", "missing"), p.Press("Keep it"), p.Press("Close"), p.Press("Forget what is off"), p.Fill("Filter calls", " "), p.Type("\b"), rows(8),
		p.Press("Saved filters"), p.Click("[data-filter=missing] button"), rows(3), p.Fill("Filter calls", " "), p.Type("\b"), rows(8))

	// keys: leave the field, walk, open, make a mapping
	must(t, p.Click("[data-call]"), p.Wait(`location.search.includes('call=c-8')`), p.Type("j"), p.Wait(`location.search.includes('call=c-7')`),
		p.Type("j"), p.Wait(`location.search.includes('call=c-6')`), p.Type("j"), p.WaitText("Closest is operation getBerth"), p.Type("m"), p.WaitText("When a call looks like this"),
		p.Wait(`[...document.querySelectorAll('input')].some((i) => i.value === '/bertsh/N7')`))

	// what is missing is told on the service's page, with the way to an answer
	must(t, p.Visit("/services/moorings"), p.WaitText("Asked for but missing"), p.Wait("/differs in path, segment 1/.test(document.querySelector('[data-missing]')?.innerText)"), p.WaitText("3 calls"))
	must(t, p.Visit("/services/nowhere"), p.WaitText(`service "nowhere" not found`))
	must(t, p.Visit("/nothing/here"), p.WaitText("There is no page at /nothing/here"))

	// what a colleague clears is gone, also where the list is held
	require.NoError(t, s.api.ClearCalls(t.Context()))
	must(t, held.Wait("document.querySelectorAll('[data-call]').length === 0"))
	s.send("GET /tides/stations", "")
	must(t, held.WaitText("1 new call waiting"), held.Press("Follow"), held.Wait("document.querySelectorAll('[data-call]').length === 1"))
}

// A table of ten thousand calls keeps few rows in the page and scrolls at once.
func TestConsoleStaysLightWithManyCalls(t *testing.T) {
	s := startDemo(t)
	p := s.page("/calls")
	for range 300 {
		s.send("GET /tides/stations", "")
	}
	must(t, p.Wait(`document.querySelector('[data-testid=shown]').textContent === '300 calls'`))
	n, err := browser.Eval[int](p, `document.querySelectorAll('[data-call]').length`)
	require.NoError(t, err)
	assert.Less(t, n, 80)
	must(t, p.Wait(`(() => { const box = document.querySelector('[role=table] > div:last-child'); box.scrollTop = box.scrollHeight; return !!document.querySelector('[data-call=c-1]'); })()`))
	s.send("GET /tides/stations", "")
	must(t, p.WaitText("1 new call waiting"), p.Wait(`document.querySelector('[data-call=c-1]')`))
}

// unclearParts says what of a page nobody could tell apart who only hears it: a page without its one heading,
// tables without a name, buttons of rows that are called alike and belong to no group that has a name.
const unclearParts = `(() => {
	const name = (e) => (e.getAttribute('aria-label') || e.innerText || e.title || '').trim();
	const named = (e) => !!e.closest('fieldset, section[aria-label], [role=group][aria-label], [role=toolbar], dialog, form') ;
	const out = [];
	if (document.querySelectorAll('h1').length !== 1) out.push(document.querySelectorAll('h1').length + ' h1');
	for (const table of document.querySelectorAll('table, [role=table]')) if (!table.getAttribute('aria-label') && !table.caption && !table.closest('section')) out.push('table ' + table.innerText.slice(0, 40));
	const seen = new Map();
	for (const button of document.querySelectorAll('main li button, main td button')) if (!named(button)) seen.set(name(button), (seen.get(name(button)) ?? 0) + 1);
	for (const [words, times] of seen) if (times > 1) out.push(times + ' buttons "' + words + '"');
	return out.join('; ');
})()`

// Every page in both themes, judged by axe, and by what one hears.
func TestConsoleAccessibility(t *testing.T) {
	t.Parallel()
	s, _, _ := boarded(t)
	s.send("GET /moorings/bertsh/N7", "")
	s.send("GET /moorings/berths/N7", "")
	s.impair("moorings", `{ errors: { next: 1 }, latency: 1ms..2ms }`)
	s.send("GET /moorings/berths/N7", "")
	_, err := s.api.PutMappings(t.Context(), "moorings", []byte("call: {path: /dues}\nanswer: {from: upstream, edit: [{op: replace, path: /body/0/state, value: waived}]}"))
	require.NoError(t, err)
	s.send("GET /moorings/dues", "")
	s.lane(`{ name: night-run, scenario: bad-night, services: { customs: { off: true } } }`)
	s.use("tides-dead", "")
	s.send("GET /@night-run/customs?wsdl", "")
	_, err = s.api.CreateWalk(t.Context(), api.NewWalk{Name: "lengths", Service: "moorings", Lane: "night-run", BoundaryChoice: api.BoundaryChoice{Operation: "getBerth", At: []string{"$.lengthMetres"}}})
	require.NoError(t, err)
	_, err = s.api.NoteInWalk(t.Context(), "lengths", "1", api.WalkNote{Verdict: "defect", Text: "shown as 0"})
	require.NoError(t, err)
	_, err = s.api.PutMappings(t.Context(), "customs", []byte(`{call: {path: /kept}, flow: {name: hold, of: "${call.query.id}", when: [start, held], then: held}, answer: {remember: {key: last, value: 7, for: 1h}, text: kept}}`))
	require.NoError(t, err)
	s.send("GET /customs/kept?id=7", "")
	axe, err := os.ReadFile("../console/node_modules/axe-core/axe.min.js")
	require.NoError(t, err, "make test installs it")
	p := s.page("/")
	_, err = browser.Eval[any](p, string(axe)+"; null")
	require.NoError(t, err)
	for path, wait := range map[string]string{
		"/":                                 `document.querySelector('[data-service]')`,
		"/services/moorings":                `document.querySelectorAll('[data-operation]').length > 5 && document.querySelector('[data-mapping]')`,
		"/services/moorings/docs/bookBerth": `document.querySelector('form textarea')`,
		"/calls?call=c-1":                   `document.querySelector('[data-testid=sentence]')`,
		"/calls?call=c-4":                   `document.querySelector('details')`, // edited on its way
		"/calls?group=flow":                 `document.querySelector('[data-flow]')`,
		"/calls?group=scatter":              `document.querySelector('section[aria-label="The slowest"] button')`,
		"/retries":                          `document.querySelector('[data-story]')`,
		"/scenarios":                        `document.querySelector('[data-scenario=tides-dead]')`,
		"/scenarios?scenario=bad-night":     `document.querySelector('[data-changes=tides]')`,
		"/lanes":                            `document.querySelector('[data-lane=night-run]')`,
		"/calls?lane=night-run&call=c-5":    `document.querySelector('[data-testid=sentence]')`,
		"/activity":                         `document.querySelectorAll('[data-entry]').length > 5`,
		"/variables?service=tides":          `document.querySelector('[data-seen=gauges]')`,
		"/services/tides/mappings":          `document.querySelector('.cm-content')`,
		"/walks/lengths":                    `document.querySelector('[data-step=zero]')`,
		"/services/moorings/calls":          `document.querySelector('[data-call]')`,
		"/services/moorings/trouble":        `document.querySelector('[data-impairment]')`,
		"/services/tides/recordings":        `document.body.innerText.includes('upstream')`,
		"/services/moorings/callbacks":      `document.body.innerText.includes('1 webhook')`,
		"/services/tides/contract":          `document.querySelector('[data-revision]')`,
		"/services/moorings/settings":       `document.body.innerText.includes('Remove the service')`,
		"/services/customs/memory":          `document.querySelector('[data-flow=hold] svg') && document.querySelector('[data-value=last]')`,
	} {
		t.Run(path, func(t *testing.T) {
			must(t, p.Visit(path), p.Wait(wait))
			unclear, err := browser.Eval[string](p, unclearParts)
			require.NoError(t, err)
			assert.Empty(t, unclear, "for who hears the page")
			for theme, rules := range map[string]string{"light": "['wcag2a', 'wcag2aa', 'wcag21aa']", "dark": "{type: 'rule', values: ['color-contrast']}"} { // only colours differ
				must(t, p.Theme(theme))
				assert.NoError(t, p.Wait("document.documentElement.scrollHeight <= innerHeight"), "the page itself does not scroll")
				found, err := browser.Eval[string](p, `axe.run(document, {resultTypes: ['violations'], selectors: false, preload: false, runOnly: `+rules+`}).then((r) => JSON.stringify(
					r.violations.map((v) => ({id: v.id, help: v.help, nodes: v.nodes.slice(0, 3).map((n) => n.html.slice(0, 200) + ' ' + n.failureSummary)}))))`)
				require.NoError(t, err)
				var violations []any
				require.NoError(t, json.Unmarshal([]byte(found), &violations))
				assert.Empty(t, violations, theme)
			}
		})
	}
}

// A contract that is dropped anywhere on the page, as a hand would drop it.
func TestConsoleDrop(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{})
	contract, err := demo.File("tides.yaml")
	require.NoError(t, err)
	text, err := json.Marshal(string(contract))
	require.NoError(t, err)
	p := s.page("/")
	must(t, p.WaitText("Drop an OpenAPI"))
	_, err = browser.Eval[any](p, `(() => {
		const data = new DataTransfer();
		data.items.add(new File([`+string(text)+`], 'tides.yaml'));
		const page = document.querySelector('main section');
		page.dispatchEvent(new DragEvent('dragover', {dataTransfer: data, bubbles: true}));
		page.dispatchEvent(new DragEvent('drop', {dataTransfer: data, bubbles: true}));
		return null;
	})()`)
	must(t, err, p.WaitText("6 operations answer, 0 skipped"), p.Fill("Name of the service", "gauges"), p.WaitText("gauges"), p.Press("Make service gauges"), p.Press("Open gauges"), p.Wait("location.pathname === '/services/gauges'"))

	// the text of one, once more: a name that is taken, another revision, and what is no contract
	must(t, p.Press("Services"), p.Press("Import a contract"), p.Fill("or its text", "a: b"), p.Press("Look at the text"), p.WaitText("the key openapi is missing"), p.Press("Another contract"))
	must(t, p.Fill("or its text", string(contract)), p.Press("Look at the text"), p.Fill("Name of the service", "gauges"), p.WaitText("There is a service gauges"), p.Choose("Becomes", "gauges"), p.WaitText("this would be revision 2"),
		p.Press("Put revision 2 in force"), p.WaitText("Point your program"), p.Press("Stay here"), p.Press("Import a contract"), p.Fill("or the address that it is at", "http://localhost:1/x.yaml"), p.Press("Get it"), p.WaitText("imports by URL are switched off"), p.Press("Leave it as it is"))
}

// A new revision is looked at before it is put in force, and can be taken back.
func TestConsoleRevisions(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	contract, err := demo.File("tides.yaml")
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "tides-2.yaml")
	newer := strings.ReplaceAll(strings.Replace(string(contract), "  /warnings/{id}:\n", "  /alerts/{id}:\n", 1), "enum: [rising, falling, slack]", "enum: [rising, falling]")
	require.NoError(t, os.WriteFile(file, []byte(newer), 0o600))
	revision := func() int {
		service, err := s.api.Service(t.Context(), "tides")
		require.NoError(t, err)
		return service.Contract.Revision
	}
	p := s.page("/services/tides/contract")
	must(t, p.Wait(`document.querySelector('[data-revision="1"]')`), p.Press("Import a new revision"), p.Upload("input[type=file]", file), p.WaitText("this would be revision 2"),
		p.WaitText("DELETE /alerts/{id}"), p.WaitText("response 200, application/json, trend, enum slack: removed"))
	assert.Equal(t, 1, revision(), "nothing happens before the yes")
	must(t, p.Press("Put revision 2 in force"), p.Press("Stay here"), p.Wait(`document.querySelector('[data-revision="2"]')`))
	assert.Equal(t, 2, revision())
	must(t, p.Press("What it changed"), p.WaitText("DELETE /warnings/{id}"), p.Press("Restore"), p.WaitText("this would be revision 3"), p.Press("Put revision 3 in force"), p.Press("Stay here"),
		p.Wait(`document.querySelector('[data-revision="3"]')`))
	resp, _ := s.send("DELETE /tides/warnings/1", "")
	assert.Equal(t, 204, resp.StatusCode)

	// and an example is chosen
	must(t, p.Visit("/services/tides"), p.Choose("Example of getTides", "neap"))
	must(t, p.WaitText("getTides answers with example “neap” from the next call"))
	_, body := s.send("GET /tides/stations/inner-quay/tides?date=2026-12-09", "")
	assert.Contains(t, body, "2026-12-09T08:40:00Z")

	// of a service that gives none there is none to choose
	_, err = s.api.PatchService(t.Context(), "tides", []byte(`{"otherwise": ["generated"]}`))
	require.NoError(t, err)
	must(t, p.Visit("/services/tides"), p.WaitText("200 OK, generated data"), p.Wait(`!document.querySelector('[aria-label="Example of getTides"]')`))
}

// Somebody who writes a caller reads about an operation, tries it, and fixes a
// field of its answer.
func TestConsoleDocumentation(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	p := s.page("/services/moorings")
	must(t, p.Press("Documentation for callers"), p.WaitText("All berths, the free ones first"))
	must(t, p.Visit("/services/moorings/docs/bookBerth"), p.WaitText("Sent again with a repeated request"), p.WaitText("2 to 40 characters"))
	must(t, p.Press("Send the call"), p.WaitText("201 Created"), p.WaitText("B-2041"))
	must(t, p.Fill("Headers, one a line", "nonsense"), p.WaitText("each line is Name: value"))
	must(t, p.Fill("Headers, one a line", "Content-Type: application/json"), p.Fill("Path and query", "/berths/W1/bookings"), p.Press("Send the call"), p.WaitText("409 Conflict"))
	must(t, p.Press("Why it got this: call c-2"), p.WaitText("Answered by mapping \"booking-refused\""))

	must(t, p.Visit("/services/moorings/docs/getBerth"), p.WaitText("Pinned fields"))
	must(t, p.Fill("Pins, one a line", "/state = taken\n/pier = 7"))
	must(t, p.Press("Set the pins"), p.WaitText("The pins of getBerth changed, live on the next call"))
	_, body := s.send("GET /moorings/berths/N7", "")
	assert.Contains(t, body, `"pier":7`)
	assert.Contains(t, body, `"state":"taken"`)
	must(t, p.Press("Undo"))
	require.Eventually(t, func() bool {
		service, err := s.api.Service(t.Context(), "moorings")
		return err == nil && len(service.Pins["getBerth"]) == 0
	}, 10*time.Second, 20*time.Millisecond)
	must(t, p.Visit("/services/moorings"), p.WaitText("1 deviate"))
}

// The calls of a trace, whoever made them, as one flow.
func TestConsoleFlow(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	const trace = "4bf92f3577b34da6a3ce929d0e0e4736"
	parent := func(span string) string { return "Traceparent: 00-" + trace + "-" + span + "-01" }
	s.send("GET /moorings/berths", "", "User-Agent: quay-board/2.1", parent("00f067aa0ba902b7"))
	s.send("GET /moorings/dues", "", "User-Agent: office/1")
	s.send("GET /tides/warnings", "", "User-Agent: office-sync/0.4", parent("10f067aa0ba902b7"))
	p := s.page("/calls")
	must(t, p.Wait(`document.querySelectorAll('[data-call]').length === 3`), p.Choose("Show", "trace"), p.Wait(`document.querySelectorAll('[data-group]').length === 2`), p.Press(trace))
	must(t, p.Wait(`[...document.querySelectorAll('[data-flow]')].map((step) => step.dataset.flow).join() === 'c-1,c-3'`), p.WaitText("quay-board"), p.WaitText("office-sync"))
	must(t, p.Click("[data-flow=c-3]"), p.WaitText("Answered by the contract: operation listWarnings"))
	calls, err := s.api.Calls(t.Context(), client.CallQuery{Text: "trace:" + trace[:6]})
	require.NoError(t, err)
	require.Len(t, calls.Items, 2)
	assert.Equal(t, trace, calls.Items[0].Trace)
}

// The columns of the list are chosen, and the choice is kept; calls are drawn by how long they took.
func TestConsoleColumnsAndScatter(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.send("GET /moorings/berths", "", "User-Agent: quay-board/2.1")
	time.Sleep(10 * time.Millisecond) // points of one millisecond stand in the middle
	s.send("GET /tides/warnings", "", `Rapid-Mimic: delay="30ms"`)
	p := s.page("/calls")
	const heads = `[...document.querySelectorAll('[role=columnheader]')].map((head) => head.textContent).join()`
	must(t, p.Wait(heads+` === 'Time,Call,Status,Answered by,Took,Id'`), p.Click("[aria-label=Columns]"), p.Wait(`document.querySelector('[role=menuitemcheckbox]')`))
	must(t, p.Press("Caller"), p.Press("Status"), p.Type("\u001b"), p.Wait(heads+` === 'Time,Call,Answered by,Caller,Took,Id'`), p.WaitText("quay-board/2.1"))
	must(t, p.Visit("/calls?group=scatter"), p.WaitText("half of them took up to"))
	must(t, p.Visit("/calls"), p.Wait(heads+` === 'Time,Call,Answered by,Caller,Took,Id'`), p.Choose("Show", "scatter"))
	must(t, p.Wait(`document.querySelector('section[aria-label="The slowest"] li').textContent.includes('GET /tides/warnings')`))
	const rightEdge = `(() => {
		const c = document.querySelector('canvas'), { right, top, height } = c.getBoundingClientRect();
		for (let y = 10; y < height - 24; y += 6) c.dispatchEvent(new MouseEvent('click', {bubbles: true, clientX: right - 20, clientY: top + y}));
		return location.search.includes('call='); // before it is laid out there is nothing to hit
	})()`
	must(t, p.Wait(rightEdge), p.WaitText("Answered by the contract: operation listWarnings")) // which came last
}
