package openapi_test

import (
	"errors"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

func readDemo(t testing.TB, name string) *contract.Contract {
	text, err := os.ReadFile("../../../../demo/data/" + name)
	require.NoError(t, err)
	c, err := openapi.Read(text)
	require.NoError(t, err)
	return c
}

func TestReadTheDemo(t *testing.T) {
	moorings := readDemo(t, "moorings.yaml")
	assert.Equal(t, "OpenAPI 3.1", moorings.Format)
	assert.Equal(t, "2.3.0", moorings.Version)
	assert.Equal(t, []string{"/v2"}, moorings.BasePaths)
	assert.Empty(t, moorings.Warnings)
	require.Len(t, moorings.Operations, 9)
	book := moorings.Operations[4]
	assert.Equal(t, "POST /berths/{number}/bookings", book.String())
	assert.Equal(t, 201, book.Success.Status)
	assert.Equal(t, "confirmed", book.Success.MediaTypes[0].Examples[0].Name, "the first one, in the order of the document")
	assert.True(t, strings.HasPrefix(string(book.Success.MediaTypes[0].Examples[0].Body), `{"reference":"B-2041","berth":"N7","vessel":`), "keys in their order")

	tides := readDemo(t, "tides.yaml")
	assert.Equal(t, "1.8", tides.Version)
	require.Len(t, tides.Operations, 6)
	assert.Equal(t, []string{"application/json", "text/csv"}, contract.MediaTypeNames(tides.Operations[1].Success.MediaTypes))
	assert.Empty(t, tides.Operations[5].Success.MediaTypes, "204 has no body")
}

func TestBothNotationsGiveTheSame(t *testing.T) {
	text, err := os.ReadFile("../../../../demo/data/tides.yaml")
	require.NoError(t, err)
	n, err := tree.Parse(text)
	require.NoError(t, err)
	fromJSON, err := openapi.Read(n.AppendJSON(nil))
	require.NoError(t, err)
	fromYAML := readDemo(t, "tides.yaml")
	for i, op := range fromYAML.Operations {
		other := fromJSON.Operations[i]
		assert.Equal(t, op.String(), other.String())
		for j, mediaType := range op.Success.MediaTypes {
			if mediaType.Schema != nil {
				mine, _ := mediaType.Schema.Generate(sample.NewDraw(1, op.ID, 0))
				theirs, _ := other.Success.MediaTypes[j].Schema.Generate(sample.NewDraw(1, op.ID, 0))
				assert.Equal(t, string(mine.AppendJSON(nil)), string(theirs.AppendJSON(nil)))
			}
		}
	}
}

func TestSwagger(t *testing.T) {
	c, err := openapi.Read([]byte(`
swagger: 2.0
info: {title: Customs, version: "3"}
basePath: /api/
produces: [application/json]
paths:
  /manifests/{id}:
    get:
      operationId: getManifest
      responses:
        200: {description: ok, schema: {$ref: "#/definitions/Manifest"}}
        404: {$ref: "#/responses/Unknown"}
    put:
      operationId: putManifest
      consumes: [application/json]
      produces: [application/vnd.customs+json]
      parameters: [{in: body, name: body, required: true, schema: {$ref: "#/definitions/Manifest"}}]
      responses:
        201: {description: ok, schema: {type: object}, examples: {application/vnd.customs+json: {id: M-1}, text/plain: done}}
  /seals:
    delete: {operationId: breakSeals, responses: {204: {description: gone}}}
responses:
  Unknown: {description: no, schema: {type: object, required: [title], properties: {title: {type: string}}}, examples: {application/json: {title: no}}}
definitions:
  Manifest:
    type: object
    required: [id, weight, note]
    properties:
      id: {type: string, pattern: "^M-[0-9]$"}
      weight: {type: number, minimum: 0, exclusiveMinimum: true, maximum: 2}
      note: {type: string, x-nullable: true, enum: [fragile]}
`))
	require.NoError(t, err)
	assert.Equal(t, "Swagger 2.0", c.Format)
	assert.Equal(t, []string{"/api"}, c.BasePaths)
	assert.Empty(t, c.Warnings)
	get, put, seals := c.Operations[0], c.Operations[1], c.Operations[2]
	assert.Equal(t, []string{"application/json"}, contract.MediaTypeNames(get.Success.MediaTypes))
	seen := map[string]bool{}
	for i := range uint64(100) {
		value, valid := get.Success.MediaTypes[0].Schema.Generate(sample.NewDraw(1, "", i))
		require.True(t, valid, "%s", value.AppendJSON(nil))
		seen[string(value.Get("note").AppendJSON(nil))] = true
	}
	assert.Equal(t, map[string]bool{`"fragile"`: true, "null": true}, seen)
	assert.Equal(t, `{"title":"no"}`, string(get.Response(404).MediaTypes[0].Examples[0].Body))
	assert.Equal(t, []string{"application/vnd.customs+json", "text/plain"}, contract.MediaTypeNames(put.Success.MediaTypes))
	assert.Equal(t, `{"id":"M-1"}`, string(put.Success.MediaTypes[0].Examples[0].Body))
	assert.Equal(t, "done", string(put.Success.MediaTypes[1].Examples[0].Body))
	assert.Empty(t, seals.Success.MediaTypes)
}

func TestUnusableContractsSayWhere(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"no yaml":          {"openapi: 3.1.0\ninfo:\n  title: x\n version: 1\n", "4:2: did not find expected key (while parsing a block mapping that began in line 1)"},
		"no json":          {"{\"openapi\": \"3.1.0\",\n \"paths\": }", "2:11: invalid character '}' looking for beginning of value"},
		"another document": {"name: moorings\n", "1:1: the key openapi is missing, so this is not an OpenAPI document (for a sample or a JSON Schema, answers names its call: 'GET /berths')"},
		"an old version":   {"swagger: 1.2\n", `1:10: swagger "1.2" is not supported; 2.0 is, and OpenAPI 3.0, 3.1 and 3.2`},
		"a later version":  {"openapi: 4.0.0\n", `1:10: openapi "4.0.0" is not supported; 3.0, 3.1 and 3.2 are, and Swagger 2.0`},
		"a list":           {"- openapi: 3.1.0\n", "1:1: a contract is an object with the key openapi, not a list"},
		"no paths":         {"openapi: 3.1.0\ninfo: {}\n", "1:1: the contract has no paths, so there is nothing to answer"},
		"no operation":     {"openapi: 3.1.0\npaths:\n  /a: {summary: x}\n", "3:3: no path has an operation"},
		"nothing answers":  {"openapi: 3.1.0\npaths:\n  a: {get: {}}\n", `3:3: path must begin with /, not "a"`},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := openapi.Read([]byte(c.text))
			var p *problem.Error
			require.True(t, errors.As(err, &p), "%v", err)
			require.NotEmpty(t, p.Items)
			assert.Equal(t, c.want, p.Items[0].String())
		})
	}
}

