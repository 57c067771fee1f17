package engine_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
)

// A mapping answers by itself what it would answer, whatever comes before it, in lanes too; nothing is counted.
func TestWhatOneMappingAnswers(t *testing.T) {
	c, e := harbour(t, someMappings+`
- id: turns
  rank: -5
  call: { path: "/berths/N13" }
  sequence: [ { text: one }, { text: two } ]
  then: pass
- id: fails
  call: { path: "/berths/N13" }
  answer: { text: "${call.query.pier}" }
- id: picky
  call: { path: "/berths/N13", where: [ { query: pier, equals: north } ] }
  answer: { text: a }
`)
	lane := spec.NewLane("mara")
	lane.Services = map[string]spec.ServiceChanges{"moorings": {Mappings: mappingsOf(t, `{id: closed, call: {path: "/berths/N13"}, answer: {status: 418}}`)}}
	_, err := c.OpenLane(t.Context(), lane, time.Now())
	require.NoError(t, err)
	for name, k := range map[string]struct {
		id, lane string
		status   int
		body     string
		found    bool
		why      string // why it does not fit
	}{
		"the first":                {id: "closed", status: 503, body: `{"state":"closed"}`, found: true},
		"one behind it":            {id: "any-berth", status: 200, body: "hello", found: true},
		"one that is off":          {id: "off", status: 418, found: true},
		"a sequence":               {id: "turns", status: 200, body: "one", found: true},
		"one that fails":           {id: "fails", status: 500, body: "no such key: pier", found: true},
		"one that does not fit":    {id: "picky", found: true, why: "query pier"},
		"none":                     {id: "gone"},
		"in a lane, that of it":    {id: "closed", lane: "mara", status: 418, found: true},
		"in a lane, of everybody":  {id: "any-berth", lane: "mara", status: 200, body: "hello", found: true},
		"of another path, as well": {id: "turns", lane: "mara", status: 200, body: "one", found: true},
	} {
		r := &call.Request{Method: "GET", Address: "/moorings/berths/N13", Header: call.Header{}}
		if k.lane != "" {
			r.Header["Rapid-Mimic"] = []string{"lane=" + k.lane}
		}
		for range 2 { // as if it were the first time
			d, found, why := e.AnswerOf(t.Context(), k.id, r)
			assert.Equal(t, k.found, found, name)
			if k.why != "" {
				require.NotNil(t, why, name)
				assert.Contains(t, why.String(), k.why, name)
				continue
			}
			assert.Nil(t, why, name)
			if !k.found {
				assert.Nil(t, d, name)
				continue
			}
			assert.Equal(t, k.status, d.Answer.Status, name)
			assert.Contains(t, string(d.Answer.Body), k.body, name)
		}
	}
	_, found, _ := e.AnswerOf(t.Context(), "closed", &call.Request{Method: "GET", Address: "/nowhere/a", Header: call.Header{}})
	assert.False(t, found)
}

// Expressions are worked out for a mapping that need not be in force, each by itself.
func TestExpressionsOfAMapping(t *testing.T) {
	c, e := harbour(t, someMappings)
	snapshot, m, err := c.Preview("moorings", mappingsOf(t, `{id: closed, call: {method: GET, path: "/berths/{number}"}, answer: {let: {one: 1, more: "${one + 1}"}, text: fixed}}`)[0])
	require.NoError(t, err)
	work := func(method, address string, expressions ...string) ([]engine.Worked, bool) {
		return e.WorkOut(t.Context(), snapshot, m, &call.Request{Method: method, Address: address, Header: call.Header{}}, expressions)
	}
	worked, ok := work("GET", "/moorings/berths/N13", "call.path.number", "more + 1", "call.query.pier", "call.path.numbr", "1 +")
	require.True(t, ok)
	require.Len(t, worked, 5)
	assert.Equal(t, []string{`"N13"`, "3"}, []string{string(worked[0].Value.AppendJSON(nil)), string(worked[1].Value.AppendJSON(nil))}, "although another mapping answers that call")
	for i, want := range map[int]string{2: "no such key: pier", 3: "number?", 4: "ends too early"} {
		assert.ErrorContains(t, worked[i].Err, want)
	}
	for _, line := range [][2]string{{"PUT", "/moorings/berths/N13"}, {"GET", "/moorings/berths"}, {"GET", "/nowhere"}} {
		_, ok = work(line[0], line[1], "call.method")
		assert.False(t, ok, "%s asks for something else", line)
	}
	snapshot, m, err = c.Preview("moorings", mappingsOf(t, `{id: x, call: {path: "/berths/{number}"}, answer: {let: {more: "${call.query.gone}"}, text: "${more}"}}`)[0])
	require.NoError(t, err)
	worked, ok = work("GET", "/moorings/berths/N13", "call.path.number")
	require.True(t, ok)
	assert.ErrorContains(t, worked[0].Err, "let more", "what it names fails")
}

func mappingsOf(t *testing.T, text string) []spec.Mapping {
	t.Helper()
	list, err := spec.ReadMappings([]byte(text))
	require.NoError(t, err)
	return list
}
