package expr_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec/tree"
)

// What an expression gives that is a look-up, or a constant, is what the interpreter gives; also where it
// fails.
func TestLookupsGiveWhatTheInterpreterGives(t *testing.T) {
	body, err := tree.ParseJSON([]byte(`{"n": 3, "f": 18.0, "e": 1e3, "big": 9007199254740993, "s": "x", "b": true, "z": null, "o": {"k": {"v": "deep"}, "list": [1, {"a": 2}]}, "empty": {}}`))
	require.NoError(t, err)
	for _, text := range []string{
		"call.method", "call.path.number", "call.path.none", "call.path", "call.none", "call.method.x", "call.query.a", "call.query.none", "call.headers",
		"call.body", "call.body.n", "call.body.f", "call.body.e", "call.body.big", "call.body.s", "call.body.b", "call.body.z", "call.body.z.x", "call.body.o.k.v", "call.body.o.list",
		"call.body.o.list.a", "call.body.empty", "call.body.none", "call.body.o.k.v.w", "has(call.body.n)", "has(call.body.none)", "vars.text", "vars.number", "vars.object.a", "vars.none", "vars.nothing",
		"1 + 23.5", "'a' + 'b'", "[1, 2]", "{'a': 1}", "1 / 0", "18.0", "true && false", "null",
	} {
		scope := func() *expr.Scope {
			return &expr.Scope{
				Call: map[string]any{"method": "GET", "path": map[string]any{"number": "N7"}, "query": map[string]any{"a": "1"}, "headers": map[string]any{"accept": "*/*"}, "body": expr.Value(body)},
				Vars: map[string]any{"text": "a", "number": 7, "object": map[string]any{"a": int64(1)}, "nothing": nil},
			}
		}
		quick, err := expr.Compile(text)
		require.NoError(t, err, text)
		wrapped := "[" + text + "][call.method == 'GET' ? 0 : 1]"
		slow, err := expr.Compile(wrapped)
		require.NoError(t, err, text)
		got, failed := quick.Run(scope())
		want, wantFailed := slow.Run(scope())
		if wantFailed != nil {
			require.Error(t, failed, text)
			assert.Equal(t, strings.Replace(wantFailed.Error(), wrapped, text, 1), failed.Error())
			continue
		}
		require.NoError(t, failed, text)
		assert.Equal(t, string(want.AppendJSON(nil)), string(got.AppendJSON(nil)), text)
	}
}

// Both take from the budget of the call as the interpreter does.
func TestLookupsHaveABudget(t *testing.T) {
	for _, text := range []string{"call.method", "1 + 2"} {
		p, err := expr.Compile(text)
		require.NoError(t, err)
		left := budget.New(t.Context(), nil, nil)
		s := &expr.Scope{Call: map[string]any{"method": "GET"}, Budget: &left}
		runs := 0
		for err == nil && runs < budget.MaxSteps {
			_, err = p.Run(s)
			runs++
		}
		assert.Error(t, err, text)
	}
}

func BenchmarkExpressions(b *testing.B) {
	for _, text := range []string{"call.path.number", "1 + 23.5", "call.path.number + '!'"} {
		p, err := expr.Compile(text)
		require.NoError(b, err)
		b.Run(text, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				s := expr.Scope{Call: map[string]any{"path": map[string]any{"number": "N7"}}}
				if _, err := p.Run(&s); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
