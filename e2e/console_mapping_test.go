package e2e

import (
	"encoding/json"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A mapping is written as a form and as a document, tried on what was called,
// saved, looked up in its history, and restored.
func TestConsoleMappingEditor(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	_, err := s.api.PutMappings(t.Context(), "moorings", []byte("- id: closed\n  call: {path: /berths/N8}\n  answer: {status: 503, text: closed}\n"+
		"- id: turns\n  call: {path: /turns}\n  sequence: [{text: one}, {text: two}]\n"))
	require.NoError(t, err)
	s.send("GET /moorings/berths/N7", "")
	s.send("GET /moorings/turns", "")

	// which of the last calls it would answer, while it is written
	p := s.page("/services/moorings/mappings/closed")
	must(t, p.WaitText("it would answer 0 of the last 2"), p.WaitText("no: path, segment 2: N7, expected N8"))
	must(t, p.Fill("Path", "/berths/{number}"), p.WaitText("it would answer 1 of the last 2"), p.Press("GET /berths/N7"), p.WaitText(`Answered by mapping "closed"`))
	must(t, p.Press("Changes"), p.WaitText("As it is written now"), p.WaitText("path: /berths/{number}"), p.Press("Close"))

	// what is being written outlives a reload, and can be given up
	must(t, p.Wait("sessionStorage.length === 1"), p.Goto(s.control+"/services/moorings/mappings/closed"), p.WaitText("This is what you were writing"), p.WaitText("it would answer 1 of the last 2"), p.Press("Begin anew"), p.WaitText("it would answer 0 of the last 2"),
		p.Fill("Path", "/berths/{number}"), p.WaitText("it would answer 1 of the last 2"), p.Press("GET /berths/N7"))

	// the same as a document: its faults stand at their lines
	must(t, p.Press("Document"), p.Wait(`document.querySelector('.cm-content')?.innerText.includes('path: /berths/{number}')`))
	must(t, p.Click(".cm-content"), p.SelectAll(), p.Type(`{call: {path: "/berths/{n}", pth: 1}}`), p.WaitText(`line 1, column 30: "pth" is not a key of call`))
	must(t, p.Click(".cm-content"), p.SelectAll(), p.Type(`{call: {path: /x}, answer: {text: "${[1, 2].sum`), p.Wait(`/list.sum\(\)/.test(document.querySelector('.cm-tooltip-autocomplete')?.innerText)`),
		p.Wait(`/gives|→/.test(document.querySelector('.cm-completionInfo')?.innerText)`), func() error { time.Sleep(150 * time.Millisecond); return p.Type("\r") }(), // at once it would be a new line
		p.Wait(`document.querySelector('.cm-content').innerText.includes('[1, 2].sum(')`))
	must(t, p.Click(".cm-content"), p.SelectAll(), p.Type(`{call: {path: "/berths/{n}"}, answer: {status: 418, text: "tea for ${call.path.n}"}}`))
	must(t, p.WaitText("tea for N7"), p.Wait(`document.querySelector('.cm-value')?.textContent === ' = "N7"'`)) // what the expression gives for the chosen call
	must(t, p.Press("Form"), p.WaitText("a Teapot"), p.Wait(`document.querySelector('.cm-value')?.textContent === ' = "N7"'`))
	must(t, p.Press("Save"), p.WaitText("closed is saved and live on the next call"))
	_, body := s.send("GET /moorings/berths/W1", "")
	assert.Equal(t, "tea for W1", body)

	// its history, and back
	must(t, p.Press("History"), p.WaitText("in force"), p.WaitText("text: tea for ${call.path.n}"), p.Wait(`document.querySelector('[role=dialog] table')`))
	found, err := s.api.MappingVersions(t.Context(), "moorings", "closed")
	require.NoError(t, err)
	require.Len(t, found, 2)
	must(t, p.Press(fmt.Sprintf("Restore version %d", found[1].Version)), p.WaitText("closed is again as at version"))
	resp, _ := s.send("GET /moorings/berths/W1", "")
	assert.Equal(t, 200, resp.StatusCode, "the restored mapping is for N8 alone")

	// several answers are cards, which move; their position can be set back
	p = s.page("/services/moorings/mappings/turns")
	must(t, p.WaitText("1 given, answer 2 comes next"), p.Press("Reset"), p.WaitText("was reset"))
	_, body = s.send("GET /moorings/turns", "")
	assert.Equal(t, "one", body)
	must(t, p.Press("Move answer 2 up"), p.Wait(`document.querySelector('[data-answer="1"]').innerText.includes('two')`), p.Press("Answer"), p.Choose("After the last one", "start-over"), p.Press("Save"), p.WaitText("turns is saved"), p.Dismiss())
	must(t, p.Press("Reset"), p.WaitText("was reset"))
	var given []string
	for range 4 {
		_, body = s.send("GET /moorings/turns", "")
		given = append(given, body)
	}
	assert.Equal(t, []string{"two", "one", "{}", "two"}, given)
	must(t, p.Dismiss(), p.Choose("How it answers", "choose"), p.WaitText("not usable yet"), p.Press("Take answer 3 out"), p.Wait(`document.querySelectorAll('[data-answer]').length === 2`), p.Fill("Given if", `call.method == "POST"`))
	must(t, p.Wait(`document.querySelector('[data-answer="1"]').innerText.includes('does not hold')`), p.Press("Save"), p.WaitText("turns is saved"))
	assert.Equal(t, "200 one", s.says("GET /moorings/turns"))
	assert.Equal(t, "200 two", s.says("POST /moorings/turns"))

	// the fields that the contract has are offered
	other := s.page("/services/moorings/mappings?operation=getBerth")
	must(t, other.Wait(`document.querySelector('.cm-content')`), other.Click(".cm-content"), other.SelectAll(), other.Type(`{"n`), other.Wait(`/"number"\s*string, required/.test(document.querySelector('.cm-tooltip-autocomplete')?.innerText)`))

	// who changes things is asked once
	must(t, p.Press("Who are you?"), p.Fill("Name", "Åse"), p.Press("Keep it"), p.WaitStrip("as Åse"))
	must(t, p.Press("Remove"), p.WaitText("turns was removed"))
	removed, err := s.api.RemovedMappings(t.Context(), "moorings")
	require.NoError(t, err)
	require.Len(t, removed, 1)
	assert.Equal(t, "Åse", removed[0].By)
}

// What somebody changed while it was being written is not overwritten unseen, after a reload either.
func TestConsoleDrafts(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	const document = "/services/moorings/mappings/berth-under-repair"
	p := s.page(document)
	must(t, p.Wait(`document.querySelector('.cm-content')`), p.Fill("Title", "Mine"), p.Wait("sessionStorage.length === 1"))
	s.put(t, "PATCH", document, `{"labels": ["theirs"]}`)
	must(t, p.Goto(s.control+document), p.WaitText("This is what you were writing"), p.Press("Save"), p.WaitText("was changed by somebody else since you read it"))
	must(t, p.Goto(s.control+document), p.WaitText("This is what you were writing"), p.Press("Begin anew"), p.Wait("[...document.querySelectorAll('input')].some((e) => e.value === 'theirs')"), p.Wait("sessionStorage.length === 0"))
	must(t, p.Fill("Title", "Mine"), p.Press("Save"), p.WaitText("is saved and live"))
	kept, err := s.api.Mapping(t.Context(), "moorings", "berth-under-repair")
	require.NoError(t, err)
	assert.Equal(t, []string{"theirs"}, kept.Labels)
	assert.Equal(t, "Mine", kept.Title)
	must(t, p.Wait("sessionStorage.length === 0"), p.Goto(s.control+"/services/moorings"), p.Goto(s.control+document), p.Wait("[...document.querySelectorAll('input')].some((e) => e.value === 'Mine')"), p.Wait("!document.body.innerText.includes('This is what you were writing')"))
}

// Conditions are dragged, or moved with the arrow keys, also into groups.
func TestConsoleConditionsMove(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	_, err := s.api.PutMappings(t.Context(), "moorings", []byte(`{id: fog, call: {path: /fog, where: [{query: a, present: true}, {any: [{query: b, present: true}, {query: c, present: true}]}, {query: d, present: true}]}, answer: {text: a}}`))
	require.NoError(t, err)
	p := s.page("/services/moorings/mappings/fog")
	drag := func(from, onto string) string {
		return fmt.Sprintf(`(() => {
			const grip = document.querySelector('[data-grip="%s"]'), over = document.querySelector('[data-condition="%s"]');
			if (!grip || !over) return false;
			const dataTransfer = new DataTransfer(), { bottom } = over.getBoundingClientRect();
			grip.dispatchEvent(new DragEvent('dragstart', {bubbles: true, dataTransfer}));
			over.dispatchEvent(new DragEvent('dragover', {bubbles: true, cancelable: true, dataTransfer, clientY: bottom - 2}));
			over.dispatchEvent(new DragEvent('drop', {bubbles: true, cancelable: true, dataTransfer, clientY: bottom - 2}));
			return true;
		})()`, from, onto)
	}
	press := func(at, key string) string {
		return fmt.Sprintf(`(() => { const grip = document.querySelector('[data-grip="%s"]'); grip.focus(); return !grip.dispatchEvent(new KeyboardEvent('keydown', {key: '%s', bubbles: true, cancelable: true})); })()`, at, key)
	}
	const order = `[...document.querySelectorAll('input[aria-label=Name]')].map((input) => input.value).join('')`
	must(t, p.Wait(order+` === 'abcd'`), p.Wait(drag("2", "1.0")), p.Wait(order+` === 'abdc'`))
	must(t, p.Wait(press("0", "ArrowDown")), p.Wait(order+` === 'bdca'`), p.Wait(`document.activeElement.dataset.grip === '1'`), p.Press("Save"), p.WaitText("fog is saved"))
	found, err := s.api.Mapping(t.Context(), "moorings", "fog")
	require.NoError(t, err)
	text, err := json.Marshal(found.Call.Where)
	require.NoError(t, err)
	assert.JSONEq(t, `[{"any": [{"query": "b", "present": true}, {"query": "d", "present": true}, {"query": "c", "present": true}]}, {"query": "a", "present": true}]`, string(text))
}

// A form has all that a mapping does beside its answer: its move in a flow, the values that it names and
// has remembered, the calls that it makes; and its script.
func TestConsoleMappingExtras(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	_, err := s.api.PutMappings(t.Context(), "moorings", []byte(`
- id: hold
  call: {method: POST, path: "/holds/{number}"}
  flow: {name: hold, of: "${call.path.number}", when: [start, free], then: held}
  answer:
    status: 201
    let: {fee: "${call.body.nights * 12}", code: "7"}
    remember: {key: "hold ${call.path.number}", value: "${call.body}", for: 10m}
    callbacks: []
    json: {fee: "${fee}"}
- id: scripted
  call: {path: /scripted}
  answer: {script: "export default () => ({ json: 1 })"}
- id: free
  call: {path: /free}
  answer: {json: {state: free, note: calm}}
- id: changed
  call: {path: /changed}
  answer: {from: mapping:scripted, edit: [{op: replace, path: /status, value: 203}]}
`))
	require.NoError(t, err)
	before, err := s.api.Mapping(t.Context(), "moorings", "hold")
	require.NoError(t, err)

	p := s.page("/services/moorings/mappings/hold")
	must(t, p.WaitText("Remembered when it is given"), p.Fill("Title", "Holds"), p.Press("Save"), p.WaitText("hold is saved"), p.Dismiss())
	after, err := s.api.Mapping(t.Context(), "moorings", "hold")
	require.NoError(t, err)
	before.Title, before.Mapping.Title = "Holds", "Holds"
	assert.Equal(t, before.Mapping, after.Mapping, "what was not touched is as it was")

	must(t, p.Press("Name a value"), p.Press("Remove the name"), p.Fill("What fee stands for", "${call.body.nights * 20}"), p.Fill("State afterwards", "taken"),
		p.Press("Remember a value"), p.Press("Remove the key"), p.Fill("How long hold ${call.path.number} is remembered", ""), p.Press("Save"), p.WaitText("hold is saved"))
	_, body := s.send("POST /moorings/holds/N7", `{"nights": 2}`)
	assert.JSONEq(t, `{"fee": 40}`, body)
	resp, _ := s.send("POST /moorings/holds/N7", `{"nights": 2}`)
	assert.Equal(t, 404, resp.StatusCode, "it is taken")

	must(t, p.Visit("/services/moorings/mappings/scripted"), p.Wait(`document.querySelector('.cm-content')?.innerText.includes('json: 1')`), p.Click(".cm-content"), p.SelectAll(),
		p.Type(`export default () => ({ status: 203, json: 2 })`), p.Press("Save"), p.WaitText("scripted is saved"))
	assert.Equal(t, "203 2", s.says("GET /moorings/scripted"))

	must(t, p.Visit("/services/moorings/mappings/changed"), p.Choose("Starts from", "mapping:free"), p.Fill("Merged into its JSON body; empty for nothing", `{"note": null, "was": "${original.body.state}"}`),
		p.Press("Save"), p.WaitText("changed is saved"))
	assert.Equal(t, `203 {"state":"free","was":"free"}`, s.says("GET /moorings/changed"))
}