func TestFaultsInPartsSkipOnlyThose(t *testing.T) {
	c, err := openapi.Read([]byte(`
openapi: 3.0.3
servers: [{url: "https://{host}.example/{base}/", variables: {base: {default: v9}, host: {default: a}}}]
paths:
  x-note: nothing
  "berths": {get: {responses: {"200": {description: bad path}}}}
  /a/{id: {get: {responses: {"200": {description: bad brace}}}}
  /xml:
    get: {responses: {"200": {content: {application/xml: {schema: {type: object}}}}}}
  /lost:
    get: {operationId: lost, responses: {"200": {$ref: "#/components/responses/None"}}}
  /outside: {$ref: "other.yaml#/x"}
  /found:
    get: {operationId: lost, responses: {default: {$ref: "#/components/responses/Some"}, "404": {description: no}}}
    post: {responses: {"404": {description: only bad}}}
    delete: {responses: {2XX: {content: {"*/*": {schema: {$ref: "#/components/schemas/Name"}}}}}}
components:
  responses:
    Some: {content: {text/plain: {example: hello}, application/json: {examples: {broken: {$ref: "#/nowhere"}, null-one: {value: null}}}}}
  schemas:
    Name: {type: string, example: Grey Gannet}
`))
	require.NoError(t, err)
	assert.Equal(t, []string{"/v9"}, c.BasePaths)
	skipped, answers := map[string]string{}, map[string]*contract.Operation{}
	for _, op := range c.Operations {
		if op.Skipped != nil {
			skipped[op.ID] = op.Skipped.String()
		} else {
			answers[op.ID] = op
		}
	}
	assert.Equal(t, map[string]string{
		"get-berths": `6:3: path must begin with /, not "berths"`,
		"get-a-id":   `7:3: path "/a/{id": segment "{id" does not close its brace`,
		"lost":       `11:49: $ref "#/components/responses/None" leads nowhere`,
	}, skipped)
	found := answers["lost-2"]
	require.NotNil(t, found)
	assert.Equal(t, 200, found.Success.Status)
	assert.Equal(t, "hello", string(found.Success.MediaTypes[0].Examples[0].Body))
	assert.Equal(t, "null", string(found.Success.MediaTypes[1].Examples[0].Body), "an example of null is a value")
	assert.Equal(t, 404, answers["post-found"].Success.Status)
	assert.Equal(t, `"Grey Gannet"`, string(answers["delete-found"].Success.MediaTypes[0].Examples[0].Body))
	var warnings []string
	for _, w := range c.Warnings {
		warnings = append(warnings, w.Detail)
	}
	assert.Equal(t, []string{
		`$ref "other.yaml#/x" leads outside the document (import the folder, or a zip of it)`,
		`operationId "lost" is used twice; this one is called "lost-2" here`,
		`$ref "#/nowhere" leads nowhere`,
	}, warnings)
}

