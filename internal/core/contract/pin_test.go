package contract_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec/tree"
)

func parsed(t *testing.T, text string) *tree.Node {
	n, err := tree.Parse([]byte(text))
	require.NoError(t, err)
	return n
}

func TestPins(t *testing.T) {
	for name, c := range map[string]struct{ pins, body, want, applied string }{
		"a field":           {`{"/a": 1}`, `{"a": 2, "b": 3}`, `{"a":1,"b":3}`, "/a"},
		"deeper":            {`{"/a/b~1c": "x"}`, `{"a": {"b/c": null}}`, `{"a":{"b/c":"x"}}`, "/a/b~1c"},
		"left out":          {`{"/until": "x"}`, `{"a": 2}`, `{"a":2,"until":"x"}`, "/until"},
		"every element":     {`{"/*/n": 0}`, `[{"n": 1}, {"n": 2}]`, `[{"n":0},{"n":0}]`, "/*/n"},
		"one element":       {`{"/1": 0}`, `[1, 2, 3]`, `[1,0,3]`, "/1"},
		"every member":      {`{"/*/n": 0}`, `{"a": {"n": 1}, "b": {"n": 2}}`, `{"a":{"n":0},"b":{"n":0}}`, "/*/n"},
		"no such object":    {`{"/a/b": 0}`, `{"c": 1}`, `{"c":1}`, ""},
		"no such element":   {`{"/5": 0}`, `[1]`, `[1]`, ""},
		"nothing to be in":  {`{"/a": 0}`, `"text"`, `"text"`, ""},
		"an expression":     {`{"/a": "${call.path.number}", "/b": {"c": "${1 + 1}"}}`, `{"a": 2, "b": 3}`, `{"a":"N7","b":{"c":2}}`, "/a /b"},
		"a list as a whole": {`{"/a": [1, 2]}`, `{"a": []}`, `{"a":[1,2]}`, "/a"},
	} {
		t.Run(name, func(t *testing.T) {
			values := make(map[string]*tree.Node)
			for _, m := range parsed(t, c.pins).Members {
				values[m.Key] = m.Value
			}
			pins, faults := contract.CompilePins(values)
			require.Empty(t, faults)
			body := parsed(t, c.body)
			before := string(body.AppendJSON(nil))
			got, applied, err := contract.Apply(pins, body, &expr.Scope{Call: map[string]any{"path": map[string]any{"number": "N7"}}})
			require.NoError(t, err)
			assert.Equal(t, c.want, string(got.AppendJSON(nil)))
			text := ""
			for _, a := range applied {
				if text != "" {
					text += " "
				}
				text += a
			}
			assert.Equal(t, c.applied, text)
			assert.Equal(t, before, string(body.AppendJSON(nil)), "the body itself is shared")
		})
	}
}

func TestFaultsOfPins(t *testing.T) {
	_, faults := contract.CompilePins(map[string]*tree.Node{"/vessel/name": tree.NewString("${nothing}")})
	require.Len(t, faults, 1)
	assert.Equal(t, "/~1vessel~1name", faults[0].At)
	pins, _ := contract.CompilePins(map[string]*tree.Node{"/a": tree.NewString("${call.none}")})
	_, _, err := contract.Apply(pins, parsed(t, `{"a": 1}`), &expr.Scope{Call: map[string]any{}})
	assert.ErrorContains(t, err, "no such key")
}
