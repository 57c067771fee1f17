package match_test

import (
	"cmp"
	"errors"
	"strings"
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
		"of a type":                    {`{body: $.nights, type: integer}`, booking, ""},
		"of a type, with a fraction":   {`{body: $.vessel.lengthMetres, type: integer}`, booking, "body $.vessel.lengthMetres is 21.5, expected of type integer"},
		"a number":                     {`{body: $.vessel.lengthMetres, type: number}`, booking, ""},
		"the type of null":             {`{body: $.agent, type: "null"}`, booking, ""},
		"a list":                       {`{body: $.vessel.flags, type: array}`, booking, ""},
		"a text and no number":         {`{query: nights, type: number}`, "", `query nights is "3", expected of type number`},
		"near":                         {`{body: $.vessel.lengthMetres, near: {value: 21.6, within: 0.1}}`, booking, ""},
		"not near enough":              {`{body: $.vessel.lengthMetres, near: {value: 21.6, within: 0.09}}`, booking, "expected 21.6 ± 0.09"},
		"near, in a text":              {`{query: nights, near: {value: 4, within: 1}}`, "", ""},
		"near what is none":            {`{query: season, near: {value: 4, within: 1}}`, "", "expected 4 ± 1"},
		"after":                        {`{header: x-at, after: 2026-11-01}`, "", ""},
		"not after":                    {`{header: x-at, after: "2026-12-01T10:00:00Z"}`, "", "expected after 2026-12-01T10:00:00Z"},
		"before":                       {`{header: x-at, before: "2026-12-01T12:00:01+02:00"}`, "", ""},
		"before, as HTTP writes it":    {`{header: x-http, before: 2026-12-02}`, "", ""},
		"before what is no time":       {`{query: season, before: 2026-12-01}`, "", "expected before 2026-12-01"},
		"so many":                      {`{query: tag, count: 2}`, "", ""},
		"not so many":                  {`{query: tag, count: 3}`, "", "expected 3 of them, not 2"},
		"none of them":                 {`{query: none, count: 0}`, "", ""},
		"more and less":                {`{body: "$.vessel.flags[*]", count: {above: 1, below: 3}}`, booking, ""},
		"too few":                      {`{body: "$.vessel.flags[*]", count: {above: 2}}`, booking, "expected above 2 of them, not 2"},
		"too many":                     {`{body: "$.vessel.flags[*]", count: {below: 2}}`, booking, "expected below 2 of them, not 2"},
		"not containing":               {`{query: season, not: {contains: sum}}`, "", ""},
		"not containing, and does":     {`{query: season, not: {contains: win}}`, "", `query season is "winter", expected not containing "win"`},
		"not, of several":              {`{query: tag, not: {starts: a}}`, "", "expected not starting with"},
		"not, where nothing is":        {`{query: none, not: {contains: a}}`, "", ""},
		"not present":                  {`{query: season, not: {present: true}}`, "", "expected not to be there"},
		"not an object":                {`{body: $.vessel, not: {name: other}}`, booking, ""},
		"query":                        {`{query: season, equals: winter}`, "", ""},
		"another value":                {`{query: season, equals: summer}`, "", `query season is "winter", expected "summer"`},
		"a number as text":             {`{query: nights, equals: 3}`, "", ""},
		"one of several":               {`{query: tag, equals: b}`, "", ""},
		"not there":                    {`{query: none, equals: a}`, "", `query none is missing, expected "a"`},
		"forbidden":                    {`{query: none, present: false}`, "", ""},
		"forbidden, and there":         {`{query: season, present: false}`, "", `query season is "winter", expected not to be there`},
		"just there":                   {`{query: season}`, "", ""},
		"header, any case":             {`{header: X-KIND, starts: a}`, "", ""},
		"ends":                         {`{header: x-kind, ends: z}`, "", `header x-kind is "abc", expected ending with "z"`},
		"cookie":                       {`{cookie: tier, oneOf: [gold, silver]}`, "", ""},
		"not":                          {`{cookie: tier, not: gold}`, "", `cookie tier is "gold", expected anything but "gold"`},
		"pattern":                      {`{header: x-kind, pattern: '^[a-c]+$'}`, "", ""},
		"length of a text":             {`{query: season, length: 6}`, "", ""},
		"another length":               {`{query: season, length: 5}`, "", `query season is "winter", expected length 5`},
		"characters":                   {`{body: $.a, length: 2}`, `{"a": "é€"}`, ""},
		"length of a list":             {`{body: $.a, length: 2}`, `{"a": [1, 2]}`, ""},
		"length of an object":          {`{body: $.a, length: 1}`, `{"a": {"b": 1}}`, ""},
		"length of a number":           {`{body: $.a, length: 1}`, `{"a": 7}`, `body $.a is 7, expected length 1`},
		"body above":                   {`{body: $.vessel.lengthMetres, above: 20}`, booking, ""},
		"body below":                   {`{body: $.vessel.lengthMetres, below: 20}`, booking, `body $.vessel.lengthMetres is 21.5, expected below 20`},
		"a list's elements":            {`{body: '$.vessel.flags[*]', equals: GB}`, booking, ""},
		"includes":                     {`{body: $, includes: {vessel: {flags: [GB]}, nights: 3}}`, booking, ""},
		"includes not":                 {`{body: $, includes: {vessel: {flags: [SE]}}}`, booking, `expected including {"vessel":{"flags":["SE"]}}`},
		"null":                         {`{body: $.agent, equals: null}`, booking, ""},
		"no JSON":                      {`{body: $.a, equals: 1}`, "text", `body $.a is missing, expected 1`},
		"the whole text":               {`{text: true, contains: Gannet}`, booking, ""},
		"form":                         {`{form: name, equals: Ida}`, "name=Ida&x=1", ""},
		"XPath, prefixes free":         {`{xml: '//other:manifest/other:line[2]', equals: "2"}`, manifest, ""},
		"XPath, attribute":             {`{xml: '//manifest/@id', equals: M-7}`, manifest, ""},
		"XPath, function":              {`{xml: 'count(//line)', equals: 2}`, manifest, ""},
		"XPath, boolean":               {`{xml: 'count(//line) > 5'}`, manifest, `expected to be there`},
		"XPath finds nothing":          {`{xml: //crane, equals: a}`, manifest, `xml //crane is missing, expected "a"`},
		"part":                         {`{part: note, contains: fog}`, parts, ""},
		"no such part":                 {`{part: photo}`, parts, "part photo is missing, expected to be there"},
		"the whole body, in any order": {`{body: $, equals: {nights: 3.0, agent: null, vessel: {flags: [NO, GB], name: Grey Gannet, lengthMetres: 21.5}}}`, booking, ""},
		"a value of it differs":        {`{body: $, equals: {nights: 4, agent: null, vessel: {flags: [NO, GB], name: Grey Gannet, lengthMetres: 21.5}}}`, booking, "body $.nights is 3, expected 4"},
		"an element of it differs":     {`{body: $.vessel, equals: {flags: [NO, SE], name: Grey Gannet, lengthMetres: 21.5}}`, booking, `body $.flags[1] is "GB", expected "SE"`},
		"it has too few elements":      {`{body: $.vessel.flags, equals: [NO, GB, SE]}`, booking, `body $[2] is missing, expected "SE"`},
		"it has one too many":          {`{body: $.vessel.flags, equals: [NO]}`, booking, `body $[1] is "GB", expected none`},
		"a member is missing":          {`{body: $, equals: {a b: 1}}`, "{}", `body $['a b'] is missing, expected 1`},
		"a member is too many":         {`{body: $, equals: {}}`, `{"it's": 1}`, `body $['it\'s'] is 1, expected none`},
		"a number is no text":          {`{body: $, equals: {a: 1}}`, `{"a": "1"}`, `body $.a is "1", expected 1`},
		"except":                       {`{body: $, equals: {a: 1, at: x}, except: [$.at, $.more, '$.list[1]']}`, `{"a": 1, "at": "y", "more": []}`, ""},
		"except what is not there":     {`{body: $, equals: {a: 1, at: x}, except: [$.at]}`, `{"a": 1}`, ""},
		"except an element":            {`{body: $, equals: [1, x], except: ['$[1]']}`, `[1, 2]`, ""},
		"except, and another differs":  {`{body: $, equals: {a: 1, at: x}, except: [$.at]}`, `{"a": 2, "at": "y"}`, "body $.a is 2, expected 1"},
		"a digest of the body":         {`{text: true, digest: "sha256:2c26b46b68ffc68ff99b453c1d30413413422d706483bfa0f98a5e886266e7ae"}`, "foo", ""},
		"a digest of another body":     {`{text: true, digest: "sha256:2c26b46b68ffc68ff99b453c1d30413413422d706483bfa0f98a5e886266e7ae"}`, "bar", `body is "sha256:fcde2b2edba56bf408601fb721fe9b5c338d10ee429ea04fae5511b68fbf8fb9", expected sha256:2c26`},
		"a digest of a secret":         {`{cookie: pass, digest: secret-000000000000000000000000000fade0}`, "", ""},
		"of one that is quoted":        {`{body: $.s, digest: secret-000000000000000000000000000fade0}`, `{"s": "\"fade\""}`, ""},
		"of one behind its scheme":     {`{body: $.s, digest: secret-000000000000000000000000000fade0}`, `{"s": "Bearer fade"}`, ""},
		"a digest stands for itself":   {`{body: $.s, digest: secret-000000000000000000000000000fade0}`, `{"s": "secret-000000000000000000000000000fade0"}`, ""},
		"a digest of another secret":   {`{cookie: a, digest: secret-000000000000000000000000000fade0}`, "", "cookie a is a secret that was not recorded"},
		"a secret is missing":          {`{header: authorization, digest: secret-000000000000000000000000000fade0}`, "", "header authorization is missing, expected a secret that was recorded"},
		"only what is named":           {`{only: query}, {query: season}, {query: nights}, {any: [{query: tag, equals: a}, {query: tag, equals: b}]}`, "", ""},
		"one is too many":              {`{only: query}, {query: season}, {query: tag}, {query: tag}`, "", `query nights is "3", expected only season, tag`},
		"none is expected":             {`{only: query, except: [nights, tag]}`, "", `query season is "winter", expected none`},
		"one comes too often":          {`{only: query}, {query: season}, {query: nights}, {query: tag}`, "", "query tag is there 2 times, expected 1"},
		"one comes too seldom":         {`{only: query, except: [tag]}, {query: season, equals: winter}, {query: season, equals: winter}, {query: nights}`, "", "query season is there 1 times, expected 2"},
		"except one":                   {`{only: query, except: [nights, tag]}, {query: season}`, "", ""},
		"only these headers":           {`{only: header, except: [X-HTTP]}, {header: x-kind}, {header: x-at}`, "", ""},
		"another header":               {`{only: header}, {header: x-kind}, {header: x-at}`, "", `header x-http is "Tue, 01 Dec 2026 10:00:00 GMT", expected only x-at, x-kind`},
		"only the field":               {`{only: form}, {form: name}`, "name=Ida&x=1", `form x is "1", expected only name`},
		"only the part":                {`{only: part}`, parts, `part note is "dense fog", expected none`},
		"schema":                       {`{body: $.vessel.name, schema: {type: string}}`, booking, ""},
		"schema, broken":               {`{body: $.nights, schema: {type: string}}`, booking, "body $.nights is 3, expected what the schema allows (got a number, want string)"},
		"graphql name":                 {`{graphql: name, equals: Berths}`, graphQL, ""},
		"graphql type":                 {`{graphql: type, equals: query}`, graphQL, `graphql type is "mutation", expected "query"`},
		"graphql field":                {`{graphql: field, equals: book}`, graphQL, ""},
		"no graphql":                   {`{graphql: type, equals: query}`, booking, `graphql type is missing, expected "query"`},
		"caller":                       {`{caller: 10.2.0.0/16}`, "", ""},
		"caller, one":                  {`{caller: 10.2.3.5}`, "", `caller is "10.2.3.4:5000", expected one in 10.2.3.5`},
		"any":                          {`{any: [{query: season, equals: summer}, {query: nights, equals: 3}]}`, "", ""},
		"none of any":                  {`{any: [{query: season, equals: summer}, {query: nights, equals: 4}]}`, "", `none of: query season is "winter", expected "summer"; query nights is "3", expected 4`},
		"none":                         {`{none: [{query: season, equals: winter}]}`, "", "conditions that must not hold, but do: 1"},
		"all":                          {`{all: [{query: season, equals: winter}, {query: nights, above: 3}]}`, "", `query nights is "3", expected above 3`},
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
		Header: call.Header{"X-Kind": {"abc"}, "X-At": {"2026-12-01T10:00:00Z"}, "X-Http": {"Tue, 01 Dec 2026 10:00:00 GMT"}, "Cookie": {"a=b; tier=gold; pass=fade"}, "Content-Type": {"multipart/form-data; boundary=x"}}}
	scope := &expr.Scope{Call: map[string]any{"method": "POST", "query": map[string]any{"season": "winter"}}, Now: time.Unix(0, 0)}
	facts := &match.Facts{Request: r, StandIn: func(secret string) string {
		return "secret-" + strings.Repeat("0", 32-len(secret)-1) + secret + "0"
	}}
	if unmet := conditions.Fails(facts, func() *expr.Scope { return scope }); unmet != nil {
		return unmet.String()
	}
	return ""
}

