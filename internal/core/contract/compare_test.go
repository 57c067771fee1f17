package contract_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/openapi"
)

const berths = `
openapi: 3.1.0
paths:
  /berths/{number}:
    parameters: [{name: number, in: path, required: true, schema: {type: string}}]
    get:
      parameters: [{name: season, in: query, schema: {type: string}}, {$ref: "#/components/parameters/Trace"}]
      responses:
        "200": {description: ok, content: {application/json: {schema: {$ref: "#/components/schemas/Berth"}}}}
        "404": {description: no}
  /berths:
    post:
      requestBody: {content: {application/json: {schema: {$ref: "#/components/schemas/Berth"}}}}
      responses: {"201": {description: made}}
  /dues: {get: {responses: {"200": {description: ok}}}}
components:
  parameters:
    Trace: {name: X-Trace, in: header, schema: {type: string}}
  schemas:
    Berth:
      type: object
      required: [number]
      properties:
        number: {type: string, maxLength: 3}
        title: {type: string}
        state: {enum: [free, taken]}
        neighbours: {type: array, items: {$ref: "#/components/schemas/Berth"}}
`

func read(t *testing.T, text string) *contract.Contract {
	c, err := openapi.Read([]byte(text))
	require.NoError(t, err)
	return c
}

func TestCompare(t *testing.T) {
	older := read(t, berths)
	for name, c := range map[string]struct {
		edit []string // old, new, old, new …
		want []string
	}{
		"nothing":                     {nil, nil},
		"words only":                  {[]string{"description: ok", "description: fine", "{type: string, maxLength: 3}", "{type: string, maxLength: 3, description: painted on the quay, x-note: 1}"}, nil},
		"the order of keys and lists": {[]string{"{type: string, maxLength: 3}", "{maxLength: 3, type: string}", "[free, taken]", "[taken, free]"}, nil},
		"a property called title": {[]string{"        title: {type: string}\n", "        title: {type: integer}\n"}, []string{
			`GET /berths/{number}: response 200, application/json, title, type changed "string" → "integer"`,
			`POST /berths: request body, application/json, title, type changed "string" → "integer"`,
		}},
		"behind a reference": {[]string{"maxLength: 3", "maxLength: 4", "[free, taken]", "[free, taken, closed]"}, []string{
			`GET /berths/{number}: response 200, application/json, number, maxLength changed 3 → 4`,
			`GET /berths/{number}: response 200, application/json, state, enum closed added  → "closed"`,
			`POST /berths: request body, application/json, number, maxLength changed 3 → 4`,
			`POST /berths: request body, application/json, state, enum closed added  → "closed"`,
		}},
		"required": {[]string{"required: [number]", "required: [number, state]"}, []string{
			`GET /berths/{number}: response 200, application/json, required state added  → "state"`,
			`POST /berths: request body, application/json, required state added  → "state"`,
		}},
		"parameters": {[]string{"{name: season, in: query, schema: {type: string}}", "{name: year, in: query, schema: {type: integer}}", "in: header, schema: {type: string}", "in: header, required: true, schema: {type: string}"}, []string{
			`GET /berths/{number}: parameter query season removed  → `,
			`GET /berths/{number}: parameter query year added  → `,
			`GET /berths/{number}: parameter header X-Trace, required added  → true`,
		}},
		"statuses": {[]string{`"404": {description: no}`, `"410": {description: gone}`}, []string{
			`GET /berths/{number}: response 404 removed  → `,
			`GET /berths/{number}: response 410 added  → `,
		}},
		"operations": {[]string{"  /dues: {get:", "  /tolls: {get:"}, []string{"added GET /tolls", "removed GET /dues"}},
	} {
		t.Run(name, func(t *testing.T) {
			require.Zero(t, len(c.edit)%2)
			changes := contract.Compare(older, read(t, strings.NewReplacer(c.edit...).Replace(berths)))
			var got []string
			for _, op := range changes.Added {
				got = append(got, "added "+op.String())
			}
			for _, op := range changes.Removed {
				got = append(got, "removed "+op.String())
			}
			for _, op := range changes.Changed {
				for _, d := range op.Differences {
					got = append(got, op.Operation.String()+": "+d.Where+" "+d.What+" "+d.Before+" → "+d.After)
				}
			}
			assert.Equal(t, c.want, got)
		})
	}
}

