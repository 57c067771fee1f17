package openapi_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/openapi"
)

// calls tells what is called: "name METHOD address".
func calls(all []*contract.Callback) (lines []string) {
	for _, c := range all {
		lines = append(lines, strings.TrimSpace(c.Name+" "+c.Operation.Method+" "+c.Address))
	}
	return lines
}

// What a contract has its service call is read wherever it stands, and what cannot be is told of.
func TestReadCallbacks(t *testing.T) {
	c, err := openapi.Read([]byte(`
openapi: 3.1.0
info: { title: a, version: "1" }
security: [{ key: [] }]
paths:
  /a:
    post:
      responses: { "200": { description: ok } }
      callbacks:
        x-note: { "http://ignored.example": { post: {} } }
        one: { "{$url}": { post: { summary: One, deprecated: true, requestBody: { content: { application/json: { schema: { type: object } } } } }, x-more: 1 }, x-note: 1 }
        shared: { $ref: "#/components/callbacks/shared" }
        gone: { $ref: "#/components/callbacks/gone" }
        lost: { "http://lost.example": { $ref: "#/components/pathItems/none" } }
  /b: { get: { responses: { "200": { description: ok } } } }
webhooks:
  freed: { $ref: "#/components/pathItems/freed" }
components:
  securitySchemes: { key: { type: apiKey, in: header, name: X-Key } }
  pathItems: { freed: { parameters: [{ name: X-Berth, in: header, required: true, schema: { const: N7 } }], put: {}, patch: {} } }
  callbacks: { shared: { "http://a.example": { post: {} }, "http://b.example": { post: {} } } }
`))
	require.NoError(t, err)
	op := c.Operations[0]
	assert.Equal(t, []string{"one POST {$url}", "shared POST http://a.example", "shared POST http://b.example"}, calls(op.Callbacks))
	assert.Equal(t, []string{"freed-put PUT", "freed-patch PATCH"}, calls(c.Webhooks))
	assert.Equal(t, 3, c.Callbacks)
	assert.Empty(t, c.Operations[1].Callbacks)
	one := op.Callback("one").Operation
	assert.Equal(t, []any{"One", true, "application/json"}, []any{one.Summary, one.Deprecated, one.Body.MediaTypes[0].Name})
	assert.Empty(t, one.Security, "made-up credentials are not sent to others")
	assert.Equal(t, "X-Berth", c.Webhook("freed-put").Operation.Parameters[0].Name)
	var warnings []string
	for _, w := range c.Warnings {
		warnings = append(warnings, w.Detail)
	}
	assert.Contains(t, fmt.Sprint(warnings), "callback gone: ")
	assert.Contains(t, fmt.Sprint(warnings), "callback lost: ")
}

// Tokens come from where the contract says, whatever the host, below the base path or not.
func TestReadSignIn(t *testing.T) {
	const oauth, keys = "/.well-known/oauth-authorization-server metadata", "/.well-known/jwks.json keys"
	for name, k := range map[string]struct {
		schemes string
		want    []string
		scopes  []string
	}{
		"none":               {`{ key: { type: apiKey, in: header, name: X-Key } }`, nil, nil},
		"below the base":     {`{ a: { type: oauth2, flows: { clientCredentials: { tokenUrl: "https://office.example/api/v2/oauth/token", scopes: { read: Read, write: Write } } } } }`, []string{"/oauth/token token", oauth, keys}, []string{"read", "write"}},
		"elsewhere":          {`{ a: { type: oauth2, flows: { password: { tokenUrl: "https://login.example/api/token", refreshUrl: "/again/", scopes: {} } } } }`, []string{"/token token", "/again token", oauth, keys}, nil},
		"at the base itself": {`{ a: { type: oauth2, flows: { password: { tokenUrl: "https://office.example/api/v2", scopes: {} } } } }`, []string{"/v2 token", oauth, keys}, nil},
		"twice the same":     {`{ a: { type: oauth2, flows: { password: { tokenUrl: /t, scopes: { read: R } }, clientCredentials: { tokenUrl: /t, scopes: { read: R } } } } }`, []string{"/t token", oauth, keys}, []string{"read"}},
		"a page alone":       {`{ a: { type: oauth2, flows: { implicit: { authorizationUrl: /page, scopes: {} } } } }`, nil, nil},
		"the root":           {`{ a: { type: oauth2, flows: { password: { tokenUrl: "https://login.example/", scopes: {} } } } }`, nil, nil},
		"no address":         {`{ a: { type: oauth2, flows: { password: { tokenUrl: "http://[", scopes: {} } } } }`, nil, nil},
		"OpenID Connect":     {`{ a: { type: openIdConnect, openIdConnectUrl: "https://login.example/realm/.well-known/openid-configuration" } }`, []string{"/realm/.well-known/openid-configuration metadata of /realm", "/realm/token token of /realm", "/realm/.well-known/jwks.json keys of /realm"}, nil},
		"another discovery":  {`{ a: { type: openIdConnect, openIdConnectUrl: "https://login.example/discovery" } }`, nil, nil},
		"by reference":       {`{ a: { $ref: "#/components/securitySchemes/b" }, b: { type: oauth2, flows: { password: { tokenUrl: /t, scopes: {} } } }, c: { $ref: "#/nowhere" } }`, []string{"/t token", oauth, keys}, nil},
	} {
		c, err := openapi.Read([]byte(`
openapi: 3.0.3
info: { title: a, version: "1" }
servers: [{ url: https://office.example/api }, { url: https://office.example/api/v2 }]
paths: { /a: { get: { responses: { "200": { description: ok } } } } }
components: { securitySchemes: ` + k.schemes + ` }`))
		require.NoError(t, err, name)
		var got []string
		for _, s := range c.SignIn {
			line := s.Path + " " + string(s.Kind)
			if s.Issuer != "" {
				line += " of " + s.Issuer
			}
			got = append(got, line)
		}
		assert.Equal(t, k.want, got, name)
		assert.Equal(t, k.scopes, c.Scopes, name)
	}
	old, err := openapi.Read([]byte(`{ swagger: "2.0", info: { title: a, version: "1" }, basePath: /api, paths: { /a: { get: { responses: { 200: { description: ok } } } } }, securityDefinitions: { a: { type: oauth2, flow: application, tokenUrl: "https://office.example/api/token", scopes: { read: Read } } } }`))
	require.NoError(t, err)
	assert.Equal(t, "/token", old.SignInOf("")[contract.SignInToken])
	assert.Equal(t, []string{"read"}, old.Scopes)
	assert.Empty(t, old.SignInOf("/realm"))
}
