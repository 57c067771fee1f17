package engine_test

import (
	"os"
	"regexp"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
)

const gannet = `{"vessel": {"name": "Grey Gannet", "callSign": "SKQ41", "lengthMetres": 21.3}, "from": "2026-12-01", "until": "2026-12-04"}`

// What a service with memory answers, one call after the other: by the contract's own responses,
// with the reason in words.
func TestAnswersFromMemory(t *testing.T) {
	c, e := harbour(t, "{ id: closed, call: { path: /berths/N13 }, answer: { status: 503 } }")
	remember := func(memory spec.Memory) {
		s := c.Snapshot().Named("moorings").Spec
		s.Memory = memory
		_, _, err := c.PutService(t.Context(), "moorings", s, "")
		require.NoError(t, err)
	}
	remember(spec.Memory{On: true})
	explained := e.Explain(t.Context(), request("POST /moorings/berths/N7/bookings", "", gannet))
	assert.Contains(t, explained.Explanation.Summary.String(), `adds "B-2042" to bookings, which has 1 now`)
	for _, k := range []struct {
		line, body string
		status     int
		by, says   string
		location   string
	}{
		{"GET /moorings/berths/N7/bookings", "", 200, "listBookings, memory", "lists 0 of 0 items of bookings", ""},
		{"POST /moorings/berths/N7/bookings", gannet, 201, "bookBerth, memory", `adds "B-2042" to bookings, which has 1 now`, "/moorings/bookings/B-2042"},
		{"POST /moorings/berths/N7/bookings", `{"from": 1}`, 422, "bookBerth, memory", "body /from: got number, want string", ""},
		{"POST /moorings/berths/W9/bookings", gannet, 404, "memory", `berths has no "W9"`, ""},
		{"GET /moorings/bookings/B-2042", "", 200, "getBooking, memory", `reads "B-2042" of bookings`, ""},
		{"PUT /moorings/bookings/B-2042", gannet, 200, "replaceBooking, memory", `replaces "B-2042"`, ""},
		{"PUT /moorings/bookings/B-9999", gannet, 404, "memory", `bookings has no "B-9999"`, ""},
		{"PATCH /moorings/berths/N7", `{"state": "closed"}`, 200, "changeBerth, memory", `changes "N7" of berths`, ""},
		{"DELETE /moorings/bookings/B-2042", "", 204, "cancelBooking, memory", `removes "B-2042" from bookings, which has 0 now`, ""},
		{"GET /moorings/bookings/B-2042", "", 404, "getBooking, memory", `bookings has no "B-2042"`, ""},
		{"GET /moorings/berths/N13", "", 503, "closed", "", ""},
		{"GET /moorings/dues", "", 200, "listDues", "", ""},
	} {
		r := request(k.line, "", k.body)
		if r.Method == "PATCH" {
			r.Header["Content-Type"] = []string{"application/merge-patch+json"}
		}
		placed := e.Place(t.Context(), r)
		assert.True(t, placed.NeedsBody(), "bodies are kept whole")
		d := e.Decide(placed, r)
		assert.Equal(t, k.status, d.Answer.Status, "%s: %s", k.line, d.Answer.Body)
		assert.Equal(t, k.by, d.By, k.line)
		assert.Contains(t, d.Explanation.Summary.String()+stepsOf(d), k.says, k.line)
		assert.Equal(t, k.location, d.Answer.Get("Location"), k.line)
		if k.by == "memory" {
			assert.Equal(t, call.FromSelf, d.Source, "the contract has no answer for it")
		}
	}
	assert.Contains(t, string(ask(e, "GET /moorings/berths", "Rapid-Mimic: example=none-free").Answer.Body), `"total":0`, "a hint goes past")
	assert.Equal(t, 406, ask(e, "GET /moorings/berths", "Accept: image/png").Answer.Status)
	assert.Contains(t, string(ask(e, "GET /moorings/berths/N7").Answer.Body), "closed")

	e.ForgetOff()
	assert.Contains(t, string(ask(e, "GET /moorings/berths/N7").Answer.Body), "closed", "its memory is on")
	remember(spec.Memory{})
	e.ForgetOff()
	remember(spec.Memory{On: true})
	assert.Contains(t, string(ask(e, "GET /moorings/berths/N7").Answer.Body), "free")
	_ = decide(e, request("POST /moorings/berths/N7/bookings", "", gannet))
	e.ResetLane(nil)
	assert.Equal(t, "[]", string(ask(e, "GET /moorings/berths/N7/bookings").Answer.Body))
}

