package e2e

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/demo"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// Two calls are held against each other, and one against what it would get now; secrets stay masked.
func TestCallsAreCompared(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.put(t, "PUT", "/services/moorings/mappings/fog", `{call: {path: /fog}, answer: {json: {state: thick, metres: 18.0}}}`)
	s.send("GET /moorings/fog?at=quay", "", "Authorization: Bearer hush-hush")
	first := s.answered.Load().(string)
	s.put(t, "PUT", "/services/moorings/mappings/fog", `{call: {path: /fog}, answer: {json: {state: thin, metres: 18.0}, headers: {X-Seen: 2}}}`)
	s.send("GET /moorings/fog", "", "Authorization: Bearer hush-hush-hush")
	second := s.answered.Load().(string)

	told := s.run(t, "calls", "compare", first, second)
	for _, line := range []string{`query at`, `answer header x-seen`, `answer body $.state`, "4 differences"} {
		assert.Contains(t, told, line)
	}
	assert.NotContains(t, told, "hush")
	assert.NotContains(t, told, "$.metres")
	assert.Contains(t, s.run(t, "calls", "compare", first, second, "--all"), "$.metres")
	assert.Contains(t, s.run(t, "calls", "compare", second, "now"), "nothing differs")
	assert.Contains(t, s.run(t, "calls", "compare", first, "now"), "2 differences")

	s.put(t, "PUT", "/services/moorings/mappings/gale", `{rank: -1, call: {path: /fog}, answer: {json: {state: none, metres: 18.0}}}`)
	s.put(t, "PUT", "/services/moorings/mappings/dusk", `{rank: -1, call: {path: /fog, where: [{query: at, equals: pier}]}, answer: {text: dark}}`)
	assert.Contains(t, s.run(t, "calls", "compare", first, "mapping:gale"), `answer body $.state`, "whatever its rank is")
	_, err := s.api.CompareCalls(t.Context(), first, "mapping:dusk", false)
	assert.ErrorContains(t, err, `mapping dusk does not answer this call: query at is "quay"`)
	_, err = s.api.CompareCalls(t.Context(), first, "mapping:dus", false)
	assert.ErrorContains(t, err, "dusk?")
	s.send("GET /moorings/berths/N7", "")
	berth := s.answered.Load().(string)
	assert.Contains(t, s.run(t, "calls", "compare", berth, "example:free"), "nothing differs")
	_, err = s.api.CompareCalls(t.Context(), berth, "example:freed", false)
	assert.ErrorContains(t, err, "its examples are free, taken, unknown")
	_, err = s.api.CompareCalls(t.Context(), berth, "recording", false)
	assert.ErrorContains(t, err, "no recording of moorings has a call GET /moorings/berths/N7")
	s.lane(`{name: mara, services: {moorings: {mappings: [{id: fog, call: {path: /fog}, answer: {json: {state: black}}}]}}}`)
	s.send("GET /@mara/moorings/fog?at=quay", "")
	inLane := s.answered.Load().(string)
	assert.Contains(t, s.run(t, "calls", "compare", inLane, "mapping:fog"), "nothing differs", "it is that of the lane")
	assert.Contains(t, s.run(t, "calls", "compare", inLane, "mapping:gale"), "answer body $.state")
	fog, err := s.api.Mapping(t.Context(), "moorings", "gale")
	require.NoError(t, err)
	assert.Nil(t, fog.Calls, "a comparison is no call")

	s.put(t, "PUT", "/services/moorings/mappings/secret", `{call: {path: /secret}, answer: {json: {password: hush-hush-quay, state: x}, headers: {Set-Cookie: session=hush-hush-cookie}}}`)
	s.send("GET /moorings/secret", "")
	told = s.run(t, "calls", "compare", s.answered.Load().(string), "now", "--all")
	assert.Contains(t, told, "nothing differs", "a secret that is the same looks the same")
	assert.NotContains(t, told, "hush")
	assert.Contains(t, s.run(t, "calls", "--since", "1h"), first)
	assert.NotContains(t, s.run(t, "calls", "--until", "1h"), first)
	_, err = s.api.Calls(t.Context(), client.CallQuery{Since: "yesterday"})
	assert.ErrorContains(t, err, "since must be how long ago")

	_, err = s.api.CompareCalls(t.Context(), first, "c-ffff", false)
	assert.ErrorContains(t, err, "c-ffff is not in the log")
	_, err = s.api.CompareCalls(t.Context(), first, "", false)
	assert.ErrorContains(t, err, "with must be")
	_, err = s.api.PatchService(t.Context(), "moorings", []byte(`{"mode": "relay", "upstream": "http://127.0.0.1:9/"}`))
	require.NoError(t, err)
	_, err = s.api.CompareCalls(t.Context(), first, "now", false)
	assert.ErrorContains(t, err, "would go to the upstream now")
}