func TestFaultsOfConditionsHavePlaces(t *testing.T) {
	for asks, want := range map[string]string{
		`where: [{body: $, equals: {a: 1}, except: [a]}]`:      "/call/where/0: except \"a\" is not a JSONPath such as $.sent",
		`where: [{query: a, length: 1.5}]`:                     "/call/where/0: length must be a whole number from 0, not 1.5",
		`where: [{query: a, length: -1}]`:                      "/call/where/0: length must be a whole number from 0, not -1",
		`where: [{body: "$["}]`:                                "/call/where/0: body \"$[\" is not a JSONPath",
		`where: [{query: a}, {any: [{xml: "//["}]}]`:           "/call/where/1/any/0: xml \"//[\" is not an XPath",
		`where: [{query: a, pattern: "("}]`:                    "/call/where/0: pattern",
		`where: [{query: a, above: x}]`:                        "/call/where/0: above must be a number, not a string",
		`where: [{caller: nowhere}]`:                           "caller must be an address or a range",
		`where: [{query: a, schema: 7}]`:                       "/call/where/0: schema: must be an object",
		"where: [{xml: '" + strings.Repeat("a", 4001) + "'}]":  `/call/where/0: xml "aaaaaaaaaaaaaaaaaaaa"… is longer than an XPath may be, 4000 characters`,
		`where: [{query: a, type: text}]`:                      "type must be one of string, number",
		`where: [{query: a, after: soon}]`:                     "after must be a date such as 2026-12-01",
		`where: [{query: a, near: 3}]`:                         "near must be a number and how far",
		`where: [{query: a, near: {value: 1, within: -1}}]`:    "a distance from 0",
		`where: [{query: a, near: {value: 1e400, within: 1}}]`: "numbers of a usual size",
		`where: [{query: a, count: many}]`:                     "count must be a number, or",
		`where: [{query: a, count: -1}]`:                       "count must be a whole number from 0",
		`where: [{query: a, count: {over: 1}}]`:                "count must be a number, or",
		`where: [{query: a, not: {pattern: "("}}]`:             "not: pattern",
		`if: "1 +"`: "/call/if: expression \"1 +\"",
	} {
		mappings, err := spec.ReadMappings([]byte("call: {path: /x, " + asks + "}"))
		require.NoError(t, err)
		_, faults := compiler.Conditions(mappings[0].Call)
		if assert.Len(t, faults, 1, asks) {
			assert.Contains(t, faults[0].String(), want)
		}
	}
}

