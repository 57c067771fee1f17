package engine_test

import (
	"context"
	"fmt"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
)

// timed is an engine on a catalog, with a clock that stands still.
func timed(c *catalog.Catalog) *engine.Engine {
	return engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, RunSeed: 1,
		Now: func() time.Time { return time.Date(2026, 12, 1, 10, 0, 0, 0, time.UTC) }})
}

// request is a call with a JSON body from an address.
func request(line, caller, body string) *call.Request {
	method, target, _ := strings.Cut(line, " ")
	address, query, _ := strings.Cut(target, "?")
	return &call.Request{Method: method, Address: address, Query: query, Caller: caller, Header: call.Header{"Content-Type": {"application/json"}},
		Body: call.Body{Bytes: []byte(body), Size: int64(len(body))}}
}

func decide(e *engine.Engine, r *call.Request) *engine.Decision {
	return e.Decide(e.Place(context.Background(), r), r)
}

const answering = `
- id: turns
  call: { path: /turns }
  sequence: [{ text: one }, { text: two }]
  per: caller
- id: round
  call: { path: /round }
  sequence: [{ text: one }, { text: two }]
  then: start-over
- id: once
  rank: 1
  call: { path: /berths }
  sequence: [{ text: only once }]
  then: pass
- id: choice
  call: { method: POST, path: "/choice/{number}" }
  choose:
    - { if: "call.body.metres > 60", answer: { status: 409, json: { berth: "${call.path.number}", at: "${now()}" } } }
    - { if: "call.body.none == 1", answer: { text: never } }
    - { answer: { xml: "<a>${call.body.name}</a>", headers: [{ X-Two: "${1 + 1}" }] } }
- id: winter
  call: { path: /season, where: [{ query: season, equals: winter }] }
  answer: { text: cold }
- id: by-berth
  call: { path: "/lock/{berth}", if: 'call.path.berth == "N7"' }
  answer: { text: by berth }
- id: by-gate
  call: { path: "/lock/{gate}", if: 'call.path.gate == "G2"' }
  answer: { text: by gate }
- id: broken
  call: { path: /broken }
  answer: { text: "${call.query.none}" }
- id: drawn
  call: { operation: getBerth, where: [{ query: fresh }] }
  answer: { generate: true }
- id: named
  call: { operation: getBerth, where: [{ query: gone }] }
  answer: { example: unknown }
- id: nowhere
  call: { path: /nowhere }
  answer: { generate: true }
`