// customs is harbour with the SOAP service of customs.
func customs(t *testing.T) (*catalog.Catalog, *engine.Engine) {
	c, e := harbour(t, "")
	var files []bundle.File
	for _, name := range []string{"customs.wsdl", "schemas/cargo.xsd", "schemas/codes.xsd"} {
		text, err := os.ReadFile("../../../demo/data/customs/" + name)
		require.NoError(t, err)
		files = append(files, bundle.File{Name: name, Text: text})
	}
	zip, err := bundle.Pack(files)
	require.NoError(t, err)
	_, err = c.Import(t.Context(), catalog.Import{Text: zip, File: "customs.zip"})
	require.NoError(t, err)
	return c, e
}

// What a SOAP service with memory answers: its own messages, and the declared faults whose names say
// what could not be done.
func TestMessagesFromMemory(t *testing.T) {
	c, e := customs(t)
	settings := c.Snapshot().Named("customs").Spec
	settings.Memory = spec.Memory{On: true, Collections: map[string]spec.CollectionRule{"manifests": {Operations: map[string]string{"create": "submitManifest", "read": "askClearance", "remove": "cancelManifest"}}}}
	_, _, err := c.PutService(t.Context(), "customs", settings, "")
	require.NoError(t, err)
	say := func(operation, inner string) (*engine.Decision, string) {
		r := request("POST /customs/Desk", "", `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body><`+operation+` xmlns="https://customs.skerry-sound.example/cargo">`+inner+`</`+operation+`></e:Body></e:Envelope>`)
		r.Header["Content-Type"] = []string{"text/xml"}
		d := e.Decide(e.Place(t.Context(), r), r)
		return d, string(d.Answer.Body)
	}
	const cargo = `<vessel><name>Grey Gannet</name><callSign>SKQ41</callSign></vessel><arrival>2026-12-01T10:00:00</arrival><cargo line="1"><kind>fish</kind><description>cod</description><pieces>3</pieces><weight>12.5</weight></cargo>`
	d, body := say("submitManifest", cargo)
	number := regexp.MustCompile(`M-\d{4}-[A-Z]{2}`).FindString(body)
	require.NotEmpty(t, number, body)
	assert.Equal(t, "submitManifest, memory", d.By)
	assert.Contains(t, d.Explanation.Summary.String(), "adds \""+number+"\" to manifests, which has 1 now")
	for _, k := range []struct {
		operation, inner string
		status           int
		by, body         string
	}{
		{"askClearance", "<manifest>" + number + "</manifest>", 200, "askClearance, memory", "askClearanceResponse><n2:manifest>" + number},
		{"askClearance", "<manifest>M-0000-ZZ</manifest>", 500, "askClearance, memory", `<n2:unknownManifest><n2:manifest>M-0000-ZZ</n2:manifest><n2:message>manifests has no &#34;M-0000-ZZ&#34;</n2:message>`},
		{"askClearance", "", 500, "askClearance, memory", "the call names no item of manifests"},
		{"submitManifest", "<vessel/>", 500, "submitManifest, memory", "<n2:cargoRefused>"},
		{"cancelManifest", "<manifest>M-0000-ZZ</manifest><reason>storm</reason>", 500, "memory", `<faultstring>manifests has no &#34;M-0000-ZZ&#34;.</faultstring>`},
		{"cancelManifest", "<manifest>" + number + "</manifest><reason>storm</reason>", 202, "cancelManifest, memory", ""},
		{"askClearance", "<manifest>" + number + "</manifest>", 500, "askClearance, memory", "manifests has no"},
		{"listHolds", "", 200, "listHolds", "listHoldsResponse"},
	} {
		d, body := say(k.operation, k.inner)
		assert.Equal(t, k.status, d.Answer.Status, "%s %s: %s", k.operation, k.inner, body)
		assert.Equal(t, k.by, d.By, k.operation)
		assert.Contains(t, body, k.body, k.operation)
	}

	rule := settings.Memory.Collections["manifests"]
	rule.Generate = 3
	settings.Memory.Collections = map[string]spec.CollectionRule{"manifests": rule}
	_, _, err = c.PutService(t.Context(), "customs", settings, "")
	require.NoError(t, err)
	e.ResetLane(nil)
	service := c.Snapshot().Named("customs")
	items := e.Memory().Items(collection.Space{Service: service.Spec.ID}, service.Collections().Named("manifests"))
	require.Len(t, items, 3)
	_, body = say("askClearance", "<manifest>"+items[2].Key+"</manifest>")
	assert.Contains(t, body, "askClearanceResponse><n2:manifest>"+items[2].Key)
}

