package e2e

import (
	"bytes"
	"encoding/json"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// A condition on a secret that does not hold is explained without the secret: to the
// caller, in the log, on disk and wherever it is asked again.
func TestConditionsOnSecretsBetrayNone(t *testing.T) {
	s := start(t, config.Config{})
	_, err := s.api.PutService(t.Context(), "office", spec.NewService("office"), "")
	require.NoError(t, err)
	const seen, expected = "s3cret-seen", "s3cret-expected"
	_, err = s.api.PutMappings(t.Context(), "office", []byte(`[
		{"id": "header", "call": {"path": "/desk", "where": [{"header": "authorization", "equals": "Bearer `+expected+`"}]}, "answer": {"text": "in"}},
		{"id": "cookie", "call": {"path": "/desk", "where": [{"any": [{"cookie": "session", "equals": "`+expected+`"}, {"header": "x-api-key", "equals": "`+expected+`"}]}]}, "answer": {"text": "in"}},
		{"id": "body", "call": {"path": "/desk", "where": [{"body": "$.password", "equals": "`+expected+`"}]}, "answer": {"text": "in"}},
		{"id": "within", "call": {"path": "/desk", "where": [{"body": "$", "includes": {"password": "`+expected+`"}}]}, "answer": {"text": "in"}},
		{"id": "query", "call": {"path": "/desk", "where": [{"query": "api_key", "equals": "`+expected+`"}]}, "answer": {"text": "in"}}]`))
	require.NoError(t, err)
	resp, answer := s.send("POST /office/desk?api_key="+seen, `{"password": "`+seen+`"}`,
		"Authorization: Bearer "+seen, "Cookie: session="+seen, "X-Api-Key: "+seen, "Content-Type: application/json")
	require.Equal(t, 404, resp.StatusCode)
	assert.Contains(t, answer, "header authorization is another secret than expected")

	told := []string{answer}
	tell := func(value any, err error) {
		require.NoError(t, err)
		text, err := json.Marshal(value)
		require.NoError(t, err)
		told = append(told, string(text))
	}
	detail, err := s.api.Call(t.Context(), "c-1")
	tell(detail, err)
	require.Len(t, detail.Explanation.Steps, 5)
	tell(s.api.Explain(t.Context(), "office", api.TestCall{Method: "POST", Path: "/desk?api_key=" + seen, Body: `{"password": "` + seen + `"}`,
		Headers: [][2]string{{"Authorization", "Bearer " + seen}, {"Cookie", "session=" + seen}, {"Content-Type", "application/json"}}}))
	tell(s.api.Calls(t.Context(), client.CallQuery{}))
	for _, text := range told {
		assert.NotContains(t, text, seen)
		assert.NotContains(t, text, expected)
	}
	require.NoError(t, filepath.WalkDir(s.data, func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		text, err := os.ReadFile(path)
		assert.False(t, bytes.Contains(text, []byte(seen)), "%s has what was seen", strings.TrimPrefix(path, s.data))
		return err
	}))
}
