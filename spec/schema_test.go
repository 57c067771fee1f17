package spec_test

import (
	"os"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// keysOf are the keys of a document, those of what is embedded in it among them.
func keysOf(document reflect.Type) (keys []string) {
	for i := range document.NumField() {
		field := document.Field(i)
		key, _, _ := strings.Cut(field.Tag.Get("json"), ",")
		switch {
		case field.Anonymous:
			keys = append(keys, keysOf(field.Type)...)
		case key != "-":
			keys = append(keys, key)
		}
	}
	return keys
}

// Every key that a document may have stands in the schema that editors go by, and in the document of the
// API.
func TestTheSchemasKnowEveryKey(t *testing.T) {
	at := func(file string, path ...string) *tree.Node {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		n, err := tree.Parse(text)
		require.NoError(t, err)
		if n = n.Path(path...); n == nil {
			return nil
		}
		if ways := n.Get("oneOf"); ways != nil { // on, off, or how
			n = ways.Items[len(ways.Items)-1]
		}
		return n.Get("properties")
	}
	const schemas, openapi = "schemas/", "../internal/control/openapi.yaml"
	for name, k := range map[string]struct {
		document reflect.Type
		places   []*tree.Node
	}{
		"service":   {reflect.TypeFor[spec.Service](), []*tree.Node{at(schemas + "service.json"), at(openapi, "components", "schemas", "ServiceDocument")}},
		"callbacks": {reflect.TypeFor[spec.Callbacks](), []*tree.Node{at(schemas+"service.json", "properties", "callbacks"), at(openapi, "components", "schemas", "Callbacks")}},
		"mapping":   {reflect.TypeFor[spec.Mapping](), []*tree.Node{at(schemas+"mappings.json", "$defs", "mapping"), at(openapi, "components", "schemas", "MappingDocument")}},
		"answer":    {reflect.TypeFor[spec.Answer](), []*tree.Node{at(schemas+"mappings.json", "$defs", "answer"), at(openapi, "components", "schemas", "AnswerDocument")}},
		"callback":  {reflect.TypeFor[spec.Callback](), []*tree.Node{at(schemas+"mappings.json", "$defs", "callback"), at(openapi, "components", "schemas", "CallbackDocument")}},
		"remember":  {reflect.TypeFor[spec.Remember](), []*tree.Node{at(schemas+"mappings.json", "$defs", "remember"), at(openapi, "components", "schemas", "Remember")}},
	} {
		for i, properties := range k.places {
			require.NotNil(t, properties, "%s, place %d", name, i)
			for _, key := range keysOf(k.document) {
				if name == "service" && key == "id" {
					continue // it is given, and never sent
				}
				assert.NotNil(t, properties.Get(key), "%s, place %d: %s", name, i, key)
			}
		}
	}
}
