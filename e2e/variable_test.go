package e2e

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec/api"
)

// A secret variable goes to callers and to the upstream, and is nowhere else: not in what
// the API gives, in no explanation, trial or test call, not on disk, and in no export; also
// after a restart.
func TestSecretVariablesAreNowhere(t *testing.T) {
	t.Parallel()
	const key, other = "hush/hush+quay", "hush-hush-pier"
	var got []string
	upstream := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		got = append(got, r.Header.Get("X-Key"))
		w.Header().Set("Content-Encoding", "gzip")
		zip := gzip.NewWriter(w)
		fmt.Fprintf(zip, `{"note": "%s", "url": "%s"}`, r.Header.Get("X-Key"), r.URL)
		_ = zip.Close()
	}))
	t.Cleanup(upstream.Close)
	data := t.TempDir()
	s := start(t, config.Config{Data: data})
	s.put(t, "PUT", "/variables", `{"variables": {"real": "`+upstream.URL+`", "key": {"secret": true, "value": "`+key+`"}}}`)
	s.put(t, "PUT", "/services/office", `{"upstream": "${vars.real}", "mode": "relay", "upstreamHeaders": {"X-Key": "${vars.key} ${vars.own}"}, "variables": {"own": {"secret": true, "value": "`+other+`"}}}`)
	s.put(t, "PUT", "/services/desk", `{"upstream": "${vars.real}"}`)
	s.put(t, "POST", "/services/desk/mappings", `[
		{"id": "says", "call": {"path": "/says"}, "answer": {"headers": {"X-Key": "${vars.key}"}, "json": {"note": "${'of ' + vars.key}", "coded": "${base64.encode(bytes(vars.key))}"}}},
		{"id": "asks", "call": {"path": "/asks", "if": "call.query.note == vars.key"}, "answer": {"text": "right"}},
		{"id": "fails", "call": {"path": "/fails"}, "answer": {"text": "${jsonpath(call.body, vars.key)}"}},
		{"id": "sends", "call": {"path": "/sends"}, "answer": {"from": "upstream", "send": [{"op": "add", "path": "/headers/X-Key", "value": "${vars.key}"}, {"op": "add", "path": "/query/note", "value": "${vars.key}"}]}}]`)
	_, text := s.send("GET /desk/says", "")
	assert.Contains(t, text, key, "callers get it")
	_, text = s.send("GET /desk/asks?note=hush%2Fhush%2Bquay", "")
	assert.Equal(t, "right", text)
	_, _ = s.send("GET /desk/asks?note=wrong", "")
	_, failed := s.send("GET /desk/fails", `{"a": 1}`, "Content-Type: application/json")
	_, _ = s.send("GET /desk/sends", "")
	_, _ = s.send("GET /office/desks", "")
	_, missed := s.send("GET /desk/missed/hush%2Fhush%2Bquay", "")
	assert.Equal(t, []string{key, key + " " + other}, got)

	told := []string{failed, missed}
	tell := func(value any, err error) {
		require.NoError(t, err)
		text, err := json.Marshal(value)
		require.NoError(t, err)
		told = append(told, string(text))
	}
	test := api.TestCall{Method: "GET", Path: "/says"}
	tell(s.api.Explain(t.Context(), "desk", test))
	tell(s.api.TestCall(t.Context(), "desk", test))
	tell(s.api.Explain(t.Context(), "office", test))
	tell(s.api.TryMapping(t.Context(), "desk", api.TrialRequest{Document: `{"id": "says", "call": {"path": "/says"}, "answer": {"text": "${vars.key}"}}`, Recent: 20, Call: "c-1", Expressions: []string{"vars.key", `[vars.key, "x"]`}}))
	everything := func() {
		paths := map[string][]string{"{service}": {"office", "desk"}, "{mapping}": {"says"}, "{call}": {"c-1", "c-2", "c-3", "c-4", "c-5", "c-6", "c-7"}}
		for path, methods := range s.apiOperations(t) {
			if !strings.Contains(strings.Join(methods, " "), "GET") || strings.HasSuffix(path, "/stream") || strings.HasSuffix(path, "/backup") {
				continue // which never ends, and which has the files that are looked at below
			}
			all := []string{path}
			for name, values := range paths {
				var next []string
				for _, at := range all {
					for _, value := range values {
						if filled := strings.ReplaceAll(at, name, value); !slices.Contains(next, filled) {
							next = append(next, filled)
						}
					}
				}
				all = next
			}
			for _, at := range all {
				for _, n := range notations {
					_, _, text := s.whole("GET", at, nil, "Accept: "+n.accept)
					told = append(told, at+" "+text)
				}
			}
		}
	}
	everything()
	out := t.TempDir()
	told = append(told, s.run(t, "export", out))
	s.stop()
	told = append(told, s.log.String())
	s = start(t, config.Config{Data: data})
	_, text = s.send("GET /desk/says", "")
	assert.Contains(t, text, key, "it is there after a restart")
	everything()
	s.stop()
	forms := []string{key, other, "hush%2Fhush%2Bquay", "aHVzaC9odXNoK3F1YXk"}
	for _, text := range told {
		for _, form := range forms {
			if at := strings.Index(text, form); at >= 0 {
				t.Errorf("%s in %s …%s…", form, text[:min(60, len(text))], text[max(0, at-80):min(len(text), at+80)])
			}
		}
	}
	for _, folder := range []string{data, out} {
		require.NoError(t, filepath.WalkDir(folder, func(path string, entry fs.DirEntry, err error) error {
			if err != nil || entry.IsDir() {
				return err
			}
			text, err := os.ReadFile(path)
			for _, form := range forms {
				assert.False(t, bytes.Contains(text, []byte(form)), "%s has %s", path, form)
			}
			return err
		}))
	}
}
