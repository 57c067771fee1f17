package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/e2e/browser"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/tree"
)

const booking = `{"vessel": {"name": "Grey Gannet", "callSign": "SKQ41", "lengthMetres": 21.3}, "from": "2026-12-01", "until": "2026-12-04"}`

// A program books, sees its booking, changes and cancels it, in two lanes at once; nobody
// notices the other.
func TestAServiceRemembers(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	ctx := t.Context()
	_, err := s.api.PatchService(ctx, "moorings", []byte(`{"memory": "on"}`))
	require.NoError(t, err)
	memory, err := s.api.Memory(ctx, "moorings", "")
	require.NoError(t, err)
	require.Len(t, memory.Collections, 2)
	assert.Equal(t, []string{"berths", "number"}, []string{memory.Collections[0].Name, memory.Collections[0].Key})
	assert.Equal(t, []string{"bookings", "reference", "berths", "berth"}, []string{memory.Collections[1].Name, memory.Collections[1].Key, memory.Collections[1].Parent, memory.Collections[1].ParentField})
	assert.Equal(t, 2, memory.Collections[0].Items, "the examples of the contract")
	require.Len(t, memory.Stateless, 1)
	assert.Equal(t, "listDues", memory.Stateless[0].Operation)

	done := make(chan error, 2)
	for _, lane := range []string{"mara", "ida"} {
		_, err := s.api.OpenLane(ctx, spec.NewLane(lane))
		require.NoError(t, err)
		go func() { done <- s.booksAndCancels("/@"+lane+"/moorings", lane) }()
	}
	require.NoError(t, <-done)
	require.NoError(t, <-done)
	assert.Equal(t, "200 []", s.says("GET /moorings/berths/N7/bookings"), "what happens in a lane stays there")

	// what it did is told
	resp, body := s.send("POST /moorings/berths/N7/bookings", booking, jsonType)
	require.Equal(t, 201, resp.StatusCode, body)
	made := resp.Header.Get("Location")
	assert.Contains(t, resp.Header.Get("Rapid-Mimic"), `by="bookBerth, memory"`)
	call, err := s.api.Call(ctx, s.answered.Load().(string))
	require.NoError(t, err)
	assert.Regexp(t, `Answered from the memory of the service, operation bookBerth: adds "B-\d+" to bookings, which has 1 now\.`, call.Explanation.Sentence)
	assert.Empty(t, call.Deviations, "what is remembered obeys the contract")
	resp, body = s.send("POST /moorings/berths/N7/bookings", `{"from": 1}`, jsonType)
	assert.Equal(t, 422, resp.StatusCode)
	assert.Contains(t, body, "missing properties")
	assert.Regexp(t, `^404 .*berths has no \\"W9\\"`, s.says("GET /moorings/berths/W9/bookings"))

	// a hint and a mapping go before; an explanation changes nothing
	assert.Contains(t, s.says("GET /moorings/berths", "Rapid-Mimic: example=none-free"), `"total":0`)
	_, err = s.api.Explain(ctx, "moorings", api.TestCall{Method: "DELETE", Path: strings.TrimPrefix(made, "/moorings")})
	require.NoError(t, err)
	assert.Regexp(t, "^200 ", s.says("GET "+made))

	// by hand
	_, err = s.api.PutRemembered(ctx, "moorings", "berths", "S3", "", []byte(`{pier: south, state: free}`), nil)
	require.NoError(t, err)
	assert.Equal(t, `200 {"total":1,"berths":[{"pier":"south","state":"free","number":"S3"}]}`, s.says("GET /moorings/berths?pier=south"))
	require.NoError(t, s.api.RemoveRemembered(ctx, "moorings", "berths", "S3", "", nil))
	assert.ErrorContains(t, s.api.RemoveRemembered(ctx, "moorings", "berths", "S3", "", nil), `berths has no "S3"`)
	_, err = s.api.Remembered(ctx, "moorings", "berth", "")
	assert.ErrorContains(t, err, `collection "berth" not found (berths?`)
	require.NoError(t, s.api.ResetMemory(ctx, "moorings", "bookings", ""))
	assert.Equal(t, "200 []", s.says("GET /moorings/berths/N7/bookings"))
	_, err = s.api.PatchService(ctx, "moorings", []byte(`{"memory": "off"}`))
	require.NoError(t, err)
	_, err = s.api.Remembered(ctx, "moorings", "berths", "")
	assert.ErrorContains(t, err, "--memory on")
	assert.NotEqual(t, "200 []", s.says("GET /moorings/berths/N7/bookings"), "the contract answers again")
	require.Eventually(t, func() bool {
		_, err := s.api.PatchService(ctx, "moorings", []byte(`{"memory": "on"}`))
		require.NoError(t, err)
		s.send("POST /moorings/berths/N7/bookings", booking, jsonType)
		_, err = s.api.PatchService(ctx, "moorings", []byte(`{"memory": "off"}`))
		require.NoError(t, err)
		time.Sleep(1100 * time.Millisecond) // what is over is looked for each second
		_, err = s.api.PatchService(ctx, "moorings", []byte(`{"memory": "on"}`))
		require.NoError(t, err)
		return s.says("GET /moorings/berths/N7/bookings") == "200 []"
	}, 10*time.Second, 10*time.Millisecond, "switched off, it forgets")
}

