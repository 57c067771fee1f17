package openapi_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

func node(t *testing.T, text string) *tree.Node {
	n, err := tree.Parse([]byte(text))
	require.NoError(t, err)
	return n
}

func TestSeveralFilesAreOneContract(t *testing.T) {
	c, err := openapi.ReadBundle(&bundle.Bundle{Main: "api/openapi.yaml", Files: []bundle.File{
		{Name: "api/openapi.yaml", Text: []byte(`
openapi: 3.1.0
paths:
  /jobs/{id}: {$ref: "paths/job%20one.yaml"}
  /boats:
    get:
      responses:
        "200":
          description: ok
          content:
            application/json:
              schema: {oneOf: [{$ref: ../schemas.yaml#/Tug}, {$ref: ../schemas.yaml#/Ferry}], discriminator: {propertyName: kind, mapping: {t: "../schemas.yaml#/Tug"}}}
              example: {$ref: not/a/reference.yaml}
  /lost: {get: {responses: {"200": {description: ok, content: {application/json: {schema: {$ref: "none.yaml"}}}}}}}
  /broken: {get: {responses: {"200": {description: ok, content: {application/json: {schema: {$ref: "../broken.yaml"}}}}}}}
  /outside: {get: {responses: {"200": {description: ok, content: {application/json: {schema: {$ref: "../../x.yaml"}}}}}}}
components: {schemas: {Here: {type: integer, minimum: 7, maximum: 7}}}
`)},
		{Name: "api/paths/job one.yaml", Text: []byte("get:\n  operationId: getJob\n  responses:\n    \"200\": {description: ok, content: {application/json: {schema: {$ref: ../../schemas.yaml#/Job}}}}\n    \"404\": {$ref: \"#/gone\"}\n")},
		{Name: "schemas.yaml", Text: []byte(`
Job: {type: object, required: [tug, here, default], properties: {tug: {$ref: "#/Tug"}, here: {$ref: "api/openapi.yaml#/components/schemas/Here"}, default: {$ref: "#/Word"}}}
Tug: {type: object, required: [kind, pull], properties: {kind: {type: string}, pull: {type: integer}}, additionalProperties: false}
Ferry: {type: object, required: [kind, seats], properties: {kind: {type: string}, seats: {type: integer}}, additionalProperties: false}
Word: {const: word}
Bad: {type: integer, minimum: 9, maximum: 3}
`)},
		{Name: "broken.yaml", Text: []byte("a: [")},
	}})
	require.NoError(t, err)
	job, valid := c.Operations[0].Success.MediaTypes[0].Schema.Generate(sample.NewDraw(1, "", 0))
	require.True(t, valid)
	assert.Equal(t, "7", job.Get("here").Text)
	assert.Equal(t, "word", job.Get("default").Str())
	assert.Equal(t, `{"$ref":"not/a/reference.yaml"}`, string(c.Operations[1].Success.MediaTypes[0].Examples[0].Body), "data are data")
	kinds := map[string]bool{}
	for i := range uint64(50) {
		boat, valid := c.Operations[1].Success.MediaTypes[0].Schema.Generate(sample.NewDraw(1, "", i))
		require.True(t, valid)
		kinds[boat.Get("kind").Str()] = true
	}
	assert.Equal(t, map[string]bool{"t": true, "Ferry": true}, kinds)
	var warnings []string
	for _, w := range c.Warnings {
		warnings = append(warnings, w.String())
	}
	assert.ElementsMatch(t, []string{
		`broken.yaml:2:1: did not find expected node content (while parsing a flow node that began in line 2)`,
		`api/paths/job one.yaml:5:12: response 404 cannot be sent: $ref "api/paths/job one.yaml#/gone" leads nowhere`,
		`api/openapi.yaml:14:91: $ref "none.yaml" leads to a file that is not among the 4 imported`,
		`api/openapi.yaml:15:93: $ref "broken.yaml#" leads nowhere`,
		`api/openapi.yaml:16:94: $ref "../../x.yaml" leads to a file that is not among the 4 imported`,
		`schemas.yaml:6:6: no value can obey this schema: minimum 9 leaves nothing below maximum 3`,
	}, warnings)
	assert.Equal(t, []string{"api/openapi.yaml", "api/paths/job one.yaml", "schemas.yaml", "broken.yaml"}, c.Files)
}

