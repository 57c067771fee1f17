package contract_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// Runtime expressions take their values from the call and its answer.
func TestRuntimeExpressions(t *testing.T) {
	exchange := &contract.Exchange{
		Request: &call.Request{Method: "POST", Query: "tell=http%3A%2F%2Fa.example%2Fx&empty=", Header: call.Header{"X-Tell": {"http://b.example"}}},
		URL:     "http://mimic.example/pilotage/orders?tell=x", Path: map[string]string{"number": "P-7"},
		Body: func() *tree.Node {
			return value(t, `{"tell":"http://c.example","deep":[{"n":7}],"none":null,"a/b":"slash"}`)
		},
		Answer:     &call.Answer{Status: 202, Header: []call.Field{{Name: "Location", Value: "/orders/P-7"}}},
		AnswerBody: func() *tree.Node { return value(t, `{"number":"P-9"}`) },
	}
	for expression, want := range map[string]string{
		"$request.body#/tell":                             "http://c.example",
		"{$request.body#/tell}":                           "http://c.example",
		"{$request.query.tell}/done":                      "http://a.example/x/done",
		"{$request.header.x-tell}/{$request.path.number}": "http://b.example/P-7",
		"http://d.example/{$request.body#/deep/0/n}":      "http://d.example/7",
		"http://d.example/{$request.body#/a~1b}":          "http://d.example/slash",
		"http://d.example?of={$response.body#/number}":    "http://d.example?of=P-9",
		"http://d.example{$response.header.location}":     "http://d.example/orders/P-7",
		"http://d.example/{$statusCode}/{$method}":        "http://d.example/202/POST",
		"$url":                         "http://mimic.example/pilotage/orders?tell=x",
		"http://d.example/{id}":        "http://d.example/{id}",
		"http://d.example/fixed":       "http://d.example/fixed",
		"{$request.query.empty}/there": "/there",
	} {
		got, err := exchange.Fill(expression)
		require.NoError(t, err, expression)
		assert.Equal(t, want, got, expression)
	}
	for _, expression := range []string{"$request.body#/missing", "{$request.body#/none}", "http://a/{$request.query.missing}", "http://a/{$request.path.x}", "http://a/{$unknown}", "http://a/{$request.body#/tell"} {
		_, err := exchange.Fill(expression)
		assert.ErrorContains(t, err, "has no value in this call", expression)
	}
	exchange.Answer = nil
	_, err := exchange.Fill("{$statusCode}")
	assert.Error(t, err, "a webhook has no answer")
}

const calling = `
openapi: 3.1.0
info: { title: a, version: "1" }
paths:
  /orders:
    post:
      operationId: order
      responses: { "202": { description: taken } }
      callbacks:
        aboard:
          "{$request.body#/tell}/{ship}":
            parameters: [{ name: ship, in: path, required: true, schema: { const: ness } }, { name: at, in: query, required: true, schema: { const: noon } }]
            put:
              requestBody:
                content: { application/json: { schema: { type: object, required: [number, state], properties: { number: { type: string, maxLength: 5 }, state: { enum: [aboard] } } } } }
              responses: { "204": { description: ok } }
        both:
          $ref: "#/components/callbacks/both"
webhooks:
  closed:
    post:
      summary: The fairway is closed
      requestBody: { content: { application/json: { example: { number: W1, until: noon } } } }
      responses: { "204": { description: ok } }
components:
  callbacks:
    both:
      "http://tell.example":
        post: { responses: { "204": { description: ok } } }
        delete: { responses: { "204": { description: ok } } }
`

// A contract may call others and answer nothing; documents before 3.1 have webhooks as an extension. One
// that says nothing at all is refused as ever.
func TestContractsOfWebhooksAlone(t *testing.T) {
	for _, head := range []string{"openapi: 3.1.0\nwebhooks:", "openapi: 3.0.3\npaths: {}\nx-webhooks:"} {
		c, err := openapi.Read([]byte(head + "\n  freed: { post: { summary: free, responses: { \"204\": { description: ok } } } }\n  x-note: 1\ninfo: { title: a, version: \"1\" }\n"))
		require.NoError(t, err, head)
		require.Len(t, c.Webhooks, 1)
		assert.Equal(t, "free", c.Webhook("freed").Operation.Summary)
		assert.Empty(t, c.Operations)
	}
	_, err := openapi.Read([]byte("openapi: 3.1.0\ninfo: { title: a, version: \"1\" }\nwebhooks: {}"))
	assert.ErrorContains(t, err, "has no paths")
	c, err := openapi.Read([]byte(strings.Replace(calling, `$ref: "#/components/callbacks/both"`, `$ref: "#/components/callbacks/none"`, 1)))
	require.NoError(t, err)
	require.Len(t, c.Warnings, 1)
	assert.Contains(t, c.Warnings[0].Detail, "callback both:")
}

// What a contract calls has the address that is given, its parameters, and the values of the call that
// caused it where its body has places for them.
func TestDrawCallback(t *testing.T) {
	c, err := openapi.Read([]byte(calling))
	require.NoError(t, err)
	assert.Equal(t, 3, c.Callbacks)
	op := c.Operations[0]
	var names []string
	for _, callback := range op.Callbacks {
		names = append(names, callback.Name)
	}
	assert.Equal(t, []string{"aboard", "both-post", "both-delete"}, names)
	assert.Nil(t, op.Callback("absent"))
	assert.Equal(t, "http://tell.example", op.Callback("both-delete").Address)

	target, sent := op.Callback("aboard").Draw("http://tell.example/{ship}", sample.NewDraw(1, "a", 0), value(t, `{"number":"P-7","state":"late"}`))
	assert.Equal(t, "http://tell.example/ness?at=noon", target)
	assert.Equal(t, "PUT", sent.Method)
	assert.JSONEq(t, `{"number":"P-7","state":"aboard"}`, string(sent.Body.Bytes), "what would break the schema stays as drawn")
	target, _ = op.Callback("aboard").Draw("http://tell.example/?a=b", sample.NewDraw(1, "a", 0))
	assert.Equal(t, "http://tell.example/?a=b&at=noon", target)

	_, sent = c.Webhook("closed").Draw("", sample.NewDraw(1, "a", 0), nil, value(t, `{"number":"W2"}`))
	assert.JSONEq(t, `{"number":"W2","until":"noon"}`, string(sent.Body.Bytes), "an example takes the values, too")
	assert.Equal(t, []string{"application/json"}, sent.Header["Content-Type"])
	assert.Nil(t, c.Webhook("aboard"), "a callback is no webhook")
}

func value(t *testing.T, text string) *tree.Node {
	if text == "" {
		return nil
	}
	n, err := tree.ParseJSON([]byte(text))
	require.NoError(t, err)
	return n
}