// booksAndCancels leads bookings of a berth through their life.
func (s *service) booksAndCancels(at, who string) error {
	send := func(method, path, body string) (status int, location, text string) {
		req, err := http.NewRequest(method, s.traffic+path, strings.NewReader(body))
		if err != nil {
			return 0, "", err.Error()
		}
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			return 0, "", err.Error()
		}
		defer resp.Body.Close()
		raw, err := io.ReadAll(resp.Body)
		if err != nil {
			return 0, "", err.Error()
		}
		return resp.StatusCode, resp.Header.Get("Location"), string(raw)
	}
	for round := range 20 {
		status, location, text := send("POST", at+"/berths/N9/bookings", booking)
		if status != 201 || !strings.HasPrefix(location, at+"/bookings/B-") {
			return fmt.Errorf("%s books: %d %s %s", who, status, location, text)
		}
		var made struct{ Reference, Berth string }
		if err := json.Unmarshal([]byte(text), &made); err != nil || made.Berth != "N9" {
			return fmt.Errorf("%s got %s", who, text)
		}
		if status, _, list := send("GET", at+"/berths/N9/bookings", ""); status != 200 || strings.Count(list, `"reference"`) != 1 || !strings.Contains(list, made.Reference) {
			return fmt.Errorf("%s lists in round %d: %d %s", who, round, status, list)
		}
		if status, _, text := send("PUT", location, strings.Replace(booking, "2026-12-04", "2026-12-09", 1)); status != 200 || !strings.Contains(text, "2026-12-09") {
			return fmt.Errorf("%s changes: %d %s", who, status, text)
		}
		if status, _, text := send("GET", location, ""); status != 200 || !strings.Contains(text, "2026-12-09") {
			return fmt.Errorf("%s reads: %d %s", who, status, text)
		}
		if status, _, _ := send("DELETE", location, ""); status != http.StatusNoContent {
			return fmt.Errorf("%s cancels: %d", who, status)
		}
		if status, _, text := send("GET", location, ""); status != 404 || !strings.Contains(text, "Not in our books") {
			return fmt.Errorf("%s reads what is gone: %d %s", who, status, text)
		}
	}
	return nil
}