// A call is held against the last recorded one that asked for the same.
func TestCallsAreComparedWithRecordings(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{})
	metres := 3
	upstream := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, _ = fmt.Fprintf(w, `{"at": %q, "metres": %d}`, r.URL.Query().Get("at"), metres)
	}))
	defer upstream.Close()
	gauge := spec.NewService("gauge")
	gauge.Upstream = upstream.URL
	_, err := s.api.CreateService(t.Context(), gauge)
	require.NoError(t, err)
	for metres = range 3 {
		name := fmt.Sprintf("day %d", metres)
		_, err = s.api.StartRecording(t.Context(), "gauge", api.RecordingStart{Name: name})
		require.NoError(t, err)
		s.send("GET /gauge/depth?at=quay&token=hush-hush-quay-1", "", "Authorization: Bearer hush-hush-quay-2")
		s.send("GET /gauge/depth?at=pier&token=hush-hush-quay-1", "")
		_, err = s.api.StopRecording(t.Context(), "gauge", name, api.RecordingStop{})
		require.NoError(t, err)
	}
	s.put(t, "PUT", "/services/gauge/mappings/mud", `{rank: 1, call: {path: /depth}, answer: {json: {at: quay, metres: 7}}}`)
	s.send("GET /gauge/depth?at=quay&token=hush-hush-quay-3", "", "Authorization: Bearer hush-hush-quay-4")
	compared, err := s.api.CompareCalls(t.Context(), s.answered.Load().(string), "recording", false)
	require.NoError(t, err)
	was, is := "2", "7"
	assert.Contains(t, compared.Places, api.CallPlace{At: "answer body $.metres", Here: &is, There: &was, Differs: true}, "of the last day")
	for _, place := range compared.Places {
		assert.Contains(t, place.At, "answer ", "it asked for the same, and secrets look alike: %v", place)
	}
	assert.NotContains(t, s.run(t, "calls", "compare", compared.Call, "recording", "--all"), "hush")
}

// A morning of a tester: import, call, look, a condition by click, a boundary value, compare, trouble, undo.
func TestConsoleMorning(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{})
	contract, err := demo.File("moorings.yaml")
	require.NoError(t, err)
	_, err = s.api.Import(t.Context(), client.Import{File: "moorings.yaml", Text: contract})
	require.NoError(t, err)
	book := func() string {
		_, body := s.send("POST /moorings/berths/N7/bookings", booking, jsonType)
		return body
	}
	book()
	p := s.page("/services/moorings")
	must(t, p.WaitText("1 call"), p.Press("Calls"), p.Click("[data-call]"), p.WaitText("Answered by the contract"))

	// a field of the request becomes a condition, in a click
	chosen := func(tree, text string) string {
		return `(() => { const line = [...document.querySelectorAll('[aria-label="` + tree + `"] [data-line]')].find((e) => e.innerText.includes('` + text + `')); line?.click(); return !!line; })()`
	}
	must(t, p.Wait(chosen("Body of request", "callSign")), p.WaitText("$.vessel.callSign"), p.Press("Make a condition of it"), p.WaitText("When a call looks like this"), p.WaitText("holds on 1 of 1"), p.Fill("Value", "SKQ40"), p.WaitText("holds on 0 of 1"), p.Fill("Value", "SKQ41"), p.WaitText("holds on 1 of 1"))
	must(t, p.Wait(`document.querySelector('.cm-content')`), p.Fill("Status", "409"), p.Press("Save the new mapping"), p.WaitText("is saved and live on the next call"))
	s.says("GET /moorings/dues")
	resp, _ := s.send("POST /moorings/berths/N7/bookings", booking, jsonType)
	assert.Equal(t, 409, resp.StatusCode)
	resp, _ = s.send("POST /moorings/berths/N7/bookings", strings.ReplaceAll(booking, "SKQ41", "SKQ42"), jsonType)
	assert.Equal(t, 201, resp.StatusCode, "of another vessel")

	// the two are compared, over the whole page
	must(t, p.Visit("/calls?text=POST"), p.Click("[data-call=c-4]"), p.Press("Compare"), p.WaitText("Nothing differs."), p.Choose("Compare with", "c-3"),
		p.Wait(`[...document.querySelectorAll('[data-differs=true]')].some((row) => row.innerText.includes('request body $.vessel.callSign'))`), p.Press("Over the whole page"), p.Wait("!document.querySelector('[data-call]')"))
	must(t, p.Press("Beside the list"), p.Press("Compare"), p.Click("[data-call]"))

	// keys go to the next of the same endpoint, which is not the next call
	must(t, p.Visit("/calls?call=c-4"), p.Wait("document.querySelectorAll('[data-call]').length === 4"), p.Type("J"), p.Wait("location.search === '?call=c-3'"), p.Type("J"), p.Wait("location.search === '?call=c-1'"), p.Type("K"), p.Wait("location.search === '?call=c-3'"))

	// sent again with another vessel, it gets another answer
	must(t, p.Press("Send again"), p.Wait(`document.querySelector('[role=dialog] .cm-content')`), p.Click("[role=dialog] .cm-content"), p.SelectAll(), p.Type(strings.ReplaceAll(booking, "SKQ41", "SKQ43")), p.Press("Send the call"), p.WaitText("201 Created"), p.Press("Close"))

	// a field of the answer is pinned, and what it had is back by an undo
	must(t, p.Visit("/calls?call=c-1"), p.Wait(chosen("Body of answer", `"state"`)), p.Press("Pin it"), p.Fill("Value from now on", "waiting"), p.Press("Pin it"), p.WaitText("/state of bookBerth is pinned"))
	_, body := s.send("POST /moorings/berths/N7/bookings", strings.ReplaceAll(booking, "SKQ41", "SKQ44"), jsonType)
	assert.Contains(t, body, `"state":"waiting"`)
	must(t, p.Press("Undo"))
	require.Eventually(t, func() bool {
		service, err := s.api.Service(t.Context(), "moorings")
		return err == nil && len(service.Pins) == 0
	}, 5*time.Second, 20*time.Millisecond)

	// its values are searched and found elsewhere, and a boundary value is begun from it
	must(t, p.Press("Search Body of answer"), p.Fill("Search in Body of answer", "reference"), p.WaitText("1 line"), p.Type("\r"), p.WaitText("$.reference"), p.Press("Boundary values"), p.WaitText("Boundary values of a field"),
		p.Wait("[...document.querySelectorAll('[role=dialog] select')].some((e) => e.value === '$.reference')"), p.Press("Close"), p.Press("Find in other calls"), p.Wait("location.search.startsWith('?text=body')"))
}
