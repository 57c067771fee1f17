package spec_test

import (
	"os"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// Every test of conditions stands in the schema of documents, in the API document and in
// the reference; every key of a condition is a part, a group or a test.
func TestTheTestsOfConditionsAreDescribed(t *testing.T) {
	read := func(file string) []byte {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		return text
	}
	document := func(file string, path ...string) *tree.Node {
		n, err := tree.Parse(read(file))
		require.NoError(t, err)
		for _, key := range path {
			require.NotNil(t, n.Get(key), "%s: %s", file, key)
			n = n.Get(key)
		}
		return n
	}
	places := map[string]*tree.Node{
		"the schema":       document("schemas/mappings.json", "$defs", "condition", "properties"),
		"the API document": document("../internal/control/openapi.yaml", "components", "schemas", "Condition", "properties"),
	}
	reference := string(read("../docs/mappings.md"))
	var names []string
	for _, test := range spec.Tests {
		names = append(names, test.Name)
		for place, properties := range places {
			assert.NotNil(t, properties.Get(test.Name), "%s: %s", place, test.Name)
		}
		assert.Contains(t, reference, "`"+test.Name+"`")
	}
	others := []string{"all", "any", "none", "query", "header", "cookie", "form", "body", "xml", "part", "text", "graphql", "caller", "only", "except"}
	condition := reflect.TypeFor[spec.Condition]()
	for i := range condition.NumField() {
		key, _, _ := strings.Cut(condition.Field(i).Tag.Get("json"), ",")
		assert.True(t, slices.Contains(others, key) != slices.Contains(names, key), key)
	}
}

func TestAConditionKnowsItsTest(t *testing.T) {
	for document, want := range map[string]string{
		"{query: a}": "", "{query: a, present: false}": "present", "{query: a, equals: null}": "equals", "{query: a, oneOf: [b]}": "oneOf",
		`{query: a, contains: ""}`: "contains", "{query: a, schema: {}}": "schema",
	} {
		mappings, err := spec.ReadMappings([]byte("call: {path: /x, where: [" + document + "]}"))
		require.NoError(t, err)
		assert.Equal(t, want, mappings[0].Call.Where[0].Test(), document)
	}
}