// What a service remembers is shown without the secrets in it, and lasts until the service stops.
func TestMemoryKeepsNoSecretsToShow(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	s := start(t, config.Config{Data: folder})
	ctx := t.Context()
	_, err := s.api.Import(ctx, client.Import{File: "pilots.yaml", Name: "pilots", Text: []byte(`
openapi: 3.1.0
info: { title: Pilots, version: "1" }
paths:
  /pilots:
    post: { operationId: hire, requestBody: { content: { application/json: { schema: { type: object } } } }, responses: { "201": { description: "", content: { application/json: { schema: { $ref: "#/components/schemas/Pilot" } } } } } }
  /pilots/{id}:
    parameters: [{ name: id, in: path, required: true, schema: { type: integer } }]
    get: { operationId: pilot, responses: { "200": { description: "", headers: { ETag: { schema: { type: string } } }, content: { application/json: { schema: { $ref: "#/components/schemas/Pilot" } } } } } }
    delete: { operationId: dismiss, responses: { "204": { description: "" } } }
  /badges:
    post: { operationId: issue, requestBody: { content: { application/json: { schema: { type: object } } } }, responses: { "201": { description: "", content: { application/json: { schema: { $ref: "#/components/schemas/Badge" } } } } } }
  /badges/{token}:
    parameters: [{ name: token, in: path, required: true, schema: { type: string } }]
    get: { operationId: badge, responses: { "200": { description: "", content: { application/json: { schema: { $ref: "#/components/schemas/Badge" } } } } } }
components:
  schemas:
    Badge: { type: object, required: [token], properties: { token: { type: string }, owner: { type: string } } }
    Pilot: { type: object, required: [id, name], properties: { id: { type: integer, readOnly: true }, name: { type: string }, password: { type: string }, hired: { type: string, format: date-time, readOnly: true } } }
`)})
	require.NoError(t, err)
	_, err = s.api.PatchService(ctx, "pilots", []byte(`{"memory": {"pilots": {"key": "id"}}}`))
	require.NoError(t, err)
	_, body := s.send("POST /pilots/pilots", `{"name": "Ness", "password": "hush-hush-harbour"}`, jsonType)
	assert.Contains(t, body, `{"id":1,"name":"Ness","password":"hush-hush-harbour"`, "the program gets what it sent")
	items, err := s.api.Remembered(ctx, "pilots", "pilots", "")
	require.NoError(t, err)
	require.Len(t, items, 1)
	assert.NotContains(t, string(items[0].Value.AppendJSON(nil)), "hush-hush-harbour")
	_, err = s.api.PutRemembered(ctx, "pilots", "pilots", "1", "", []byte(strings.Replace(string(items[0].Value.AppendJSON(nil)), "Ness", "Nessa", 1)), nil)
	require.NoError(t, err)
	assert.Regexp(t, `"name":"Nessa","password":"hush-hush-harbour"`, s.says("GET /pilots/pilots/1"), "what was shown as a secret is put back as it was")
	resp, _ := s.send("GET /pilots/pilots/1", "")
	assert.Equal(t, `"2"`, resp.Header.Get("ETag"))
	resp, text := s.send("DELETE /pilots/pilots/1", "", "If-Match: \"7\"")
	assert.Equal(t, 412, resp.StatusCode, text)
	const token = "hush-hush-badge-4711"
	s.send("POST /pilots/badges", `{"token": "`+token+`", "owner": "Ness"}`, jsonType)
	badges, err := s.api.Remembered(ctx, "pilots", "badges", "")
	require.NoError(t, err)
	require.Len(t, badges, 1)
	document := string(badges[0].Value.AppendJSON(nil))
	assert.NotContains(t, badges[0].Key+document, token, "also where it is the key")
	_, err = s.api.PutRemembered(ctx, "pilots", "badges", badges[0].Key, "", []byte(strings.Replace(document, "Ness", "Nessa", 1)), nil)
	require.NoError(t, err, "by the key as it is shown")
	assert.Contains(t, s.says("GET /pilots/badges/"+token), `"owner":"Nessa"`)
	require.NoError(t, s.api.RemoveRemembered(ctx, "pilots", "badges", badges[0].Key, "", nil))
	assert.Regexp(t, "^404", s.says("GET /pilots/badges/"+token))
	entries, err := s.api.Activity(ctx, client.ActivityQuery{Limit: 20})
	require.NoError(t, err)
	assert.NotContains(t, fmt.Sprint(entries.Items), token)
	s.stop()
	s = start(t, config.Config{Data: folder})
	assert.Regexp(t, "^404", s.says("GET /pilots/pilots/1"))
	service, err := s.api.Service(t.Context(), "pilots")
	require.NoError(t, err)
	assert.Equal(t, map[string]spec.CollectionRule{"pilots": {Key: "id"}}, service.Memory.Collections)
	_, err = s.api.PatchService(t.Context(), "pilots", []byte(`{"memory": {"pilots": {"list": "items[0]", "at": "pilots", "kee": 1}}}`))
	assert.ErrorContains(t, err, "kee")
}