// All that is wrong is told at once.
func TestFaultsOfConditionsAreToldTogether(t *testing.T) {
	mappings, err := spec.ReadMappings([]byte(`{call: {path: /x, where: [{query: a, pattern: "("}, {any: [{query: b}, {xml: "//["}]}, {query: c, above: x}], if: "1 +"}}`))
	require.NoError(t, err)
	_, faults := compiler.Conditions(mappings[0].Call)
	var at []string
	for _, fault := range faults {
		at = append(at, fault.At)
	}
	assert.Equal(t, []string{"/call/where/0", "/call/where/1/any/1", "/call/where/2", "/call/if"}, at)
}

// Noise of the service may be there, secrets are not told.
func TestNoiseAndSecretsOfOnly(t *testing.T) {
	mappings, err := spec.ReadMappings([]byte("call: {path: /x, where: [{only: query}]}"))
	require.NoError(t, err)
	conditions, fault := compiler.Conditions(mappings[0].Call)
	require.Nil(t, fault)
	facts := func(query string) *match.Facts {
		return &match.Facts{Request: &call.Request{Query: query}, Noise: func(name string) bool { return name == "_" }, Hide: func(_ *call.Request, f *call.Finding) { f.Seen = "hidden" }}
	}
	assert.Nil(t, conditions.Fails(facts("_=1"), nil))
	unmet := conditions.Fails(facts("_=1&b=2&a=secret"), nil)
	require.NotNil(t, unmet)
	assert.Equal(t, "query a is hidden, expected none", unmet.String(), "the first by its name")
}

