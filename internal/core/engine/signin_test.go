package engine_test

import (
	"crypto/rand"
	"crypto/rsa"
	"encoding/json"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/internal/core/grant"
	"rapidmimic.example/spec"
)

const guarded = `
openapi: 3.0.3
info: { title: Guarded, version: "1" }
servers: [{ url: https://office.example/api }]
paths:
  /berths: { get: { operationId: list, security: [{ login: [read] }], responses: { "200": { description: ok } } } }
  /own/token: { post: { operationId: own, responses: { "204": { description: ok } } } }
components:
  securitySchemes:
    login: { type: oauth2, flows: { clientCredentials: { tokenUrl: https://office.example/api/oauth/token, scopes: { read: Read } }, password: { tokenUrl: /own/token, scopes: {} } } }
    people: { type: openIdConnect, openIdConnectUrl: https://login.example/realm/.well-known/openid-configuration }
`

// Where the contract says that tokens come from, they do, unless a mapping or an operation is there.
func TestSignIn(t *testing.T) {
	c, err := catalog.Open(t.Context(), nowhere{})
	require.NoError(t, err)
	_, err = c.Import(t.Context(), catalog.Import{Text: []byte(guarded), File: "guarded.yaml"})
	require.NoError(t, err)
	mappings, err := spec.ReadMappings([]byte(`{ id: keys, call: { path: /realm/.well-known/jwks.json }, answer: { json: { keys: [] } } }`))
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "guarded", mappings)
	require.NoError(t, err)
	private, err := rsa.GenerateKey(rand.Reader, 2048)
	require.NoError(t, err)
	config := engine.Config{Definitions: c, State: &engine.Memory{}, Control: "http://127.0.0.1:7400", RunSeed: 1, Now: time.Now, SigningKey: func() (*grant.Key, error) { return grant.NewKey(private), nil }}
	e := engine.New(config)
	at := func(e *engine.Engine, line string) *engine.Decision {
		r := request(line, "", "grant_type=client_credentials&client_id=board")
		r.Host, r.Header["Content-Type"] = "mimic.example", []string{"application/x-www-form-urlencoded"}
		placed := e.Place(t.Context(), r)
		assert.Equal(t, strings.HasPrefix(line, "POST") && strings.HasSuffix(line, "/token"), placed.NeedsBody(), line)
		return e.Decide(placed, r)
	}
	for line, want := range map[string]struct {
		status         int
		by, body, says string
	}{
		"POST /guarded/oauth/token":                           {200, "token", `"token_type":"Bearer"`, `A token was given for "board" (client_credentials).`},
		"POST /guarded/api/oauth/token":                       {200, "token", `"token_type":"Bearer"`, "it has programs get tokens at /oauth/token"},
		"POST /guarded/realm/token":                           {200, "token", `"token_type":"Bearer"`, "at /realm/token"},
		"GET /guarded/realm/.well-known/openid-configuration": {200, "metadata", `"issuer":"http://mimic.example/guarded/realm","token_endpoint":"http://mimic.example/guarded/realm/token","jwks_uri":"http://mimic.example/guarded/realm/.well-known/jwks.json"`, "The call asked where tokens come from."},
		"GET /guarded/.well-known/oauth-authorization-server": {200, "metadata", `"issuer":"http://mimic.example/guarded","token_endpoint":"http://mimic.example/guarded/oauth/token"`, ""},
		"GET /guarded/.well-known/jwks.json":                  {200, "keys", `"kty":"RSA"`, "The call asked for the keys"},
		"GET /guarded/realm/.well-known/jwks.json":            {200, "keys", `{"keys":[]}`, `mapping "keys"`},
		"POST /guarded/own/token":                             {204, "own", "", ""},
		"GET /guarded/oauth/token":                            {404, "", "", ""},
		"PUT /guarded/oauth/token":                            {404, "", "", ""},
		"POST /guarded/.well-known/jwks.json":                 {404, "", "", ""},
		"GET /guarded/.well-known/openid-configuration":       {404, "", "", ""},
	} {
		d := at(e, line)
		assert.Equal(t, want.status, d.Answer.Status, line)
		assert.Contains(t, d.By, want.by, line)
		assert.Contains(t, string(d.Answer.Body), want.body, line)
		assert.Contains(t, d.Explanation.Summary.String()+stepsOf(d), want.says, line)
	}
	d := ask(e, "POST /guarded/oauth/token", "Content-Type: application/x-www-form-urlencoded")
	assert.Equal(t, []any{401, "Basic", call.FromContract}, []any{d.Answer.Status, d.Answer.Get("WWW-Authenticate"), d.Source})

	var given struct {
		Token string `json:"access_token"`
	}
	require.NoError(t, json.Unmarshal(at(e, "POST /guarded/oauth/token").Answer.Body, &given))
	s := c.Snapshot().Named("guarded").Spec
	s.Security = spec.SecurityRefuse
	_, _, err = c.PutService(t.Context(), "guarded", s, "")
	require.NoError(t, err)
	later := config
	later.Now = func() time.Time { return time.Now().Add(2 * time.Hour) }
	for name, k := range map[string]struct {
		e      *engine.Engine
		status int
		says   string
	}{
		"a token that was given here": {e, 200, ""},
		"two hours later":             {engine.New(later), 401, "a bearer token expired at "},
	} {
		d := ask(k.e, "GET /guarded/berths", "Authorization: Bearer "+given.Token)
		assert.Equal(t, k.status, d.Answer.Status, name)
		assert.Contains(t, string(d.Answer.Body), k.says, name)
	}
	s.Otherwise = []spec.Way{{Name: spec.OtherwiseMiss}}
	_, _, err = c.PutService(t.Context(), "guarded", s, "")
	require.NoError(t, err)
	assert.Equal(t, 404, at(e, "POST /guarded/oauth/token").Answer.Status, "the contract does not answer")
	s.Otherwise = nil
	_, _, err = c.PutService(t.Context(), "guarded", s, "")
	require.NoError(t, err)
	config.SigningKey = func() (*grant.Key, error) { return nil, errors.New("the key is gone") }
	d = at(engine.New(config), "POST /guarded/oauth/token")
	assert.Equal(t, 500, d.Answer.Status)
	assert.Contains(t, string(d.Answer.Body), "the key is gone")
	config.SigningKey = nil
	assert.Equal(t, 404, at(engine.New(config), "POST /guarded/oauth/token").Answer.Status)
}
