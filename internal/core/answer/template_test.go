package answer_test

import (
	"fmt"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec"
)

// rendered is what a mapping's answer comes to for a call with a query.
func rendered(t *testing.T, document string, query map[string]any) string {
	mappings, err := spec.ReadMappings([]byte("{call: {path: /x}, answer: " + document + "}"))
	require.NoError(t, err)
	fixed, template, faults := answer.Compile(mappings[0].Answer, "/answer", nil)
	require.Empty(t, faults)
	if template != nil {
		fixed, err = template.Render(&expr.Scope{Call: map[string]any{"query": query}, Base: "http://127.0.0.1:7401/moorings", Now: time.Unix(0, 0)})
		require.NoError(t, err)
	}
	text := ""
	for _, f := range fixed.Header {
		text += f.Name + ": " + f.Value + "\n"
	}
	return text + string(fixed.Body)
}

func TestWhatAnswersComeTo(t *testing.T) {
	for _, c := range []struct {
		name, document string
		query          map[string]any
		want           string
	}{
		{"fixed", `{json: {a: 1.10}}`, nil, "Content-Type: application/json\n{\"a\":1.10}"},
		{"a value keeps its kind", `{json: {a: "${call.query.n}", b: "n=${call.query.n}"}}`, map[string]any{"n": 7}, "Content-Type: application/json\n{\"a\":7,\"b\":\"n=7\"}"},
		{"a line break in a header", `{headers: [{X-Berth: "${call.query.n}"}]}`, map[string]any{"n": "N7\r\nSet-Cookie: a=b\x00"}, "X-Berth: N7  Set-Cookie: a=b \n"},
		{"a line break in a redirect", `{redirect: "/berths?n=${call.query.n}"}`, map[string]any{"n": "7\r\nX: y"}, "Location: http://127.0.0.1:7401/moorings/berths?n=7  X: y\n"},
		{"204 has no body", `{status: "${call.query.n}", json: {a: 1}}`, map[string]any{"n": 204}, ""},
		{"304 has no body", `{status: "${call.query.n}", text: x}`, map[string]any{"n": 304}, ""},
		{"other statuses have", `{status: "${call.query.n}", text: x}`, map[string]any{"n": 203}, "Content-Type: text/plain; charset=utf-8\nx"},
		{"XML is escaped", `{xml: "<n>${call.query.n}</n>"}`, map[string]any{"n": "<&>"}, "Content-Type: application/xml\n<n>&lt;&amp;&gt;</n>"},
	} {
		t.Run(c.name, func(t *testing.T) { assert.Equal(t, c.want, rendered(t, c.document, c.query)) })
	}
	for document, want := range map[string]string{
		`{status: 204, text: x}`:            "204",
		`{headers: [{X-A: "a\r\nX-B: b"}]}`: "line",
	} {
		_, err := spec.ReadMappings([]byte("{call: {path: /x}, answer: " + document + "}"))
		assert.ErrorContains(t, err, want, document)
	}
}

// What let names is worked out once, in its order, and kept as it is.
func TestNamedValues(t *testing.T) {
	mappings, err := spec.ReadMappings([]byte(`{call: {path: /x}, answer: {
		let: {nights: "${int(call.query.n)}", price: "${decimal('12.50') * nights}", number: "${counter('bills')}", plain: [1, 2]},
		headers: [{X-Bill: "${number}"}], json: {nights: "${nights}", price: "${price}", again: "no ${number}, ${plain.sum()}"}}}`))
	require.NoError(t, err)
	_, template, faults := answer.Compile(mappings[0].Answer, "/answer", nil)
	require.Empty(t, faults)
	counted := int64(0)
	scope := &expr.Scope{Call: map[string]any{"query": map[string]any{"n": "3"}}, Count: func(string) int64 { counted++; return counted }}
	for want := range 2 {
		built, err := template.Render(scope)
		require.NoError(t, err)
		assert.Equal(t, fmt.Sprintf(`{"nights":3,"price":37.50,"again":"no %d, 3"}`, want+1), string(built.Body))
		assert.Equal(t, strconv.Itoa(want+1), built.Header[0].Value)
	}
	assert.Nil(t, scope.Let, "what one call names is not there for another")
	scope.Call["query"] = map[string]any{"n": "x"}
	_, err = template.Render(scope)
	assert.ErrorContains(t, err, "let nights: ")

	for document, want := range map[string]string{
		`{let: {a: "${b}", b: 1}, text: x}`:       "/answer/let/a expression \"b\", character 1: undeclared reference to 'b'",
		`{let: {a: 1}, text: "${aa}"}`:            "/answer/text expression \"aa\", character 1: undeclared reference to 'aa'",
		`{let: {a: 1}, text: "${[1].map(a, a)}"}`: "/answer/text expression \"[1].map(a, a)\": a is named by let",
		`{let: {call: 1}, text: x}`:               "no word of expressions, not \"call\"",
		`{let: {"a b": 1}, text: x}`:              "beginning with a letter",
		`{let: [1], text: x}`:                     "let must be an object",
		`{let: {a: 1}, example: free}`:            "let belongs to an answer that has expressions",
	} {
		mappings, err := spec.ReadMappings([]byte("{call: {path: /x}, answer: " + document + "}"))
		if err != nil {
			assert.ErrorContains(t, err, want, document)
			continue
		}
		_, _, faults := answer.Compile(mappings[0].Answer, "/answer", nil)
		require.NotEmpty(t, faults, document)
		assert.Contains(t, faults[0].At+" "+faults[0].Detail, want, document)
	}
}

func TestPayloadsAsText(t *testing.T) {
	payloads := answer.Payloads{"key.pem": {Name: "key.pem", Bytes: []byte("secret")}, "a.png": {Name: "a.png", Bytes: []byte{0xff, 0xfe}}}
	text, err := payloads.Text("key.pem")
	require.NoError(t, err)
	assert.Equal(t, "secret", text)
	_, err = payloads.Text("kye.pem")
	assert.ErrorContains(t, err, "(key.pem?)")
	content, err := payloads.Content("a.png")
	require.NoError(t, err)
	assert.Equal(t, []byte{0xff, 0xfe}, content)
	_, err = payloads.Text("a.png")
	assert.ErrorContains(t, err, "is no text")
}