// Schemas that refer to one another all over are compared once, not once for
// each operation and each way that leads to them.
func TestCompareEndsOnTangledSchemas(t *testing.T) {
	const n = 300
	var text strings.Builder
	text.WriteString("openapi: 3.1.0\npaths:\n")
	for i := range n {
		fmt.Fprintf(&text, "  /p%d: {get: {responses: {'200': {content: {application/json: {schema: {$ref: '#/components/schemas/S%d'}}}}}}}\n", i, i)
	}
	text.WriteString("components:\n  schemas:\n")
	for i := range n {
		fmt.Fprintf(&text, "    S%d: {type: object, maxProperties: 9, properties: {", i)
		for j := range 30 {
			fmt.Fprintf(&text, "p%d: {$ref: '#/components/schemas/S%d'},", j, (i*7+j*13)%n)
		}
		text.WriteString("}}\n")
	}
	older := read(t, text.String())
	assert.Equal(t, contract.Changes{}, contract.Compare(older, read(t, text.String())))
	changes := contract.Compare(older, read(t, strings.Replace(text.String(), "maxProperties: 9", "maxProperties: 8", 1)))
	require.Len(t, changes.Changed, n, "every operation reaches the schema that changed")
	assert.Len(t, changes.Changed[0].Differences, 1)
}

// Of schemas that are put together from others, what differs is told, not that one went and
// another came.
func TestCompareMembersOfSchemas(t *testing.T) {
	document := func(schema, components string) *contract.Contract {
		return read(t, "openapi: 3.1.0\npaths: {/a: {get: {responses: {'200': {description: ok, content: {application/json: {schema: "+schema+"}}}}}}}\ncomponents: {schemas: {"+components+"}}\n")
	}
	const at = "response 200, application/json, "
	for name, c := range map[string]struct {
		older, newer            string
		components, components2 string
		want                    []string
	}{
		"a property is added": {older: "{allOf: [{type: object, properties: {a: {type: string}}}]}", newer: "{allOf: [{type: object, properties: {a: {type: string}, b: {type: string}}}]}",
			want: []string{at + "allOf, b added"}},
		"the second of three, and the order": {older: "{oneOf: [{const: 1}, {type: object, maxProperties: 2}, {type: string}]}", newer: "{oneOf: [{type: string}, {type: object, maxProperties: 3}, {const: 1}]}",
			want: []string{at + "oneOf, maxProperties changed 2 → 3"}},
		"behind a reference": {older: "{oneOf: [{$ref: '#/components/schemas/A'}, {$ref: '#/components/schemas/B'}]}", newer: "{oneOf: [{$ref: '#/components/schemas/B'}, {$ref: '#/components/schemas/A'}]}",
			components: "A: {type: string}, B: {type: object, maxProperties: 1}", components2: "A: {type: integer}, B: {type: object, maxProperties: 1}",
			want: []string{at + `oneOf, A, type changed "string" → "integer"`}},
		"by its title": {older: "{oneOf: [{title: Boat, type: string}, {title: Berth, type: string}]}", newer: "{oneOf: [{title: Berth, type: number}, {title: Boat, type: string}, {title: Pier, type: object}]}",
			want: []string{at + `oneOf, Berth, type changed "string" → "number"`, at + "oneOf added"}},
		"one more": {older: "{oneOf: [{type: string}]}", newer: "{oneOf: [{type: string}, {type: object}]}", want: []string{at + "oneOf added"}},
	} {
		t.Run(name, func(t *testing.T) {
			if c.components2 == "" {
				c.components2 = c.components
			}
			var found []string
			for _, op := range contract.Compare(document(c.older, c.components), document(c.newer, c.components2)).Changed {
				for _, d := range op.Differences {
					text := d.Where + " " + d.What
					if d.What == "changed" {
						text += " " + d.Before + " → " + d.After
					}
					found = append(found, text)
				}
			}
			assert.Equal(t, c.want, found)
		})
	}
}