func TestAnswersOfMappings(t *testing.T) {
	c, _ := harbour(t, answering)
	e := timed(c)
	for _, k := range []struct {
		line, caller, body string
		status             int
		by, want, because  string
	}{
		{"GET /moorings/turns", "10.0.0.1:5", "", 200, "turns", "^one$", "answer 1 of its sequence of 2"},
		{"GET /moorings/turns", "10.0.0.1:6", "", 200, "turns", "^two$", "answer 2 of its sequence of 2"},
		{"GET /moorings/turns", "10.0.0.1:7", "", 200, "turns", "^two$", ""},
		{"GET /moorings/turns", "10.0.0.2:5", "", 200, "turns", "^one$", ""},
		{"GET /moorings/turns", "[::1]:5", "", 200, "turns", "^one$", ""},
		{"GET /moorings/round", "", "", 200, "round", "^one$", ""},
		{"GET /moorings/round", "", "", 200, "round", "^two$", ""},
		{"GET /moorings/round", "", "", 200, "round", "^one$", ""},
		{"GET /moorings/berths", "", "", 200, "once", "^only once$", ""},
		{"GET /moorings/berths", "", "", 200, `listBerths, "two-free"`, `"total":2`, "all answers of its sequence (1) are used up"},
		{"POST /moorings/choice/N7", "", `{"metres": 61}`, 409, "choice", `^\{"berth":"N7","at":"2026-12-01T10:00:00Z"\}$`, "choice 1, whose if is true"},
		{"POST /moorings/choice/N7", "", `{"metres": 3, "name": "<b>"}`, 200, "choice", "^<a>&lt;b&gt;</a>$", "the last choice, since no if is true"},
		{"GET /moorings/season?season=winter", "", "", 200, "winter", "^cold$", "conditions met: 1"},
		{"GET /moorings/season?season=summer", "", "", 404, "conditions", `"expected":"query season is \\"summer\\", expected \\"winter\\""`, `query season is "summer", expected "winter"`},
		{"GET /moorings/lock/G2", "", "", 200, "by-gate", "^by gate$", ""},
		{"GET /moorings/broken", "", "", 500, "expression", `no such key: none`, ""},
		{"GET /moorings/berths/N7?fresh=1", "", "", 200, "drawn", `"number":"N7"`, "the mapping asks for fresh data"},
		{"GET /moorings/berths/N7?gone=1", "", "", 404, "named", `Not in our books`, ""},
		{"GET /moorings/nowhere", "", "", 500, "no-operation", `no operation of it fits GET /nowhere`, ""},
	} {
		peeked := e.Explain(t.Context(), request(k.line, k.caller, k.body))
		d := decide(e, request(k.line, k.caller, k.body))
		assert.Equal(t, k.status, d.Answer.Status, k.line)
		assert.Equal(t, k.by, d.By, k.line)
		assert.Regexp(t, k.want, string(d.Answer.Body), k.line)
		assert.Equal(t, string(d.Answer.Body), string(peeked.Answer.Body), "%s: what was explained is what comes", k.line)
		assert.Contains(t, explained(d), k.because, k.line)
	}
}

// Many callers at once get each answer of a sequence once, and then what comes after it.
func TestAUsedUpSequencePassesUnderLoad(t *testing.T) {
	c, _ := harbour(t, answering)
	e := timed(c)
	var once atomic.Int64
	var callers sync.WaitGroup
	for range 64 {
		callers.Go(func() {
			if decide(e, request("GET /moorings/berths", "", "")).By == "once" {
				once.Add(1)
			}
		})
	}
	callers.Wait()
	assert.EqualValues(t, 1, once.Load())
}

// explained is the whole explanation of a decision in one text.
func explained(d *engine.Decision) string {
	text := d.Explanation.Summary.String()
	for _, step := range d.Explanation.Steps {
		text += "\n" + step.Of.String() + " " + step.String()
	}
	return text
}

func TestPinsFixFieldsOfAnswers(t *testing.T) {
	c, _ := harbour(t, "")
	e := timed(c)
	pinned := spec.NewService("moorings")
	service, err := c.Find("moorings")
	require.NoError(t, err)
	pinned.ID = service.Spec.ID
	document, err := spec.ReadService([]byte(`{name: moorings, pins: {getBerth: {/state: closed, "/vessel/name": "${call.path.number}", /until: "${now()}"}, listDues: {"/*/total/amount": "1.00", /0/number: "${call.query.none}"}}}`))
	require.NoError(t, err)
	_, _, err = c.PutService(context.Background(), "moorings", document, "")
	require.NoError(t, err)
	d := decide(e, request("GET /moorings/berths/S4", "", ""))
	assert.Contains(t, string(d.Answer.Body), `"number":"S4"`)
	assert.Contains(t, string(d.Answer.Body), `"state":"closed"`)
	assert.Contains(t, string(d.Answer.Body), `"until":"2026-12-01T10:00:00Z"`)
	assert.Contains(t, explained(d), "fixed for this operation: /state, /until", "the example has no vessel to name")
	d = decide(e, request("GET /moorings/dues", "", ""))
	assert.Equal(t, 500, d.Answer.Status)
	assert.Contains(t, string(d.Answer.Body), "A pin of operation listDues has no value for this call")

	for pins, want := range map[string]string{
		`{getBert: {/a: 1}}`:          "getBerth?",
		`{getBerth: {/a: "${nope}"}}`: "undeclared reference to 'nope'",
	} {
		bad, err := spec.ReadService([]byte("{name: moorings, pins: " + pins + "}"))
		require.NoError(t, err)
		_, _, err = c.PutService(context.Background(), "moorings", bad, "")
		assert.ErrorContains(t, err, want)
	}
	_, err = spec.ReadService([]byte("{name: moorings, pins: {getBerth: {a: 1}}}"))
	assert.ErrorContains(t, err, "a JSON Pointer such as /vessel/name")
}

