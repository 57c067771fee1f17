package engine_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
)

// The items of a stream go out one by one where the service says so.
func TestStreamsAreSentItemByItem(t *testing.T) {
	c, err := catalog.Open(t.Context(), nowhere{})
	require.NoError(t, err)
	_, err = c.Import(t.Context(), catalog.Import{Text: []byte(`
openapi: 3.2.0
info: { title: Gauges, version: "1" }
paths:
  /levels: { get: { responses: { "200": { description: ok, content: { application/jsonl: { itemSchema: { type: integer, minimum: 10, maximum: 99 } } } } } } }
  /last: { get: { responses: { "200": { description: ok, content: { application/jsonl: { example: "1\n" } } } } } }
  /all: { get: { responses: { "200": { description: ok, content: { application/json: { example: [1, 2] } } } } } }
`), File: "gauges.yaml"})
	require.NoError(t, err)
	e := engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, RunSeed: 1, Now: time.Now})
	d := ask(e, "GET /gauges/levels")
	assert.Nil(t, d.Answer.Wire)
	assert.Len(t, d.Answer.Body, 9)
	s := c.Snapshot().Named("gauges").Spec
	s.StreamEvery = spec.Duration(time.Second)
	_, _, err = c.PutService(t.Context(), "gauges", s, "")
	require.NoError(t, err)
	d = ask(e, "GET /gauges/levels")
	require.NotNil(t, d.Answer.Wire)
	assert.Equal(t, call.Wire{Length: 9, Pieces: []call.Piece{{Bytes: 3}, {Bytes: 3, After: time.Second}, {Bytes: 3, After: time.Second}}}, *d.Answer.Wire)
	assert.Contains(t, stepsOf(d), "its 3 items are sent one by one, 1s apart")
	assert.Nil(t, ask(e, "GET /gauges/last").Answer.Wire, "a single item has nothing to wait for")
	assert.Nil(t, ask(e, "GET /gauges/all").Answer.Wire)
	_, err = spec.ReadService([]byte("name: gauges\nstreamEvery: 61s"))
	assert.ErrorContains(t, err, "streamEvery must be at most 1m, not 1m1s")
}

// Where a service gives no examples, data are drawn, and the explanation says who wants that.
func TestServicesWithoutExamples(t *testing.T) {
	c, e := harbour(t, `
- {id: named, call: {path: "/berths/{n}", where: [{query: pick}]}, answer: {from: contract, example: free}}
- {id: plain, call: {path: "/berths/{n}", where: [{query: plain}]}, answer: {from: contract}}
- {id: fresh, call: {path: "/berths/{n}", where: [{query: fresh}]}, answer: {from: contract, generate: true}}`)
	s := c.Snapshot().Named("moorings").Spec
	s.Otherwise = []spec.Way{{Name: spec.OtherwiseGenerated}}
	_, _, err := c.PutService(t.Context(), "moorings", s, "")
	require.NoError(t, err)
	for line, says := range map[string]string{
		"GET /moorings/berths/N7":         "the service asks for fresh data",
		"GET /moorings/berths/N7?plain=1": "the service asks for fresh data",
		"GET /moorings/berths/N7?fresh=1": "the mapping asks for fresh data",
		"GET /moorings/berths/N7?pick=1":  "the mapping asks for the example",
	} {
		assert.Contains(t, stepsOf(ask(e, line)), says, line)
	}
}
