package engine_test

import (
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
)

// What mappings remember, one call after the other: in conditions, choices and answers, and told.
func TestMappingsRemember(t *testing.T) {
	_, e := harbour(t, `
- id: hold
  call: { method: POST, path: "/holds/{number}" }
  choose:
    - if: recall("free/" + call.path.number, 2) == 0
      answer: { status: 409, json: { left: 0 } }
    - answer:
        status: 201
        let: { left: '${recall("free/" + call.path.number, 2) - 1}', no: '${uuid()}' }
        remember:
          - { key: "free/${call.path.number}", value: "${left}" }
          - { key: log, append: { no: "${no}", berth: "${call.path.number}" } }
        json: { left: "${left}", no: "${no}", before: '${recall("free/" + call.path.number)}' }
- id: log
  call: { method: GET, path: /holds }
  answer: { json: '${recall("log", [])}' }
- id: clear
  call: { method: DELETE, path: "/holds/{number}" }
  answer: { status: 204, remember: { key: "free/${call.path.number}", forget: true } }
- id: closed
  call: { method: GET, path: "/holds/{number}", if: 'recall("free/" + call.path.number) == 0' }
  answer: { status: 423 }
- id: bad
  call: { method: POST, path: /bad }
  answer: { remember: [{ key: "free/N1", value: 9 }, { key: "${call.query.none}", value: 1 }], json: {} }
- id: by-contract
  call: { method: GET, path: "/berths/{number}" }
  answer: { generate: true, remember: { key: seen, value: "${call.path.number}" } }
- id: seen
  call: { method: GET, path: /seen }
  answer: { json: '${recall("seen")}' }
`)
	for _, k := range []struct {
		line, lane string
		status     int
		body, says string
	}{
		{"POST /moorings/holds/N1", "", 201, `"left":1,`, `remembers "free/N1", "log"`},
		{"POST /moorings/holds/N1", "", 201, `"left":0,`, `what is remembered under "free/N1" was read`},
		{"POST /moorings/holds/N1", "", 409, `{"left":0}`, `what is remembered under "free/N1" was read`},
		{"GET /moorings/holds/N1", "", 423, "", `what is remembered under "free/N1" was read`},
		{"GET /moorings/holds/N2", "", 404, "", ""},
		{"DELETE /moorings/holds/N1", "", 204, "", `remembers "free/N1"`},
		{"POST /moorings/bad", "", 500, "expression", ""},
		{"POST /moorings/holds/N1", "", 201, `"before":null`, ""},
		{"GET /moorings/berths/N9", "", 200, "", `remembers "seen"`},
		{"GET /moorings/seen", "", 200, `"N9"`, ""},
	} {
		d := decide(e, request(k.line, "", "{}"))
		assert.Equal(t, k.status, d.Answer.Status, "%s: %s", k.line, d.Answer.Body)
		assert.Contains(t, string(d.Answer.Body), k.body, k.line)
		assert.Contains(t, stepsOf(d), k.says, k.line)
	}
	log := string(ask(e, "GET /moorings/holds").Answer.Body)
	assert.Equal(t, 3, strings.Count(log, `"berth":"N1"`), log)
	explained := e.Explain(t.Context(), request("POST /moorings/holds/N5", "", "{}"))
	assert.Contains(t, stepsOf(explained), `remembers "free/N5"`)
	assert.Equal(t, log, string(ask(e, "GET /moorings/holds").Answer.Body), "an explanation remembers nothing")
	e.ResetLane(nil)
	assert.Equal(t, "[]", string(ask(e, "GET /moorings/holds").Answer.Body))
}

// However many calls come at once, the last berth is given once, in each lane and for everybody.
func TestTwoCallsNeverTakeTheLast(t *testing.T) {
	_, e := harbour(t, `
- id: take
  call: { method: POST, path: /take }
  choose:
    - { if: 'recall("left", 20) > 0', answer: { status: 201, remember: { key: left, value: '${recall("left", 20) - 1}' } } }
    - answer: { status: 409 }
`)
	var taken, refused atomic.Int32
	var all sync.WaitGroup
	for range 60 {
		all.Go(func() {
			switch decide(e, request("POST /moorings/take", "", "")).Answer.Status {
			case 201:
				taken.Add(1)
			case 409:
				refused.Add(1)
			}
		})
	}
	all.Wait()
	assert.EqualValues(t, 20, taken.Load())
	assert.EqualValues(t, 40, refused.Load())
}

// A flow answers by the state of the thing that the call is about, and moves it.
func TestFlows(t *testing.T) {
	_, e := harbour(t, `
- { id: draft, call: { method: PUT, path: "/permits/{id}" }, flow: { name: permit, of: "${call.path.id}", when: [start, draft], then: draft }, answer: { status: 200 } }
- { id: send, call: { method: POST, path: "/permits/{id}/sent" }, flow: { name: permit, of: "${call.path.id}", when: draft, then: sent }, answer: { status: 202 } }
- { id: again, rank: -1, call: { method: POST, path: "/permits/{id}/sent" }, answer: { status: 409, json: { state: '${state("permit", call.path.id)}' } } }
- { id: read, call: { method: GET, path: "/permits/{id}" }, flow: { name: permit, of: "${call.path.id}", when: [draft, sent] }, answer: { json: { state: '${state("permit", call.path.id)}' } } }
- { id: odd, call: { method: GET, path: /odd }, flow: { name: permit, of: "${call.query.id}", when: sent }, answer: { status: 200 } }
`)
	for _, k := range []struct {
		line       string
		status     int
		body, says string
	}{
		{"GET /moorings/permits/P1", 404, "", "its flow permit P1 is in the state start, and the mapping answers in draft, sent"},
		{"POST /moorings/permits/P1/sent", 409, `{"state":"start"}`, "is in the state start, and the mapping answers in draft"},
		{"PUT /moorings/permits/P1", 200, "", "flow permit P1 goes from start to draft"},
		{"GET /moorings/permits/P1", 200, `{"state":"draft"}`, ""},
		{"POST /moorings/permits/P1/sent", 202, "", "flow permit P1 goes from draft to sent"},
		{"POST /moorings/permits/P1/sent", 409, `{"state":"sent"}`, "is in the state sent"},
		{"PUT /moorings/permits/P1", 404, "", "is in the state sent"},
		{"GET /moorings/permits/P2", 404, "", "is in the state start"},
		{"GET /moorings/odd", 404, "", "flow: expression"},
	} {
		d := decide(e, request(k.line, "", "{}"))
		assert.Equal(t, k.status, d.Answer.Status, "%s: %s", k.line, d.Answer.Body)
		assert.Contains(t, string(d.Answer.Body), k.body, k.line)
		assert.Contains(t, stepsOf(d), k.says, k.line)
	}
	missed := ask(e, "GET /moorings/permits/P2")
	assert.Equal(t, call.FromMiss, missed.Source)
	assert.Contains(t, string(missed.Answer.Body), "in the state start", "the mapping that would fit comes first")
}