// What the page on memory says to type works in its order, and what it shows of it is what comes.
func TestTheCommandsOfTheMemoryPage(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	text, err := os.ReadFile(docsFolder + "state.md")
	require.NoError(t, err)
	s.putDocumented(t, "state.md")
	s.send("PUT /moorings/permits/P-7", "{}", jsonType)
	ran := s.typeAll(t, string(text), t.TempDir(), func(line, out string) {
		if line == "rapidmimic memory show moorings" || strings.HasPrefix(line, "rapidmimic memory correct") {
			told, _, _ := strings.Cut(out, "undo ")
			assert.Contains(t, string(text), "```\n"+told+"```\n")
		}
	})
	assert.Equal(t, 15, ran)
	assert.Equal(t, `200 {"id":"P-7","state":"submitted"}`, s.says("GET /moorings/permits/P-7"))
	assert.Equal(t, `409 {"title":"Not a draft","state":"submitted"}`, s.says("POST /moorings/permits/P-7/submission"))
	assert.Regexp(t, `^404 .*flow permit P-8 is in the state start`, s.says("GET /moorings/permits/P-8"))
	started, err := s.api.Remembered(t.Context(), "moorings", "bookings", "")
	require.NoError(t, err)
	assert.Len(t, started, 50)
	n, err := tree.Parse([]byte(yamlBlock.FindStringSubmatch(string(text))[1]))
	require.NoError(t, err)
	assert.Empty(t, s.schema(t, "service.json").Breach(tree.NewMap(append(n.Members, tree.Member{Key: "name", Value: tree.NewString("moorings")})...)))
	_, err = s.api.PatchService(t.Context(), "moorings", n.AppendJSON(nil))
	require.NoError(t, err)
	memory, err := s.api.Memory(t.Context(), "moorings", "")
	require.NoError(t, err)
	require.Len(t, memory.Collections, 1)
}

// The customs desk remembers what was handed in, in both versions of SOAP; each lane for itself.
func TestMemoryOfMessages(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	_, err := s.api.PatchService(t.Context(), "customs", []byte(`{"memory": {"manifests": {"operations": {"create": "submitManifest", "read": "askClearance", "remove": "cancelManifest"}}}}`))
	require.NoError(t, err)
	ask := func(port, operation, inner string) string {
		space, mediaType := "http://schemas.xmlsoap.org/soap/envelope/", "text/xml"
		if strings.HasSuffix(port, "12") {
			space, mediaType = "http://www.w3.org/2003/05/soap-envelope", "application/soap+xml"
		}
		lane, name, _ := strings.Cut(port, " ")
		_, body := s.send("POST "+lane+"/customs/"+name, `<e:Envelope xmlns:e="`+space+`"><e:Body><`+operation+` xmlns="https://customs.skerry-sound.example/cargo">`+inner+`</`+operation+`></e:Body></e:Envelope>`, "Content-Type: "+mediaType)
		return body
	}
	number := regexp.MustCompile(`M-\d{4}-[A-Z]{2}`)
	const cargo = `<vessel><name>Grey Gannet</name><callSign>SKQ41</callSign></vessel><arrival>2026-12-01T10:00:00</arrival><cargo line="1"><kind>fish</kind><description>cod</description><pieces>3</pieces><weight>12.5</weight></cargo>`
	first := number.FindString(ask(" Desk", "submitManifest", cargo))
	second := number.FindString(ask(" Desk12", "submitManifest", cargo))
	require.NotEqual(t, first, second)
	items, err := s.api.Remembered(t.Context(), "customs", "manifests", "")
	require.NoError(t, err)
	require.Len(t, items, 2)
	assert.Equal(t, `{"manifest":"`+first+`","vessel":{"name":"Grey Gannet","callSign":"SKQ41"},"arrival":"2026-12-01T10:00:00","cargo":[{"@line":1,"kind":"fish","description":"cod","pieces":3,"weight":12.5}]}`, string(items[0].Value.AppendJSON(nil)))
	assert.Contains(t, ask(" Desk12", "askClearance", "<manifest>"+first+"</manifest>"), "<n2:askClearanceResponse><n2:manifest>"+first)
	_, err = s.api.OpenLane(t.Context(), spec.NewLane("night"))
	require.NoError(t, err)
	ask("/@night Desk", "cancelManifest", "<manifest>"+first+"</manifest><reason>storm</reason>")
	assert.Contains(t, ask("/@night Desk", "askClearance", "<manifest>"+first+"</manifest>"), `<n2:unknownManifest><n2:manifest>`+first+`</n2:manifest><n2:message>manifests has no`)
	assert.Contains(t, ask(" Desk", "askClearance", "<manifest>"+first+"</manifest>"), "askClearanceResponse", "others do not notice")
	assert.Contains(t, ask(" Desk", "submitManifest", "<vessel/>"), "<n2:cargoRefused>")
	_, err = s.api.PatchService(t.Context(), "customs", []byte(`{"memory": {"manifests": {"operations": {"create": "submit"}}}}`))
	assert.ErrorContains(t, err, `operation "submit" not found`)
	_, err = s.api.PatchService(t.Context(), "moorings", []byte(`{"memory": {"berths": {"operations": {"create": "bookBerth"}}}}`))
	assert.ErrorContains(t, err, "follows from its path")
}

