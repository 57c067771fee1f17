package sample_test

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic/internal/core/sample"
	"rapidmimic/spec/tree"
)

// refs resolves references within one document.
type refs struct{ root *tree.Node }

func (r refs) Resolve(ref string) *tree.Node { return r.root.At(strings.TrimPrefix(ref, "#")) }

// draw makes n values of a schema.
func draw(t *testing.T, schema string, n uint64) []*tree.Node {
	root, err := tree.Parse([]byte(schema))
	require.NoError(t, err)
	g := sample.Compile(root, refs{root}, sample.ForAnswer)
	values := make([]*tree.Node, n)
	for i := range values {
		values[i] = g.Generate(sample.NewDraw(1, "test", uint64(i)), "")
	}
	return values
}

func TestBothEndsOfARangeAreReached(t *testing.T) {
	for schema, ends := range map[string][]string{
		`{"type": "integer", "minimum": 3, "maximum": 6}`:                       {"3", "6"},
		`{"type": "integer", "exclusiveMinimum": 3, "exclusiveMaximum": 6}`:     {"4", "5"},
		`{"type": "number", "minimum": 0.1, "maximum": 0.3, "multipleOf": 0.1}`: {"0.1", "0.3"},
		`{"type": "boolean"}`:                                                    {"true", "false"},
		`{"enum": ["a", "b", "c"]}`:                                              {`"a"`, `"c"`},
		`{"type": ["integer", "null"], "minimum": 7, "maximum": 7}`:              {"7", "null"},
		`{"type": "array", "items": {"const": 1}, "minItems": 2, "maxItems": 4}`: {"[1,1]", "[1,1,1,1]"},
		`{"type": "object", "properties": {"a": {"const": 1}}}`:                  {`{"a":1}`, `{}`},
		`{"anyOf": [{"const": "x"}, {"const": "y"}]}`:                            {`"x"`, `"y"`},
	} {
		seen := map[string]bool{}
		for _, v := range draw(t, schema, 400) {
			seen[string(v.AppendJSON(nil))] = true
		}
		for _, end := range ends {
			assert.True(t, seen[end], "%s never gave %s", schema, end)
		}
	}
}

func TestValuesSuitTheirNames(t *testing.T) {
	v := draw(t, `{"type": "object", "required": ["email", "contactPhone", "homepageUrl", "vessel", "berth_number", "issuedAt", "currency", "remark"],
		"properties": {"email": {"type": "string"}, "contactPhone": {"type": "string"}, "homepageUrl": {"type": "string"}, "vessel": {"type": "string"},
		"berth_number": {"type": "string"}, "issuedAt": {"type": "string"}, "currency": {"type": "string"}, "remark": {"type": "string"}}}`, 1)[0]
	for name, pattern := range map[string]string{
		"email": `^[a-z.]+@[a-z]+\.example$`, "contactPhone": `[0-9]{3}`, "homepageUrl": `^https://[a-z]+\.example/`, "vessel": `^[A-Z][a-z]+ [A-Z][a-z]+$`,
		"berth_number": `^[A-Z]{2}-[0-9]{4}$`, "issuedAt": `^202[67]-\d\d-\d\dT\d\d:\d\d:\d\dZ$`, "currency": `^[A-Z]{3}$`, "remark": ` .*\.$`,
	} {
		assert.Regexp(t, regexp.MustCompile(pattern), v.Get(name).Str(), name)
	}
}

func TestRecursionEnds(t *testing.T) {
	for name, schema := range map[string]string{
		"a tree":                  `{"type": "object", "required": ["name"], "properties": {"name": {"type": "string"}, "more": {"type": "array", "items": {"$ref": "#"}}}}`,
		"a chain":                 `{"oneOf": [{"type": "object", "required": ["next"], "properties": {"next": {"$ref": "#"}}}, {"type": "null"}]}`,
		"a circle of refs":        `{"$ref": "#"}`,
		"a circle of allOf":       `{"allOf": [{"$ref": "#"}]}`,
		"itself as an array":      `{"type": "array", "items": {"$ref": "#"}}`,
		"required without an end": `{"type": "object", "required": ["a", "b"], "properties": {"a": {"$ref": "#"}, "b": {"$ref": "#"}}}`,
		"a list of lists":         `{"type": "array", "minItems": 100, "items": {"type": "array", "minItems": 100, "items": {"type": "array", "minItems": 100, "items": {"type": "boolean"}}}}`,
		"without an end":          `{"type": "object", "properties": {"a": {"$ref": "#"}}}`,
	} {
		for _, v := range draw(t, schema, 20) {
			assert.Less(t, len(v.AppendJSON(nil)), 500_000, name)
		}
	}
}
