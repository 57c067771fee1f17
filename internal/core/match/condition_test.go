package match_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

const booking = `{"vessel": {"name": "Grey Gannet", "lengthMetres": 21.5, "flags": ["NO", "GB"]}, "nights": 3, "agent": null}`

// graphQL has two operations, of which the second is asked for.
const graphQL = `{"operationName": "Berths", "query": "query Other { dues } mutation Berths($n: String) { book(number: $n) { id } ...more } fragment more on Mutation { id }"}`

const parts = "--x\r\nContent-Disposition: form-data; name=\"note\"\r\n\r\ndense fog\r\n--x--\r\n"

const manifest = `<s:Envelope xmlns:s="urn:soap"><s:Body><m:manifest xmlns:m="urn:cargo" id="M-7"><m:line>1</m:line><m:line>2</m:line></m:manifest></s:Body></s:Envelope>`

// compiler knows one schema, "a text", whatever it is given.
var compiler = match.Compiler{Schema: func(n *tree.Node) (match.Schema, error) {
	if n.Kind != tree.Map {
		return nil, errors.New("must be an object")
	}
	return textSchema{}, nil
}}

type textSchema struct{}

func (textSchema) Breach(value *tree.Node) string {
	if value.Kind == tree.String {
		return ""
	}
	return "got " + value.Kind.String() + ", want string"
}

func TestConditions(t *testing.T) {
	for name, c := range map[string]struct{ where, body, want string }{
		"query":                {`{query: season, equals: winter}`, "", ""},
		"another value":        {`{query: season, equals: summer}`, "", `query season is "winter", expected "summer"`},
		"a number as text":     {`{query: nights, equals: 3}`, "", ""},
		"one of several":       {`{query: tag, equals: b}`, "", ""},
		"not there":            {`{query: none, equals: a}`, "", `query none is missing, expected "a"`},
		"forbidden":            {`{query: none, present: false}`, "", ""},
		"forbidden, and there": {`{query: season, present: false}`, "", `query season is "winter", expected not to be there`},
		"just there":           {`{query: season}`, "", ""},
		"header, any case":     {`{header: X-KIND, starts: a}`, "", ""},
		"ends":                 {`{header: x-kind, ends: z}`, "", `header x-kind is "abc", expected ending with "z"`},
		"cookie":               {`{cookie: tier, oneOf: [gold, silver]}`, "", ""},
		"not":                  {`{cookie: tier, not: gold}`, "", `cookie tier is "gold", expected anything but "gold"`},
		"pattern":              {`{header: x-kind, pattern: '^[a-c]+$'}`, "", ""},
		"length of a text":     {`{query: season, length: 6}`, "", ""},
		"another length":       {`{query: season, length: 5}`, "", `query season is "winter", expected length 5`},
		"characters":           {`{body: $.a, length: 2}`, `{"a": "é€"}`, ""},
		"length of a list":     {`{body: $.a, length: 2}`, `{"a": [1, 2]}`, ""},
		"length of an object":  {`{body: $.a, length: 1}`, `{"a": {"b": 1}}`, ""},
		"length of a number":   {`{body: $.a, length: 1}`, `{"a": 7}`, `body $.a is 7, expected length 1`},
		"body above":           {`{body: $.vessel.lengthMetres, above: 20}`, booking, ""},
		"body below":           {`{body: $.vessel.lengthMetres, below: 20}`, booking, `body $.vessel.lengthMetres is 21.5, expected below 20`},
		"a list's elements":    {`{body: '$.vessel.flags[*]', equals: GB}`, booking, ""},
		"includes":             {`{body: $, includes: {vessel: {flags: [GB]}, nights: 3}}`, booking, ""},
		"includes not":         {`{body: $, includes: {vessel: {flags: [SE]}}}`, booking, `expected including {"vessel":{"flags":["SE"]}}`},
		"null":                 {`{body: $.agent, equals: null}`, booking, ""},
		"no JSON":              {`{body: $.a, equals: 1}`, "text", `body $.a is missing, expected 1`},
		"the whole text":       {`{text: true, contains: Gannet}`, booking, ""},
		"form":                 {`{form: name, equals: Ida}`, "name=Ida&x=1", ""},
		"XPath, prefixes free": {`{xml: '//other:manifest/other:line[2]', equals: "2"}`, manifest, ""},
		"XPath, attribute":     {`{xml: '//manifest/@id', equals: M-7}`, manifest, ""},
		"XPath, function":      {`{xml: 'count(//line)', equals: 2}`, manifest, ""},
		"XPath, boolean":       {`{xml: 'count(//line) > 5'}`, manifest, `expected to be there`},
		"XPath finds nothing":  {`{xml: //crane, equals: a}`, manifest, `xml //crane is missing, expected "a"`},
		"part":                 {`{part: note, contains: fog}`, parts, ""},
		"no such part":         {`{part: photo}`, parts, "part photo is missing, expected to be there"},
		"schema":               {`{body: $.vessel.name, schema: {type: string}}`, booking, ""},
		"schema, broken":       {`{body: $.nights, schema: {type: string}}`, booking, "body $.nights is 3, expected what the schema allows (got a number, want string)"},
		"graphql name":         {`{graphql: name, equals: Berths}`, graphQL, ""},
		"graphql type":         {`{graphql: type, equals: query}`, graphQL, `graphql type is "mutation", expected "query"`},
		"graphql field":        {`{graphql: field, equals: book}`, graphQL, ""},
		"no graphql":           {`{graphql: type, equals: query}`, booking, `graphql type is missing, expected "query"`},
		"caller":               {`{caller: 10.2.0.0/16}`, "", ""},
		"caller, one":          {`{caller: 10.2.3.5}`, "", `caller is "10.2.3.4:5000", expected one in 10.2.3.5`},
		"any":                  {`{any: [{query: season, equals: summer}, {query: nights, equals: 3}]}`, "", ""},
		"none of any":          {`{any: [{query: season, equals: summer}, {query: nights, equals: 4}]}`, "", `none of: query season is "winter", expected "summer"; query nights is "3", expected 4`},
		"none":                 {`{none: [{query: season, equals: winter}]}`, "", "conditions that must not hold, but do: 1"},
		"all":                  {`{all: [{query: season, equals: winter}, {query: nights, above: 3}]}`, "", `query nights is "3", expected above 3`},
	} {
		t.Run(name, func(t *testing.T) {
			got := fails(t, "where: ["+c.where+"]", c.body)
			if c.want == "" {
				assert.Empty(t, got)
			} else {
				assert.Contains(t, got, c.want)
			}
		})
	}
}