// GraphQL is asked for in a JSON body, as a document of its own, or in the query; what
// expressions see of a body is its JSON, or the message of an envelope.
func TestWhatIsReadOfACall(t *testing.T) {
	for name, c := range map[string]struct {
		query, mediaType, body string
		field                  string // of GraphQL
		seen                   string // as JSON
	}{
		"in JSON":               {body: `{"query": "{ berths { id } }"}`, field: "berths", seen: `{"query":"{ berths { id } }"}`},
		"as a document":         {mediaType: "application/graphql; charset=utf-8", body: `{ berths }`, field: "berths", seen: "null"},
		"in the query":          {query: "query=%7Bdues%7D", field: "dues", seen: "null"},
		"in the query, beside":  {query: "query=%7Bdues%7D", body: `["a"]`, field: "dues", seen: `["a"]`},
		"a text that looks so":  {mediaType: "text/plain", body: `{ berths }`, seen: "null"},
		"an envelope":           {body: manifest, seen: `{"manifest":{"id":"M-7","line":["1","2"]}}`},
		"a document of its own": {body: `<a><b>1</b></a>`, seen: `{"a":{"b":"1"}}`},
		"nothing":               {seen: "null"},
	} {
		f := &match.Facts{Request: &call.Request{Query: c.query, Header: call.Header{"Content-Type": {c.mediaType}}, Body: call.Body{Bytes: []byte(c.body)}}}
		mappings, err := spec.ReadMappings([]byte("call: {path: /x, where: [{graphql: field, oneOf: [" + cmp.Or(c.field, "berths, dues") + "]}]}"))
		require.NoError(t, err)
		conditions, fault := compiler.Conditions(mappings[0].Call)
		require.Nil(t, fault)
		if unmet := conditions.Fails(f, nil); c.field == "" {
			assert.NotNil(t, unmet, name)
		} else {
			assert.Nil(t, unmet, name)
		}
		seen := "null"
		if n := f.Body(); n != nil {
			seen = string(n.AppendJSON(nil))
		}
		assert.Equal(t, c.seen, seen, name)
	}
}
