package e2e

import (
	"encoding/json"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// notation is how a document is asked for and sent.
type notation struct{ name, accept string }

var notations = []notation{{"JSON", "application/json"}, {"YAML", "application/yaml"}}

// whole sends a request to the control API and returns status, ETag and body as it is.
func (s *service) whole(method, path string, body []byte, headers ...string) (status int, header http.Header, text string) {
	s.t.Helper()
	req, err := http.NewRequest(method, s.control+path, strings.NewReader(string(body)))
	require.NoError(s.t, err)
	for _, line := range headers {
		name, value, _ := strings.Cut(line, ": ")
		req.Header.Set(name, value)
	}
	if s.secret != "" {
		req.Header.Set("Authorization", "Bearer "+s.secret)
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	read, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	return resp.StatusCode, resp.Header, string(read)
}

// apiOperations are the methods of each path of our own API document.
func (s *service) apiOperations(t *testing.T) map[string][]string {
	_, _, text := s.whole("GET", "/api/v1/openapi.yaml", nil)
	document, err := tree.Parse([]byte(text))
	require.NoError(t, err)
	all := make(map[string][]string)
	for _, path := range document.Get("paths").Members {
		for _, m := range path.Value.Members {
			if m.Key != "parameters" {
				all[path.Key] = append(all[path.Key], strings.ToUpper(m.Key))
			}
		}
	}
	return all
}

// everythingDefined gives the demo one of each resource that can be put, and names what
// stands for the parameters of paths.
func everythingDefined(t *testing.T, s *service) map[string]string {
	s.put(t, "PATCH", "/variables", "{variables: {office: https://office.skerry.test, berths: [1, 2.50], officeKey: {secret: true, value: hush-hush-quay}}, variableSets: {staging: {office: x, officeKey: {secret: true, value: hush-hush-pier}}}, variableSet: staging}")
	s.put(t, "PATCH", "/services/moorings", `{"variables": {"own": {"secret": true, "value": "hush-hush-own"}, "pier": "north"}, "upstreamHeaders": {"X-Key": "${vars.own}"}}`)
	s.put(t, "PUT", "/services/moorings/mappings/fog", "{call: {method: GET, path: /fog, where: [{query: pier, equals: north}]}, answer: {status: 503, headers: {A: [b, c]}, json: {n: 1.50, big: 12345678901234567890}}}")
	s.put(t, "PUT", "/services/moorings/payloads/chart.txt", "shallow\n")
	s.put(t, "PUT", "/scenarios/fog", "{title: Fog, labels: [night], variables: {pier: south, own: {secret: true, value: hush-hush-fog}}, impair: {latency: 5ms}, services: {moorings: {mappingsOff: [fog]}}}")
	s.put(t, "PUT", "/scenarios/fog-and-storm", "{buildsOn: fog}")
	s.put(t, "POST", "/lanes", "{name: mara, ttl: 8h, variables: {own: {secret: true, value: hush-hush-mara}}, services: {moorings: {off: true}}}")
	s.put(t, "PUT", "/services/moorings/operations/getBerth/pins", "{pins: {/vessel: null, /state: '${call.method}'}}")
	s.put(t, "PUT", "/lines/slow-rope", "{bytesPerSecond: 900}")
	s.put(t, "PUT", "/impairments", "{latency: 1ms..3ms, seed: 4}")
	s.put(t, "PUT", "/services/moorings/impairments", "{errors: {rate: 30%, status: [503, 500]}}")
	s.put(t, "PUT", "/services/moorings/impairments?mapping=fog", "{connection: {line: slow-rope}}")
	s.put(t, "PUT", "/activations", "{scenario: fog-and-storm, for: 1h}")
	return map[string]string{"service": "moorings", "mapping": "fog", "payload": "chart.txt", "scenario": "fog", "lane": "mara", "line": "slow-rope", "operation": "getBerth"}
}

func (s *service) put(t *testing.T, method, path, document string) {
	t.Helper()
	status, _, text := s.whole(method, "/api/v1"+path, []byte(document))
	require.Less(t, status, 300, "%s: %s", path, text)
}

// What GET returns, PUT takes back as it is, and a list POST, or PUT: the API document says
// which addresses have both. Nothing has changed then, and no version.
func TestWhatIsReadCanBePutBack(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	names := everythingDefined(t, s)
	walked := 0
	for path, methods := range s.apiOperations(t) {
		back := slices.IndexFunc([]string{"PUT", "POST"}, func(method string) bool { return slices.Contains(methods, method) })
		if !slices.Contains(methods, "GET") || back < 0 || keepsFacts[path] != "" {
			continue
		}
		at, rest := path, path
		for name, value := range names {
			at = strings.ReplaceAll(at, "{"+name+"}", value)
			rest = strings.ReplaceAll(rest, "{"+name+"}", "")
		}
		require.NotContains(t, rest, "{", "no value for a parameter of %s", path)
		for _, n := range notations {
			walked++
			status, before, text := s.whole("GET", at, nil, "Accept: "+n.accept)
			require.Equal(t, 200, status, "%s: %s", at, text)
			_, _, versions := s.whole("GET", at, nil)
			method := []string{"PUT", "POST"}[back]
			status, _, answer := s.whole(method, at, []byte(text))
			assert.Equal(t, 200, status, "%s of %s as %s:\n%s\n%s", method, at, n.name, text, answer)
			_, after, again := s.whole("GET", at, nil, "Accept: "+n.accept)
			assert.Equal(t, text, again, "%s as %s", at, n.name)
			assert.Equal(t, before.Get("ETag"), after.Get("ETag"), "%s as %s", at, n.name)
			_, _, same := s.whole("GET", at, nil)
			assert.Equal(t, versions, same, "%s as %s: no version has changed", at, n.name)
		}
	}
	assert.Greater(t, walked, 20)
}

// keepsFacts are the addresses whose lists are no definitions: what is posted there is
// something to do, not what was read.
var keepsFacts = map[string]string{
	"/api/v1/marks":                         "a POST names this moment",
	"/api/v1/walks":                         "a POST begins a walk",
	"/api/v1/tokens":                        "a token is created with a secret, and never changed",
	"/api/v1/services/{service}/recordings": "a POST starts a recording",
	"/api/v1/services/{service}/recordings/{recording}/attendance": "it is a sign of life",
}

// A document that was read and changed at one place is put back; whoever was faster is
// not overwritten, whichever notation it is in and wherever the version stands.
func TestAStaleDocumentIsRefused(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	everythingDefined(t, s)
	for _, k := range []struct{ path, from, to string }{
		{"/services/moorings", "echo: true", "echo: false"},
		{"/services/moorings/mappings/fog", "status: 503", "status: 504"},
		{"/scenarios/fog", "title: Fog", "title: Dense fog"},
		{"/lanes/mara", "ttl: 8h", "ttl: 9h"},
		{"/lines/slow-rope", "bytesPerSecond: 900", "bytesPerSecond: 901"},
	} {
		_, _, text := s.whole("GET", "/api/v1"+k.path, nil, "Accept: application/yaml")
		changed := strings.Replace(text, k.from, k.to, 1)
		require.NotEqual(t, text, changed, text)
		status, header, answer := s.whole("PUT", "/api/v1"+k.path, []byte(changed))
		require.Equal(t, 200, status, "%s: %s", k.path, answer)
		status, _, answer = s.whole("PUT", "/api/v1"+k.path, []byte(text))
		assert.Equal(t, 412, status, "%s: %s", k.path, answer)
		var p map[string]any
		require.NoError(t, json.Unmarshal([]byte(answer), &p))
		assert.NotNil(t, p["current"], "%s shows what is there", k.path)
		tag := header.Get("ETag")
		status, _, answer = s.whole("PUT", "/api/v1"+k.path, []byte(text), "If-Match: "+tag)
		assert.Equal(t, 409, status, "two versions contradict each other: %s", answer)
		without := text[:strings.Index(text, "etag:")]
		status, _, answer = s.whole("PUT", "/api/v1"+k.path, []byte(without), "If-Match: "+tag)
		assert.Equal(t, 200, status, "%s: %s", k.path, answer)
	}
	_, _, list := s.whole("GET", "/api/v1/services/moorings/mappings", nil)
	s.put(t, "PATCH", "/services/moorings/mappings/fog", `{"title": "faster"}`)
	status, _, answer := s.whole("POST", "/api/v1/services/moorings/mappings", []byte(list))
	assert.Equal(t, 412, status, answer)
	assert.Contains(t, answer, `mapping \"fog\" was changed by somebody else`)
	s.put(t, "DELETE", "/services/moorings/mappings/fog", "")
	status, _, answer = s.whole("POST", "/api/v1/services/moorings/mappings", []byte(list))
	assert.Equal(t, 200, status, "what was removed is made again: %s", answer)
	assert.Contains(t, answer, `"created":1`)
	status, _, answer = s.whole("POST", "/api/v1/services/tides/mappings", []byte(list))
	assert.Equal(t, 200, status, "versions of another service mean nothing here: %s", answer)
}

// A document that names another than its address renames it only when that is asked for.
func TestRenames(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	everythingDefined(t, s)
	s.send("GET /moorings/fog?pier=north", "")
	for _, k := range []struct{ path, to, document string }{
		{"/services/moorings/mappings/fog", "haze", "{id: haze, call: {path: /fog}, answer: {text: haze}}"},
		{"/scenarios/fog", "haze", "{name: haze, services: {moorings: {mappingsOff: [haze]}}}"},
		{"/services/moorings", "berths", "{name: berths}"},
	} {
		status, _, answer := s.whole("PUT", "/api/v1"+k.path, []byte(k.document))
		assert.Equal(t, 409, status, answer)
		assert.Contains(t, answer, "?rename=true", answer)
		if strings.Contains(k.path, "mappings") { // while something refers to it
			assert.Contains(t, s.read("/scenarios/fog"), `"mappingsOff":["fog"]`)
		}
		status, _, answer = s.whole("PUT", "/api/v1"+k.path+"?rename", []byte(k.document))
		assert.Equal(t, 200, status, answer)
		status, _, _ = s.whole("GET", "/api/v1"+k.path, nil)
		assert.Equal(t, 404, status, "%s is gone", k.path)
	}
	assert.Contains(t, s.read("/services/berths/mappings/haze"), `"text":"haze"`)
	assert.Contains(t, s.read("/scenarios/haze"), `"berths":{"mappingsOff":["haze"]}`, "what refers to them follows")
	assert.Contains(t, s.read("/scenarios/fog-and-storm"), `"buildsOn":"haze"`)
	assert.Contains(t, s.read("/services/berths/impairments?mapping=haze"), "slow-rope", "with its impairment")
	status, _, answer := s.whole("PUT", "/api/v1/services/berths/mappings/haze?rename", []byte("{id: slots, call: {path: /x}}"))
	require.Equal(t, 200, status, answer)
	s.put(t, "PUT", "/services/berths/mappings/other", "{call: {path: /y}}")
	status, _, answer = s.whole("PUT", "/api/v1/services/berths/mappings/other?rename", []byte("{id: slots, call: {path: /y}}"))
	assert.Equal(t, 409, status, answer)
}

func (s *service) read(path string) string {
	status, _, text := s.whole("GET", "/api/v1"+path, nil)
	require.Equal(s.t, 200, status, text)
	return text
}

// What is made says where it is; what is there already as it is given stays as it is.
func TestWhatAWriteAnswers(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	for _, k := range []struct {
		method, path, document string
		status                 int
		location               string
	}{
		{"POST", "/services", "{name: buoys}", 201, "/api/v1/services/buoys"},
		{"POST", "/services", "{name: buoys}", 409, ""},
		{"PUT", "/services/lights", "{title: Lights}", 201, "/api/v1/services/lights"},
		{"PUT", "/services/lights", "{title: Lights}", 200, ""},
		{"POST", "/services/buoys/mappings", "{call: {method: GET, path: /b}}", 201, "/api/v1/services/buoys/mappings/get-b"},
		{"POST", "/services/buoys/mappings", "{call: {method: GET, path: /b}}", 200, ""},
		{"POST", "/services/buoys/mappings", "{call: {method: GET, path: /b, where: [{query: x}]}}", 201, "/api/v1/services/buoys/mappings/get-b-2"},
		{"POST", "/services/buoys/mappings", "{call: {method: GET, path: /b, where: [{query: x}]}}", 200, ""},
		{"PUT", "/services/buoys/mappings/c", "{call: {path: /c}}", 201, "/api/v1/services/buoys/mappings/c"},
		{"PUT", "/scenarios/calm", "{}", 201, "/api/v1/scenarios/calm"},
		{"POST", "/lanes", "{name: ida}", 201, "/api/v1/lanes/ida"},
		{"PUT", "/lines/rope", "{firstByte: 1s}", 201, "/api/v1/lines/rope"},
		{"PUT", "/services/buoys/payloads/a.txt", "a", 201, ""},
		{"PUT", "/services/buoys/payloads/a.txt", "a", 200, ""},
	} {
		status, header, text := s.whole(k.method, "/api/v1"+k.path, []byte(k.document))
		assert.Equal(t, k.status, status, "%s %s %s: %s", k.method, k.path, k.document, text)
		assert.Equal(t, k.location, header.Get("Location"), k.path)
	}
	mappings, err := s.api.Mappings(t.Context(), "buoys")
	require.NoError(t, err)
	assert.Len(t, mappings, 3, "what asks for something else does not take the place of another")
}

// A slip of the pen in a query must not widen what is changed.
func TestUnknownQueryParametersAreRefused(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	for path, want := range map[string]string{
		"DELETE /services/moorings/mappings?lable=night": `unknown query parameter \"lable\" (label?)`,
		"GET /services/moorings/mappings?lable=night":    `(label?)`,
		"GET /status?x=1":                                       `this call takes lane`,
		"GET /services/moorings?x=1":                            "this call takes none",
		"DELETE /impairments?all=yes":                           `\"all\" must be true or false, not \"yes\"`,
		"GET /calls?text=stauts:5xx":                            "stauts: means nothing in a filter (status?)",
		"GET /calls?text=service:moorigns":                      `service \"moorigns\" not found (moorings?)`,
		"GET /calls/stream?service=moorigns":                    "(moorings?)",
		"GET /services?limit=ten":                               "must be a whole number",
		"GET /services?limit=1&limit=2":                         "given 2 times",
		"GET /services/moorings/contract?as=zip":                "must be one of archive",
		"PATCH /services/moorings/mappings?label=no&enabled=no": "unknown query parameter",
	} {
		method, at, _ := strings.Cut(path, " ")
		status, _, text := s.whole(method, "/api/v1"+at, []byte(`{"enabled":false}`))
		assert.Equal(t, 422, status, path)
		assert.Contains(t, text, want, path)
	}
}

// What many mappings are, copied, moved, reset, removed and brought back by the same words.
func TestManyMappingsByTheSameWords(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.put(t, "POST", "/services/tides/mappings", "[{id: a, labels: [night], call: {path: /a}}, {id: b, labels: [night], call: {path: /b}}, {id: c, call: {path: /c}}]")
	changed := func(method, path, body string) string {
		status, _, text := s.whole(method, "/api/v1"+path, []byte(body))
		require.Equal(t, 200, status, text)
		return text
	}
	assert.JSONEq(t, `{"changed": ["a", "b"]}`, changed("PATCH", "/services/tides/mappings?label=night", `{"enabled": false}`))
	assert.JSONEq(t, `{"changed": ["tides/a", "tides/b"]}`, changed("PATCH", "/mappings?label=night&service=tides", `{"enabled": true}`))
	assert.JSONEq(t, `{"changed": ["a-copy", "b-copy"]}`, changed("POST", "/services/tides/mappings/copies?label=night", ""))
	assert.JSONEq(t, `{"changed": ["a", "b"]}`, changed("POST", "/services/tides/mappings/copies?id=a&id=b", `{"service": "moorings", "move": true}`))
	assert.JSONEq(t, `{"changed": ["a-copy", "b-copy"]}`, changed("POST", "/services/tides/mappings/resets?text=copy", ""))
	assert.JSONEq(t, `{"changed": ["a-copy", "b-copy"]}`, changed("DELETE", "/services/tides/mappings?text=copy", ""))
	assert.JSONEq(t, `{"changed": ["a", "b"]}`, changed("POST", "/services/tides/mappings/restores?id=a&id=b", ""))
	assert.JSONEq(t, `{"changed": []}`, changed("POST", "/services/tides/mappings/restores?label=day", ""))
	assert.JSONEq(t, `{"changed": ["a-copy", "b-copy"]}`, changed("POST", "/services/tides/mappings/restores", ""))
	for path, want := range map[string]string{
		"/services/tides/mappings/restores?id=none":        "no mapping \\\"none\\\" was removed",
		"/services/tides/mappings/copies":                  "select mappings",
		"/services/tides/mappings/resets":                  "select mappings",
		"/services/tides/mappings/copies?id=a&id=none":     "not found",
		"/services/tides/mappings/copies?origin=everybody": "an id is for one copy",
	} {
		status, _, text := s.whole("POST", "/api/v1"+path, []byte(`{"id": "x"}`))
		assert.GreaterOrEqual(t, status, 400, path)
		assert.Contains(t, text, want, path)
	}
	all, err := s.api.SelectMappings(t.Context(), "tides", client.Selection{Origin: "everybody"})
	require.NoError(t, err)
	assert.Len(t, all, 6, "with the one that the demo has")
}

// Lists come in pages, in another order, and with some of their fields.
func TestTroubleComesFirst(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.put(t, "PUT", "/services/bare", "{}")
	_, err := s.api.PutMappings(t.Context(), "bare", []byte(`
- { id: a-new, call: { path: /a }, answer: { text: a } }
- { id: b-called, call: { path: /b }, answer: { text: b } }
- { id: c-base, enabled: false, call: { path: /c }, answer: { text: c } }
- { id: d-orphan, call: { path: /d }, answer: { from: "mapping:c-base" } }`))
	require.NoError(t, err)
	s.send("GET /bare/b", "")
	require.NoError(t, s.api.RemoveMapping(t.Context(), "bare", "c-base"))
	troubled, err := s.api.SelectMappings(t.Context(), "bare", client.Selection{Problem: true})
	require.NoError(t, err)
	var ids []string
	for _, m := range troubled {
		ids = append(ids, m.ID)
	}
	assert.Equal(t, []string{"d-orphan", "a-new"}, ids)
	assert.Contains(t, troubled[0].Problem, `mapping "c-base", whose answer it starts from, is gone`)
}

func TestListsInPages(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	var documents []spec.Mapping
	for _, id := range []string{"e", "d", "c", "b", "a"} {
		documents = append(documents, spec.Mapping{ID: id, Enabled: true, Rank: len(documents) % 2, Call: spec.Pattern{Path: "/" + id}})
	}
	text, err := json.Marshal(documents)
	require.NoError(t, err)
	s.put(t, "PUT", "/services/buoys", "{}")
	s.put(t, "POST", "/services/buoys/mappings", string(text))
	page := func(path string) (ids string, next string) {
		status, header, text := s.whole("GET", path, nil)
		require.Equal(t, 200, status, text)
		var list struct{ Items []map[string]any }
		require.NoError(t, json.Unmarshal([]byte(text), &list))
		for _, item := range list.Items {
			ids += item["id"].(string)
			if strings.Contains(path, "fields") {
				assert.Len(t, item, 2, path)
			}
		}
		next, _, _ = strings.Cut(strings.TrimPrefix(header.Get("Link"), "<"), ">")
		return ids, next
	}
	const base = "/api/v1/services/buoys/mappings"
	ids, next := page(base + "?limit=2")
	assert.Equal(t, "ed", ids)
	s.put(t, "DELETE", "/services/buoys/mappings/d", "")
	ids, next = page(next)
	assert.Equal(t, "cb", ids, "what follows one that was removed meanwhile")
	ids, next = page(next)
	assert.Equal(t, []string{"a", ""}, []string{ids, next})
	ids, _ = page(base + "?sort=id&fields=id,rank")
	assert.Equal(t, "abce", ids)
	ids, next = page(base + "?sort=-rank&fields=id,rank&limit=2")
	assert.Equal(t, "be", ids, "what is equal keeps its order")
	ids, _ = page(next)
	assert.Equal(t, "ca", ids)
	for query, want := range map[string]string{"sort=rnk": `(rank?)`, "fields=id,ttle": `(title?)`, "sort=call": "a text or a number"} {
		status, _, text := s.whole("GET", base+"?"+query, nil)
		assert.Equal(t, 422, status)
		assert.Contains(t, text, want, query)
	}
}

// A POST that is sent again with its key makes nothing twice.
func TestIdempotencyKeys(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	send := func(key, path, body string) (int, http.Header, string) {
		return s.whole("POST", "/api/v1"+path, []byte(body), "Idempotency-Key: "+key)
	}
	status, header, first := send("k1", "/services", "{name: buoys}")
	require.Equal(t, 201, status, first)
	tag := header.Get("ETag")
	s.put(t, "PATCH", "/services/buoys", `{"title": "changed"}`)
	status, header, again := send("k1", "/services", "{name: buoys}")
	assert.Equal(t, []any{201, "true", tag, "/api/v1/services/buoys", first}, []any{status, header.Get("Rapid-Mimic-Repeated"), header.Get("ETag"), header.Get("Location"), again})
	status, _, answer := send("k1", "/services", "{name: lights}")
	assert.Equal(t, 409, status, answer)
	status, _, answer = send("k2", "/services", "{name: buoys}")
	assert.Equal(t, 409, status, "another key is another request: %s", answer)
	status, _, _ = send(strings.Repeat("k", 256), "/services", "{name: x}")
	assert.Equal(t, 422, status)
}

// HEAD is GET without the body, OPTIONS tells what an address can do, and the API itself
// is a directory.
func TestHeadAndOptions(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	_, got, _ := s.whole("GET", "/api/v1/services/moorings", nil)
	status, head, text := s.whole("HEAD", "/api/v1/services/moorings", nil)
	assert.Equal(t, []any{200, "", got.Get("ETag"), got.Get("Content-Type")}, []any{status, text, head.Get("ETag"), head.Get("Content-Type")})
	status, header, _ := s.whole("OPTIONS", "/api/v1/services/moorings", nil)
	assert.Equal(t, 204, status)
	allowed := strings.Split(header.Get("Allow"), ", ")
	slices.Sort(allowed)
	assert.Equal(t, []string{"DELETE", "GET", "HEAD", "PATCH", "PUT"}, allowed)
	var index struct{ Links map[string]string }
	require.NoError(t, json.Unmarshal([]byte(s.read("")), &index))
	assert.Greater(t, len(index.Links), 8)
	for name, link := range index.Links {
		if link != "/api/v1/calls/stream" {
			status, _, _ := s.whole("HEAD", link, nil)
			assert.Equal(t, 200, status, name)
		}
	}
}
