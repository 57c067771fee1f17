package e2e

import (
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/demo"
)

// request sends a request to the control API as any client would.
func (s *service) request(line, body string, headers ...string) (status int, etag string, answer map[string]any) {
	s.t.Helper()
	method, path, _ := strings.Cut(line, " ")
	req, err := http.NewRequest(method, s.control+"/api/v1"+path, strings.NewReader(body))
	require.NoError(s.t, err)
	for _, h := range headers {
		name, value, _ := strings.Cut(h, ": ")
		req.Header.Set(name, value)
	}
	resp, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	if len(text) > 0 && strings.Contains(resp.Header.Get("Content-Type"), "json") {
		require.NoError(s.t, json.Unmarshal(text, &answer), "%s", text)
	}
	return resp.StatusCode, resp.Header.Get("ETag"), answer
}

func TestEditsOfTwoPeopleNeverOverwriteEachOther(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	const path = "/services/moorings/mappings/own"
	document := `{"call": {"path": "/x"}, "answer": {"status": 200}}`
	status, first, _ := s.request("PUT "+path, document)
	assert.Equal(t, 201, status)
	document = strings.Replace(document, "200", "201", 1)
	status, second, _ := s.request("PUT "+path, document, "If-Match: "+first)
	assert.Equal(t, 200, status)
	assert.NotEqual(t, first, second)
	status, _, answer := s.request("PUT "+path, document, "If-Match: "+first)
	assert.Equal(t, 412, status)
	assert.Equal(t, "stale", answer["code"])
	assert.Equal(t, second, answer["current"].(map[string]any)["etag"], "the current state comes along")
	for line, document := range map[string]string{
		"PUT " + path: document, "PUT /services/moorings": `{"name": "moorings"}`, "PUT /services/moorings/payloads/a.txt": "a",
		"PUT /scenarios/bad-night": "name: bad-night", "POST /scenarios": "[{name: new}, {name: bad-night}]",
	} {
		if strings.Contains(line, "payloads") {
			status, _, _ = s.request(line, document, "If-None-Match: *")
			assert.Equal(t, 201, status, "what is not there yet can be made")
		}
		status, _, answer = s.request(line, document, "If-None-Match: *")
		assert.Equal(t, 412, status, "%s %v", line, answer)
		assert.Contains(t, answer["detail"], "already exists")
	}
	status, _, _ = s.request("GET /scenarios/new", "")
	assert.Equal(t, 404, status, "all or none")
	status, third, answer := s.request("PATCH "+path, `{"answer": {"status": 418}, "title": "Tea"}`, "If-Match: "+second)
	assert.Equal(t, 200, status)
	assert.Equal(t, "Tea", answer["title"])
	status, _, answer = s.request("PATCH "+path, `[{"op": "add", "path": "/answer/json", "value": null}]`, "Content-Type: application/json-patch+json")
	assert.Equal(t, 200, status)
	assert.Contains(t, answer["answer"], "json", "a JSON Patch can set null")
	status, _, _ = s.request("DELETE "+path, "", "If-Match: "+third)
	assert.Equal(t, 412, status)
	status, _, _ = s.request("DELETE "+path, "")
	assert.Equal(t, 204, status)
	status, _, _ = s.request("GET "+path, "")
	assert.Equal(t, 404, status)
}

func TestBadRequestsSayWhatAndWhere(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	for _, c := range []struct {
		line, body string
		status     int
		code, text string
	}{
		{"POST /imports?file=x.yaml", "openapi: 3.1.0\npaths: [", 400, "syntax", "neither JSON nor YAML"},
		{"POST /imports?file=x.yaml", "", 422, "invalid", "no body"},
		{"POST /imports?file=moorings.yaml", "openapi: 3.1.0\npaths: {/a: {get: {responses: {'200': {description: x}}}}}", 409, "exists", "already exists"},
		{"POST /services", `{"name": "moorings"}`, 409, "exists", "another name"},
		{"POST /services", `{"name": "a b"}`, 422, "invalid", "cannot be used"},
		{"PATCH /services/moorings", `{"colour": "red"}`, 422, "invalid", "cannot be used"},
		{"PATCH /services/moorings", `{`, 400, "syntax", "the patch is neither JSON nor YAML"},
		{"GET /services/morings", "", 404, "not-found", "(moorings?)"},
		{"GET /services/morings/operations", "", 404, "not-found", "(moorings?)"},
		{"PUT /services/moorings/mappings/a", `[{"call": {"path": "/a"}}, {"call": {"path": "/b"}}]`, 422, "invalid", "one mapping, not 2"},
		{"POST /services/moorings/mappings", `{"call": {"path": "/a/{"}}`, 422, "invalid", "cannot be used"},
		{"GET /calls?limit=0", "", 422, "invalid", "limit must be"},
		{"GET /calls?after=x", "", 422, "invalid", "after must be the id of a call"},
		{"GET /calls/x", "", 404, "not-found", "is not a call id"},
		{"GET /calls/c-ffff", "", 404, "not-found", "not in the log"},
		{"POST /status", "", 405, "not-found", "does not know the method"},
		{"GET /nothing", "", 404, "not-found", "openapi.yaml"},
		{"POST /services", "", 422, "invalid", "no body"},
		{"PUT /services/moorings", "", 422, "invalid", "no body"},
		{"PATCH /services/moorings", "", 422, "invalid", "no body"},
		{"PUT /services/moorings/mappings/a", "", 422, "invalid", "no body"},
		{"PUT /services/moorings/impairments", "", 422, "invalid", "no body"},
		{"POST /scenarios", "", 422, "invalid", "no body"},
		{"PUT /scenarios/tides-dead", "", 422, "invalid", "no body"},
		{"POST /lanes", "", 422, "invalid", "no body"},
		{"PUT /lanes/night-run", "", 422, "invalid", "no body"},
	} {
		status, _, answer := s.request(c.line, c.body)
		assert.Equal(t, c.status, status, c.line)
		assert.Equal(t, c.code, answer["code"], c.line)
		assert.Contains(t, answer["detail"], c.text, c.line)
		assert.EqualValues(t, c.status, answer["status"], c.line)
	}
	services, err := s.api.Services(t.Context())
	require.NoError(t, err)
	assert.Len(t, services, len(demo.Services()), "nothing was left half made")
}