func TestALocationLeadsWhereItsLinkDoes(t *testing.T) {
	c, _ := harbour(t, "")
	_, err := c.Import(context.Background(), catalog.Import{Name: "jobs", Text: []byte(`
openapi: 3.1.0
paths:
  /piers/{pier}/jobs:
    post:
      responses:
        "201":
          description: made
          headers: {Location: {schema: {type: string}}, X-Other: {schema: {const: 7}}}
          links:
            wrong: {operationId: drop, parameters: {pier: $request.path.pier, id: $response.body#/id}}
            job: {operationId: getJob, parameters: {path.pier: $request.path.pier, id: $response.body#/id}}
          content: {application/json: {schema: {type: object, required: [id], properties: {id: {const: a b}}}}}
  /piers/{pier}/jobs/{id}:
    get: {operationId: getJob, deprecated: true, responses: {"200": {description: ok}}}
    delete: {operationId: drop, responses: {"204": {description: ok}}}
`)})
	require.NoError(t, err)
	e := timed(c)
	d := decide(e, request("POST /jobs/piers/N/jobs", "", ""))
	assert.Contains(t, d.Answer.Header, call.Field{Name: "Location", Value: "/jobs/piers/N/jobs/a%20b"})
	assert.Contains(t, d.Answer.Header, call.Field{Name: "X-Other", Value: "7"})
	d = decide(e, request("GET /jobs/piers/N/jobs/a%20b", "", ""))
	assert.Equal(t, 200, d.Answer.Status)
	assert.Contains(t, explained(d), "deprecated")
	assert.Equal(t, []call.Field{{Name: "Allow", Value: "GET, HEAD, DELETE, OPTIONS"}}, decide(e, request("OPTIONS /jobs/piers/N/jobs/1", "", "")).Answer.Header)
}

func TestASampleMakesAService(t *testing.T) {
	c, _ := harbour(t, "")
	text, err := os.ReadFile("../../../demo/data/moorings.yaml")
	require.NoError(t, err)
	_, err = c.Import(context.Background(), catalog.Import{Name: "x", Text: text, Answers: "GET /x"})
	assert.ErrorContains(t, err, "a contract already")
	_, err = c.Import(context.Background(), catalog.Import{File: "berth.json", Text: []byte(`{"number": "N7"}`), Answers: "GET /berths/{number}"})
	require.NoError(t, err)
	assert.Equal(t, `{"number":"S1"}`, string(decide(timed(c), request("GET /berth/berths/S1", "", "")).Answer.Body))
}

// Among many mappings on one path those that the index leaves out are counted,
// and a miss names the one that was nearly meant.
func TestAMissAmongManyMappingsOnOnePath(t *testing.T) {
	var document strings.Builder
	for i := range 2_000 {
		fmt.Fprintf(&document, "- {id: m%d, call: {path: /notices, where: [{query: berth, equals: N%05d}]}, answer: {text: '%d'}}\n", i, i*17, i)
	}
	c, _ := harbour(t, document.String())
	e := timed(c)
	d := decide(e, request("GET /moorings/notices?berth=N00034", "10.0.0.1:1", ""))
	assert.Equal(t, "m2", d.By)
	assert.Contains(t, d.Explanation.Steps[1].Of.String(), "1999 more mappings of this path")
	d = decide(e, request("GET /moorings/notices?berth=N00O34", "10.0.0.1:1", "")) // the letter O
	assert.Equal(t, call.FromMiss, d.Source)
	assert.Contains(t, d.Explanation.Summary.String(), `Closest is mapping m2, any /notices, whose conditions do not hold: query berth is "N00O34", expected "N00034"`)
}
