package control

import (
	"context"
	"crypto/tls"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/access"
)

// keptNowhere is a store of tokens that forgets them.
type keptNowhere struct{}

func (keptNowhere) Tokens(context.Context) ([]access.Token, error) { return nil, nil }
func (keptNowhere) PutToken(context.Context, access.Token) error   { return nil }
func (keptNowhere) RemoveToken(context.Context, string) error      { return nil }

// guarded is a control port that asks for tokens, and the secrets of some.
func guarded(t *testing.T, change func(*Config)) (handler http.Handler, secrets map[string]string) {
	tokens, err := access.Open(t.Context(), keptNowhere{})
	require.NoError(t, err)
	secrets = make(map[string]string)
	for i, token := range []access.Token{
		{Name: "viewer", Role: access.Viewer}, {Name: "tester", Role: access.Tester}, {Name: "editor", Role: access.Editor}, {Name: "admin", Role: access.Admin},
		{Name: "moorings", Role: access.Editor, Services: []string{"moorings"}}, {Name: "short", Role: access.Viewer, Expires: time.Now().Add(50 * time.Millisecond)},
	} {
		_, secrets[token.Name], err = tokens.Create(t.Context(), token, [32]byte{byte(i + 1)}, time.Now())
		require.NoError(t, err)
	}
	c := testConfig()
	c.Tokens, c.NeedToken, c.Logger = tokens, true, slog.New(slog.DiscardHandler)
	if change != nil {
		change(&c)
	}
	return New(c), secrets
}

