package sample_test

import (
	"maps"
	"math"
	"slices"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// A generator says of itself whether all that it makes is valid. Where it says so,
// another implementation agrees; where it does not, most of what it makes still is.
func TestWhatIsExactIsValid(t *testing.T) {
	unsatisfied := []string{ // nothing is valid, or nothing of the size that is drawn
		`{"type": "string", "enum": [1]}`, `{"type": "string", "format": "date", "minLength": 40}`, `{"$ref": "#/$defs/gone"}`, `{"type": "array", "minItems": 20000, "items": {"type": "boolean"}}`,
	}
	for schema, exact := range map[string]bool{
		`true`:                                 true,
		`{}`:                                   true,
		`{"type": ["string", "null"]}`:         true,
		`{"enum": [1, "a", null, {"b": [2]}]}`: true,
		`{"type": "string", "enum": [1, "a"]}`: true,
		`{"type": "string", "enum": [1]}`:      false,
		`{"type": "string", "minLength": 12}`:  true,
		`{"type": "string", "minLength": 2, "maxLength": 2}`:                                                                                                true,
		`{"type": "string", "format": "date"}`:                                                                                                              true,
		`{"type": "string", "format": "date", "minLength": 40}`:                                                                                             false,
		`{"type": "string", "format": "date", "maxLength": 40}`:                                                                                             false,
		`{"type": "string", "pattern": "^[A-Z]{2}-\\d{4}$"}`:                                                                                                true,
		`{"type": "string", "pattern": "^[a-f]+$", "minLength": 3, "maxLength": 6}`:                                                                         false,
		`{"type": "number", "exclusiveMinimum": 0, "exclusiveMaximum": 0.01}`:                                                                               true,
		`{"type": "number", "minimum": -2.5, "multipleOf": 0.5}`:                                                                                            true,
		`{"type": "integer", "multipleOf": 2.5, "maximum": 40}`:                                                                                             true,
		`{"type": "integer", "minimum": 3000}`:                                                                                                              true,
		`{"type": "array", "items": {"type": "integer"}, "uniqueItems": true, "minItems": 4, "maxItems": 4}`:                                                true,
		`{"type": "array", "prefixItems": [{"const": 1}, {"const": 2}], "items": {"const": 3}, "minItems": 1}`:                                              true,
		`{"type": "array", "prefixItems": [{"const": 1}, {"const": 2}], "items": false}`:                                                                    true,
		`{"type": "array", "contains": {"const": 7}, "minContains": 2, "items": {"type": "integer"}}`:                                                       false,
		`{"type": "object", "additionalProperties": {"type": "integer"}, "minProperties": 5}`:                                                               true,
		`{"type": "object", "properties": {"a": {"const": 1}, "b": {"const": 2}, "c": {"const": 3}}, "maxProperties": 2}`:                                   true,
		`{"type": "object", "properties": {"a": {"const": 1}, "b": {"const": 2}}, "minProperties": 4, "additionalProperties": {"type": "boolean"}}`:         true,
		`{"type": "object", "properties": {"a": {"const": 1}, "b": {"const": 2}}, "dependentRequired": {"a": ["b"]}}`:                                       false,
		`{"type": "object", "properties": {"a": {"const": 1}}, "dependentSchemas": {"a": {"required": ["b"], "properties": {"b": {"const": 4}}}}}`:          false,
		`{"type": "object", "patternProperties": {"^x-": {"type": "integer"}}, "additionalProperties": false, "minProperties": 1}`:                          false,
		`{"type": "object", "propertyNames": {"pattern": "^[a-c]{3}$"}, "additionalProperties": {"const": 1}, "minProperties": 2}`:                          false,
		`{"allOf": [{"type": "object", "required": ["a"], "properties": {"a": {"type": "integer", "minimum": 5}}}, {"properties": {"a": {"maximum": 6}}}]}`: true,
		`{"allOf": [{"enum": [1, 2, 3]}, {"enum": [2, 3, 4]}], "type": "integer"}`:                                                                          true,
		`{"oneOf": [{"type": "integer"}, {"type": "string"}]}`:                                                                                              true,
		`{"oneOf": [{"type": "integer"}, {"type": "number"}]}`:                                                                                              false,
		`{"oneOf": [{"enum": [1, 2]}, {"enum": [3]}]}`:                                                                                                      true,
		`{"oneOf": [{"enum": [1, 2]}, {"enum": [2, 3]}]}`:                                                                                                   false,
		`{"type": "object", "oneOf": [{"required": ["k"], "properties": {"k": {"const": "x"}}}, {"required": ["k"], "properties": {"k": {"const": "y"}}}]}`: true,
		`{"type": "object", "oneOf": [{"required": ["k"], "properties": {"k": {"const": "x"}}}, {"properties": {"k": {"const": "y"}}}]}`:                    false,
		`{"oneOf": [{"allOf": [{"const": 1}]}, {"allOf": [{"const": 2}]}]}`:                                                                                 true,
		`{"anyOf": [{"type": "integer", "minimum": 3}, {"type": "integer", "maximum": 9}]}`:                                                                 true,
		`{"if": {"properties": {"k": {"const": "x"}}, "required": ["k"]}, "then": {"required": ["a"]}, "else": {"required": ["b"]}, "type": "object", "properties": {"k": {"enum": ["x", "y"]}, "a": {"const": 1}, "b": {"const": 2}}}`: false,
		`{"not": {"const": "b"}, "enum": ["a", "b", "c"]}`:                                                     false,
		`{"type": ["string", "integer"], "not": {"type": "string"}}`:                                           false,
		`{"type": "object", "properties": {"a": {"const": 1}, "b": {"const": 2}}, "not": {"required": ["a"]}}`: false,
		`{"$ref": "#/$defs/a", "$defs": {"a": {"type": "integer", "minimum": 2}}}`:                             true,
		`{"$ref": "#/$defs/gone"}`: false,
		`{"type": "object", "required": ["n"], "properties": {"n": {"anyOf": [{"$ref": "#"}, {"type": "null"}]}}}`:           true,
		`{"type": "array", "minItems": 20000, "items": {"type": "boolean"}}`:                                                 false,
		`{"type": "integer", "minimum": 100000000000000000000, "maximum": 200000000000000000000}`:                            true,
		`{"type": "object", "required": ["countryCode"], "properties": {"countryCode": {"type": "string", "maxLength": 1}}}`: true,
		`{"type": "object", "required": ["a"], "properties": {"a": {"type": "object", "required": ["x", "y", "z"], "properties": {"x": {"const": 1}, "y": {"const": 2}, "z": {"const": 3}}}}, "minProperties": 3, "additionalProperties": {"type": "integer"}}`: true,
	} {
		root, err := tree.Parse([]byte(schema))
		require.NoError(t, err, schema)
		g := sample.Compile(root, refs{root}, sample.ForAnswer)
		assert.Equal(t, exact, g.Exact(), schema)
		if slices.Contains(unsatisfied, schema) {
			continue
		}
		judge := judgeOf(t, schema)
		valid, seen := 0, make(map[string]bool)
		for i := range uint64(300) {
			made := string(g.AppendJSON(nil, sample.NewDraw(1, "valid", i), ""))
			seen[made] = true
			if fault := judge(made); fault == nil {
				valid++
			} else if exact {
				require.NoError(t, fault, "%s gave %s", schema, made)
			}
		}
		assert.Greater(t, valid, 50, "%s gave %v", schema, slices.Sorted(maps.Keys(seen)))
	}
}

// judgeOf checks values against a schema.
func judgeOf(t *testing.T, schema string) func(value string) error {
	document, err := jsonschema.UnmarshalJSON(strings.NewReader(schema))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	c.AssertFormat()
	require.NoError(t, c.AddResource("mem:///s", document))
	compiled, err := c.Compile("mem:///s")
	require.NoError(t, err, schema)
	return func(value string) error {
		v, err := jsonschema.UnmarshalJSON(strings.NewReader(value))
		require.NoError(t, err, value)
		return compiled.Validate(v)
	}
}

// Each form that a schema allows is drawn.
func TestEveryFormIsDrawn(t *testing.T) {
	for schema, want := range map[string][]string{
		`{"type": "object", "properties": {"a": {"const": 1}, "b": {"const": 2}}, "dependentRequired": {"a": ["b"]}}`: {`{"a":1,"b":2}`, `{"b":2}`, `{}`},
		`{"type": "object", "properties": {"a": {"const": 1}, "b": {"const": 2}}, "maxProperties": 1}`:                {`{"a":1}`, `{"b":2}`, `{}`},
		`{"type": "object", "properties": {"a": {"const": 1}, "b": {"const": 2}}, "minProperties": 1}`:                {`{"a":1,"b":2}`, `{"a":1}`},
		`{"type": "array", "prefixItems": [{"const": 1}, {"const": 2}], "items": {"const": 3}}`:                       {`[1,2,3]`, `[1,2]`},
		`{"type": "array", "items": {"const": 1}}`:                                                                    {`[1,1,1]`, `[1,1]`, `[1]`},
		`{"type": "array", "items": {"const": 1}, "minItems": 5}`:                                                     {`[1,1,1,1,1]`},
		`{"type": "array", "items": {"const": 1}, "minItems": 5, "maxItems": 20}`:                                     {`[1,1,1,1,1,1,1,1]`, `[1,1,1,1,1,1,1]`, `[1,1,1,1,1,1]`, `[1,1,1,1,1]`},
		`{"type": "array", "items": {"const": 1}, "maxItems": 0}`:                                                     {`[]`},
		`{"type": "array", "items": {"enum": [1, 7]}, "contains": {"const": 7}, "minContains": 2, "maxItems": 3}`:     {`[1,7,7]`, `[7,7,7]`, `[7,7]`},
		`{"type": "string", "pattern": "^[ab]?c$"}`:                                                                   {`"ac"`, `"bc"`, `"c"`},
		`{"type": "string", "pattern": "^(ab){1,2}$"}`:                                                                {`"ab"`, `"abab"`},
		`{"type": "string", "pattern": "^[a-bX-Z]$"}`:                                                                 {`"X"`, `"Y"`, `"Z"`, `"a"`, `"b"`},
		`{"type": "string", "pattern": "^(a|b)\\1$"}`:                                                                 {`"aa"`, `"bb"`},
		`{"if": {"properties": {"k": {"const": "x"}}, "required": ["k"]}, "then": {"required": ["a"]}, "else": {"required": ["b"]}, "type": "object", "required": ["k"], "properties": {"k": {"enum": ["x", "y"]}, "a": {"const": 1}, "b": {"const": 2}}}`: {`{"a":1,"b":2,"k":"y"}`, `{"b":2,"k":"y"}`, `{"k":"x","a":1,"b":2}`, `{"k":"x","a":1}`},
		`{"not": {"const": "b"}, "enum": ["a", "b", "c"]}`:                                                                                         {`"a"`, `"c"`},
		`{"type": ["boolean", "null", "string"], "not": {"type": "string"}}`:                                                                       {`false`, `null`, `true`},
		`{"type": "object", "properties": {"a": {"const": 1}, "b": {"const": 2}}, "not": {"required": ["a"]}}`:                                     {`{"b":2}`, `{}`},
		`{"type": "integer", "multipleOf": 2.5, "minimum": 1, "maximum": 12}`:                                                                      {`10`, `5`},
		`{"type": "object", "properties": {"a": {"const": 1}}, "dependentSchemas": {"a": {"required": ["b"], "properties": {"b": {"const": 4}}}}}`: {`{"a":1,"b":4}`, `{}`},
		`{"oneOf": [{"$ref": "#/$defs/Ship"}, {"$ref": "#/$defs/Tug"}], "x-rapid-mimic-kinds": {"property": "k", "instead": "oneOf", "of": [{"names": ["Ship"], "$ref": "#/$defs/Ship"}, {"names": ["tug", "Tug"], "$ref": "#/$defs/Tug"}]}, "$defs": {"Ship": {"type": "object", "properties": {"k": {"type": "string"}}}, "Tug": {"type": "object", "properties": {"k": {"type": "string"}}}}}`: {`{"k":"Ship"}`, `{"k":"tug"}`},
	} {
		seen := make(map[string]bool)
		for _, v := range draw(t, schema, 4000) {
			seen[string(v.AppendJSON(nil))] = true
		}
		assert.Equal(t, want, slices.Sorted(maps.Keys(seen)), schema)
	}
}

// Numbers are those that their names are usual for, within what the schema allows.
func TestNumbersReachBothEndsOfWhatIsUsual(t *testing.T) {
	for schema, want := range map[string][2]float64{
		`{"properties": {"n": {"type": "integer"}}}`:                                                         {1, 1000},
		`{"properties": {"n": {"type": "integer", "minimum": 990}}}`:                                         {990, 1000},
		`{"properties": {"n": {"type": "integer", "minimum": 1000}}}`:                                        {1000, 2000},
		`{"properties": {"n": {"type": "integer", "maximum": 4}}}`:                                           {1, 4},
		`{"properties": {"n": {"type": "integer", "maximum": -4}}}`:                                          {-1004, -4},
		`{"properties": {"status": {"type": "integer"}}}`:                                                    {200, 200},
		`{"properties": {"month": {"type": "integer"}}}`:                                                     {1, 12},
		`{"properties": {"depth": {"type": "integer"}}}`:                                                     {1, 30},
		`{"properties": {"rating": {"type": "number", "multipleOf": 0.5}}}`:                                  {1, 5},
		`{"properties": {"tax": {"type": "integer", "maximum": 3}}}`:                                         {0, 3},
		`{"properties": {"n": {"type": "number", "minimum": 2, "maximum": 2}}}`:                              {2, 2},
		`{"properties": {"n": {"type": "number", "exclusiveMinimum": 0, "maximum": 1, "multipleOf": 0.25}}}`: {0.25, 1},
	} {
		low, high := math.Inf(1), math.Inf(-1)
		for _, v := range draw(t, schema, 20_000) {
			for _, m := range v.Members {
				f, ok := m.Value.Float()
				require.True(t, ok)
				low, high = min(low, f), max(high, f)
			}
		}
		assert.Equal(t, want, [2]float64{low, high}, schema)
	}
}
