package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

// Calls without the credentials that a contract demands are told of, or refused as the contract says.
func TestCredentials(t *testing.T) {
	c, e := harbour(t, "")
	_, err := c.Import(t.Context(), catalog.Import{Name: "gate", Text: []byte(`
openapi: 3.0.0
info: {title: gate, version: "1"}
security: [{token: []}]
paths:
  /own: {get: {operationId: own, responses: {200: {description: x}, 401: {description: no, content: {application/json: {example: {title: Who are you}}}}}}}
  /forbidden: {get: {operationId: forbidden, responses: {200: {description: x}, 403: {description: no, content: {application/json: {example: {title: Not you}}}}}}}
  /default: {get: {operationId: default, responses: {200: {description: x}, default: {description: no, content: {application/json: {example: {title: No}}}}}}}
  /none: {get: {operationId: none, responses: {200: {description: x}}}}
  /any: {get: {operationId: any, responses: {default: {description: all there is, content: {application/json: {example: {title: Fine}}}}}}}
  /class: {get: {operationId: class, responses: {200: {description: x}, 4XX: {description: no, content: {application/json: {example: {title: Try}}}}}}}
  /open: {get: {operationId: open, security: [], responses: {200: {description: x}}}}
components: {securitySchemes: {token: {type: http, scheme: bearer}, key: {type: apiKey, in: query, name: berth}}}`)})
	require.NoError(t, err)
	placed := &call.Request{Method: "GET", Address: "/gate/own"}
	e.Place(t.Context(), placed)
	assert.Equal(t, []call.Key{{In: "query", Name: "berth"}}, placed.Keys, "they are secrets")
	set := func(security string) {
		s := c.Snapshot().Named("gate").Spec
		s.Security = security
		_, _, err := c.PutService(t.Context(), "gate", s, "")
		require.NoError(t, err)
	}
	checked := func(path string) (where []string) {
		r := &call.Record{Service: "gate", Source: call.FromContract, Request: call.Request{Method: "GET", Path: path}, Answer: call.Answer{Status: 200}}
		_, found, err := e.Check(t.Context(), r)
		require.NoError(t, err)
		for _, d := range found {
			where = append(where, d.Where+": "+d.Detail)
		}
		return where
	}
	for _, security := range []string{"", spec.SecurityReport} {
		set(security)
		assert.Equal(t, 200, ask(e, "GET /gate/own").Answer.Status)
		assert.Equal(t, []string{"security: a bearer token is missing"}, checked("/own"))
		assert.Empty(t, checked("/open"))
	}
	set(spec.SecurityOff)
	assert.Empty(t, checked("/own"))
	set(spec.SecurityRefuse)
	for path, k := range map[string]struct {
		status    int
		body, by  string
		challenge string
	}{
		"/own":       {401, `{"title":"Who are you"}`, "own, security", "Bearer"},
		"/forbidden": {403, `{"title":"Not you"}`, "forbidden, security", ""},
		"/default":   {401, `{"title":"No"}`, "default, security", "Bearer"},
		"/none":      {401, "The contract demands credentials: a bearer token is missing.", "security", "Bearer"},
		"/any":       {401, "The contract demands credentials: a bearer token is missing.", "security", "Bearer"},
		"/class":     {401, `{"title":"Try"}`, "class, security", "Bearer"},
		"/open":      {200, "", "open", ""},
	} {
		d := ask(e, "GET /gate"+path)
		assert.Equal(t, k.status, d.Answer.Status, path)
		assert.Contains(t, string(d.Answer.Body), k.body, path)
		assert.Equal(t, k.by, d.By, path)
		assert.Equal(t, k.challenge, d.Answer.Get("WWW-Authenticate"), path)
		assert.Equal(t, 200, ask(e, "GET /gate"+path, "Authorization: Bearer abc").Answer.Status, path)
	}
	assert.Contains(t, ask(e, "GET /gate/own").Explanation.Summary.String(), "The contract demands credentials, and the service refuses calls without them: a bearer token is missing.")
}
