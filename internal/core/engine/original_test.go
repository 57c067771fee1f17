package engine_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

const starting = `
- id: taken
  call: { path: "/berths/{number}", where: [{ query: as, equals: taken }] }
  answer: { from: contract, example: free, with: { state: taken, number: "${call.path.number}" } }
- id: unknown
  call: { path: "/berths/{number}", where: [{ query: as, equals: unknown }] }
  answer: { from: contract, status: 404, with: { title: "No ${call.path.number}" } }
- id: plain
  call: { path: "/berths/{number}", where: [{ query: as, equals: plain }] }
  answer: { from: contract }
- id: fresh
  call: { path: "/berths/{number}", where: [{ query: as, equals: fresh }] }
  answer: { from: contract, generate: true, with: { pier: drawn } }
- id: closed
  call: { path: "/berths/{number}", where: [{ query: as, equals: closed }] }
  answer: { from: "mapping:taken", edit: [{ op: replace, path: /body/state, value: closed }, { op: replace, path: /status, value: 203 }] }
- id: base
  enabled: false
  call: { path: "/never/{number}" }
  sequence: [{ text: one }, { json: { turn: 2, number: "${call.path.number}" }, headers: [{ X-Turn: two }] }]
- id: turns
  call: { path: "/berths/{number}", where: [{ query: as, equals: turns }] }
  answer: { from: "mapping:base", edit: [{ op: test, path: /status, value: 299 }] }
- id: merged
  call: { path: "/berths/{number}", where: [{ query: as, equals: merged }] }
  answer: { from: "mapping:base", with: { more: true } }
- id: nothing
  call: { path: "/berths/{number}", where: [{ query: as, equals: nothing }] }
  answer: { from: contract, example: free, edit: [{ op: remove, path: /body/none }] }
- id: elsewhere
  call: { path: /elsewhere }
  answer: { from: contract, with: { a: 1 } }
`

func TestAnswersThatStartFromOthers(t *testing.T) {
	c, _ := harbour(t, starting)
	e := timed(c)
	for _, k := range []struct {
		line    string
		status  int
		by      string
		want    string
		because string
	}{
		{"GET /moorings/berths/N9?as=taken", 200, "taken", `^\{"number":"N9",.*"state":"taken",`, `Answered by mapping "taken" with what the contract has: operation getBerth, example "free" as application/json, as the mapping asks, edited.`},
		{"GET /moorings/berths/N9?as=unknown", 404, "unknown", `"title":"No N9"`, "the mapping asks for the status"},
		{"GET /moorings/berths/N9?as=plain", 200, "plain", `"state":"free"`, `example "free"`},
		{"GET /moorings/berths/N9?as=fresh", 200, "fresh", `"pier":"drawn"`, "the mapping asks for fresh data"},
		{"GET /moorings/berths/N9?as=closed", 203, "closed", `^\{"number":"N9",.*"state":"closed",`, `Answered by mapping "closed" with what mapping "taken" answers, edited.`},
		{"GET /moorings/berths/N9?as=turns", 200, "turns", "^one$", "nothing is changed: a test of the patch does not hold"},
		{"GET /moorings/berths/N9?as=merged", 200, "merged", `^\{"turn":2,"number":"N9","more":true\}$`, "answer 2 of its sequence of 2"},
		{"GET /moorings/berths/N9?as=merged", 200, "merged", `"turn":2`, ""},
		{"GET /moorings/berths/N9?as=nothing", 500, "edit", "cannot be edited: .*/body/none", ""},
		{"GET /moorings/elsewhere", 500, "no-operation", "no operation of it fits", ""},
	} {
		peeked := e.Explain(t.Context(), request(k.line, "", ""))
		d := decide(e, request(k.line, "", ""))
		assert.Equal(t, k.status, d.Answer.Status, k.line)
		assert.Equal(t, k.by, d.By, k.line)
		assert.Regexp(t, k.want, string(d.Answer.Body), k.line)
		assert.Contains(t, d.Explanation.Summary.String()+explained(d), k.because, k.line)
		assert.Equal(t, string(d.Answer.Body), string(peeked.Answer.Body), "%s: what was explained is what comes", k.line)
	}

	scenario := spec.Scenario{Name: "closed", Changes: spec.Changes{Services: map[string]spec.ServiceChanges{"moorings": {Mappings: read(t, `
- { id: taken, call: { path: "/berths/{number}" }, answer: { from: "mapping:taken", with: { state: closed } } }`)}}}}
	_, _, err := c.PutScenarioAs(t.Context(), "closed", scenario, "")
	require.NoError(t, err)
	d := ask(e, "GET /moorings/berths/N9", "Rapid-Mimic: scenario=closed")
	assert.Regexp(t, `"number":"N9".*"state":"closed"`, string(d.Answer.Body), "it starts from the one it stands above")

	_, _, err = c.PutMappingAs(t.Context(), "moorings", "taken", renamed(t, c, "taken", "occupied"), "")
	require.NoError(t, err)
	d = ask(e, "GET /moorings/berths/N9?as=closed")
	assert.Regexp(t, `"state":"closed"`, string(d.Answer.Body), "a mapping is found under its new id")
	_, err = c.RemoveMapping(t.Context(), "moorings", "occupied", "")
	require.NoError(t, err)
	d = ask(e, "GET /moorings/berths/N9?as=closed")
	assert.Equal(t, 500, d.Answer.Status)
	assert.Contains(t, string(d.Answer.Body), `takes its answer from mapping \"occupied\", which is not there`)
	service, err := c.Find("moorings")
	require.NoError(t, err)
	assert.Contains(t, service.Problem(service.Mapping("closed")), `mapping "occupied", whose answer it starts from, is gone`)

	for document, want := range map[string]string{
		`{ id: a, call: { path: /a }, answer: { from: "mapping:b" } }`:                                                                       `no mapping "b" is there to start from`,
		`{ id: merged, call: { path: /a }, answer: { from: "mapping:merged" } }`:                                                             "in the end from this one",
		`[{ id: base, call: { path: /a }, answer: { from: "mapping:a" } }, { id: a, call: { path: /a }, answer: { from: "mapping:base" } }]`: "in the end from this one",
		`{ id: a, call: { operation: getBerth }, answer: { from: contract, status: 418 } }`:                                                  "operation getBerth has no response 418",
		`{ id: a, call: { operation: getBerth }, answer: { from: contract, example: fre } }`:                                                 `example "fre" not found (free?)`,
	} {
		_, _, err := c.PutMappings(t.Context(), "moorings", read(t, document))
		assert.ErrorContains(t, err, want, document)
	}
	_, _, err = c.PutMappings(t.Context(), "bare", read(t, `{ call: { path: /a }, answer: { from: contract } }`))
	assert.ErrorContains(t, err, `service "bare" has no contract`)
}

func read(t *testing.T, document string) []spec.Mapping {
	list, err := spec.ReadMappings([]byte(document))
	require.NoError(t, err, document)
	return list
}

// renamed is a mapping as it is, with another id.
func renamed(t *testing.T, c *catalog.Catalog, id, to string) spec.Mapping {
	m, err := c.FindMapping("moorings", id)
	require.NoError(t, err)
	out := m.Spec
	out.ID = to
	return out
}
