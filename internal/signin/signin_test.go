package signin

import (
	"context"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/access"
)

func TestRolesOfGroups(t *testing.T) {
	groups, err := ParseGroups([]string{"qa=tester", "qa-leads=admin", "*=viewer"})
	require.NoError(t, err)
	p := New(Config{Groups: groups})
	for want, of := range map[access.Role][]string{access.Viewer: {"guests"}, access.Tester: {"guests", "qa"}, access.Admin: {"qa-leads", "qa"}} {
		role, err := p.roleOf("mara", of)
		require.NoError(t, err)
		assert.Equal(t, want, role)
	}
	delete(groups, "*")
	_, err = p.roleOf("eve", []string{"guests"})
	assert.ErrorContains(t, err, "you are eve, and none of your groups (guests) has a role here")
	_, err = ParseGroups([]string{"qa", "x=owner", "=viewer", "qa=viewer"})
	for _, wrong := range []string{`"qa"`, `"x=owner"`, `"=viewer"`} {
		assert.ErrorContains(t, err, wrong)
	}
	assert.NotContains(t, err.Error(), `"qa=viewer"`)
}

func TestWhatClaimsSay(t *testing.T) {
	assert.Equal(t, []string{"a", "b"}, groupsIn([]any{"a", 1, "b"}))
	assert.Equal(t, []string{"a", "b"}, groupsIn("a b"))
	assert.Empty(t, groupsIn(7))
	assert.Equal(t, "mara", nameIn(map[string]any{"preferred_username": "mara", "email": "m@x.test"}, "u-1"))
	assert.Equal(t, "m@x.test", nameIn(map[string]any{"preferred_username": 7, "email": "m@x.test"}, "u-1"))
	assert.Equal(t, "u-1", nameIn(map[string]any{}, "u-1"))
	for given, want := range map[string]string{
		"Mara  Ness": "Mara Ness", "ma\r\nra\x1b[31m": "ma ra [31m", strings.Repeat("ä", 40): strings.Repeat("ä", 30), "\xff": "",
	} {
		assert.Equal(t, want, asName(given))
	}
}

// A provider that is down keeps nobody out who has a token, and is asked again later; a login is
// finished once, in time, and by who began it.
func TestProvidersThatFail(t *testing.T) {
	down := httptest.NewServer(http.NotFoundHandler())
	p := New(Config{Issuer: down.URL, ClientID: "us"})
	_, err := p.Begin(t.Context(), "tab", time.Now())
	assert.ErrorContains(t, err, "does not answer as it should")
	assert.ErrorContains(t, err, "a token still lets you in")
	_, err = p.Who(context.Background(), "x")
	assert.ErrorContains(t, err, "does not answer as it should")
	down.Close()

	var up *httptest.Server
	up = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_, _ = w.Write([]byte(`{"issuer": "` + up.URL + `", "authorization_endpoint": "` + up.URL + `/in", "token_endpoint": "` + up.URL + `/token", "jwks_uri": "` + up.URL + `/keys"}`))
	}))
	defer up.Close()
	p = New(Config{Issuer: up.URL, ClientID: "us", Callback: "https://mimic.qa.test:7400/sign-in/back"})
	begun := time.Now()
	address, err := p.Begin(t.Context(), "tab", begun)
	require.NoError(t, err)
	for _, part := range []string{up.URL + "/in?", "code_challenge_method=S256", "client_id=us", "nonce=", "redirect_uri=https%3A%2F%2Fmimic.qa.test"} {
		assert.Contains(t, address, part)
	}
	_, _, err = p.Finish(t.Context(), "made-up", "code", begun)
	assert.ErrorContains(t, err, "was not begun here")
	state := ""
	for state = range p.pending {
	}
	_, _, err = p.Finish(t.Context(), state, "code", begun.Add(pendingFor+time.Second))
	assert.ErrorContains(t, err, "took too long")
	_, _, err = p.Finish(t.Context(), state, "code", begun)
	assert.ErrorContains(t, err, "was not begun here", "once")
	_, err = p.Begin(t.Context(), "tab", begun)
	require.NoError(t, err)
	_, err = p.Begin(t.Context(), "tab", begun.Add(pendingFor+time.Second))
	require.NoError(t, err)
	assert.Len(t, p.pending, 1, "those who never came back are forgotten")
}
