package engine_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
)

var tenOClock = time.Date(2026, 12, 1, 10, 0, 0, 0, time.UTC)

// situated is a harbour with scenarios and lanes, and an engine on it.
func situated(t *testing.T, mappings string) (*catalog.Catalog, *engine.Engine) {
	c, _ := harbour(t, mappings)
	scenarios, err := spec.ReadScenarios([]byte(`
- name: full
  services: { moorings: { examples: { listBerths: none-free } } }
- name: rough
  services:
    moorings:
      mappings:
        - { id: by-wave, call: { path: /waves, where: [{ query: height, equals: "9" }] }, answer: { text: high } }
        - { id: body, call: { method: POST, path: /log, if: "call.body.n == 1" }, answer: { text: looked } }
      impair: { latency: 7s }
    bare: { off: true }
`))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), scenarios, "")
	require.NoError(t, err)
	for _, text := range []string{
		"{ name: mara, ttl: 10m, scenario: rough }", "{ name: plain }",
		"{ name: ruled, when: { where: [{ caller: 10.2.0.0/16 }], if: 'call.cookies.who == \"ida\" && call.query.n == \"1\"' } }",
		"{ name: second, when: { where: [{ caller: 10.0.0.0/8 }] } }",
	} {
		lane, err := spec.ReadLane([]byte(text), "")
		require.NoError(t, err)
		_, err = c.OpenLane(t.Context(), lane, tenOClock)
		require.NoError(t, err)
	}
	return c, timed(c)
}

// placed decides a call from an address, through the proxy by a user or not.
func placed(e *engine.Engine, line, caller, user string, headers ...string) *engine.Decision {
	r := request(line, caller, "")
	r.ProxyUser = user
	for _, h := range headers {
		name, value, _ := strings.Cut(h, ": ")
		r.Header[name] = append(r.Header[name], value)
	}
	return decide(e, r)
}

// The header comes before the address, that before baggage, that before the user of
// the proxy, that before rules, of which the first to be opened counts.
func TestWhichLane(t *testing.T) {
	_, e := situated(t, "")
	header, baggage := "Rapid-Mimic: lane=mara", "Baggage: rapid-mimic.lane=plain"
	for _, k := range []struct {
		line, caller, user string
		headers            []string
		lane, why          string
	}{
		{"GET /moorings/berths", "192.0.2.1:5", "", nil, "", ""},
		{"GET /@plain/moorings/berths", "10.2.0.1:5", "second", []string{header, "Baggage: rapid-mimic.lane=ruled"}, "mara", "its hint"},
		{"GET /@mara/moorings/berths", "10.2.0.1:5", "second", []string{baggage}, "mara", "its address"},
		{"GET /%40mara/moorings/berths", "192.0.2.1:5", "", nil, "mara", "its address"},
		{"GET /moorings/berths", "10.2.0.1:5", "second", []string{baggage}, "plain", "its baggage"},
		{"GET /moorings/berths", "10.2.0.1:5", "mara", nil, "mara", "the user name that it gave the proxy"},
		{"GET /moorings/berths?n=1", "10.2.0.1:5", "", []string{"Cookie: who=ida"}, "ruled", "its rule"},
		{"GET /moorings/berths?n=1", "10.2.0.1:5", "", nil, "second", "its rule"},
		{"GET /moorings/berths", "10.9.0.1:5", "", nil, "second", "its rule"},
		{"GET /mooring/berths", "192.0.2.1:5", "", []string{header}, "mara", "its hint"},
	} {
		d := placed(e, k.line, k.caller, k.user, k.headers...)
		assert.Equal(t, k.lane, d.Lane, "%+v", k)
		if k.lane == "" {
			assert.Equal(t, call.Choose, d.Explanation.Steps[0].Stage, "it says nothing of lanes")
			continue
		}
		assert.Equal(t, "lane "+k.lane, d.Explanation.Steps[0].Of.String())
		assert.Contains(t, d.Explanation.Steps[0].String(), k.why)
	}
	for line, want := range map[string]string{
		"GET /@marra/moorings/berths": `lane "marra" not found (mara?).`, "GET /@marra": `(mara?)`,
		"GET /@marra/nowhere": `(mara?)`,
	} {
		d := placed(e, line, "", "")
		assert.Equal(t, 400, d.Answer.Status, line)
		assert.Equal(t, call.FromSelf, d.Source, line)
		assert.Contains(t, d.Explanation.Summary.String(), want)
		assert.Contains(t, string(d.Answer.Body), `"valid":["mara","plain","ruled","second"]`)
	}
	for _, empty := range []*engine.Decision{placed(e, "GET /@/moorings/berths", "", ""), placed(e, "GET /moorings/berths", "", "", `Rapid-Mimic: lane=""`), placed(e, "GET /moorings/berths", "", "", "Baggage: rapid-mimic.lane="),
		placed(e, "GET /moorings/berths", "", "", "Baggage: rapid-mimic.scenario=")} {
		assert.Equal(t, 400, empty.Answer.Status, "a name that is empty is most likely a variable that is not set")
	}
	preflight := placed(e, "OPTIONS /@marra/moorings/berths", "", "", "Origin: http://board.example", "Access-Control-Request-Method: GET")
	assert.Equal(t, 204, preflight.Answer.Status, "the question of a browser is answered")
	refused := placed(e, "GET /@marra/moorings/berths", "", "", "Origin: http://board.example")
	assert.Equal(t, "http://board.example", refused.Answer.Get("Access-Control-Allow-Origin"), "so that its page reads why")
}