// In the console memory is switched on, looked into, and changed by hand; a lane has its own.
func TestConsoleMemory(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	p := s.page("/services/moorings/memory")
	must(t, p.WaitText("The service forgets each call."), p.Press("Remember what calls create"), p.Wait("document.querySelector('[data-collection=berths]')"))
	resp, body := s.send("POST /moorings/berths/N9/bookings", booking, jsonType)
	require.Equal(t, 201, resp.StatusCode, body)
	must(t, p.Press("Answers"), p.WaitText("from memory: bookings"), p.Click("a[href$=memory]"), p.Wait("document.querySelector('[data-collection=bookings]').innerText.includes('1 item')"))
	_, err := browser.Eval[any](p, "document.querySelector('[data-collection=berths] button').click(); null")
	require.NoError(t, err)
	must(t, p.Wait("document.querySelector('[data-item=N9]')"), p.Press("Remove N9"), p.Wait("!document.querySelector('[data-item=N9]')"))
	assert.Regexp(t, "^404", s.says("GET /moorings/berths/N9"))
	must(t, p.Press("Add an item"), p.Fill("Document", `{"pier": "south"}`), p.Press("Keep it"), p.Wait("document.querySelector('[role=dialog] form').innerText.length > 0"))
	must(t, p.Fill("Document", `{"number": "S1", "pier": "south", "state": "free"}`), p.Press("Keep it"), p.Wait("document.querySelector('[data-item=S1]')"))
	assert.Contains(t, s.says("GET /moorings/berths/S1"), `"pier":"south"`)
	must(t, p.Press("Back to the starting data"), p.Wait("document.querySelector('[data-item=N9]') && !document.querySelector('[data-item=S1]')"))
	must(t, p.Press("Remember what calls create"), p.WaitText("The service forgets each call."))
}

// What mappings remember is one step for each call, is told on it, is changed by hand, and is each
// lane's own; secrets in it are not shown, and come back as they were.
func TestMappingsThatRemember(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	ctx := t.Context()
	s.putDocumented(t, "state.md")
	_, err := s.api.OpenLane(ctx, spec.Lane{Name: "night"})
	require.NoError(t, err)
	var taken [2]atomic.Int32
	var all sync.WaitGroup
	for i := range 24 {
		all.Go(func() {
			at := []string{"", "/@night"}[i%2]
			if resp, _ := s.send("POST "+at+"/moorings/berths/N7/holds", `{"vessel": "Tern"}`, jsonType); resp.StatusCode == 201 {
				taken[i%2].Add(1)
			}
		})
	}
	all.Wait()
	assert.EqualValues(t, 2, taken[0].Load())
	values, err := s.api.Values(ctx, "moorings", "")
	require.NoError(t, err)
	require.Len(t, values, 2)
	assert.Equal(t, "places/N7", values[1].Key)
	assert.WithinDuration(t, time.Now().Add(10*time.Minute), *values[1].Until, time.Minute)

	s.send("POST /moorings/berths/N9/holds", `{"vessel": "Tern"}`, jsonType)
	assert.Contains(t, fmt.Sprint(s.lastCall().Explanation.Steps), "places/N9")
	_, err = s.api.PutValue(ctx, "moorings", "places/N9", "", "50ms", []byte("0"))
	require.NoError(t, err)
	assert.Eventually(t, func() bool {
		resp, _ := s.send("POST /moorings/berths/N9/holds", `{"vessel": "Tern"}`, jsonType)
		return resp.StatusCode == 201
	}, 10*time.Second, 20*time.Millisecond, "it is forgotten after its time")

	kept, err := s.api.PutValue(ctx, "moorings", "token", "", "", []byte("hush-hush-harbour"))
	require.NoError(t, err)
	shown := kept.Value.AppendJSON(nil)
	assert.NotContains(t, string(shown), "hush")
	_, err = s.api.PutValue(ctx, "moorings", "token", "", "", shown)
	require.NoError(t, err)
	s.put(t, "PUT", "/services/moorings/mappings/tell", `{call: {path: /tell}, answer: {text: '${recall("token")}'}}`)
	assert.Equal(t, "200 hush-hush-harbour", s.says("GET /moorings/tell"))
	require.NoError(t, s.api.RemoveValue(ctx, "moorings", "token", ""))
	assert.ErrorContains(t, s.api.RemoveValue(ctx, "moorings", "token", ""), `nothing is remembered under "token"`)

	_, err = s.api.MoveThing(ctx, "moorings", "permit", "", api.FlowThing{Of: "P-7", State: "sent"})
	assert.ErrorContains(t, err, `flow permit has no state "sent" (there is start, draft, submitted)`)
	_, err = s.api.MoveThing(ctx, "moorings", "permits", "", api.FlowThing{State: "draft"})
	assert.ErrorContains(t, err, `flow "permits" not found (permit?)`)
	require.NoError(t, s.api.ResetMemory(ctx, "moorings", "", ""))
	values, err = s.api.Values(ctx, "moorings", "")
	require.NoError(t, err)
	assert.Empty(t, values)
	p := s.page("/services/moorings/memory")
	must(t, p.WaitText("nothing was moved yet"))
	s.send("PUT /moorings/permits/P-7", "{}", jsonType)
	s.send("POST /moorings/berths/N7/holds", `{"vessel": "Tern"}`, jsonType)
	must(t, p.Wait("document.querySelector('[data-state=draft]').dataset.count === '1'"),
		p.Choose("State of P-7", "submitted"), p.Wait("document.querySelector('[data-state=submitted]').dataset.count === '1'"),
		p.Press("Change places/N7"), p.Fill("Value", "0"), p.Press("Keep it"), p.WaitText("places/N7 changed"))
	resp, _ := s.send("POST /moorings/berths/N7/holds", `{"vessel": "Tern"}`, jsonType)
	assert.Equal(t, 409, resp.StatusCode)
	must(t, p.Press("Forget places/N7"), p.Wait("!document.querySelector('[data-value=\"places/N7\"]')"))
}

