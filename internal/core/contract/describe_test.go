package contract_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract/openapi"
)

// What a schema says, place by place, in the words of its readers.
func TestSchemasInWords(t *testing.T) {
	for written, want := range map[string]string{
		`{type: string}`:               "a: string",
		`{type: string, format: date}`: "a: string, date",
		`{type: [string, "null"]}`:     "a: string or null",
		`{}`:                           "a: anything",
		`{enum: [free, taken]}`:        "a: a fixed value; one of free, taken",
		`{const: 7}`:                   "a: a fixed value; always 7",
		`{type: string, minLength: 2, maxLength: 40}`:                     "a: string; 2 to 40 characters",
		`{type: string, minLength: 3, maxLength: 3}`:                      "a: string; exactly 3 characters",
		`{type: string, minLength: 1}`:                                    "a: string; at least 1 character",
		`{type: string, maxLength: 1}`:                                    "a: string; at most 1 character",
		`{type: string, minLength: 1, maxLength: 5}`:                      "a: string; 1 to 5 characters",
		`{type: string, maxLength: 5}`:                                    "a: string; at most 5 characters",
		`{type: integer, minimum: 1, maximum: 9}`:                         "a: integer; 1 to 9",
		`{type: number, exclusiveMinimum: 0, exclusiveMaximum: 9}`:        "a: number; above 0; below 9",
		`{type: number, multipleOf: 0.5}`:                                 "a: number; a multiple of 0.5",
		`{type: string, pattern: "^[A-Z]+$"}`:                             "a: string; fits ^[A-Z]+$",
		`{type: string, default: x, deprecated: true}`:                    `a: string; default "x"; deprecated`,
		`{type: array, items: {type: string}, uniqueItems: true}`:         "a: array of string; no element twice",
		`{type: array, minItems: 1, maxItems: 2, items: {type: integer}}`: "a: array of integer; 1 to 2 elements",
		`{type: array}`: "a: array of anything",
		`{type: array, items: {$ref: "#/components/schemas/Berth"}}`:                                  "a: array of Berth | a[].number*: string",
		`{$ref: "#/components/schemas/Berth"}`:                                                        "a: Berth | a.number*: string",
		`{oneOf: [{type: string}, {type: integer}]}`:                                                  "a: string or integer",
		`{anyOf: [{type: string}, {type: string}]}`:                                                   "a: string",
		`{type: object, additionalProperties: false, properties: {b: {type: string}}, required: [b]}`: "a: object; nothing else | a.b*: string",
		`{type: object, additionalProperties: {type: integer}}`:                                       "a: object | a.*: integer",
	} {
		c, err := openapi.Read([]byte(`
openapi: 3.1.0
info: { title: a, version: "1" }
paths:
  /a:
    get:
      operationId: a
      responses:
        "200": { description: a, content: { application/json: { schema: { type: object, properties: { a: ` + written + ` } } } } }
components: { schemas: { Berth: { type: object, required: [number], properties: { number: { type: string } } } } }
`))
		require.NoError(t, err, written)
		var told []string
		for _, f := range c.Operations[0].Success.MediaTypes[0].Schema.Fields() {
			name := f.Path
			if f.Required {
				name += "*"
			}
			told = append(told, strings.Join(append([]string{name + ": " + f.Type}, f.Rules...), "; "))
		}
		assert.Equal(t, want, strings.Join(told, " | "), written)
	}
}