// What a call is answered with in a view, and what it says of why.
func TestDecidingInViews(t *testing.T) {
	c, e := situated(t, `
- { id: shared, rank: 9, call: { path: /waves }, answer: { text: low } }
- { id: list, rank: 9, call: { path: /berths }, answer: { text: of everybody } }
`)
	rough := e.Place(context.Background(), request("POST /@mara/moorings/log", "", `{"n":1}`))
	assert.True(t, rough.NeedsBody(), "a mapping of the scenario looks into bodies")
	assert.False(t, e.Place(context.Background(), request("POST /@plain/bare/log", "", "")).NeedsBody())
	for _, k := range []struct {
		line, hint string
		want, says string
	}{
		{"GET /@mara/moorings/waves?height=9", "", "high", `mapping shared: fits too, but what "by-wave" belongs to comes first`},
		{"GET /@mara/moorings/waves?height=2", "", "low", `mapping by-wave of scenario "rough": query height is "2", expected "9"`},
		{"GET /@plain/moorings/waves?height=9", "", "low", ""},
		{"GET /moorings/waves?height=9", `scenario="rough"`, "high", "scenario rough: the hint of the call asks for it"},
		{"GET /moorings/berths", "", "of everybody", ""},
		{"GET /moorings/berths", "scenario=full", `"total":0`, `as scenario "full" asks`},
		{"GET /@mara/bare/x", "", `Service \"bare\" is switched off by scenario \"rough\".`, ""},
		{"GET /@mara/moorings/waves", `scenario="gone"`, `scenario \"gone\" not found (there is full, rough).`, ""},
	} {
		headers := []string{}
		if k.hint != "" {
			headers = append(headers, "Rapid-Mimic: "+k.hint)
		}
		d := placed(e, k.line, "", "", headers...)
		assert.Contains(t, string(d.Answer.Body), k.want, k.line)
		said := d.Explanation.Summary.String() + "\n"
		for _, step := range d.Explanation.Steps {
			said += fmt.Sprintf("%s: %s\n", step.Of, step)
		}
		assert.Contains(t, said, k.says, k.line)
	}
	slow := placed(e, "GET /@mara/moorings/berths", "", "")
	assert.Equal(t, 7*time.Second, slow.Delay)
	require.Len(t, slow.Injected, 1)
	assert.Equal(t, `moorings in scenario "rough"`, slow.Injected[0].From)
	assert.Zero(t, placed(e, "GET /moorings/berths", "", "").Delay)

	// what everybody shares stays one piece in memory, however many lanes there are
	s := c.Snapshot()
	lane, err := s.FindLane("plain", tenOClock)
	require.NoError(t, err)
	assert.Same(t, s.Named("moorings"), s.View(lane, tenOClock).Named("moorings"))

	// a lane that has ended refuses from that moment on
	now := tenOClock.Add(10 * time.Minute)
	later := engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, Now: func() time.Time { return now }})
	assert.Contains(t, placed(later, "GET /@mara/moorings/waves", "", "").Explanation.Summary.String(), "is closed since 10:10:00 UTC")
	assert.Equal(t, "second", placed(later, "GET /moorings/waves", "10.2.0.1:5", "").Lane)
}