// What services remember is there again after a restart, with lanes, flows and the keys that come
// next, where that is asked for; and forgotten for good where it is not.
func TestMemoryOverARestart(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	keeping := config.Config{Data: folder, KeepMemory: true}
	s := start(t, keeping)
	ctx := t.Context()
	text, err := os.ReadFile("../demo/data/moorings.yaml")
	require.NoError(t, err)
	_, err = s.api.Import(ctx, client.Import{File: "moorings.yaml", Text: text})
	require.NoError(t, err)
	_, err = s.api.PatchService(ctx, "moorings", []byte(`{"memory": "on"}`))
	require.NoError(t, err)
	s.putDocumented(t, "state.md")
	_, err = s.api.OpenLane(ctx, spec.Lane{Name: "night"})
	require.NoError(t, err)
	for _, at := range []string{"", "", "/@night"} {
		resp, body := s.send("POST "+at+"/moorings/berths/N7/bookings", booking, jsonType)
		require.Equal(t, 201, resp.StatusCode, body)
	}
	s.send("PUT /moorings/permits/P-7", "{}", jsonType)
	s.send("POST /moorings/berths/N7/holds", `{"vessel": "Tern"}`, jsonType)
	before, inLane := s.says("GET /moorings/berths/N7/bookings"), s.says("GET /@night/moorings/berths/N7/bookings")
	s.stop()
	s = start(t, keeping)
	assert.Equal(t, before, s.says("GET /moorings/berths/N7/bookings"))
	assert.Equal(t, inLane, s.says("GET /@night/moorings/berths/N7/bookings"))
	assert.Equal(t, `200 {"id":"P-7","state":"draft"}`, s.says("GET /moorings/permits/P-7"))
	assert.Equal(t, `201 {"left":0}`, func() string {
		resp, body := s.send("POST /moorings/berths/N7/holds", `{"vessel": "Tern"}`, jsonType)
		return fmt.Sprint(resp.StatusCode, " ", body)
	}())
	resp, _ := s.send("POST /moorings/berths/N7/bookings", booking, jsonType)
	assert.Contains(t, resp.Header.Get("Location"), "B-2044", "no key is given twice")
	require.NoError(t, s.api.ResetMemory(ctx, "moorings", "", ""))
	s.stop()
	s = start(t, keeping)
	assert.Equal(t, "200 []", s.says("GET /moorings/berths/N7/bookings"), "what was reset does not come back")
	assert.Equal(t, inLane, s.says("GET /@night/moorings/berths/N7/bookings"))
	s.stop()
	s = start(t, config.Config{Data: folder})
	assert.Equal(t, "200 []", s.says("GET /@night/moorings/berths/N7/bookings"))
	s.stop()
	s = start(t, keeping)
	assert.Equal(t, "200 []", s.says("GET /@night/moorings/berths/N7/bookings"), "it was forgotten for good")
}