func TestSwaggerInSeveralFiles(t *testing.T) {
	c, err := openapi.ReadBundle(&bundle.Bundle{Main: "swagger.yaml", Files: []bundle.File{
		{Name: "swagger.yaml", Text: []byte("swagger: '2.0'\npaths:\n  /a: {$ref: paths.yaml#/a}\n  /b: {post: {parameters: [{in: formData, name: n, type: integer, required: true}, {in: formData, name: f, type: file}], responses: {200: {$ref: 'paths.yaml#/ok'}}}}\n")},
		{Name: "paths.yaml", Text: []byte("a: {get: {responses: {200: {description: ok, schema: {type: integer}}}}}\nok: {description: ok, schema: {type: boolean}}\n")},
	}})
	require.NoError(t, err)
	require.Len(t, c.Operations, 2)
	for _, op := range c.Operations {
		require.Len(t, op.Success.MediaTypes, 1, op.ID)
	}
	body := c.Operations[1].Body
	assert.True(t, body.Required)
	assert.NotNil(t, body.MediaType("multipart/form-data; boundary=x"))
	assert.NotNil(t, body.MediaType("application/x-www-form-urlencoded"))
}

func TestLinksAndHeaders(t *testing.T) {
	c, err := openapi.Read([]byte(`
openapi: 3.1.0
paths:
  /bookings:
    post:
      responses:
        "201":
          description: made
          headers:
            Location: {$ref: "#/components/headers/Where"}
            X-Left: {schema: {type: integer, example: 7}}
            X-Two: {examples: {a: {value: [1, 2]}}, schema: {type: array}}
            Content-Type: {schema: {type: string}}
            "bad name": {schema: {type: string}}
          links:
            booking: {operationId: getBooking, parameters: {reference: $response.body#/reference}}
            byPath: {operationRef: "#/paths/~1bookings~1{reference}/get"}
            nowhere: {operationId: none}
  /bookings/{reference}: {get: {operationId: getBooking, deprecated: true, tags: [b], responses: {"200": {description: ok}}}}
components: {headers: {Where: {required: true, schema: {type: string, format: uri-reference}}}}
`))
	require.NoError(t, err)
	made := c.Operations[0].Success
	require.Len(t, made.Headers, 3)
	assert.True(t, made.Headers[0].Required)
	assert.Equal(t, "7", *made.Headers[1].Example)
	assert.Equal(t, "1,2", *made.Headers[2].Example)
	require.Len(t, made.Links, 2)
	assert.Equal(t, "getBooking", made.Links[0].Operation)
	assert.Equal(t, "getBooking", made.Links[1].Operation)
	assert.True(t, c.Operations[1].Deprecated)
	require.Len(t, c.Warnings, 1)
	assert.Contains(t, c.Warnings[0].Detail, `link "nowhere" leads to "none", which is no operation`)
}

func TestLimitsThatNothingKeepsAreReported(t *testing.T) {
	for schema, want := range map[string]string{
		`{minLength: 5, maxLength: 3}`:          "minLength 5 leaves nothing below maxLength 3",
		`{exclusiveMinimum: 3, maximum: 3}`:     "exclusiveMinimum 3 leaves nothing below maximum 3",
		`{enum: []}`:                            "its enum is empty",
		`{const: a, enum: [b]}`:                 "its const is not in its enum",
		`{pattern: "("}`:                        `its pattern "(" is none`,
		`{minimum: 3, maximum: 3}`:              "",
		`{properties: {pattern: {minimum: 3}}}`: "",
		`{pattern: "^(?=a)", type: string}`:     "",
	} {
		c, err := openapi.Read([]byte("openapi: 3.1.0\npaths: {/x: {get: {responses: {'200': {description: ok, content: {application/json: {schema: " + schema + "}}}}}}}\n"))
		require.NoError(t, err)
		if want == "" {
			assert.Empty(t, c.Warnings, schema)
		} else if assert.Len(t, c.Warnings, 1, schema) {
			assert.Contains(t, c.Warnings[0].Detail, "no value can obey this schema: "+want)
		}
	}
}