// Callbacks and webhooks are compared like operations, with the roles exchanged: who calls the service
// gets their requests and answers them.
func TestCompareWhatTheServiceCalls(t *testing.T) {
	const text = `
openapi: 3.1.0
paths:
  /bookings:
    post:
      responses: {"201": {description: made}}
      callbacks:
        changed:
          "{$request.query.tell}":
            post:
              parameters: [{name: X-Trace, in: header, required: true, schema: {type: string}}]
              requestBody: {required: true, content: {application/json: {schema: {type: object, required: [state], properties: {state: {type: string}}}}}}
              responses: {"200": {description: ok, content: {application/json: {schema: {type: object, properties: {seen: {type: boolean}}}}}}}
webhooks:
  berthFreed:
    post:
      requestBody: {content: {application/json: {schema: {type: object, properties: {berth: {type: string}}}}}}
      responses: {"204": {description: ok}}
  pierClosed: {post: {responses: {"204": {description: ok}}}}
`
	older := read(t, text)
	for _, c := range []struct{ was, is, want, effect string }{
		{"required: [state], ", "", "POST /bookings: callback changed, request body, application/json, required state removed", "breaking"},
		{"state: {type: string}", "state: {type: string}, by: {type: string}", "POST /bookings: callback changed, request body, application/json, by added", "compatible"},
		{"required: true, content", "content", "POST /bookings: callback changed, request body, required removed", "breaking"},
		{"required: true, schema", "schema", "POST /bookings: callback changed, parameter header X-Trace, required removed", "breaking"},
		{"{name: X-Trace, in: header, required: true, schema: {type: string}}", "", "POST /bookings: callback changed, parameter header X-Trace removed", "breaking"},
		{"parameters: [", "parameters: [{name: X-By, in: header, required: true, schema: {}}, ", "POST /bookings: callback changed, parameter header X-By added", "compatible"},
		{"properties: {seen", "required: [seen], properties: {seen", "POST /bookings: callback changed, response 200, application/json, required seen added", "breaking"},
		{`"200": {description: ok, content`, `"202": {description: ok}, "200": {description: ok, content`, "POST /bookings: callback changed, response 202 added", "compatible"},
		{"            post:", "            put:", "POST /bookings: callback changed, {$request.query.tell}, post removed", "breaking"},
		{"        changed:", "        moved:", "POST /bookings: callback changed removed", "breaking"},
		{"properties: {berth: {type: string}}", "properties: {berth: {type: integer}}", `webhook berthFreed: request body, application/json, berth, type changed`, "breaking"},
		{"{berth: {type: string}}", "{berth: {type: string}, pier: {type: string}}", `webhook berthFreed: request body, application/json, pier added`, "compatible"},
		{"requestBody: {content: {application/json", "requestBody: {content: {text/plain: {}, application/json", `webhook berthFreed: request body, text/plain added`, "unknown"},
	} {
		changes := contract.Compare(older, read(t, strings.Replace(text, c.was, c.is, 1)))
		require.Len(t, changes.Changed, 1, c.is)
		d := changes.Changed[0].Differences[0]
		assert.Equal(t, c.want, changes.Changed[0].Operation.String()+": "+d.Where+" "+d.What)
		assert.Equal(t, c.effect, string(d.Effect), c.want)
	}
	changes := contract.Compare(older, read(t, strings.Replace(text, "pierClosed", "pierOpened", 1)))
	require.Len(t, changes.Added, 1)
	assert.Equal(t, []string{"webhook pierOpened", "webhook pierClosed"}, []string{changes.Added[0].String(), changes.Removed[0].String()})
	assert.Equal(t, contract.Changes{}, contract.Compare(older, read(t, text)))
}

