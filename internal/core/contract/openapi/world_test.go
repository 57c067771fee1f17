package openapi_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// document is a contract whose text is paths, and what stands beside them.
func document(t testing.TB, version, rest string) *contract.Contract {
	t.Helper()
	key := "openapi: " + version
	if version == "2.0" {
		key = "swagger: '2.0'"
	}
	c, err := openapi.Read([]byte(key + "\ninfo: {title: quay, version: '1'}\n" + rest))
	require.NoError(t, err)
	return c
}

// of is the schema of answers of a contract with these schemas and one answer.
func of(t testing.TB, schemas, answer string) *contract.Schema {
	c := document(t, "3.1.0", "paths: {/a: {get: {responses: {200: {description: x, content: {application/json: {schema: "+answer+"}}}}}}}\ncomponents: {schemas: "+schemas+"}\n")
	return c.Operations[0].Success.MediaTypes[0].Schema
}

// What schemas of the world say, with values that obey and values that do not; all that is drawn
// must obey, too, and be among the shapes.
func TestSchemasOfTheWorld(t *testing.T) {
	const ships = `Ship: {type: object, required: [kind], properties: {kind: {type: string}}, discriminator: {propertyName: kind, mapping: {tug: '#/components/schemas/Tug'}}},
		Tug: {allOf: [{$ref: '#/components/schemas/Ship'}, {type: object, required: [pull], properties: {pull: {type: integer}}}]},
		Ferry: {allOf: [{$ref: '#/components/schemas/Ship'}, {type: object, properties: {cars: {type: boolean}}}]}, NightFerry: {allOf: [{$ref: '#/components/schemas/Ferry'}, {type: object, required: [cabins], properties: {cabins: {type: integer}}}]}`
	for name, k := range map[string]struct {
		schemas, answer string
		good, bad       []string
		kinds           string // of what is drawn, by its property kind, in their order; "" for any
	}{
		"alternatives with a mapping and enums, in an allOf": {`{Pay: {allOf: [{type: object, properties: {amount: {type: integer}}}, {oneOf: [{$ref: '#/components/schemas/Cheque'}, {$ref: '#/components/schemas/Wire'}], discriminator: {propertyName: kind, mapping: {CHQ: '#/components/schemas/Cheque', WIRE: Wire}}}]},
			Cheque: {type: object, required: [kind, number], properties: {kind: {type: string, enum: [CHQ]}, number: {type: string}}}, Wire: {type: object, required: [kind], properties: {kind: {type: string, enum: [WIRE]}, to: {type: string}}}}`, `{$ref: '#/components/schemas/Pay'}`,
			[]string{`{"kind":"CHQ","number":"1","amount":1}`, `{"kind":"WIRE"}`}, []string{`{"kind":"Cheque","number":"1"}`, `{"kind":"CHQ"}`, `{"number":"1"}`}, "CHQ WIRE"},
		"told apart by the discriminator alone": {`{A: {type: object, required: [kind], properties: {kind: {type: string}, x: {type: integer}}}, B: {type: object, required: [kind], properties: {kind: {type: string}, y: {type: integer}}}}`, `{oneOf: [{$ref: '#/components/schemas/A'}, {$ref: '#/components/schemas/B'}], discriminator: {propertyName: kind}}`,
			[]string{`{"kind":"A","x":1}`, `{"kind":"B","y":1}`, `{"kind":"A","y":"any"}`}, []string{`{"kind":"B","y":"no"}`, `{"kind":"C"}`, `{"x":1}`}, "A B"},
		"a kind for all others": {`{A: {type: object, required: [kind, x], properties: {kind: {type: string}, x: {type: integer}}}, B: {type: object, required: [y], properties: {kind: {type: string}, y: {type: integer}}}}`, `{oneOf: [{$ref: '#/components/schemas/A'}, {$ref: '#/components/schemas/B'}], discriminator: {propertyName: kind, mapping: {a: '#/components/schemas/A'}, defaultMapping: B}}`,
			[]string{`{"kind":"a","x":1}`, `{"kind":"C","y":1}`, `{"y":1}`}, []string{`{"kind":"C"}`, `{"kind":"a","y":1}`}, "a B"},
		"enums that name themselves": {`{A: {type: object, required: [kind], properties: {kind: {enum: [a]}}}, B: {type: object, required: [kind], properties: {kind: {enum: [b, bb]}}}}`, `{oneOf: [{$ref: '#/components/schemas/A'}, {$ref: '#/components/schemas/B'}], discriminator: {propertyName: kind}}`,
			[]string{`{"kind":"a"}`, `{"kind":"bb"}`}, []string{`{"kind":"A"}`}, "a b"},
		"one enum for all, which tells nothing": {`{A: {type: object, properties: {kind: {enum: [x, y]}, n: {type: integer}}}, B: {type: object, properties: {kind: {enum: [x, y]}, s: {type: string}}}}`, `{anyOf: [{$ref: '#/components/schemas/A'}, {$ref: '#/components/schemas/B'}], discriminator: {propertyName: kind}}`,
			[]string{`{"kind":"x","n":1}`}, []string{`{"kind":"A"}`}, ""},
		"inheritance":                             {`{` + ships + `}`, `{$ref: '#/components/schemas/Ship'}`, []string{`{"kind":"tug","pull":9}`, `{"kind":"Tug","pull":9}`, `{"kind":"Ferry"}`, `{"kind":"NightFerry","cabins":2}`, `{"kind":"Ship"}`}, []string{`{"kind":"tug"}`, `{"kind":"Raft"}`, `{"kind":"NightFerry"}`, `{"kind":"Ferry","cars":1}`}, "Ferry NightFerry tug"},
		"one that others descend from":            {`{` + ships + `}`, `{$ref: '#/components/schemas/Ferry'}`, []string{`{"kind":"Ferry"}`, `{"kind":"NightFerry","cabins":2}`}, []string{`{"kind":"tug","pull":1}`, `{"kind":"NightFerry"}`}, "NightFerry"},
		"the last one":                            {`{` + ships + `}`, `{$ref: '#/components/schemas/Tug'}`, []string{`{"kind":"tug","pull":1}`}, []string{`{"kind":"tug"}`}, "tug"},
		"with a description beside it":            {`{` + ships + `}`, `{allOf: [{$ref: '#/components/schemas/Ship'}], description: what came}`, []string{`{"kind":"tug","pull":9}`}, []string{`{"kind":"tug"}`}, "Ferry NightFerry tug"},
		"in a list":                               {`{` + ships + `}`, `{type: array, minItems: 1, items: {$ref: '#/components/schemas/Ship'}}`, []string{`[{"kind":"tug","pull":9}]`}, []string{`[{"kind":"tug"}]`}, ""},
		"an enum with a pattern":                  {`{}`, `{type: string, enum: [abc, x1], pattern: '^[a-z]+$'}`, []string{`"abc"`}, []string{`"x1"`}, ""},
		"a moment with a pattern":                 {`{}`, `{type: string, format: date-time, pattern: '^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}Z$'}`, []string{`"2026-12-01T10:00:00Z"`}, []string{`"2026-12-01T10:00:00+01:00"`}, ""},
		"a day with a narrow pattern":             {`{}`, `{type: string, format: date, pattern: '^20\d{2}-01-0[1-9]$'}`, []string{`"2026-01-02"`}, []string{`"2026-02-02"`}, ""},
		"an optional that cannot be":              {`{}`, `{type: object, properties: {a: {type: integer, minimum: 5, maximum: 3}, b: {type: integer}}}`, []string{`{"b":1}`}, []string{`{"a":4}`}, ""},
		"an optional that has no enum":            {`{}`, `{type: object, properties: {a: {type: object, required: [b], properties: {b: {enum: [ab], pattern: '^x'}}}}}`, []string{`{}`}, []string{`{"a":{"b":"ab"}}`}, ""},
		"an alternative that cannot be":           {`{}`, `{oneOf: [{type: string, minLength: 3, maxLength: 1}, {type: integer}]}`, []string{`1`}, []string{`"ab"`}, ""},
		"classes by their names in POSIX":         {`{}`, `{type: string, pattern: '^[\p{Alpha}_]\p{XDigit}{3}$'}`, []string{`"Q0aF"`}, []string{`"Qxyz"`}, ""},
		"a pattern that is none":                  {`{}`, `{type: object, properties: {a: {type: string, pattern: '['}, b: {type: integer}}}`, []string{`{"a":"x"}`}, []string{`{"b":"x"}`}, ""},
		"more repeats than engines take":          {`{}`, `{type: string, pattern: '^a[bc]{0,1023}$', maxLength: 40}`, []string{`"abc"`}, []string{`"ad"`}, ""},
		"exact lengths around what may repeat":    {`{}`, `{type: string, pattern: '.*[0-9a-f]{8}-[0-9a-f]{4}.*', minLength: 13, maxLength: 13}`, nil, nil, ""},
		"whole numbers by their format":           {`{}`, `{type: number, format: int64}`, []string{"3"}, nil, ""},
		"an object that forbids what it requires": {`{}`, `{type: object, properties: {a: {type: object, required: [b], additionalProperties: false, properties: {c: {}}}}}`, []string{`{}`}, []string{`{"a":{"b":1}}`}, ""},
		"a length beside a pattern of one":        {`{}`, `{type: string, pattern: '[0-9a-f]', minLength: 24, maxLength: 24}`, nil, []string{`"0"`}, ""},
		"a format in capitals":                    {`{}`, `{type: string, format: uuid, pattern: '^[0-9A-F-]+$'}`, nil, nil, ""},
		"elements that cannot be":                 {`{}`, `{type: array, items: {type: string, minLength: 3, maxLength: 1}}`, []string{`[]`}, []string{`["ab"]`}, ""},
		"templates of addresses":                  {`{}`, `{type: string, format: uri-template}`, []string{`"/a{?b,c}"`, `"{/x}"`, `"/a/{b:3}{+c*}{#d}"`, `"/plain"`}, []string{`"{"`, `"/a{}"`, `"/a}"`, `"/a b"`}, ""},
		"formats that no standard knows":          {`{}`, `{type: object, properties: {a: {type: string, format: period}, b: {type: string, format: semver}, c: {type: string, format: berth}}}`, []string{`{"a":"x","b":"x","c":"x"}`}, nil, ""},
		"bytes of a picture":                      {`{}`, `{type: string, contentEncoding: base64, contentMediaType: image/png}`, nil, nil, ""},
		"a reference by the dynamic scope": {`{Page: {$id: page, type: object, properties: {items: {type: array, items: {$dynamicRef: '#item'}}}, $defs: {item: {$dynamicAnchor: item}}},
			Berths: {$id: berths, $ref: page, $defs: {item: {$dynamicAnchor: item, type: object, required: [number], properties: {number: {type: string}}}}}}`, `{$ref: '#/components/schemas/Berths'}`, []string{`{"items":[{"number":"N7"}]}`}, []string{`{"items":[{"n":1}]}`, `{"items":["x"]}`}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			s := of(t, k.schemas, k.answer)
			kinds := make(map[string]bool)
			for i := range uint64(60) {
				value, valid := s.Generate(sample.NewDraw(1, "", i))
				assert.True(t, valid, "%s", value.AppendJSON(nil))
				assert.NoError(t, s.Check(value), "%s", value.AppendJSON(nil))
				kinds[value.Get("kind").Str()] = true
			}
			for _, kind := range strings.Fields(k.kinds) {
				assert.True(t, kinds[kind], kind)
				delete(kinds, kind)
			}
			if k.kinds != "" {
				assert.Empty(t, kinds)
			}
			for i, text := range append(k.good, k.bad...) {
				n, err := tree.ParseJSON([]byte(text))
				require.NoError(t, err)
				assert.Equal(t, i < len(k.good), s.Check(n) == nil, "%s: %s", text, s.Breach(n))
			}
		})
	}
	_, valid := of(t, `{}`, `{type: object, required: [a], properties: {a: {type: integer, minimum: 5, maximum: 3}}}`).Generate(sample.NewDraw(1, "", 0))
	assert.False(t, valid, "what is required and cannot be")
}