func TestGeneratedDataObeyTheirSchemas(t *testing.T) {
	const draws = 1000
	check := func(name string, schema *contract.Schema) {
		t.Run(name, func(t *testing.T) {
			for i := range uint64(draws) {
				value, valid := schema.Generate(sample.NewDraw(3, name, i))
				require.True(t, valid, "draw %d: %s", i, value.AppendJSON(nil))
				require.NoError(t, schema.Check(value), "draw %d: %s", i, value.AppendJSON(nil))
			}
		})
	}
	text, err := os.ReadFile("testdata/hard.json") // schemas on which generators go wrong
	require.NoError(t, err)
	hard, err := openapi.Read(text)
	require.NoError(t, err)
	require.Empty(t, hard.Warnings)
	for _, op := range hard.Operations {
		check(op.Template.String(), op.Success.MediaTypes[0].Schema)
	}
	for _, file := range []string{"moorings.yaml", "tides.yaml"} {
		for _, op := range readDemo(t, file).Operations {
			for _, mediaType := range op.Success.MediaTypes {
				if strings.HasSuffix(mediaType.Name, "json") {
					check(op.ID, mediaType.Schema)
				}
			}
		}
	}
}

func TestExamplesOfTheDemoObeyTheirSchemas(t *testing.T) {
	for _, file := range []string{"moorings.yaml", "tides.yaml"} {
		for _, op := range readDemo(t, file).Operations {
			for _, mediaType := range op.Success.MediaTypes {
				for _, example := range mediaType.Examples {
					if example.Value != nil {
						assert.NoError(t, mediaType.Schema.Check(example.Value), "%s, example %q", op.ID, example.Name)
					}
				}
			}
		}
	}
}

func TestDrawsAreRepeatable(t *testing.T) {
	schema := readDemo(t, "moorings.yaml").Operations[8].Success.MediaTypes[0].Schema
	draw := func(seed int64, key string, n uint64) string {
		value, _ := schema.Generate(sample.NewDraw(seed, key, n))
		return string(value.AppendJSON(nil))
	}
	assert.Equal(t, draw(7, "GET /dues", 0), draw(7, "GET /dues", 0))
	assert.NotEqual(t, draw(7, "GET /dues", 0), draw(8, "GET /dues", 0))
	assert.NotEqual(t, draw(7, "GET /dues", 0), draw(7, "GET /dues", 1))
	assert.NotEqual(t, draw(7, "GET /dues", 0), draw(7, "GET /bookings", 0))
}

func TestASchemaWithoutValuesIsNoticed(t *testing.T) {
	c, err := openapi.Read([]byte(`{"openapi": "3.1.0", "paths": {"/x": {"get": {"responses": {"200": {"content": {"application/json": {"schema": {"type": "integer", "not": {"type": "integer"}}}}}}}}}}`))
	require.NoError(t, err)
	_, valid := c.Operations[0].Success.MediaTypes[0].Schema.Generate(sample.NewDraw(1, "", 0))
	assert.False(t, valid)
}

func offersOf(op *contract.Operation) (mediaTypes []*contract.MediaType) {
	for _, r := range op.Responses {
		mediaTypes = append(mediaTypes, r.MediaTypes...)
	}
	return mediaTypes
}

func FuzzRead(f *testing.F) {
	for _, name := range []string{"moorings.yaml", "tides.yaml"} {
		text, err := os.ReadFile("../../../../demo/data/" + name)
		require.NoError(f, err)
		f.Add(text)
	}
	f.Add([]byte(`{"openapi":"3.0","paths":{"/{a}":{"get":{"responses":{"2XX":{"content":{"a/json":{"schema":{"$ref":"#/paths"}}}}}}}}}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		c, err := openapi.Read(text)
		if err != nil {
			return
		}
		for _, op := range c.Operations {
			for _, mediaType := range offersOf(op) {
				if mediaType.Schema != nil {
					mediaType.Schema.Generate(sample.NewDraw(1, "", 0))
				}
			}
		}
	})
}

func BenchmarkGenerate(b *testing.B) {
	schema := readDemo(b, "moorings.yaml").Operations[8].Success.MediaTypes[0].Schema
	b.ReportAllocs()
	var n uint64
	var body []byte
	for b.Loop() {
		n++
		body, _ = schema.AppendJSON(body[:0], sample.NewDraw(1, "dues", n))
	}
}