func TestExpressionsAsConditions(t *testing.T) {
	for text, want := range map[string]string{
		`call.method == "POST" && call.query.season.startsWith("w")`: "",
		`call.method == "GET"`: "if: the expression is false",
		`call.query.none == 1`: "no such key: none",
		`call.method`:          `the expression gives "POST", not true or false`,
	} {
		assert.Contains(t, fails(t, "if: '"+text+"'", ""), want)
	}
}

// fails is why a call does not meet what a mapping asks.
func fails(t *testing.T, asks, body string) string {
	mappings, err := spec.ReadMappings([]byte("call: {path: /x, " + asks + "}"))
	require.NoError(t, err)
	conditions, fault := compiler.Conditions(mappings[0].Call)
	require.Nil(t, fault)
	r := &call.Request{Method: "POST", Query: "season=winter&nights=3&tag=a&tag=b", Caller: "10.2.3.4:5000", Body: call.Body{Bytes: []byte(body)},
		Header: call.Header{"X-Kind": {"abc"}, "Cookie": {"a=b; tier=gold"}, "Content-Type": {"multipart/form-data; boundary=x"}}}
	scope := &expr.Scope{Call: map[string]any{"method": "POST", "query": map[string]any{"season": "winter"}}, Now: time.Unix(0, 0)}
	if unmet := conditions.Fails(&match.Facts{Request: r}, func() *expr.Scope { return scope }); unmet != nil {
		return unmet.String()
	}
	return ""
}

func TestFaultsOfConditionsHavePlaces(t *testing.T) {
	for asks, want := range map[string]string{
		`where: [{query: a, length: 1.5}]`:           "/call/where/0: length must be a whole number from 0, not 1.5",
		`where: [{query: a, length: -1}]`:            "/call/where/0: length must be a whole number from 0, not -1",
		`where: [{body: "$["}]`:                      "/call/where/0: body \"$[\" is not a JSONPath",
		`where: [{query: a}, {any: [{xml: "//["}]}]`: "/call/where/1/any/0: xml \"//[\" is not an XPath",
		`where: [{query: a, pattern: "("}]`:          "/call/where/0: pattern",
		`where: [{query: a, above: x}]`:              "/call/where/0: above must be a number, not a string",
		`where: [{caller: nowhere}]`:                 "caller must be an address or a range",
		`where: [{query: a, schema: 7}]`:             "/call/where/0: schema: must be an object",
		`if: "1 +"`:                                  "/call/if: expression \"1 +\"",
	} {
		mappings, err := spec.ReadMappings([]byte("call: {path: /x, " + asks + "}"))
		require.NoError(t, err)
		_, fault := compiler.Conditions(mappings[0].Call)
		if assert.NotNil(t, fault, asks) {
			assert.Contains(t, fault.String(), want)
		}
	}
}