// What each change means for those who send and for those who get.
func TestEffects(t *testing.T) {
	document := func(sent, got, more string) string {
		return "openapi: 3.1.0\npaths:\n  /a:\n    post:\n      requestBody: {content: {application/json: {schema: {type: object, required: [k], properties: {k: " + sent + "}}}}}\n      responses: {200: {description: x, content: {application/json: {schema: {type: object, required: [k], properties: {k: " + got + "}}}}}" + more + "}\n"
	}
	for _, k := range []struct{ was, is, sent, got string }{
		{"{type: integer}", "{type: string}", "breaking", "breaking"},
		{"{type: integer}", "{type: number}", "compatible", "breaking"},
		{"{type: [integer, 'null']}", "{type: integer}", "breaking", "compatible"},
		{"{type: string}", "{}", "compatible", "unknown"},
		{"{enum: [a, b]}", "{enum: [a]}", "breaking", "compatible"},
		{"{enum: [a]}", "{enum: [a, b]}", "compatible", "unknown"},
		{"{type: string}", "{type: string, enum: [a]}", "breaking", "compatible"},
		{"{type: integer, minimum: 1}", "{type: integer, minimum: 2}", "breaking", "compatible"},
		{"{type: integer, minimum: 2}", "{type: integer, minimum: 1}", "compatible", "unknown"},
		{"{type: integer}", "{type: integer, maximum: 2}", "breaking", "compatible"},
		{"{type: integer, maximum: 2}", "{type: integer}", "compatible", "unknown"},
		{"{type: string, maxLength: 2}", "{type: string, maxLength: 3}", "compatible", "unknown"},
		{"{type: string}", "{type: string, pattern: a}", "breaking", "compatible"},
		{"{type: string, pattern: a}", "{type: string, pattern: b}", "unknown", "unknown"},
		{"{type: object, properties: {n: {}}}", "{type: object, properties: {n: {}, m: {}}}", "compatible", "compatible"},
		{"{type: object, properties: {n: {}, m: {}}}", "{type: object, properties: {n: {}}}", "unknown", "breaking"},
		{"{type: object, required: [n]}", "{type: object, required: [n, m]}", "breaking", "compatible"},
		{"{type: object, required: [n, m]}", "{type: object, required: [n]}", "compatible", "breaking"},
		{"{type: object}", "{type: object, additionalProperties: false}", "breaking", "compatible"},
		{"{type: object, additionalProperties: false}", "{type: object, additionalProperties: true}", "compatible", "unknown"},
		{"{oneOf: [{type: string}, {type: integer}]}", "{oneOf: [{type: string}]}", "breaking", "compatible"},
		{"{allOf: [{type: string}]}", "{allOf: [{type: string}, {minLength: 1}]}", "unknown", "unknown"},
		{"{properties: {content: {type: integer}}}", "{properties: {content: {type: string}}}", "breaking", "breaking"},
		{"{properties: {headers: {maxLength: 3}}}", "{properties: {headers: {}}}", "compatible", "unknown"},
		{"{properties: {required: {type: integer}}}", "{properties: {required: {type: string}}}", "breaking", "breaking"},
		{"{properties: {enum: {type: integer}}}", "{properties: {enum: {type: number}}}", "compatible", "breaking"},
		{"{properties: {properties: {type: integer}}}", "{properties: {properties: {type: string}}}", "breaking", "breaking"},
		{"{type: array, items: {type: integer}}", "{type: array, items: {type: string}}", "breaking", "breaking"},
	} {
		for _, side := range []struct{ was, is, want string }{
			{document(k.was, "{}", ""), document(k.is, "{}", ""), k.sent},
			{document("{}", k.was, ""), document("{}", k.is, ""), k.got},
		} {
			changes := contract.Compare(read(t, side.was), read(t, side.is))
			require.Len(t, changes.Changed, 1, "%s → %s", k.was, k.is)
			assert.Equal(t, side.want, string(changes.Changed[0].Effect), "%s → %s: %v", k.was, k.is, changes.Changed[0].Differences)
		}
	}
	operation := func(responses, more string) *contract.Contract {
		return read(t, "openapi: 3.1.0\npaths:\n  /a:\n    get:\n      responses: {200: {description: x}"+responses+"}\n"+more)
	}
	for _, k := range []struct{ responses, more, added, removed string }{
		{", 404: {description: no}", "", "compatible", "compatible"},
		{", 202: {description: yes}", "", "unknown", "breaking"},
		{"", "      parameters: [{name: q, in: query, required: true, schema: {}}]", "breaking", "unknown"},
		{"", "      parameters: [{name: q, in: query, schema: {}}]", "compatible", "unknown"},
		{"", "      requestBody: {required: true, content: {text/plain: {}}}", "breaking", "unknown"},
		{"", "      requestBody: {content: {text/plain: {}}}", "compatible", "unknown"},
		{"", "      security: [{key: []}]", "breaking", "compatible"},
	} {
		less, full := operation("", ""), operation(k.responses, k.more)
		assert.Equal(t, k.added, string(contract.Compare(less, full).Changed[0].Effect), "%+v", k)
		assert.Equal(t, k.removed, string(contract.Compare(full, less).Changed[0].Effect), "%+v", k)
	}
}
