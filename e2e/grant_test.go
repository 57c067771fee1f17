package e2e

import (
	"context"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/coreos/go-oidc/v3/oidc"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/oauth2"
	"golang.org/x/oauth2/clientcredentials"

	"rapidmimic.example/client"
	"rapidmimic.example/internal/config"
)

const guarded = `
openapi: 3.0.3
info: { title: Guarded, version: "1" }
servers: [{ url: https://office.example/api }]
security: [{ login: [read] }]
paths:
  /berths: { get: { operationId: list, responses: { "200": { description: ok }, "401": { description: no } } } }
components:
  securitySchemes:
    login: { type: oauth2, flows: { clientCredentials: { tokenUrl: https://office.example/api/oauth/token, scopes: { read: Read } } } }
    people: { type: openIdConnect, openIdConnectUrl: https://login.example/realm/.well-known/openid-configuration }
`

// Clients that others wrote sign in where the contract says so, without a mapping; their tokens hold over
// a restart, and are seen by nobody.
func TestClientsSignIn(t *testing.T) {
	t.Parallel()
	cfg := config.Config{Data: t.TempDir()}
	s := start(t, cfg)
	_, err := s.api.Import(t.Context(), client.Import{Text: []byte(guarded), File: "guarded.yaml"})
	require.NoError(t, err)
	_, err = s.api.PatchService(t.Context(), "guarded", []byte(`{"security": "refuse"}`))
	require.NoError(t, err)
	assert.Regexp(t, "^401 ", s.says("GET /guarded/berths"))

	machine := clientcredentials.Config{ClientID: "quay", ClientSecret: "hush-hush-quay", TokenURL: s.traffic + "/guarded/oauth/token", Scopes: []string{"read"}}
	resp, err := machine.Client(t.Context()).Get(s.traffic + "/guarded/berths")
	require.NoError(t, err)
	_ = resp.Body.Close()
	assert.Equal(t, http.StatusOK, resp.StatusCode)
	machine.Scopes = []string{"sail"}
	_, err = machine.Token(t.Context())
	assert.ErrorContains(t, err, "invalid_scope")

	provider, err := oidc.NewProvider(t.Context(), s.traffic+"/guarded/realm")
	require.NoError(t, err)
	people := oauth2.Config{ClientID: "board", Endpoint: provider.Endpoint(), Scopes: []string{"openid"}}
	token, err := people.PasswordCredentialsToken(t.Context(), "ida", "a password of ida")
	require.NoError(t, err)
	verified, err := provider.Verifier(&oidc.Config{ClientID: "board"}).Verify(t.Context(), token.Extra("id_token").(string))
	require.NoError(t, err)
	assert.Equal(t, "ida", verified.Subject)

	calls, err := s.api.Calls(t.Context(), client.CallQuery{Text: "path:/realm/token"})
	require.NoError(t, err)
	require.NotEmpty(t, calls.Items)
	told, err := s.api.Call(t.Context(), calls.Items[0].ID)
	require.NoError(t, err)
	assert.NotContains(t, told.Request.Body+told.Answer.Body, "password+of+ida")
	assert.NotContains(t, told.Answer.Body, token.AccessToken)
	assert.NotContains(t, told.Answer.Body, token.RefreshToken)
	s.stop()
	database, err := os.ReadFile(filepath.Join(cfg.Data, "environment.db"))
	require.NoError(t, err)
	assert.NotContains(t, string(database), strings.Split(token.AccessToken, ".")[2])

	s = start(t, cfg)
	again := people
	again.Endpoint.TokenURL = s.traffic + "/guarded/realm/token"
	next, err := again.TokenSource(context.Background(), &oauth2.Token{RefreshToken: token.RefreshToken}).Token()
	require.NoError(t, err)
	assert.NotEqual(t, token.AccessToken, next.AccessToken)
}
