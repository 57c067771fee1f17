package catalog_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

const calling = `
openapi: 3.1.0
info: { title: a, version: "1" }
paths:
  /orders:
    post: { operationId: order, responses: { "202": { description: ok } }, callbacks: { aboard: { "{$url}": { post: {} } } } }
    get: { operationId: list, responses: { "200": { description: ok } } }
components: { securitySchemes: { a: { type: oauth2, flows: { password: { tokenUrl: /token, scopes: {} } } } } }
`

// A mapping names callbacks that its operation declares, or where it names no operation, any.
func TestMappingsNameCallbacksOfTheContract(t *testing.T) {
	c, _ := open(t)
	_, err := c.Import(t.Context(), catalog.Import{Text: []byte(calling), File: "pilotage.yaml"})
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), spec.NewService("bare"))
	require.NoError(t, err)
	put := func(service, call, callbacks string) error {
		mappings, err := spec.ReadMappings([]byte("{ id: a, call: " + call + ", answer: { text: a, callbacks: " + callbacks + " } }"))
		require.NoError(t, err)
		_, _, err = c.PutMappings(t.Context(), service, mappings)
		return err
	}
	require.NoError(t, put("pilotage", "{ operation: order }", "{ name: aboard }"))
	require.NoError(t, put("pilotage", "{ path: /other }", "[{ name: aboard }, { to: 'http://quay.example' }]"))
	assert.ErrorContains(t, put("pilotage", "{ operation: order }", "{ name: abord }"), `callback "abord" not found (aboard?)`)
	err = put("pilotage", "{ operation: list }", "[{ to: 'http://quay.example' }, { name: aboard }]")
	assert.ErrorContains(t, err, "/answer/callbacks/1/name")
	assert.ErrorContains(t, put("bare", "{ path: /a }", "{ name: aboard }"), `callback "aboard" not found`)
	require.NoError(t, put("bare", "{ path: /a }", "{ to: 'http://quay.example' }"))
	m, err := c.FindMapping("bare", "a")
	require.NoError(t, err)
	assert.False(t, m.Fixed(), "its answer has something behind it")

	assert.True(t, c.Snapshot().Named("pilotage").GivesTokens())
	assert.False(t, c.Snapshot().Named("bare").GivesTokens())
}