// What is counted in a view is forgotten by itself, and with its lane.
func TestStateOfViews(t *testing.T) {
	c, e := situated(t, "{ id: turn, call: { path: /turn }, answer: { text: \"${counter('n')}\" } }")
	count := func(line string) string { return string(placed(e, line, "", "").Answer.Body) }
	for i, want := range []string{"1", "2"} {
		assert.Equal(t, want, count("GET /moorings/turn"), i)
		assert.Equal(t, want, count("GET /@mara/moorings/turn"), i)
		assert.Equal(t, want, count("GET /@plain/moorings/turn"), i)
	}
	s := c.Snapshot()
	e.ResetView(s.View(nil, tenOClock))
	assert.Equal(t, []string{"1", "3", "3"}, []string{count("GET /moorings/turn"), count("GET /@mara/moorings/turn"), count("GET /@plain/moorings/turn")})
	mara, err := s.FindLane("mara", tenOClock)
	require.NoError(t, err)
	_, _, err = c.UseScenario(t.Context(), "mara", "full", 0, tenOClock)
	require.NoError(t, err)
	assert.Equal(t, "1", count("GET /@mara/moorings/turn"), "each scenario by itself")
	e.ResetLane(mara)
	_, _, err = c.UseScenario(t.Context(), "mara", "rough", 0, tenOClock)
	require.NoError(t, err)
	assert.Equal(t, []string{"2", "1", "4"}, []string{count("GET /moorings/turn"), count("GET /@mara/moorings/turn"), count("GET /@plain/moorings/turn")})
}

// A lane that calls too often waits for its next second; others, and those in no lane, do not.
func TestQuotaOfLanes(t *testing.T) {
	c, _ := situated(t, "{ id: any, call: { path: /any }, answer: { text: any } }")
	now := tenOClock
	e := engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, Now: func() time.Time { return now }, LaneCalls: 2})
	calls := func(line string) *engine.Decision { return placed(e, line, "", "") }
	for range 2 {
		assert.Equal(t, 200, calls("GET /@plain/moorings/berths").Answer.Status)
	}
	now = now.Add(400 * time.Millisecond)
	over := calls("GET /@plain/moorings/berths")
	assert.Equal(t, 429, over.Answer.Status)
	assert.Equal(t, "lane-quota", over.By)
	assert.Contains(t, string(over.Answer.Body), `Lane \"plain\" has a share of 2 calls a second`)
	assert.Contains(t, over.Headers, call.Field{Name: "Retry-After", Value: "1"})
	for range 3 {
		assert.Equal(t, 200, calls("GET /moorings/berths").Answer.Status, "in no lane")
	}
	assert.NotEqual(t, 429, calls("GET /@mara/moorings/waves").Answer.Status, "another lane")
	now = now.Add(600 * time.Millisecond)
	assert.Equal(t, 200, calls("GET /@plain/moorings/berths").Answer.Status, "a second later")
}