// A scenario brings a memory of its own, with data of its own, also where the service has none; the
// one of everybody is as it was when it ends, and each comes back as it was left.
func TestAScenarioBringsItsData(t *testing.T) {
	c, e := harbour(t, "")
	s := c.Snapshot().Named("moorings").Spec
	s.Memory = spec.Memory{On: true}
	_, _, err := c.PutService(t.Context(), "moorings", s, "")
	require.NoError(t, err)
	full, err := spec.ReadScenarios([]byte("[{name: full, services: {moorings: {memory: {berths: {items: [{number: S1, pier: south, state: taken}]}, bookings: off}}, tides: {memory: on}}}, {name: deaf, services: {moorings: {memory: off}}}, {name: above, buildsOn: full, services: {moorings: {memory: {bookings: on}}}}]"))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), full)
	require.NoError(t, err)
	use := func(name string) {
		if name == "" {
			_, err = c.LeaveScenario(t.Context(), "", time.Now())
		} else {
			_, _, err = c.UseScenario(t.Context(), "", name, 0, time.Now())
		}
		require.NoError(t, err)
	}
	book := func() int { return decide(e, request("POST /moorings/berths/N7/bookings", "", gannet)).Answer.Status }
	by := func(line string) string { return ask(e, line).By }
	assert.Equal(t, 201, book())
	use("full")
	assert.Contains(t, string(ask(e, "GET /moorings/berths/S1").Answer.Body), "south")
	assert.Equal(t, 404, ask(e, "GET /moorings/berths/N7").Answer.Status)
	assert.Equal(t, "listBookings", by("GET /moorings/berths/N7/bookings"), "bookings are left out")
	patch := request("PATCH /moorings/berths/S1", "", `{"state": "free"}`)
	patch.Header["Content-Type"] = []string{"application/merge-patch+json"}
	assert.Equal(t, 200, decide(e, patch).Answer.Status)
	e.ForgetOff()
	use("")
	assert.Equal(t, 404, ask(e, "GET /moorings/berths/S1").Answer.Status)
	assert.Contains(t, string(ask(e, "GET /moorings/berths/N7/bookings").Answer.Body), "B-2042")
	use("full")
	assert.Contains(t, string(ask(e, "GET /moorings/berths/S1").Answer.Body), "free")
	use("deaf")
	assert.Equal(t, `getBerth, "free"`, by("GET /moorings/berths/N7"))
	use("above")
	assert.Contains(t, string(ask(e, "GET /moorings/berths/S1").Answer.Body), "taken", "it has its own")
	assert.Equal(t, "listBookings, memory", by("GET /moorings/berths/S1/bookings"))
	e.ResetLane(nil)
	use("full")
	assert.Contains(t, string(ask(e, "GET /moorings/berths/S1").Answer.Body), "taken")
	bare, err := spec.ReadScenarios([]byte("[{name: bare, services: {bare: {memory: on}}}]"))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), bare)
	assert.ErrorContains(t, err, `service "bare" has no contract`)
}

func stepsOf(d *engine.Decision) (text string) {
	for _, step := range d.Explanation.Steps {
		text += "\n" + step.String()
	}
	return text
}
