package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// Our own API is a service like any: its document is imported, another environment relays
// its calls to the real thing, and requests and answers obey it.
func TestOurAPIObeysItsOwnDocument(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	names := everythingDefined(t, s)
	s.send("GET /moorings/berths/N7", "")
	watching := start(t, config.Config{})
	_, _, document := s.whole("GET", "/api/v1/openapi.yaml", nil)
	report, err := watching.api.Import(t.Context(), client.Import{Name: "control", File: "openapi.yaml", Text: []byte(document)})
	require.NoError(t, err)
	assert.Empty(t, report.Skipped)
	settings := spec.NewService("control")
	settings.Upstream, settings.Mode = s.control, spec.ModeRelay
	_, err = watching.api.PutService(t.Context(), "control", settings, "")
	require.NoError(t, err)

	through := func(method, path, body string, headers ...string) {
		resp, text := watching.send(method+" /control"+path, body, append(headers, jsonType)...)
		assert.Less(t, resp.StatusCode, 400, "%s %s: %s", method, path, text)
	}
	for path, methods := range s.apiOperations(t) {
		at := strings.Replace(path, "/reference/{operation}", "/reference/getMapping", 1)
		for name, value := range names {
			at = strings.ReplaceAll(at, "{"+name+"}", value)
		}
		at = strings.NewReplacer("{revision}", "1", "/search", "/search?text=berth", "/comparison", "/comparison?with=now", "{schema}", "mappings.json", "/boundary-values", "/boundary-values?operation=getBerth&at=$.state", "{entry}", lastEntry(t, s), "{version}", versionOf(t, s)).Replace(at)
		if strings.Contains(at, "{") || strings.HasSuffix(at, "/stream") || strings.HasSuffix(at, "/changes") {
			continue // of what the demo does not have, or never ends
		}
		for _, method := range methods {
			if method == "GET" {
				through("GET", at, "")
			}
		}
	}
	for _, k := range [][3]string{
		{"POST", "/api/v1/services", `{"name": "buoys"}`},
		{"PUT", "/api/v1/services/buoys", `{"title": "Buoys"}`},
		{"PATCH", "/api/v1/services/buoys", `{"title": "Lights"}`},
		{"POST", "/api/v1/services/buoys/mappings", `[{"call": {"path": "/a"}, "answer": {"headers": {"A": ["b", "c"]}}}]`},
		{"PUT", "/api/v1/services/buoys/mappings/b", `{"call": {"path": "/b"}}`},
		{"PATCH", "/api/v1/services/buoys/mappings?id=b", `{"enabled": false}`},
		{"POST", "/api/v1/services/buoys/mappings/copies?id=b", `{"id": "c"}`},
		{"DELETE", "/api/v1/services/buoys/mappings?id=c", ""},
		{"POST", "/api/v1/services/buoys/mappings/restores", ""},
		{"PUT", "/api/v1/scenarios/calm", `{"services": {"buoys": {"off": true}}}`},
		{"PUT", "/api/v1/lines/rope", `{"firstByte": "1s"}`},
		{"PUT", "/api/v1/services/buoys/impairments", `{"latency": "5ms"}`},
		{"PATCH", "/api/v1/services/buoys/impairments", `{"latency": "6ms"}`},
		{"PATCH", "/api/v1/impairments", `{"off": true}`},
		{"PUT", "/api/v1/activations", `{"scenario": "calm"}`},
		{"POST", "/api/v1/services/moorings/explain", `{"method": "GET", "path": "/berths"}`},
		{"POST", "/api/v1/services/moorings/test-calls", `{"method": "GET", "path": "/berths"}`},
		{"PUT", "/api/v1/services/moorings/operations/getBerth/pins", `{"pins": {"/stat": "a"}}`},
		{"POST", "/api/v1/digests", `{"secret": "made up"}`},
	} {
		through(k[0], k[1], k[2])
	}
	list, err := watching.api.Calls(t.Context(), client.CallQuery{Service: "control", Limit: 1000})
	require.NoError(t, err)
	assert.Greater(t, len(list.Items), 50)
	watching.send("PUT /control/api/v1/services/moorings/mappings/fog", `{"cal": 1}`, jsonType)
	assert.Contains(t, watching.lastCall().DeviationList, api.Deviation{Side: "request", Where: "body", Detail: "missing property 'call'"}, "it would be told")
	for _, line := range list.Items {
		if line.Deviations == 0 {
			continue
		}
		detail, err := watching.api.Call(t.Context(), line.ID)
		require.NoError(t, err)
		for _, d := range detail.DeviationList {
			assert.Fail(t, fmt.Sprintf("%s %s: %s, %s: %s", line.Method, line.Path, d.Side, d.Where, d.Detail))
		}
	}
}

// lastEntry is the last entry of the activity.
func lastEntry(t *testing.T, s *service) string {
	list, err := s.api.Activity(t.Context(), client.ActivityQuery{Limit: 1})
	require.NoError(t, err)
	return list.Items[0].ID
}

// versionOf is a version of the mapping that everythingDefined makes.
func versionOf(t *testing.T, s *service) string {
	versions, err := s.api.MappingVersions(t.Context(), "moorings", "fog")
	require.NoError(t, err)
	return fmt.Sprint(versions[0].Version)
}
