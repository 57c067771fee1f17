package e2e

import (
	"bytes"
	"compress/gzip"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
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
	t.Parallel()
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

// secretPlaces are ways of making a call with a secret in it: headers and a body.
var secretPlaces = []func(secret string) (query, body string, headers []string){
	func(s string) (string, string, []string) { return "", "", []string{"Authorization: Bearer " + s} },
	func(s string) (string, string, []string) {
		return "", "", []string{"Authorization: Basic " + base64.StdEncoding.EncodeToString([]byte("ida:"+s))}
	},
	func(s string) (string, string, []string) { return "", "", []string{"Cookie: sid=" + s} },
	func(s string) (string, string, []string) { return "", "", []string{"X-Api-Key: " + s} },
	func(s string) (string, string, []string) { return "?access_token=" + s, "", nil },
	func(s string) (string, string, []string) {
		return "", "", []string{"Referer: https://a.example/?token=" + s}
	},
	func(s string) (string, string, []string) {
		return "", `{"login": {"pass\u0077ord": "` + s + `"}}`, []string{"Content-Type: application/json"}
	},
	func(s string) (string, string, []string) {
		return "", `{"query": "mutation { login(password: \"` + s + `\") { ok } }"}`, []string{"Content-Type: application/json"}
	},
	func(s string) (string, string, []string) {
		return "", "client%5Fsecret=" + s, []string{"Content-Type: application/x-www-form-urlencoded"}
	},
	func(s string) (string, string, []string) {
		return "", "<a><wsse:Password>" + s + "</wsse:Password></a>", []string{"Content-Type: text/xml"}
	},
	func(s string) (string, string, []string) {
		return "", "--b1\r\nContent-Disposition: form-data; name=\"pwd\"\r\n\r\n" + s + "\r\n--b1--\r\n", []string{"Content-Type: multipart/form-data; boundary=b1"}
	},
	func(s string) (string, string, []string) {
		var b bytes.Buffer
		w := gzip.NewWriter(&b)
		_, _ = w.Write([]byte(`{"token": "` + s + `"}`)) // into memory
		_ = w.Close()
		return "", b.String(), []string{"Content-Type: application/json", "Content-Encoding: gzip"}
	},
}

// A secret in any place of a call, through answers, misses, relays, recordings and
// exports, is nowhere afterwards: not in the data folder, and in nothing that comes out.
func TestSecretsAreNowhere(t *testing.T) {
	t.Parallel()
	chance := rand.New(rand.NewPCG(11, 11))
	var secrets []string
	fresh := func() string {
		const letters = "abcdefghijkmnpqrstuvwxyzABCDEFGHJKLMNPQRSTUVWXYZ23456789"
		b := make([]byte, 18)
		for i := range b {
			b[i] = letters[chance.IntN(len(letters))]
		}
		secrets = append(secrets, string(b))
		return string(b)
	}
	upstream := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body) // says back what it is told, and hands out a session
		w.Header().Set("Set-Cookie", "sid="+fresh()+"; Path=/")
		w.Header().Set("Content-Type", "application/json")
		echo, _ := json.Marshal(fmt.Sprint(r.Header, r.URL, string(body)))
		fmt.Fprintf(w, `{"refresh_token": "%s", "echo": %s}`, fresh(), echo)
	}))
	defer upstream.Close()
	s := start(t, config.Config{})
	relayed := spec.NewService("office")
	relayed.Upstream, relayed.Mode = upstream.URL, spec.ModeRelay
	_, err := s.api.PutService(t.Context(), "office", relayed, "")
	require.NoError(t, err)
	_, err = s.api.PutService(t.Context(), "desk", spec.NewService("desk"), "")
	require.NoError(t, err)
	_, err = s.api.PutMappings(t.Context(), "desk", []byte(`[
		{"id": "echo", "call": {"path": "/echo"}, "answer": {"json": {"headers": "${call.headers}", "text": "${call.text}", "query": "${call.query}"}}},
		{"id": "strict", "call": {"path": "/strict", "where": [{"header": "authorization", "equals": "Bearer x"}, {"body": "$.login", "includes": {"password": "x"}}]}, "answer": {"text": "in"}},
		{"id": "failing", "call": {"path": "/failing"}, "answer": {"text": "${1 / int(call.headers['none'])}"}}]`))
	require.NoError(t, err)
	_, err = s.api.StartRecording(t.Context(), "office", api.RecordingStart{Name: "logins"})
	require.NoError(t, err)

	var out strings.Builder
	tell := func(value any, err error) {
		require.NoError(t, err)
		text, err := json.Marshal(value)
		require.NoError(t, err)
		out.Write(text)
	}
	for i, place := range secretPlaces {
		for _, path := range []string{"/desk/echo", "/desk/strict", "/desk/failing", "/desk/nothing", "/nowhere", fmt.Sprintf("/office/login-%d", i)} {
			secret := fresh()
			query, body, headers := place(secret)
			headers = append(headers, "X-Echo: "+secret)
			_, answer := s.send("POST "+path+query, body, headers...)
			if !strings.HasPrefix(path, "/office") && path != "/desk/echo" { // which say what they were told
				out.WriteString(answer)
			}
			asked := api.TestCall{Method: "POST", Path: strings.TrimPrefix(path, "/desk") + query, Body: body}
			for _, h := range headers {
				name, value, _ := strings.Cut(h, ": ")
				asked.Headers = append(asked.Headers, [2]string{name, value})
			}
			explained, err := s.api.Explain(t.Context(), "desk", asked)
			explained.Answer = api.Message{} // which says what it was told, too
			tell(explained, err)
		}
	}
	_, err = s.api.StopRecording(t.Context(), "office", "logins", api.RecordingStop{})
	require.NoError(t, err)
	list, err := s.api.Calls(t.Context(), client.CallQuery{Limit: 500})
	tell(list, err)
	require.Len(t, list.Items, 6*len(secretPlaces))
	for _, line := range list.Items {
		tell(s.api.Call(t.Context(), line.ID))
	}
	tell(s.api.RecordedCalls(t.Context(), "office", "logins", ""))
	har, err := s.api.RecordingHAR(t.Context(), "office", "logins")
	require.NoError(t, err)
	out.Write(har)
	tell(s.api.MakeMappings(t.Context(), "office", "logins", api.MakeMappings{}))
	tell(s.api.Mappings(t.Context(), "office"))
	exported, err := s.api.Export(t.Context(), nil, "", false)
	require.NoError(t, err)
	tell(exported, nil)
	out.WriteString(s.log.String())
	s.stop()
	require.NoError(t, filepath.WalkDir(s.data, func(path string, entry fs.DirEntry, err error) error {
		if err == nil && !entry.IsDir() {
			text, err := os.ReadFile(path)
			require.NoError(t, err)
			out.Write(text)
		}
		return err
	}))
	require.Greater(t, len(secrets), 80)
	all := out.String()
	for _, secret := range secrets {
		if at := strings.Index(all, secret); at >= 0 {
			t.Errorf("secret %s of %d survived: …%s…", secret, len(secrets), all[max(0, at-200):min(len(all), at+60)])
			return
		}
		assert.NotContains(t, all, base64.StdEncoding.EncodeToString([]byte(secret))[:20])
	}
}