// What a recording read becomes what a collection begins with, and so does a file of a folder.
func TestStartingDataOfARecordingAndAFolder(t *testing.T) {
	t.Parallel()
	real := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		switch {
		case r.Method == "GET" && r.URL.Path == "/berths":
			_, _ = io.WriteString(w, `{"total": 1, "berths": [{"number": "X1", "pier": "east", "state": "free"}]}`)
		case r.Method == "GET":
			_, _ = fmt.Fprintf(w, `{"number": %q, "pier": "west", "state": "taken"}`, filepath.Base(r.URL.Path))
		default:
			w.WriteHeader(http.StatusNotFound)
		}
	}))
	t.Cleanup(real.Close)
	s := start(t, config.Config{})
	ctx := t.Context()
	text, err := os.ReadFile("../demo/data/moorings.yaml")
	require.NoError(t, err)
	_, err = s.api.Import(ctx, client.Import{File: "moorings.yaml", Text: text})
	require.NoError(t, err)
	_, err = s.api.PatchService(ctx, "moorings", []byte(fmt.Sprintf(`{"upstream": %q}`, real.URL)))
	require.NoError(t, err)
	s.put(t, "POST", "/services/moorings/recordings", `{name: monday}`)
	for _, line := range []string{"GET /moorings/berths", "GET /moorings/berths/X1", "GET /moorings/berths/X2", "DELETE /moorings/bookings/B-1"} {
		s.send(line, "")
	}
	recordings, err := s.api.Recordings(ctx, "moorings")
	require.NoError(t, err)
	s.put(t, "POST", "/services/moorings/recordings/"+recordings[0].ID+"/stop", `{onlyKeep: true}`)
	_, err = s.api.PatchService(ctx, "moorings", []byte(`{"mode": "answer"}`))
	require.NoError(t, err)
	folder := t.TempDir()
	run := func(line string) string {
		c := exec.Command("sh", "-c", line)
		c.Dir = folder
		c.Env = append(os.Environ(), "HOME="+folder, "RAPIDMIMIC_URL="+s.control, "PATH="+filepath.Dir(binary)+":"+os.Getenv("PATH"))
		out, err := c.CombinedOutput()
		assert.NoError(t, err, "%s: %s", line, out)
		return string(out)
	}
	assert.Contains(t, run("rapidmimic memory start moorings berths --recording monday"), "begins with 2 items")
	assert.Contains(t, s.says("GET /moorings/berths/X1"), `"pier":"east"`, "as it was read first")
	assert.Contains(t, s.says("GET /moorings/berths/X2"), `"pier":"west"`)
	_, err = s.api.RecordedItems(ctx, "moorings", recordings[0].ID, "bookings")
	assert.ErrorContains(t, err, "no read or list of bookings was recorded")
	_, err = s.api.RecordedItems(ctx, "moorings", recordings[0].ID, "berth")
	assert.ErrorContains(t, err, `collection "berth" not found (berths?)`)

	run("rapidmimic export harbour")
	require.NoError(t, os.MkdirAll(filepath.Join(folder, "harbour/moorings/memory"), 0o755))
	settings, err := os.ReadFile(filepath.Join(folder, "harbour/moorings/service.yaml"))
	require.NoError(t, err)
	before, _, found := strings.Cut(string(settings), "memory:")
	require.True(t, found)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "harbour/moorings/service.yaml"), []byte(before), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "harbour/moorings/memory/berths.yaml"), []byte("- { number: Y1, pier: south, state: free }\n"), 0o600))
	run("rapidmimic apply harbour --over-theirs")
	run("rapidmimic memory reset moorings")
	assert.Contains(t, s.says("GET /moorings/berths"), `"total":1,"berths":[{"number":"Y1"`)
	assert.NotContains(t, run("rapidmimic export harbour"), "berths")
}
