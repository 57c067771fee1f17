package contract_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// What is appended is what is drawn as a tree: certain to obey or looked at, and also where others draw.
func TestAppendedIsWhatIsDrawn(t *testing.T) {
	root, err := tree.ParseJSON([]byte(`{
		"certain": {"type": "object", "required": ["n"], "properties": {"n": {"type": "integer"}}},
		"looked": {"type": "string", "not": {"const": "quay"}},
		"hopeless": {"allOf": [{"const": 1}, {"const": 2}]}
	}`))
	require.NoError(t, err)
	itself := func(n *tree.Node) *tree.Node { return n }
	tide := func([]string, *sample.Draw) *tree.Node { return tree.NewString("tide") }
	for name, documents := range map[string]func() *contract.Document{
		"by the schema": func() *contract.Document { return contract.NewDocument(root, itself) },
		"by others":     func() *contract.Document { return contract.NewDocument(root, itself).DrawnBy(tide) },
	} {
		for pointer, valid := range map[string]bool{"/certain": name == "by the schema", "/looked": true, "/hopeless": false} {
			value, ok := documents().Schema(pointer).Generate(sample.NewDraw(1, "x", 1))
			text, same := documents().Schema(pointer).AppendJSON([]byte("before "), sample.NewDraw(1, "x", 1))
			assert.Equal(t, "before "+string(value.AppendJSON(nil)), string(text), "%s %s", name, pointer)
			assert.Equal(t, []bool{valid, valid}, []bool{ok, same}, "%s %s", name, pointer)
		}
	}
}