// asked is the status of a request, and what it says.
func asked(h http.Handler, method, path, secret, from string, secure bool) (int, string) {
	r := httptest.NewRequest(method, path, nil)
	r.Host, r.RemoteAddr = "127.0.0.1:7400", from+":40000"
	if secret != "" {
		r.Header.Set("Authorization", "Bearer "+secret)
	}
	if secure {
		r.TLS = &tls.ConnectionState{}
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w.Code, w.Body.String()
}

// Every route asks every role for what it takes: who may not is refused before anything is
// looked at, who may gets further.
func TestEveryRouteAndRole(t *testing.T) {
	h, secrets := guarded(t, nil)
	routes := 0
	for _, r := range (&server{Config: testConfig()}).table() {
		path := "/api/v1" + strings.NewReplacer(":service", "moorings", ":lane", "ci-1").Replace(r.path)
		path = pathParameter.ReplaceAllString(path, "x")
		what := r.method + " " + r.path
		status, text := asked(h, r.method, path, "", "127.0.0.1", false)
		assert.Equal(t, r.open, status != 401, "%s without a token: %s", what, text)
		for i, role := range access.Roles {
			status, text := asked(h, r.method, path, secrets[string(role)], "127.0.0.1", false)
			if i < int(r.right) {
				assert.Equal(t, 403, status, "%s as %s: %s", what, role, text)
				assert.Contains(t, text, fmt.Sprintf("token \\\"%s\\\" is", role), what)
			} else {
				assert.NotContains(t, []int{401, 403}, status, "%s as %s: %s", what, role, text)
			}
		}
		limited := strings.Contains(r.path, ":service") || r.limited
		status, text = asked(h, r.method, path, secrets["moorings"], "127.0.0.1", false)
		if r.right > access.Edit || !limited && !strings.Contains(r.path, ":lane") {
			assert.Equal(t, 403, status, "%s of the whole environment, limited to a service: %s", what, text)
		} else {
			assert.NotContains(t, []int{401}, status, "%s: %s", what, text)
		}
		if strings.Contains(r.path, ":service") {
			status, text = asked(h, r.method, strings.Replace(path, "moorings", "tides", 1), secrets["moorings"], "127.0.0.1", false)
			assert.Equal(t, 403, status, "%s of another service: %s", what, text)
		}
		routes++
	}
	assert.Greater(t, routes, 100)
	for _, query := range []string{"confirm=true", "prune=true"} {
		status, _ := asked(h, "POST", "/api/v1/apply?"+query, secrets["editor"], "127.0.0.1", false)
		assert.Equal(t, 403, status, query)
	}
	status, _ := asked(h, "PUT", "/api/v1/services/moorings/impairments?lane=x", secrets["tester"], "127.0.0.1", false)
	assert.NotEqual(t, 403, status, "in a lane a tester may")
	status, _ = asked(h, "GET", "/api/v1/calls?service=tides", secrets["moorings"], "127.0.0.1", false)
	assert.Equal(t, 403, status)
}

// Where a token comes from, over what, and for how long.
func TestHowTokensAreTaken(t *testing.T) {
	h, secrets := guarded(t, nil)
	for _, k := range []struct {
		path, secret, from string
		secure             bool
		status             int
	}{
		{"/healthz", "", "10.0.0.7", false, 200},
		{"/", "", "10.0.0.7", true, 200}, // the console's page, which asks
		{"/metrics", "", "127.0.0.1", false, 401},
		{"/metrics", secrets["viewer"], "127.0.0.1", false, 404},   // of the test's handler
		{"/metrics", secrets["moorings"], "127.0.0.1", false, 403}, // they count calls of all services
		{"/api/v1/me", "", "127.0.0.1", false, 401},
		{"/api/v1/me", secrets["viewer"], "127.0.0.1", false, 200},
		{"/api/v1/me", secrets["viewer"], "10.0.0.7", true, 200},
		{"/api/v1/me", secrets["viewer"], "10.0.0.7", false, 401}, // everybody could read it on the way
		{"/api/v1/me", "rapidmimic_wrong", "127.0.0.1", false, 401},
	} {
		status, text := asked(h, "GET", k.path, k.secret, k.from, k.secure)
		if k.path == "/api/v1/me" && !k.secure && k.from != "127.0.0.1" {
			k.status = 403
		}
		assert.Equal(t, k.status, status, "%+v: %s", k, text)
	}
	time.Sleep(60 * time.Millisecond)
	status, text := asked(h, "GET", "/api/v1/me", secrets["short"], "127.0.0.1", false)
	assert.Equal(t, 401, status)
	assert.Contains(t, text, "expired at")

	open, secrets := guarded(t, func(c *Config) { c.OpenView, c.AnyHost = true, true })
	status, _ = asked(open, "GET", "/api/v1/me", "", "10.0.0.7", false)
	assert.Equal(t, 200, status, "everybody may look")
	status, text = asked(open, "DELETE", "/api/v1/calls", "", "10.0.0.7", false)
	assert.Equal(t, 403, status)
	assert.Contains(t, text, "without a token you are a viewer")
	status, _ = asked(open, "GET", "/api/v1/tokens", secrets["admin"], "127.0.0.1", false)
	assert.Equal(t, 200, status)
}

// Who tries tokens waits longer and longer, by address, and others do not.
func TestGuessingTokensIsSlow(t *testing.T) {
	h, secrets := guarded(t, nil)
	for i := range freeGuesses {
		status, _ := asked(h, "GET", "/api/v1/me", "rapidmimic_wrong", "10.0.0.7", true)
		assert.Equal(t, 401, status, "guess %d", i)
	}
	status, text := asked(h, "GET", "/api/v1/me", secrets["admin"], "10.0.0.7", true)
	assert.Equal(t, 429, status)
	assert.Contains(t, text, "too many wrong tokens from your address")
	status, _ = asked(h, "GET", "/api/v1/me", secrets["admin"], "10.0.0.8", true)
	assert.Equal(t, 200, status)

	g := New(testConfig()).server
	at := time.Now()
	for range freeGuesses {
		assert.Zero(t, g.guesses.wait("a", at))
		g.guesses.wrong("a", at)
	}
	assert.Equal(t, guessWait, g.guesses.wait("a", at))
	g.guesses.wrong("a", at)
	assert.Equal(t, 2*guessWait, g.guesses.wait("a", at))
	for range 20 {
		g.guesses.wrong("a", at)
	}
	assert.Equal(t, longestGuess, g.guesses.wait("a", at))
	assert.LessOrEqual(t, g.guesses.wait("a", at.Add(longestGuess)), time.Duration(0))
}

// Each token has a share of its own, which is told; who asks for more waits, and nobody else.
func TestQuotas(t *testing.T) {
	h, secrets := guarded(t, func(c *Config) { c.RequestsPerSecond, c.ChangesPerMinute = 1, 3 })
	at := "/api/v1/me"
	ask := func(method, secret string) *httptest.ResponseRecorder {
		r := httptest.NewRequest(method, at, nil)
		r.Host, r.RemoteAddr = "127.0.0.1:7400", "127.0.0.1:4000"
		r.Header.Set("Authorization", "Bearer "+secrets[secret])
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w
	}
	first := ask("GET", "viewer")
	assert.Equal(t, 200, first.Code)
	assert.Equal(t, `"requests";q=10;w=10`, first.Header().Get("RateLimit-Policy"))
	assert.Equal(t, `"requests";r=9;t=0`, first.Header().Get("RateLimit"))
	for range 9 {
		assert.Equal(t, 200, ask("GET", "viewer").Code)
	}
	over := ask("GET", "viewer")
	assert.Equal(t, 429, over.Code)
	assert.Equal(t, "1", over.Header().Get("Retry-After"))
	assert.Contains(t, over.Body.String(), `token \"viewer\" makes too many requests: its share is 1 a second`)
	at = "/api/v1/presence/a"
	for range 4 {
		assert.Equal(t, 422, ask("PUT", "editor").Code, "who has a page open changes nothing")
	}
	at = "/api/v1/me"
	for range 3 {
		assert.NotEqual(t, 429, ask("PUT", "editor").Code)
	}
	over = ask("PUT", "editor")
	assert.Equal(t, 429, over.Code)
	assert.Contains(t, over.Body.String(), "too many changes: its share is 3 a minute")
	assert.Equal(t, 200, ask("GET", "editor").Code, "it may still look")
	h, secrets = guarded(t, nil)
	for range 50 {
		require.Equal(t, 200, ask("GET", "viewer").Code, "without quotas as much as it likes")
	}
}