func TestSamplesBecomeContracts(t *testing.T) {
	for name, c := range map[string]struct{ text, answers, valid, invalid string }{
		"a sample": {`{"number": "N7", "metres": 24.5, "berths": 3, "from": "2026-12-01", "tags": [{"a": 1}, {"a": 2, "b": "x"}], "any": null, "mixed": [1, "a"], "none": []}`,
			"GET /berths/{number}",
			`{"number": "S1", "metres": 3, "berths": 1, "from": "2027-01-01", "tags": [{"a": 5}], "any": {}, "mixed": ["b", 2], "none": [1]}`,
			`{"number": "S1", "metres": 3, "berths": 1.5, "from": "2027-01-01", "tags": [], "any": 1, "mixed": [], "none": []}`},
		"a list": {`[1, 2.5]`, "get /x", `[1, 3]`, `["a"]`},
		"a schema": {`{"$schema": "https://json-schema.org/draft/2020-12/schema", "$ref": "#/$defs/Berth", "$defs": {"Berth": {"type": "object", "required": ["n"], "properties": {"n": {"type": "integer"}, "next": {"$ref": "#/$defs/Berth"}}}}}`,
			"POST /berths", `{"n": 1, "next": {"n": 2}}`, `{"n": 1, "next": {}}`},
		"a schema by its looks": {"type: object\nproperties: {n: {type: integer}}\nadditionalProperties: false\n", "GET /n", `{"n": 1}`, `{"m": 1}`},
	} {
		t.Run(name, func(t *testing.T) {
			text, err := openapi.FromSample([]byte(c.text), c.answers, "")
			require.NoError(t, err)
			made, err := openapi.Read(text)
			require.NoError(t, err, "%s", text)
			assert.Empty(t, made.Warnings)
			schema := made.Operations[0].Success.MediaTypes[0].Schema
			assert.NoError(t, schema.Check(node(t, c.valid)))
			assert.Error(t, schema.Check(node(t, c.invalid)))
			_, valid := schema.Generate(sample.NewDraw(1, "", 0))
			assert.True(t, valid)
		})
	}
	for answers, want := range map[string]string{"/berths": "a method and a path", "GET berths": "path must begin with /", "LOOK /x": "a method and a path"} {
		_, err := openapi.FromSample([]byte(`{}`), answers, "")
		assert.ErrorContains(t, err, want)
	}
	_, err := openapi.FromSample([]byte("openapi: 3.1.0\n"), "GET /x", "")
	assert.ErrorContains(t, err, "a contract already")
	_, err = openapi.FromSample([]byte(`{"a": `), "GET /x", "")
	assert.ErrorContains(t, err, "neither JSON nor YAML")
}

// Overlays among the files are laid over the contract, in the order of their names.
func TestOverlays(t *testing.T) {
	const base = `
openapi: 3.1.0
info: {title: quay, version: "1"}
servers: [{url: /v1}]
paths:
  /berths:
    get: {operationId: list, tags: [old], responses: {200: {description: x, content: {application/json: {schema: {$ref: '#/components/schemas/B'}}}}}}
    delete: {operationId: gone, responses: {204: {description: x}}}
  /dues: {get: {operationId: dues, responses: {200: {description: x}}}}
components: {schemas: {B: {type: object, properties: {n: {type: integer}}}}}
`
	read := func(overlays ...string) (*contract.Contract, error) {
		b := &bundle.Bundle{Main: "c.yaml", Files: []bundle.File{{Name: "c.yaml", Text: []byte(base)}}}
		for i, text := range overlays {
			b.Files = append(b.Files, bundle.File{Name: fmt.Sprintf("overlays/%d.yaml", len(overlays)-i), Text: []byte(text)})
		}
		return openapi.ReadBundle(b)
	}
	c, err := read(`
# the later one, by its name
overlay: 1.0.0
info: {title: more, version: "1"}
actions:
  - {target: "$.info", update: {title: "quay, later"}}
  - {target: "$.paths['/berths'].get.tags", update: new}
  - {target: "$.nothing", update: {a: 1}}
`, `
overlay: 1.1.0
info: {title: first, version: "1"}
actions:
  - {target: "$.info", update: {title: "quay, earlier", version: "2"}}
  - {target: "$.servers", update: [{url: /v2}]}
  - {target: "$.paths.*.delete", remove: true}
  - {target: "$.paths[?@.get.operationId=='dues']", remove: true}
  - {target: "$.components.schemas.B", update: {required: [n], properties: {n: {enum: [7]}}}}
  - {target: "$.components.schemas.B.properties", update: {m: {}}}
  - {target: "$.components.schemas.B.properties.m", copy: "$.components.schemas.B.properties.n"}
`)
	require.NoError(t, err)
	assert.Equal(t, "quay, later", c.Title)
	assert.Equal(t, "2", c.Version)
	assert.Equal(t, []string{"/v1", "/v2"}, c.BasePaths)
	require.Len(t, c.Operations, 1)
	assert.Equal(t, []string{"old", "new"}, c.Operations[0].Tags)
	value, valid := c.Operations[0].Success.MediaTypes[0].Schema.Generate(sample.NewDraw(1, "", 0))
	assert.True(t, valid)
	assert.Equal(t, `{"n":7,"m":7}`, string(value.AppendJSON(nil)))
	require.Len(t, c.Warnings, 1)
	assert.Equal(t, `overlays/2.yaml:8:5: target "$.nothing" selects nothing of the contract`, c.Warnings[0].String())
	for text, want := range map[string]string{
		"overlay: 2.0.0\nactions: []":                                      `overlay "2.0.0" is not supported`,
		"overlay: 1.0.0\nactions: [{target: '$.a[', update: 1}]":           "target: ",
		"overlay: 1.0.0\nactions: [{target: '$.info', copy: '$.paths.*'}]": "copy must select one place, and selects 2",
		"overlay: 1.0.0\nactions: [":                                       "overlays/1.yaml",
	} {
		_, err := read(text)
		assert.ErrorContains(t, err, want)
	}
}
