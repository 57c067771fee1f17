package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
)

// A script that asks for a gigabyte, or never ends, gets its caller a 500 that says so, while other
// calls, scripted and not, are answered as quickly as before.
func TestAScriptHarmsNobody(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{})
	ctx := t.Context()
	_, err := s.api.CreateService(ctx, spec.NewService("quay"))
	require.NoError(t, err)
	_, err = s.api.PutMappings(ctx, "quay", []byte(`
- { id: fine, call: { path: /fine }, answer: { script: "export default (call) => ({ json: [call.query.n, new Date().getTime() > 1.7e12] })" } }
- { id: plain, call: { path: /plain }, answer: { text: plain } }
- { id: greedy, call: { path: /greedy }, answer: { script: "export default () => ({ text: 'x'.repeat(1 << 29) + 'y'.repeat(1 << 29) })" } }
- { id: endless, call: { path: /endless }, answer: { script: "export default () => { for (;;); }" } }
- { id: stuck, call: { path: /stuck }, answer: { script: "export default () => ({ json: /^(a+)+(?=b)$/.test('a'.repeat(60)) })" } }
`))
	require.NoError(t, err)
	until, cancel := context.WithTimeout(ctx, 3*time.Second)
	defer cancel()
	var all sync.WaitGroup
	for path, want := range map[string]string{"/quay/greedy": "memory|took longer", "/quay/endless": "took longer than 50ms", "/quay/stuck": "took longer than 50ms"} {
		all.Go(func() {
			for until.Err() == nil {
				resp, body := s.send("GET "+path, "")
				assert.Equal(t, 500, resp.StatusCode, path)
				assert.Regexp(t, want, body, path)
			}
		})
	}
	answered := 0
	for until.Err() == nil {
		began := time.Now()
		resp, _ := s.send("GET /quay/plain", "")
		assert.Equal(t, 200, resp.StatusCode)
		assert.Less(t, time.Since(began), 2*time.Second, "what has no script waits for none")
		answered++
	}
	all.Wait()
	assert.Greater(t, answered, 10)
	mappings, err := s.api.Mappings(ctx, "quay")
	require.NoError(t, err)
	for _, m := range mappings {
		assert.Equal(t, m.ID == "fine" || m.ID == "plain", m.Problem == "", "%s: %s", m.ID, m.Problem)
	}
	_, body := s.send("GET /quay/fine?n=7", "")
	assert.Equal(t, `["7",true]`, body)
	status, err := s.api.Status(ctx)
	require.NoError(t, err)
	assert.NotEmpty(t, status)
}

func TestNoScripts(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{NoScripts: true})
	_, err := s.api.CreateService(t.Context(), spec.NewService("quay"))
	require.NoError(t, err)
	s.put(t, "PUT", "/services/quay/mappings/any", `{"call": {"path": "/any"}, "answer": {"script": "export default () => ({})"}}`)
	assert.Regexp(t, "^500 .*Scripts are not run here", s.says("GET /quay/any"))
}

