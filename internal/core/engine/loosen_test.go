package engine_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec"
)

// A mapping that is loosened for a call fits it, and asks for all else as before.
func TestLoosening(t *testing.T) {
	c, _ := harbour(t, `
- id: slots
  call:
    method: POST
    path: /slots
    where:
      - { query: limit, equals: 1 }
      - { only: query }
      - { body: $, equals: { vessel: { name: Tern, at: x }, list: [1] }, except: [$.vessel.at] }
      - { header: x-kind, equals: a }
    if: call.query.limit == "1"
- id: plain
  call: { path: /plain }
- id: list
  call: { path: /slots/list, where: [{ body: $, equals: [1] }] }
`)
	e := timed(c)
	service, err := c.Find("moorings")
	require.NoError(t, err)
	where := func(m spec.Mapping) string {
		text, err := json.Marshal(m.Call.Where)
		require.NoError(t, err)
		return string(text) + m.Call.If
	}
	ask := func(line, body string) *call.Request {
		r := request(line, "10.0.0.1:1", body)
		r.Path = r.Address
		return r
	}
	for name, k := range map[string]struct {
		mapping, line, body string
		notes               []string
		want                string
	}{
		"parameters, members and headers": {"slots", "POST /slots?limit=1&page=2&page=3", `{"vessel":{"name":"Gull"},"list":[1],"new":1}`,
			[]string{"query page may be there, however often", "body $.vessel.name does not count any more", "body $.new does not count any more", "header x-kind does not count any more"},
			`[{"query":"limit","equals":1},{"only":"query","except":["page"]},{"body":"$","except":["$.vessel.at","$.vessel.name","$.new"],"equals":{"vessel":{"name":"Tern","at":"x"},"list":[1]}}]call.query.limit == "1"`},
		"a parameter and the expression": {"slots", "POST /slots?limit=2", `{"vessel":{"name":"Tern"},"list":[1]}`,
			[]string{"query limit does not count any more", "query limit may be there, however often", "header x-kind does not count any more", `if call.query.limit == "1" does not count any more`},
			`[{"only":"query","except":["limit"]},{"body":"$","except":["$.vessel.at"],"equals":{"vessel":{"name":"Tern","at":"x"},"list":[1]}}]`},
		"a body of another kind": {"list", "GET /slots/list", `{}`, []string{"body $ does not count any more"}, "[]"},
		"it fits":                {"plain", "GET /plain", "", nil, "null"},
	} {
		m, err := service.FindMapping(k.mapping)
		require.NoError(t, err)
		before := where(m.Spec)
		looser, notes, why := e.Loosen(service, m, ask(k.line, k.body))
		assert.Nil(t, why, name)
		assert.Equal(t, k.notes, notes, name)
		assert.Equal(t, k.want, where(looser), name)
		assert.Equal(t, before, where(m.Spec), "the mapping itself is untouched")
		_, err = spec.ReadMappings(looser.Document().AppendJSON(nil))
		assert.NoError(t, err, name)
	}
	m, err := service.FindMapping("slots")
	require.NoError(t, err)
	for _, line := range []string{"GET /slots", "POST /slot", "POST /elsewhere/far"} {
		_, notes, why := e.Loosen(service, m, ask(line, ""))
		assert.NotNil(t, why, line)
		assert.Empty(t, notes, line)
	}
}

// Each condition is told by itself; calls that ask for something else are told apart.
func TestHolding(t *testing.T) {
	c, _ := harbour(t, `
- id: slots
  call: { method: POST, path: "/slots/{number}", where: [{ query: limit, equals: 1 }, { any: [{ header: x-kind, equals: a }, { body: $.n, above: 3 }] }, { query: day }] }
- { id: plain, call: { path: /plain } }
- { id: named, call: { operation: getBerth } }
`)
	e := timed(c)
	service, err := c.Find("moorings")
	require.NoError(t, err)
	for _, k := range []struct {
		mapping, line, body string
		want                []bool
		asked               bool
	}{
		{"slots", "POST /slots/7?limit=1", `{"n": 4}`, []bool{true, true, false}, true},
		{"slots", "POST /slots/7?limit=2&day=x", `{"n": 3}`, []bool{false, false, true}, true},
		{"slots", "GET /slots/7?limit=1", "", nil, false},
		{"slots", "POST /slots?limit=1", "", nil, false},
		{"plain", "GET /plain", "", nil, true},
		{"named", "GET /plain", "", nil, false},
	} {
		m, err := service.FindMapping(k.mapping)
		require.NoError(t, err)
		r := request(k.line, "10.0.0.1:1", k.body)
		r.Path = r.Address
		got, asked := e.Holding(service, m, r)
		assert.Equal(t, k.want, got, k.line)
		assert.Equal(t, k.asked, asked, k.line)
	}
}
