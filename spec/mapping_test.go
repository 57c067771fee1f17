package spec_test

import (
	"encoding/json"
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

func TestReadMappings(t *testing.T) {
	got, err := spec.ReadMappings([]byte(`
- call: { method: [get, HEAD], path: "/berths/{number}" }
  answer:
    headers: [{Cache-Control: no-store}, {Set-Cookie: a=1}, {Set-Cookie: b=2}]
    json: { number: 007, metres: 18.0, none: null }
- id: board
  enabled: false
  rank: 5
  call: { path: /notice }
  answer: { status: 599, text: "" }
- id: nothing
  call: { path: / }
  answer: { json: null }
`))
	require.NoError(t, err)
	require.Len(t, got, 3)
	assert.Equal(t, "get-head-berths-number", got[0].ID)
	assert.True(t, got[0].Enabled)
	assert.Equal(t, spec.Methods{"GET", "HEAD"}, got[0].Call.Method)
	assert.Equal(t, spec.Status{Code: 200}, got[0].Answer.Status)
	assert.Equal(t, `{"number":"007","metres":18.0,"none":null}`, string(got[0].Answer.JSON.AppendJSON(nil)))
	assert.Equal(t, spec.Headers{{Name: "Cache-Control", Value: "no-store"}, {Name: "Set-Cookie", Value: "a=1"}, {Name: "Set-Cookie", Value: "b=2"}}, got[0].Answer.Headers)
	assert.False(t, got[1].Enabled)
	assert.Equal(t, "", *got[1].Answer.Text)

	for _, m := range got {
		text, err := json.Marshal(m)
		require.NoError(t, err)
		var again spec.Mapping
		require.NoError(t, json.Unmarshal(text, &again))
		second, err := json.Marshal(again)
		require.NoError(t, err)
		assert.Equal(t, string(text), string(second), "a mapping survives JSON, also with a body of null")
	}
}

func TestFaultsOfMappingsHavePlaces(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"unknown key, with the likely one": {"call: {path: /x}\nanswer:\n  stattus: 200\n", `3:3: "stattus" is not a key of answer (status?)`},
		"unknown key, with what there is":  {"call: {path: /x, colour: red}\n", `1:18: "colour" is not a key of call (it has method, path, operation, where, if)`},
		"wrong kind":                       {"call: {path: /x}\nanswer: {status: fine}\n", `2:18: status must be a number such as 200, or an expression ${…}`},
		"no whole number":                  {"call: {path: /x}\nanswer: {status: 2.5}\n", `2:18: status must be a number such as 200, or an expression`},
		"status out of range":              {"call: {path: /x}\nanswer: {status: 99}\n", `2:18: status must be a number from 200 to 999, not 99`},
		"two bodies":                       {"call: {path: /x}\nanswer: {json: {}, text: x}\n", `2:9: an answer has one body: json, xml, text, base64, payload, script, redirect, fault, example or generate`},
		"a body that cannot be sent":       {"call: {path: /x}\nanswer: {status: 204, json: {}}\n", `2:18: an answer with status 204 cannot have a body`},
		"no path":                          {"id: x\ncall: {method: GET}\n", `2:7: call needs a path, such as /berths/{number}`},
		"bad method":                       {"call: {path: /x, method: GE T}\n", `1:26: "GE T" is not an HTTP method`},
		"bad id":                           {"id: a b\ncall: {path: /x}\n", "1:5: id must be letters, digits, `.`, `_` and `-`, at most 128, not \"a b\""},
		"header with two names":            {"call: {path: /x}\nanswer: {headers: [{A: b, C: d}]}\n", "2:20: headers must be a list of single headers, such as `- Cache-Control: no-store`"},
		"header line break":                {"call: {path: /x}\nanswer: {headers: [{A: \"b\\nc\"}]}\n", `2:20: the value of A must be a single line`},
		"length is ours":                   {"call: {path: /x}\nanswer: {headers: [{Content-Length: 3}]}\n", `2:20: Content-Length follows from the body and cannot be set`},
		"the same id twice":                {"- {id: a, call: {path: /x}}\n- {id: a, call: {path: /y}}\n", `2:3: id "a" is used by mapping 1 of this document too`},
		"not a document":                   {"just words", `1:1: mapping must be an object, not "just words"`},
		"json notation":                    {"{\"call\": {\"path\": \"/x\"},\n \"anser\": {}}", `2:2: "anser" is not a key of mapping (answer?)`},
		"no yaml at all":                   {"call: {path: /x\nanswer: 1", "did not find expected ',' or '}'"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := spec.ReadMappings([]byte(c.text))
			var p *problem.Error
			require.True(t, errors.As(err, &p), "%v", err)
			require.NotEmpty(t, p.Items)
			assert.Contains(t, p.Items[0].String(), c.want)
		})
	}
}

func TestManyFaultsAreCapped(t *testing.T) {
	text := strings.Repeat("- {call: {path: /x}, wrong: 1}\n", 250)
	_, err := spec.ReadMappings([]byte(text))
	var p *problem.Error
	require.ErrorAs(t, err, &p)
	assert.Len(t, p.Items, problem.MaxItems)
	assert.Contains(t, p.Detail, "the first 100 of 250")
	assert.Equal(t, "/0/wrong", p.Items[0].At)
}

func TestServices(t *testing.T) {
	s, err := spec.ReadService([]byte(`{"name": "moorings", "seed": 7, "cors": false}`))
	require.NoError(t, err)
	assert.Equal(t, int64(7), *s.Seed)
	assert.False(t, s.CORS)
	assert.True(t, s.Reveal, "what is not said keeps its default")

	for _, name := range []string{"", "two words", "@lane", "a//b", "/a", "a/", "a/-b", "a/b/c/d/e/f", "v1/payloads", "v1/contract", "v1/contract.v2", "v1/a.yaml", "a/../b", "-x", strings.Repeat("x", 64), strings.Repeat("abcdefgh/", 4) + strings.Repeat("x", 63) + "/" + strings.Repeat("y", 63)} {
		_, err := spec.ReadService([]byte(`{"name": "` + name + `"}`))
		assert.Error(t, err, "%q cannot stand in an address", name)
	}
	for _, name := range []string{"v1/orders", "payloads", "a.yaml", "a/b/c/d/e", "v1.2/old_orders"} {
		_, err := spec.ReadService([]byte(`{"name": "` + name + `"}`))
		assert.NoError(t, err, name)
	}
	for file, want := range map[string]string{
		"moorings.yaml": "moorings", "/tmp/Berths & Bookings (2).json": "berths-bookings-2", `C:\x\Tides.YML.yml`: "tides-yml", "ñ": "",
	} {
		assert.Equal(t, want, spec.NameFrom(file), file)
	}
}