// What the page on scripts says to type works; a script in a payload is live on the next call, and
// what is wrong with one is said with its line, on the command line too.
func TestTheScriptsPage(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	text, err := os.ReadFile(docsFolder + "scripts.md")
	require.NoError(t, err)
	folder := t.TempDir()
	file := func(name, content string) {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(content), 0o600))
	}
	blocks := yamlBlock.FindAllStringSubmatch(string(text), -1)
	_, err = s.api.PutMappings(t.Context(), "moorings", []byte(blocks[0][1]))
	require.NoError(t, err)
	resp, body := s.send("POST /moorings/berths/N7/quotes", `{"pier": "north", "nights": 2, "lengthMetres": 21.3}`, jsonType)
	assert.Equal(t, 201, resp.StatusCode)
	assert.Regexp(t, `^\{"number":"N7","total":720,"by":"[^"]+"\}$`, body)
	assert.Equal(t, "/moorings/quotes/1", resp.Header.Get("Location"))
	told := ""
	for _, step := range s.lastCall().Explanation.Steps {
		told += fmt.Sprintln(step)
	}
	assert.Contains(t, told, "nightly 360")
	assert.Contains(t, told, `remembers "quotes"`)
	resp, _ = s.send("POST /moorings/berths/N7/quotes", `{"pier": "east"}`, jsonType)
	assert.Equal(t, 422, resp.StatusCode)

	s.put(t, "PUT", "/services/moorings/mappings/tells", `{"call": {"path": "/tells"}, "answer": {"script": "export default (call) => { console.log('saw', call.headers.authorization); return {} }"}}`)
	s.send("GET /moorings/tells", "", "Authorization: Bearer hush-hush-harbour-7")
	told = fmt.Sprint(s.lastCall().Explanation)
	assert.Contains(t, told, "saw")
	assert.NotContains(t, told, "hush-hush")
	s.put(t, "PUT", "/services/moorings/mappings/throws", `{"call": {"path": "/throws"}, "answer": {"script": "export default (call) => { throw new Error('saw ' + call.headers.authorization) }"}}`)
	s.send("GET /moorings/throws", "", "Authorization: Bearer hush-hush-harbour-7")
	throws, err := s.api.Mapping(t.Context(), "moorings", "throws")
	require.NoError(t, err)
	assert.Contains(t, fmt.Sprint(throws.Problem), "Error: saw")
	assert.NotContains(t, fmt.Sprint(throws), "hush-hush")
	_, script, _ := strings.Cut(string(text), "```js\n")
	script, _, _ = strings.Cut(script, "```")
	file("tide-clock.js", script)
	file("tide-clock.yaml", blocks[1][1])
	ran := s.typeAll(t, string(text), folder, func(string, string) {})
	assert.Equal(t, 3, ran)
	assert.Contains(t, s.says("GET /moorings/tide-clock?zone=CET"), `"zone":"CET"`)
	file("tide-clock.js", "export default (call) => ({\n  json: call.query.zone..x\n})\n")
	out, err := s.typed(folder, "rapidmimic payload put moorings tide-clock.js")
	require.Error(t, err)
	assert.Contains(t, out, `mapping "tide-clock": tide-clock.js: line 2, character 24`)
	file("tide-clock.js", "export default () => ({ text: 'ebb' })\n")
	_, err = s.typed(folder, "rapidmimic payload put moorings tide-clock.js")
	require.NoError(t, err)
	assert.Equal(t, "200 ebb", s.says("GET /moorings/tide-clock"))
	_, err = s.typed(folder, "rapidmimic payload remove moorings tide-clock.js")
	require.Error(t, err, "a mapping answers with it")
	types, err := os.ReadFile(filepath.Join(folder, "mimic.d.ts"))
	require.NoError(t, err)
	assert.Equal(t, spec.ScriptTypes, string(types))
}

// Scripts see variables as they are, also objects and secrets, of which nothing is shown; on a SOAP
// service their XML is put into an envelope of the caller's version.
func TestScriptsOfServicesOfAllKinds(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.put(t, "PATCH", "/variables", `{"variables": {"pier": {"name": "north", "berths": [7, 9.50]}, "officeKey": {"secret": true, "value": "hush-hush-quay-7"}}}`)
	s.put(t, "PUT", "/services/moorings/mappings/vars", `{"call": {"path": "/vars"}, "answer": {"script": "export default (call) => { console.log(call.vars.officeKey); return { json: [call.vars.pier.berths[1], call.vars.none ?? 'none', call.vars.officeKey.length] } }"}}`)
	assert.Equal(t, `200 [9.5,"none",16]`, s.says("GET /moorings/vars"))
	assert.NotContains(t, fmt.Sprint(s.lastCall()), "hush-hush")
	s.put(t, "PUT", "/services/customs/mappings/by-script", `{"call": {"operation": "listHolds"}, "rank": 9, "answer": {"script": "export default () => ({ xml: '<listHoldsResponse xmlns=\"https://customs.skerry-sound.example/cargo\"/>' })"}}`)
	resp, body := s.send("POST /customs/Desk", `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body><listHolds xmlns="https://customs.skerry-sound.example/cargo"/></s:Body></s:Envelope>`, "Content-Type: text/xml")
	assert.Equal(t, 200, resp.StatusCode, body)
	assert.Regexp(t, `(?s)Envelope.*Body.*listHoldsResponse`, body)
	assert.Contains(t, resp.Header.Get("Content-Type"), "text/xml")
}
