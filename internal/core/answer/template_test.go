package answer_test

import (
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