func TestListsPage(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	_, _, first := s.request("GET /services?limit=1", "")
	assert.Equal(t, "0:customs", first["next"])
	_, _, second := s.request("GET /services?limit=1&after="+url.QueryEscape(first["next"].(string)), "")
	items := second["items"].([]any)
	require.Len(t, items, 1)
	assert.Equal(t, "moorings", items[0].(map[string]any)["name"])
	assert.Equal(t, "1:moorings", second["next"])
}

func TestRevisionsAndExamplesOverTheAPI(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	const smaller = "openapi: 3.0.0\ninfo: {title: Tides}\npaths:\n  /stations: {get: {responses: {'200': {description: ok}}}}\n"
	status, _, report := s.request("POST /imports?into=tides&file=small.yaml&dryRun=true", smaller)
	assert.Equal(t, 200, status)
	assert.Equal(t, true, report["dryRun"])
	assert.Len(t, report["changes"].(map[string]any)["removed"], 5)
	_, _, list := s.request("GET /services/tides/revisions", "")
	assert.Len(t, list["items"], 1, "a dry run leaves no revision")

	status, _, report = s.request("POST /imports?into=tides&file=small.yaml", smaller)
	assert.Equal(t, 201, status)
	assert.EqualValues(t, 2, report["contract"].(map[string]any)["revision"])
	status, _, changes := s.request("GET /services/tides/revisions/2/changes", "")
	assert.Equal(t, 200, status)
	assert.Len(t, changes["removed"], 5)
	status, _, _ = s.request("POST /imports?into=tides&revision=1", "")
	assert.Equal(t, 201, status)
	_, _, changes = s.request("GET /services/tides/revisions/3/changes?since=1", "")
	assert.Equal(t, map[string]any{"added": []any{}, "removed": []any{}, "changed": []any{}, "effects": map[string]any{"breaking": 0.0, "unknown": 0.0, "compatible": 0.0}}, changes)

	for _, c := range []struct {
		line, body string
		status     int
		text       string
	}{
		{"POST /imports?revision=1", "", 422, "it needs into, and no body"},
		{"POST /imports?into=tides&revision=one", "", 422, `must be a whole number, not "one"`},
		{"POST /imports?into=tides&revision=9", "", 404, "there is no revision 9"},
		{"GET /services/tides/revisions/1/changes", "", 422, "revision 1 is the first"},
		{"GET /services/tides/revisions/0", "", 422, "a number from 1"},
		{"PATCH /services/moorings", `{"examples": {"getBerth": "fre"}}`, 422, "cannot be chosen"},
		{"PATCH /services/moorings", `{"conformance": "maybe"}`, 422, "cannot be used"},
	} {
		status, _, answer := s.request(c.line, c.body)
		assert.Equal(t, c.status, status, c.line)
		assert.Contains(t, answer["detail"], c.text, c.line)
	}
	status, _, service := s.request("PATCH /services/moorings", `{"examples": {"getBerth": "taken"}, "conformance": "refuse"}`)
	assert.Equal(t, 200, status)
	assert.Equal(t, map[string]any{"getBerth": "taken"}, service["examples"])
	resp, body := s.send("GET /moorings/berths/S4", "")
	assert.Equal(t, 200, resp.StatusCode)
	assert.Contains(t, body, `"number":"S4"`)
	assert.Contains(t, body, `"state":"taken"`)
	resp, body = s.send("GET /moorings/berths?free=perhaps", "")
	assert.Equal(t, 400, resp.StatusCode)
	assert.Contains(t, body, `"where":"query free"`)
	resp, _ = s.send("GET /moorings/berths/S4", "", `Rapid-Mimic: example="unknown"`)
	assert.Equal(t, 404, resp.StatusCode)
	assert.Equal(t, `call=c-3, source=contract, by="getBerth, \"unknown\""`, resp.Header.Get("Rapid-Mimic"))
}