// How operations of the world are written, and that none is lost.
func TestOperationsOfTheWorld(t *testing.T) {
	const ok = `responses: {200: {description: x}}`
	for name, k := range map[string]struct {
		version, text string
		want          func(t *testing.T, c *contract.Contract)
	}{
		"references with percent signs": {"3.0.0", `
paths:
  "/a/{id}": {get: {responses: {200: {description: x, content: {application/json: {schema: {type: integer}}}}}}, parameters: [{name: id, in: path, required: true, schema: {type: string}}]}
  "/b/{id}": {get: {operationId: b, parameters: [{$ref: '#/paths/~1a~1%7Bid%7D/parameters/0'}], responses: {200: {$ref: "#/paths/~1a~1%7Bid%7D/get/responses/200"}}}}`, func(t *testing.T, c *contract.Contract) {
			assert.Empty(t, c.Warnings)
			assert.Len(t, c.Operations[1].Success.MediaTypes, 1)
			assert.Len(t, c.Operations[1].Parameters, 1)
		}},
		"lists of lists": {"2.0", `
paths:
  "/a/{p}":
    get:
      parameters:
        - {name: p, in: path, required: true, type: array, items: {type: array, collectionFormat: pipes, items: {type: integer}}}
        - {name: q, in: query, required: true, type: array, collectionFormat: multi, items: {type: array, items: {type: integer}}}
        - {name: t, in: query, required: true, type: array, collectionFormat: tsv, items: {type: integer}}
        - {name: h, in: header, required: true, type: array, collectionFormat: ssv, items: {type: array, collectionFormat: pipes, items: {type: string, minLength: 2}}}
      responses: {200: {description: x, headers: {H: {type: array, collectionFormat: pipes, items: {type: array, items: {type: integer}}}}}}`, func(t *testing.T, c *contract.Contract) {
			op := c.Operations[0]
			read := func(path, query, header string) []call.Deviation {
				return op.CheckRequest(&match.Facts{Request: &call.Request{Query: query, Header: call.Header{"H": {header}}}}, []string{"a", path})
			}
			assert.Empty(t, read("1|2,3", "q=1,2&q=3&t=1%092", "ab|cd ef"))
			for place, found := range map[string][]call.Deviation{
				"path p /1 /0": read("1,x", "q=1&t=1", "ab"), "query q /0 /1": read("1", "q=1,x&t=1", "ab"), "query t /1": read("1", "q=1&t=1%09x", "ab"), "header h /1 /0": read("1", "q=1&t=1", "ab a"),
			} {
				require.Len(t, found, 1, place)
				assert.Equal(t, strings.ReplaceAll(place, " /", "/"), strings.ReplaceAll(found[0].Where, " /", "/"))
			}
			for n := range uint64(50) {
				r := op.Try(sample.NewDraw(1, "", n))
				require.Empty(t, op.CheckRequest(&match.Facts{Request: &r}, match.Split(nil, r.Path)), r.Path+"?"+r.Query)
				built, err := c.Protocol.Answer(&contract.Asked{Operation: op}, contract.Wanted{Status: 200, Headers: op.Success.Headers, Draw: func() *sample.Draw { return sample.NewDraw(1, "", n) }})
				require.NoError(t, err)
				require.Empty(t, op.CheckAnswer(&built.Answer, true, nil), built.Answer.Header)
			}
		}},
		"commas in a list with another separator": {"3.0.0", `
paths: {/a: {get: {parameters: [{name: q, in: query, required: true, style: pipeDelimited, explode: false, schema: {type: array, minItems: 2, items: {type: string, enum: ["a,b", "c"]}}}], ` + ok + `}}}`, func(t *testing.T, c *contract.Contract) {
			for n := range uint64(20) {
				r := c.Operations[0].Try(sample.NewDraw(1, "", n))
				assert.Empty(t, c.Operations[0].CheckRequest(&match.Facts{Request: &r}, []string{"a"}), r.Query)
			}
		}},
		"forms with tabs": {"2.0", `
paths: {/a: {post: {consumes: [application/x-www-form-urlencoded], parameters: [{name: f, in: formData, required: true, type: array, minItems: 2, collectionFormat: tsv, items: {type: integer}}], ` + ok + `}}}`, func(t *testing.T, c *contract.Contract) {
			op := c.Operations[0]
			assert.Empty(t, deviations(op, "/a", "application/x-www-form-urlencoded", "f=1%092"))
			assert.NotEmpty(t, deviations(op, "/a", "application/x-www-form-urlencoded", "f=1,2"))
			r := op.Try(sample.NewDraw(1, "", 1))
			assert.Empty(t, op.CheckRequest(&match.Facts{Request: &r}, []string{"a"}), string(r.Body.Bytes))
		}},
		"a list or a text": {"3.0.0", `
paths: {/a: {post: {requestBody: {content: {application/x-www-form-urlencoded: {encoding: {d: {style: deepObject, explode: true}}, schema: {properties: {
  d: {anyOf: [{type: array, items: {type: object, required: [n], properties: {n: {type: integer}}}}, {type: string, enum: [""]}]},
  e: {oneOf: [{type: array, items: {type: integer}}, {type: string, enum: [none]}]}}}}}},
  parameters: [{name: q, in: query, schema: {oneOf: [{type: array, items: {type: integer}}, {type: string, enum: [none]}]}}], ` + ok + `}}}`, func(t *testing.T, c *contract.Contract) {
			op := c.Operations[0]
			for body, places := range map[string]int{`d={"n":7}`: 0, `d={"n":7}&d={"n":8}`: 0, `d=`: 0, "e=none": 0, "e=1&e=2": 0, "e=7": 0, "e=seagull": 1, `d={"n":"x"}`: 1} {
				assert.Equal(t, places > 0, len(deviations(op, "/a", "application/x-www-form-urlencoded", body)) > 0, body)
			}
			for query, obeys := range map[string]bool{"q=none": true, "q=1&q=2": true, "q=7": true, "q=x": false} {
				assert.Equal(t, obeys, len(op.CheckRequest(&match.Facts{Request: &call.Request{Query: query}}, []string{"a"})) == 0, query)
			}
		}},
		"objects within objects of a query": {"3.0.0", `
paths: {/a: {get: {parameters: [{name: q, in: query, required: true, schema: {type: object, required: [l, m, n], properties: {l: {type: array, minItems: 1, items: {type: object, required: [n], properties: {n: {type: integer}}}}, m: {type: object, required: [n], properties: {n: {type: integer}}}, n: {type: array, items: {type: integer}}}}}], ` + ok + `}}}`, func(t *testing.T, c *contract.Contract) {
			for n := range uint64(20) {
				r := c.Operations[0].Try(sample.NewDraw(1, "", n))
				assert.Empty(t, c.Operations[0].CheckRequest(&match.Facts{Request: &r}, []string{"a"}), r.Query)
			}
			assert.NotEmpty(t, c.Operations[0].CheckRequest(&match.Facts{Request: &call.Request{Query: `l=[{"n":"x"}]&m={"n":1}&n=1`}}, []string{"a"}))
		}},
		"a body of which nothing is known": {"2.0", `
paths: {/a: {post: {consumes: [application/octet-stream], parameters: [{name: b, in: body, required: true, schema: {type: object, required: [n], properties: {n: {type: integer}}}}], ` + ok + `}}}`, func(t *testing.T, c *contract.Contract) {
			r := c.Operations[0].Try(sample.NewDraw(1, "", 1))
			assert.Regexp(t, `^\{"n":\d+\}$`, string(r.Body.Bytes))
			assert.Equal(t, "application/octet-stream", r.Header.Get("Content-Type"))
			assert.Empty(t, c.Operations[0].CheckRequest(&match.Facts{Request: &r}, []string{"a"}))
		}},
		"headers with content": {"3.0.0", `
paths: {/a: {get: {responses: {200: {description: x, headers: {J: {required: true, content: {application/json: {schema: {type: object, required: [n], properties: {n: {type: integer}}}}}}}}}}}}`, func(t *testing.T, c *contract.Contract) {
			op := c.Operations[0]
			built, err := c.Protocol.Answer(&contract.Asked{Operation: op}, contract.Wanted{Status: 200, Headers: op.Success.Headers, Draw: func() *sample.Draw { return sample.NewDraw(1, "", 1) }})
			require.NoError(t, err)
			assert.Regexp(t, `^\{"n":\d+\}$`, built.Answer.Get("J"))
			assert.Empty(t, op.CheckAnswer(&built.Answer, true, nil))
			assert.NotEmpty(t, op.CheckAnswer(&call.Answer{Status: 200, Header: []call.Field{{Name: "J", Value: `{"n":"x"}`}}}, true, nil))
		}},
		"parameters that the path has otherwise": {"3.0.0", `
paths:
  "/a/{id}": {get: {parameters: [{name: ID, in: path, required: true, schema: {type: integer}}, {name: other, in: path, required: true, schema: {type: string}}], ` + ok + `}}`, func(t *testing.T, c *contract.Contract) {
			require.Len(t, c.Warnings, 2)
			assert.Contains(t, c.Warnings[0].Detail, `"ID" is "id" in the path /a/{id}`)
			assert.Contains(t, c.Warnings[1].Detail, `"other" is not in the path /a/{id}; it is left out`)
			op := c.Operations[0]
			assert.Empty(t, op.CheckRequest(&match.Facts{Request: &call.Request{}}, []string{"a", "7"}))
			assert.NotEmpty(t, op.CheckRequest(&match.Facts{Request: &call.Request{}}, []string{"a", "x"}))
		}},
		"types that are none": {"3.1.0", `
paths:
  /a: {post: {requestBody: {required: true, content: {application/json: {schema: {$ref: '#/components/schemas/V'}}}}, ` + ok + `}}
components:
  securitySchemes: {k: {type: apiKey, in: header, name: K}}
  schemas: {V: {type: Object, required: [n], properties: {n: {type: float}, b: {type: bool}, d: {type: date}, o: {type: seagull}, type: {type: string}}}}`, func(t *testing.T, c *contract.Contract) {
			var told []string
			for _, w := range c.Warnings {
				told = append(told, w.Detail)
			}
			require.Len(t, told, 5)
			assert.Contains(t, told[0], `"Object" is no type of a schema; it is read as object`)
			assert.Contains(t, told[4], `"seagull" is no type of a schema, which has one of array, boolean, integer`)
			op := c.Operations[0]
			assert.Empty(t, deviations(op, "/a", "application/json", `{"n": 1.5, "b": true, "d": "2026-12-01", "o": [1], "type": "x"}`))
			for body, places := range map[string]int{`{"n": "x"}`: 1, `{}`: 1, `{"n": 1, "b": "no"}`: 1, `{"n": 1, "d": "soon"}`: 1, `{"n": 1, "type": 7}`: 1, `7`: 1} {
				assert.Len(t, deviations(op, "/a", "application/json", body), places, body)
			}
		}},
		"bodies by reference": {"2.0", `
consumes: [application/json]
parameters: {B: {name: b, in: body, required: true, schema: {type: object, required: [n]}}, F: {name: f, in: formData, type: array, items: {type: integer}}, G: {name: g, in: formData, type: string, required: true}}
paths:
  /a: {post: {parameters: [{$ref: '#/parameters/B'}], ` + ok + `}}
  /b: {parameters: [{$ref: '#/parameters/B'}], put: {` + ok + `}}
  /c: {parameters: [{$ref: '#/parameters/F'}], post: {parameters: [{$ref: '#/parameters/G'}], consumes: [application/x-www-form-urlencoded], ` + ok + `}}`, func(t *testing.T, c *contract.Contract) {
			for _, op := range c.Operations[:2] {
				require.NotNil(t, op.Body, op.ID)
				assert.True(t, op.Body.Required)
				assert.Equal(t, []string{"body: missing property 'n'"}, deviations(op, "/a", "application/json", `{}`))
			}
			assert.Empty(t, deviations(c.Operations[2], "/c", "application/x-www-form-urlencoded", "f=1,2&g=x"))
			assert.ElementsMatch(t, []string{"body: missing property 'g'", "body /f/1: got string, want integer"}, deviations(c.Operations[2], "/c", "application/x-www-form-urlencoded", "f=1,x"))
		}},
		"headers of the connection": {"3.0.0", `paths: {/a: {get: {responses: {200: {description: x, headers: {Content-Length: {required: true, schema: {type: integer}}, Content-Encoding: {schema: {enum: [gzip]}}, Date: {schema: {type: string}}, Last-Modified: {schema: {type: string}}, X-Run: {schema: {type: integer}}}}}}}}`, func(t *testing.T, c *contract.Contract) {
			b := answered(t, c, "GET", "/a", "")
			var names []string
			for _, f := range b.Answer.Header {
				names = append(names, f.Name)
			}
			assert.Equal(t, []string{"Last-Modified", "X-Run"}, names)
			assert.Regexp(t, `^\w{3}, \d\d \w{3} \d{4} \d\d:\d\d:\d\d GMT$`, b.Answer.Get("Last-Modified"))
			assert.Empty(t, c.Operations[0].CheckAnswer(&b.Answer, true, nil))
		}},
		"HEAD of its own": {"3.0.0", `paths: {/a: {get: {operationId: g, ` + ok + `}, head: {operationId: h, responses: {204: {description: x}}}}, /b: {get: {operationId: i, ` + ok + `}}}`, func(t *testing.T, c *contract.Contract) {
			assert.Equal(t, "h", asked(c, "HEAD", "/a").ID())
			assert.Equal(t, "g", asked(c, "GET", "/a").ID())
			assert.Equal(t, "i", asked(c, "HEAD", "/b").ID())
		}},
		"paths told apart by their parameters": {"3.0.0", `
paths:
  "/berths/{id}": {get: {operationId: byID, parameters: [{name: id, in: path, required: true, schema: {type: integer}}], ` + ok + `}, delete: {operationId: gone, ` + ok + `}}
  "/berths/{name}": {get: {operationId: byName, parameters: [{name: name, in: path, required: true, schema: {type: string, pattern: '^[A-Z]'}}], ` + ok + `}}`, func(t *testing.T, c *contract.Contract) {
			assert.Equal(t, "byID", asked(c, "GET", "/berths/7").ID())
			assert.Equal(t, "byName", asked(c, "GET", "/berths/N7").ID())
			assert.Equal(t, "byID", asked(c, "GET", "/berths/-").ID())
			assert.Equal(t, "gone", asked(c, "DELETE", "/berths/N7").ID())
		}},
		"servers everywhere": {"3.0.0", `
servers: [{url: 'https://quay.example/{v}/api', variables: {v: {default: v2, enum: [v1, v2]}}}]
paths: {/a: {servers: [{url: /old}], get: {operationId: a, ` + ok + `}}, /b: {get: {operationId: b, servers: [{url: 'https://b.example/own/'}], ` + ok + `}}, /api/c: {get: {operationId: c, servers: [{url: /v2}], ` + ok + `}}}`, func(t *testing.T, c *contract.Contract) {
			assert.Equal(t, []string{"/v2/api", "/v1/api", "/old", "/own", "/v2"}, c.BasePaths)
			for path, id := range map[string]string{"/a": "a", "/v1/api/a": "a", "/v2/api/b": "b", "/old/a": "a", "/own/b": "b", "/v2/api/c": "c", "/v3/api/a": ""} {
				assert.Equal(t, id, asked(c, "GET", path).ID(), path)
			}
		}},
		"all paths by reference": {"3.1.0", `paths: {$ref: '#/components/x-paths'}` + "\ncomponents: {x-paths: {/a: {get: {operationId: a, " + ok + `}}}}`, func(t *testing.T, c *contract.Contract) { assert.Equal(t, "a", asked(c, "GET", "/a").ID()) }},
		"what cannot answer is known": {"3.0.0", `
paths:
  /a: {get: {operationId: a, responses: {200: {description: x, content: {application/x-protobuf: {schema: {type: object}}}}}}}
  /b: {get: {operationId: b, ` + ok + `}}`, func(t *testing.T, c *contract.Contract) {
			a := asked(c, "GET", "/a")
			require.NotNil(t, a.Known)
			assert.Equal(t, "a", a.Known.ID)
			assert.Nil(t, asked(c, "POST", "/a").Known)
			assert.Nil(t, asked(c, "GET", "/b").Known)
		}},
		"credentials": {"3.0.0", `
security: [{key: []}]
paths:
  /a: {get: {operationId: a, ` + ok + `}, post: {operationId: b, security: [{user: [], key: []}, {token: [read]}], ` + ok + `}, put: {operationId: c, security: [], ` + ok + `}, delete: {operationId: d, security: [{}, {key: []}], ` + ok + `}, patch: {operationId: e, security: [{gone: []}], ` + ok + `}}
  /b: {get: {operationId: f, security: [{cookie: []}], ` + ok + `}, put: {operationId: g, security: [{query: []}], parameters: [{name: n, in: query, required: true, schema: {type: string}}], ` + ok + `}, post: {operationId: h, security: [{cert: []}], ` + ok + `}, patch: {operationId: i, security: [{digest: []}], ` + ok + `}, delete: {operationId: j, security: [{login: []}], ` + ok + `}}
components: {securitySchemes: {key: {type: apiKey, in: header, name: x-harbour-key}, user: {type: http, scheme: basic}, token: {type: http, scheme: Bearer, bearerFormat: JWT}, cookie: {type: apiKey, in: cookie, name: sid}, query: {type: apiKey, in: query, name: k}, cert: {type: mutualTLS}, digest: {type: http, scheme: digest}, login: {type: openIdConnect, openIdConnectUrl: /x}}}`, func(t *testing.T, c *contract.Contract) {
			assert.Equal(t, []call.Key{{In: "header", Name: "x-harbour-key"}, {In: "cookie", Name: "sid"}, {In: "query", Name: "k"}}, c.Keys)
			by := make(map[string]*contract.Operation)
			for _, op := range c.Operations {
				by[op.ID] = op
			}
			for _, k := range []struct {
				id, want string
				r        call.Request
			}{
				{"a", "header x-harbour-key is missing", call.Request{}},
				{"a", "", call.Request{Header: call.Header{"X-Harbour-Key": {"1"}}}},
				{"a", "header x-harbour-key is missing", call.Request{Header: call.Header{"X-Harbour-Key": {""}}}},
				{"b", "a name and a password (basic) is missing and header x-harbour-key is missing; or a bearer token is missing", call.Request{}},
				{"b", "header x-harbour-key is missing; or a bearer token is missing", call.Request{Header: call.Header{"Authorization": {"Basic YTpi"}}}},
				{"b", "a name and a password (basic) is not base64 of NAME:PASSWORD; or a bearer token is missing", call.Request{Header: call.Header{"Authorization": {"Basic YWI="}, "X-Harbour-Key": {"1"}}}},
				{"b", "", call.Request{Header: call.Header{"Authorization": {"basic YTpi"}, "X-Harbour-Key": {"1"}}}},
				{"b", "", call.Request{Header: call.Header{"Authorization": {"Bearer a.b.c"}}}},
				{"b", "", call.Request{Header: call.Header{"Authorization": {"Bearer a.b.c.d.e"}}}}, // encrypted
				{"b", "a name and a password (basic) is missing and header x-harbour-key is missing; or a bearer token is not a JSON Web Token", call.Request{Header: call.Header{"Authorization": {"Bearer abc"}}}},
				{"c", "", call.Request{}}, {"d", "", call.Request{}}, {"e", "", call.Request{}},
				{"f", "cookie sid is missing", call.Request{Header: call.Header{"Cookie": {"a=1"}}}},
				{"f", "", call.Request{Header: call.Header{"Cookie": {"a=1; sid=2"}}}},
				{"g", "query k is missing", call.Request{Query: "k="}},
				{"g", "", call.Request{Query: "k=1"}},
				{"h", "a client certificate is missing", call.Request{}},
				{"h", "", call.Request{Certificate: "CN=quay-board"}},
				{"i", "Authorization by digest is missing", call.Request{Header: call.Header{"Authorization": {"Digest"}}}},
				{"i", "", call.Request{Header: call.Header{"Authorization": {`Digest username="a"`}}}},
				{"j", "", call.Request{Header: call.Header{"Authorization": {"Bearer any"}}}},
			} {
				detail := ""
				for _, d := range by[k.id].CheckSecurity(&k.r, nil) {
					detail = d.Detail
				}
				assert.Equal(t, k.want, detail, "%s %v %s", k.id, k.r.Header, k.r.Query)
			}
			for id, challenge := range map[string]string{"a": "", "b": `Basic realm="contract"`, "j": "Bearer"} {
				assert.Equal(t, challenge, by[id].Challenge())
			}
			for id, op := range by {
				if r := op.Try(sample.NewDraw(1, "", 0)); id != "h" { // a certificate is of the connection
					assert.Empty(t, op.CheckSecurity(&r, nil), id)
				}
			}
		}},
		"credentials of Swagger": {"2.0", `
securityDefinitions: {key: {type: apiKey, in: query, name: k}, user: {type: basic}, login: {type: oauth2}}
paths: {/a: {get: {security: [{key: []}, {user: []}, {login: []}], ` + ok + `}}}`, func(t *testing.T, c *contract.Contract) {
			assert.Equal(t, "query k is missing; or a name and a password (basic) is missing; or a bearer token is missing", c.Operations[0].CheckSecurity(&call.Request{}, nil)[0].Detail)
		}},
		"what an operation produces": {"2.0", `
produces: [application/xml]
responses: {N: {description: x, schema: {type: integer}}}
paths: {/a: {get: {produces: [application/json], responses: {200: {$ref: '#/responses/N'}}}}, /b: {get: {responses: {200: {$ref: '#/responses/N'}}}}}`, func(t *testing.T, c *contract.Contract) {
			assert.Equal(t, "application/json", answered(t, c, "GET", "/a", "").MediaType.Name)
			assert.Equal(t, "application/xml", answered(t, c, "GET", "/b", "").MediaType.Name)
		}},
		"alternatives that cannot be written": {"3.0.0", `paths: {/a: {get: {responses: {200: {description: x, content: {application/x-protobuf: {schema: {type: object}}, application/yaml: {schema: {type: object, required: [n], properties: {n: {enum: [7]}}}}}}}}}}`, func(t *testing.T, c *contract.Contract) {
			assert.Equal(t, "n: 7\n", string(answered(t, c, "GET", "/a", "").Answer.Body))
			assert.Equal(t, "application/yaml", answered(t, c, "GET", "/a", "application/x-protobuf").MediaType.Name)
			a := asked(c, "GET", "/a")
			_, err := c.Protocol.Answer(a, contract.Wanted{Status: 200, MediaTypes: c.Operations[0].Success.MediaTypes, Accept: []string{"image/png"}})
			assert.Error(t, err)
			assert.Empty(t, c.Operations[0].CheckAnswer(&call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: "application/yaml"}}, Body: []byte("n: 7")}, true, nil))
			assert.NotEmpty(t, c.Operations[0].CheckAnswer(&call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: "application/yaml"}}, Body: []byte("n: 8")}, true, nil))
		}},
		"YAML that is a text": {"3.0.0", `paths: {/a: {get: {responses: {200: {description: x, content: {application/yaml: {schema: {type: string, enum: ["n: 7"]}}}}}}}}`, func(t *testing.T, c *contract.Contract) {
			b := answered(t, c, "GET", "/a", "")
			assert.Equal(t, "n: 7", string(b.Answer.Body))
			assert.Empty(t, c.Operations[0].CheckAnswer(&b.Answer, true, nil))
		}},
		"parameters that the standard ignores, and those with content": {"3.0.0", `
paths: {/a: {get: {parameters: [{name: Authorization, in: header, required: true, schema: {type: string}}, {name: Accept, in: header, schema: {enum: [x]}}, {name: q, in: query, required: true, content: {application/json: {schema: {type: object, required: [n], properties: {n: {type: integer}}}}}}], ` + ok + `}}}`, func(t *testing.T, c *contract.Contract) {
			op := c.Operations[0]
			for query, want := range map[string][]string{`q={"n":1}`: nil, `q={"n":"x"}`: {"query q /n: got string, want integer"}, `q=x`: {"query q: got string, want object"}, ``: {"query q: it is required and missing"}} {
				r := &call.Request{Method: "GET", Query: query, Header: call.Header{"Accept": {"*/*"}}}
				var got []string
				for _, d := range op.CheckRequest(&match.Facts{Request: r}, []string{"a"}) {
					got = append(got, d.Where+": "+d.Detail)
				}
				assert.Equal(t, want, got, query)
			}
			r := op.Try(sample.NewDraw(1, "", 0))
			assert.Empty(t, op.CheckRequest(&match.Facts{Request: &r}, []string{"a"}), r.Query)
		}},
		"operations told apart behind a #": {"3.0.0", `
paths:
  "/#Action=Book": {post: {operationId: book, parameters: [{name: Action, in: query, required: true, schema: {type: string, enum: [Book]}}], ` + ok + `}}
  "/#Action=Free": {post: {operationId: free, parameters: [{name: Action, in: query, required: true, schema: {type: string, enum: [Free]}}], ` + ok + `}}
  "/#X-Target=Ask": {post: {operationId: ask, parameters: [{name: X-Target, in: header, required: true, schema: {type: string, enum: [Ask]}}], ` + ok + `}}`, func(t *testing.T, c *contract.Contract) {
			for query, id := range map[string]string{"Action=Book": "book", "Action=Free": "free", "Action=None": "book"} {
				a := c.Protocol.Dispatch(&call.Request{Method: "POST", Query: query}, []string{""})
				assert.Equal(t, id, a.ID(), query)
			}
			a := c.Protocol.Dispatch(&call.Request{Method: "POST", Header: call.Header{"X-Target": {"Ask"}}}, []string{""})
			assert.Equal(t, "ask", a.ID())
		}},
		"XML of lists and maps in what is put together": {"3.0.0", `
paths: {/a: {post: {requestBody: {content: {application/xml: {schema: {$ref: '#/components/schemas/V'}}}}, ` + ok + `}}}
components: {schemas: {E: {type: object, properties: {b: {type: boolean}, l: {type: array, items: {type: integer}}}}, L: {type: array, items: {allOf: [{$ref: '#/components/schemas/E'}, {xml: {name: e}}]}},
  V: {type: object, properties: {l: {allOf: [{$ref: '#/components/schemas/L'}, {description: some}]}, m: {type: object, additionalProperties: {$ref: '#/components/schemas/E'}}}}}}`, func(t *testing.T, c *contract.Contract) {
			assert.Empty(t, deviations(c.Operations[0], "/a", "application/xml", "<V><e><b>true</b></e><e/><m><x><b>false</b><l>1</l></x></m></V>"))
			assert.Len(t, deviations(c.Operations[0], "/a", "application/xml", "<V><e><b>no</b></e><m><x><l>y</l></x></m></V>"), 2)
		}},
		"methods of their own": {"3.2.0", `
$self: https://quay.example/contract.yaml
paths: {/a: {query: {operationId: q, responses: {200: {$ref: 'https://quay.example/contract.yaml#/components/responses/R'}}}, additionalOperations: {LINK: {operationId: l, ` + ok + `}}}}
components: {responses: {R: {description: x, content: {application/json: {schema: {type: integer}}}}}}`, func(t *testing.T, c *contract.Contract) {
			assert.Equal(t, "OpenAPI 3.2", c.Format)
			assert.Equal(t, "q", asked(c, "QUERY", "/a").ID())
			assert.Equal(t, "l", asked(c, "LINK", "/a").ID())
			assert.Len(t, c.Operations[0].Success.MediaTypes, 1)
		}},
		"tags within tags, and servers": {"3.2.0", `
tags: [{name: harbour, summary: The harbour}, {name: berths, parent: harbour}, {name: a, parent: b}, {name: b, parent: a}]
servers: [{url: "https://{place}.example/v2", name: Production, variables: {place: {default: office}}}, {url: /v3, description: As it will be}, {url: ""}]
paths: {/x: {get: {operationId: x, tags: [berths, harbour], ` + ok + `}}, /y: {get: {operationId: y, tags: [unknown], ` + ok + `}}, /z: {get: {operationId: z, tags: [a], ` + ok + `}}}`, func(t *testing.T, c *contract.Contract) {
			assert.Equal(t, []string{"The harbour", "berths"}, c.Operations[0].Group)
			assert.Equal(t, []string{"unknown"}, c.Operations[1].Group)
			assert.Equal(t, []string{"b", "a"}, c.Operations[2].Group, "tags that hold one another")
			assert.Equal(t, []contract.Server{{Address: "https://office.example/v2", Name: "Production"}, {Address: "/v3", Description: "As it will be"}}, c.Servers)
		}},
		"streams": {"3.2.0", `
paths: {/a: {get: {responses: {200: {description: x, content: {
  application/jsonl: {itemSchema: {type: object, required: [n], properties: {n: {type: integer}}}}, application/json-seq: {itemSchema: {type: integer}},
  text/event-stream: {itemSchema: {type: object, required: [data], properties: {event: {enum: [tide]}, data: {type: string}, retry: {type: integer}}}}, multipart/mixed: {itemSchema: {type: integer}}}}}}}}`, func(t *testing.T, c *contract.Contract) {
			op := c.Operations[0]
			require.Len(t, op.Success.MediaTypes, 4)
			for accept, form := range map[string]string{"application/jsonl": `^(\{"n":\d+\}\n){3}$`, "application/json-seq": "^(\x1e\\d+\n){3}$", "text/event-stream": `^((event: tide\n)?(retry: \d+\n)?data: .+\n\n){3}$`, "multipart/mixed": `^(--\S+\r\nContent-Type: application/json\r\n\r\n\d+\r\n){3}--`} {
				b := answered(t, c, "GET", "/a", accept)
				assert.Regexp(t, form, string(b.Answer.Body))
				assert.Empty(t, op.CheckAnswer(&b.Answer, true, nil), "%s", b.Answer.Body)
			}
			wrong := func(mediaType, body string) (found []string) {
				for _, d := range op.CheckAnswer(&call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: mediaType}}, Body: []byte(body)}, true, nil) {
					found = append(found, d.Where+": "+d.Detail)
				}
				return found
			}
			assert.Equal(t, []string{"body item 2 /n: got string, want integer"}, wrong("application/jsonl", "{\"n\":1}\n{\"n\":\"x\"}\n"))
			assert.Equal(t, []string{"body: it is not application/jsonl: item 2: line 1, column 1: invalid character 'o' looking for beginning of value"}, wrong("application/jsonl", "{\"n\":1}\noh\n"))
			assert.Equal(t, []string{"body item 1 /event: value must be 'tide'"}, wrong("text/event-stream", ": hello\n\nevent: ebb\ndata: 1\ndata: 2\n\n"))
		}},
		"the whole query": {"3.2.0", `paths: {/a: {get: {parameters: [{name: q, in: querystring, required: true, content: {application/json: {schema: {type: object, required: [n], properties: {n: {type: integer}}}}}}], ` + ok + `}}, /b: {get: {parameters: [{name: q, in: querystring, content: {application/x-www-form-urlencoded: {schema: {type: object, required: [n], properties: {n: {type: integer}}}}}}], ` + ok + `}}}`, func(t *testing.T, c *contract.Contract) {
			for i, k := range []map[string]int{{`%7B%22n%22%3A1%7D`: 0, `%7B%22n%22%3A%22x%22%7D`: 1, ``: 1, `x`: 1}, {`n=1`: 0, `n=x`: 1, ``: 0, `m=1`: 1}} {
				op := c.Operations[i]
				for query, want := range k {
					assert.Len(t, op.CheckRequest(&match.Facts{Request: &call.Request{Method: "GET", Query: query}}, []string{"a"}), want, "%s %q", op.ID, query)
				}
				r := op.Try(sample.NewDraw(1, "", 0))
				assert.Empty(t, op.CheckRequest(&match.Facts{Request: &r}, []string{"a"}), r.Query)
			}
		}},
		"XML of a type by reference": {"3.0.0", `
paths: {/a: {post: {requestBody: {content: {application/xml: {schema: {$ref: '#/components/schemas/V'}}}}, ` + ok + `}}}
components: {schemas: {N: {type: integer}, V: {type: object, properties: {n: {allOf: [{$ref: '#/components/schemas/N'}], description: how many}}}}}`, func(t *testing.T, c *contract.Contract) {
			assert.Empty(t, deviations(c.Operations[0], "/a", "application/xml", "<V><n>7</n></V>"))
			assert.NotEmpty(t, deviations(c.Operations[0], "/a", "application/xml", "<V><n>x</n></V>"))
		}},
	} {
		t.Run(name, func(t *testing.T) { k.want(t, document(t, k.version, k.text)) })
	}
}

func asked(c *contract.Contract, method, path string) *contract.Asked {
	a := c.Protocol.Dispatch(&call.Request{Method: method}, match.Split(nil, path))
	return &a
}

func answered(t *testing.T, c *contract.Contract, method, path, accept string) contract.Built {
	t.Helper()
	a := asked(c, method, path)
	require.NotNil(t, a.Operation)
	w := contract.Wanted{Status: a.Operation.Success.Status, Headers: a.Operation.Success.Headers, MediaTypes: a.Operation.Success.MediaTypes, Draw: func() *sample.Draw { return sample.NewDraw(1, "", 0) }}
	if accept != "" {
		w.Accept = []string{accept}
	}
	b, err := c.Protocol.Answer(a, w)
	require.NoError(t, err)
	return b
}

// deviations are those of a call with a body.
func deviations(op *contract.Operation, path, mediaType, body string) (found []string) {
	r := &call.Request{Method: op.Method, Header: call.Header{"Content-Type": {mediaType}}, Body: call.Body{Bytes: []byte(body), Size: int64(len(body))}}
	for _, d := range op.CheckRequest(&match.Facts{Request: r}, match.Split(nil, path)) {
		found = append(found, d.Where+": "+d.Detail)
	}
	return found
}
