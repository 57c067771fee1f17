package answer_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec"
)

// What a mapping says of a callback stands above what the contract has; the rest stays.
func TestCallbacks(t *testing.T) {
	scope := &expr.Scope{Call: map[string]any{"method": "POST", "path": map[string]any{"n": "7"}}}
	for name, k := range map[string]struct {
		written string
		want    call.Callback
	}{
		"nothing":         {`{ name: a }`, call.Callback{Target: "http://declared.example", Method: "PATCH", Header: call.Header{"Content-Type": {"text/x"}, "X-A": {"0"}}, Body: []byte("declared")}},
		"an address":      {`{ name: a, to: "http://a.example/${call.path.n}", method: PUT }`, call.Callback{Target: "http://a.example/7", Method: "PUT", Header: call.Header{"Content-Type": {"text/x"}, "X-A": {"0"}}, Body: []byte("declared")}},
		"a body":          {`{ name: a, json: { n: "${n}" } }`, call.Callback{Target: "http://declared.example", Method: "PATCH", Header: call.Header{"Content-Type": {"application/json"}, "X-A": {"0"}}, Body: []byte(`{"n":"n7"}`)}},
		"a fixed body":    {`{ name: a, text: x }`, call.Callback{Target: "http://declared.example", Method: "PATCH", Header: call.Header{"Content-Type": {"text/plain; charset=utf-8"}, "X-A": {"0"}}, Body: []byte("x")}},
		"several headers": {`{ name: a, headers: [{ x-a: "1" }, { X-A: "${n}" }, { Content-Type: text/y }] }`, call.Callback{Target: "http://declared.example", Method: "PATCH", Header: call.Header{"Content-Type": {"text/y"}, "X-A": {"1", "n7"}}, Body: []byte("declared")}},
	} {
		mappings, err := spec.ReadMappings([]byte(`{ id: a, call: { path: /a }, answer: { let: { n: "${'n' + call.path.n}" }, callbacks: ` + k.written + ` } }`))
		require.NoError(t, err, name)
		compiled, faults := answer.CompileCallbacks(mappings[0].Answer, "/answer", nil)
		require.Empty(t, faults, name)
		for range 2 { // others are given the same
			out := call.Callback{Target: "http://declared.example", Method: "PATCH", Header: call.Header{"Content-Type": {"text/x"}, "X-A": {"0"}}, Body: []byte("declared")}
			require.NoError(t, compiled[0].Make(&out, scope), name)
			assert.Equal(t, k.want, out, name)
		}
	}
	for written, want := range map[string]string{
		`{ to: "http://a/${call.query.x}" }`:             "to: ",
		`{ name: a, text: "${call.query.x}" }`:           "call.query.x",
		`{ name: a, headers: { X: "${call.query.x}" } }`: "header X: ",
	} {
		mappings, err := spec.ReadMappings([]byte(`{ id: a, call: { path: /a }, answer: { callbacks: ` + written + ` } }`))
		require.NoError(t, err)
		compiled, _ := answer.CompileCallbacks(mappings[0].Answer, "/answer", nil)
		assert.ErrorContains(t, compiled[0].Make(&call.Callback{Header: call.Header{}}, scope), want, written)
	}
	mappings, err := spec.ReadMappings([]byte(`{ id: a, call: { path: /a }, answer: { callbacks: [{ name: a }, { to: "${", text: "${nothing}" }, { name: b, payload: none.txt }] } }`))
	require.NoError(t, err)
	_, faults := answer.CompileCallbacks(mappings[0].Answer, "/answer", nil)
	var at []string
	for _, fault := range faults {
		at = append(at, fault.At)
	}
	assert.Equal(t, []string{"/answer/callbacks/1/to", "/answer/callbacks/1/text", "/answer/callbacks/2/payload"}, at)
}
