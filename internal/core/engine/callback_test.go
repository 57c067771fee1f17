package engine_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

func setCallbacks(t *testing.T, c *catalog.Catalog, change func(*spec.Service)) {
	t.Helper()
	s := c.Snapshot().Named("moorings").Spec
	change(&s)
	_, _, err := c.PutService(t.Context(), "moorings", s, "")
	require.NoError(t, err)
}

// book books a berth and asks to be told.
func book(e *engine.Engine, address, tell string) *engine.Decision {
	r := request("POST "+address+"/berths/N7/bookings", "", gannet)
	if tell != "" {
		r.Header["Tell-At"] = []string{tell}
	}
	placed := e.Place(context.Background(), r)
	return e.Decide(placed, r)
}

// What a contract declares is called after its answers, and nothing where callbacks are off, the
// address is missing, or the answer is none of success.
func TestCallbacksOfTheContract(t *testing.T) {
	c, e := harbour(t, "{ id: refuses, call: { operation: bookBerth, where: [{ query: as, equals: taken }] }, answer: { example: taken } }")
	d := book(e, "/moorings", "http://quay.example/told")
	assert.Empty(t, d.Callbacks)
	assert.Contains(t, stepsOf(d), "not made: callbacks of moorings are off")
	assert.NotContains(t, stepsOf(ask(e, "GET /moorings/berths")), "callbacks", "this one has none")

	setCallbacks(t, c, func(s *spec.Service) {
		s.Callbacks = spec.Callbacks{On: true, Pace: spec.Pace{After: spec.Duration(time.Second)}, Hosts: []string{"localhost"}}
	})
	r := request("POST /moorings/berths/N7/bookings", "", gannet)
	assert.True(t, e.Place(t.Context(), r).NeedsBody(), "a callback may depend on it")
	d = book(e, "/moorings", "http://quay.example/told")
	require.Len(t, d.Callbacks, 1)
	made := d.Callbacks[0]
	assert.Equal(t, []any{"bookingChanged", "moorings", "POST", "http://quay.example/told", false}, []any{made.By, made.Service, made.Method, made.Target, made.Private})
	assert.Equal(t, []any{time.Second, 1, 0}, []any{made.After, made.Times, made.Retries})
	assert.Equal(t, call.Header{"Content-Type": {"application/json"}, "User-Agent": {"rapid-mimic"}, "Rapid-Mimic-Hops": {"1"}}, made.Header)
	body, err := tree.ParseJSON(made.Body)
	require.NoError(t, err)
	assert.Equal(t, "B-2041", body.Get("reference").Str(), "that of the answer")
	assert.Contains(t, stepsOf(d), "calls POST http://quay.example/told, 1s after the answer")
	assert.Len(t, e.Explain(t.Context(), request("POST /moorings/berths/N7/bookings", "", gannet)).Callbacks, 0)

	assert.True(t, book(e, "/moorings", "http://LOCALHOST:9000/told").Callbacks[0].Private)
	d = book(e, "/moorings", "")
	assert.Empty(t, d.Callbacks)
	assert.Contains(t, stepsOf(d), "not made: $request.header.Tell-At has no value in this call")
	d = book(e, "/moorings", "file:///etc/passwd")
	assert.Empty(t, d.Callbacks)
	assert.Contains(t, stepsOf(d), `"file:///etc/passwd" is no address such as`)

	for line, headers := range map[string][]string{
		"POST /moorings/berths/N7/bookings?as=taken": {"Tell-At: http://quay.example"},
		"POST /moorings/berths/N7/bookings":          {"Tell-At: http://quay.example", "Rapid-Mimic: status=409"},
		"OPTIONS /moorings/berths/N7/bookings":       {"Tell-At: http://quay.example"},
	} {
		assert.Empty(t, ask(e, line, headers...).Callbacks, line)
	}
	round := request("POST /moorings/berths/N7/bookings", "", gannet)
	round.Header["Tell-At"], round.Header["Rapid-Mimic-Hops"] = []string{"http://quay.example"}, []string{"8"}
	d = decide(e, round)
	assert.Empty(t, d.Callbacks)
	assert.Contains(t, stepsOf(d), "passed 8 services like this one already")
	round.Header["Rapid-Mimic-Hops"] = []string{"7"}
	assert.Equal(t, []string{"8"}, decide(e, round).Callbacks[0].Header["Rapid-Mimic-Hops"])

	setCallbacks(t, c, func(s *spec.Service) { s.Echo = false })
	body, err = tree.ParseJSON(book(e, "/moorings", "http://quay.example/told").Callbacks[0].Body)
	require.NoError(t, err)
	assert.NotEqual(t, "B-2041", body.Get("reference").Str(), "without echo it is drawn")
}

// What a mapping lists is called instead, where its expressions have values.
func TestCallbacksOfMappings(t *testing.T) {
	c, e := harbour(t, `
- id: told
  call: { operation: bookBerth, where: [{ query: as, equals: told }] }
  answer:
    status: 202
    let: { n: "${call.path.number + '!'}" }
    json: { n: "${n}" }
    callbacks:
      - { name: bookingChanged, json: { n: "${n}" }, after: 3s }
      - { name: bookingChanged, to: "http://other.example/${n}", headers: [{ content-type: text/x }, { X-A: 1 }, { X-A: 2 }], times: 2, retries: 1 }
      - { to: "http://quay.example/${call.query.as}", method: DELETE }
      - { to: "http://quay.example", text: "${call.query.missing}" }
- id: quiet
  call: { operation: bookBerth, where: [{ query: as, equals: quiet }] }
  answer: { status: 202, callbacks: [] }
- id: as-declared
  call: { operation: bookBerth, where: [{ query: as, equals: declared }] }
  answer: { status: 202 }
- id: elsewhere
  call: { method: GET, path: /elsewhere }
  answer: { text: a, callbacks: { to: "http://quay.example/fixed" } }
`)
	assert.Contains(t, stepsOf(ask(e, "GET /moorings/elsewhere")), "callbacks of moorings are off")
	setCallbacks(t, c, func(s *spec.Service) {
		s.Callbacks = spec.Callbacks{On: true, Pace: spec.Pace{After: spec.Duration(time.Second), Retries: 4}}
	})
	asked := func(as string) *engine.Decision {
		r := request("POST /moorings/berths/N7/bookings?as="+as, "", gannet)
		r.Header["Tell-At"] = []string{"http://quay.example/told"}
		return decide(e, r)
	}
	d := asked("told")
	require.Len(t, d.Callbacks, 3)
	first, second, third := d.Callbacks[0], d.Callbacks[1], d.Callbacks[2]
	assert.Equal(t, []any{"mapping told, callback bookingChanged", "http://quay.example/told", `{"n":"N7!"}`, 3 * time.Second, 4, time.Second},
		[]any{first.By, first.Target, string(first.Body), first.After, first.Retries, first.RetryEvery})
	assert.Equal(t, []string{"application/json"}, first.Header["Content-Type"])
	assert.Equal(t, []any{"http://other.example/N7!", time.Second, 2, 1}, []any{second.Target, second.After, second.Times, second.Retries})
	assert.Equal(t, call.Header{"Content-Type": {"text/x"}, "X-A": {"1", "2"}, "User-Agent": {"rapid-mimic"}, "Rapid-Mimic-Hops": {"1"}}, second.Header)
	assert.Contains(t, string(second.Body), "reference", "the body is the contract's")
	assert.Equal(t, []any{"mapping told, callback 3", "DELETE", "http://quay.example/told", ""}, []any{third.By, third.Method, third.Target, string(third.Body)})
	assert.Contains(t, stepsOf(d), "2 times")
	assert.Contains(t, stepsOf(d), `not made: expression "call.query.missing"`)

	assert.Empty(t, asked("quiet").Callbacks)
	require.Len(t, asked("declared").Callbacks, 1)
	assert.Equal(t, "bookingChanged", asked("declared").Callbacks[0].By)
	for range 2 { // a fixed answer, whose explanation others share
		d = ask(e, "GET /moorings/elsewhere")
		require.Len(t, d.Callbacks, 1)
		assert.Equal(t, "http://quay.example/fixed", d.Callbacks[0].Target)
		assert.Len(t, d.Explanation.Steps, 3)
	}
	_, _, err := c.PutMappings(t.Context(), "moorings", []spec.Mapping{{ID: "bad", Enabled: true, Call: spec.Pattern{Path: "/bad"}, Answer: spec.Answer{Status: spec.Status{Code: 200}, Callbacks: spec.CallbackList{{Name: "bookingChnged"}}}}})
	assert.ErrorContains(t, err, `callback "bookingChnged" not found (bookingChanged?)`)
}

func TestWebhooks(t *testing.T) {
	c, e := harbour(t, "")
	setCallbacks(t, c, func(s *spec.Service) {
		s.Callbacks = spec.Callbacks{On: true, To: "http://quay.example/hooks", Pace: spec.Pace{Retries: 2}}
	})
	_, err := c.OpenLane(t.Context(), spec.NewLane("mara"), time.Now())
	require.NoError(t, err)
	made, err := e.Webhook(t.Context(), "moorings", "mara", spec.Callback{Name: "berthFreed", Headers: spec.Headers{{Name: "X-A", Value: "${1 + 1}"}}})
	require.NoError(t, err)
	assert.Equal(t, []any{"webhook berthFreed", "moorings", "mara", "POST", "http://quay.example/hooks", 2, uint64(0)}, []any{made.By, made.Service, made.Lane, made.Method, made.Target, made.Retries, made.Cause})
	assert.Contains(t, string(made.Body), `"number":"N9"`)
	assert.Equal(t, []string{"2"}, made.Header["X-A"])
	assert.True(t, e.WantsCallback(made))
	made, err = e.Webhook(t.Context(), "moorings", "", spec.Callback{Name: "berthFreed", To: "http://other.example", JSON: tree.NewString("x")})
	require.NoError(t, err)
	assert.Equal(t, []string{"http://other.example", `"x"`, ""}, []string{made.Target, string(made.Body), made.Lane})

	for want, given := range map[string]struct {
		service, lane string
		callback      spec.Callback
	}{
		`no service is named "none"`:    {"none", "", spec.Callback{Name: "berthFreed"}},
		`declares no webhook "nothing"`: {"moorings", "", spec.Callback{Name: "nothing"}},
		`lane "ida"`:                    {"moorings", "ida", spec.Callback{Name: "berthFreed"}},
		`undeclared reference`:          {"moorings", "", spec.Callback{Name: "berthFreed", To: "http://a/${nothing}"}},
		`"quay" is no address`:          {"moorings", "", spec.Callback{Name: "berthFreed", To: "${'quay'}"}},
	} {
		_, err := e.Webhook(t.Context(), given.service, given.lane, given.callback)
		assert.ErrorContains(t, err, want)
	}
	setCallbacks(t, c, func(s *spec.Service) { s.Callbacks.To = "" })
	_, err = e.Webhook(t.Context(), "moorings", "", spec.Callback{Name: "berthFreed"})
	assert.ErrorContains(t, err, "it has no address to go to")

	operation, found, err := e.Check(t.Context(), &call.Record{Service: "moorings", Source: call.FromCallback, Request: call.Request{Method: "POST", Path: "/berths/N7/bookings"}})
	require.NoError(t, err)
	assert.Equal(t, "", operation, "what a service sends is for none of its operations")
	assert.Empty(t, found)

	made, err = e.Webhook(t.Context(), "moorings", "mara", spec.Callback{Name: "berthFreed", To: "http://other.example"})
	require.NoError(t, err)
	everybodys := *made
	everybodys.Lane = ""
	wants := func(change func(*call.Callback)) bool {
		c := *made
		change(&c)
		return e.WantsCallback(&c)
	}
	assert.True(t, e.WantsCallback(made))
	assert.False(t, wants(func(c *call.Callback) { c.Lane = "ida" }), "its lane is closed")
	assert.False(t, wants(func(c *call.Callback) { c.At = c.At.Add(-time.Hour) }), "its lane is another one")
	assert.True(t, wants(func(c *call.Callback) { c.Service = "before it was renamed" }))
	assert.False(t, wants(func(c *call.Callback) { c.ServiceID = "another" }), "its service was removed, and one of its name made")
	tides := c.Snapshot().Named("tides").Spec
	assert.False(t, wants(func(c *call.Callback) { c.Service, c.ServiceID = "tides", tides.ID }), "it makes none")
	assert.True(t, e.WantsCallback(&everybodys))
	setCallbacks(t, c, func(s *spec.Service) { s.Callbacks = spec.Callbacks{} })
	assert.False(t, e.WantsCallback(&everybodys))
}

// A scenario sends its webhooks when it is switched on, and what of them waits is given up with it.
func TestWebhooksOfScenarios(t *testing.T) {
	c, e := harbour(t, "")
	scenarios, err := spec.ReadScenarios([]byte(`
- { name: calm, services: { moorings: { webhooks: { name: berthFreed, after: 1m } } } }
- { name: storm, buildsOn: calm, services: { moorings: { webhooks: [{ name: berthFreed, json: { pier: "${vars.pier}" } }, { name: berthFreed, to: "${1}" }] } }, variables: { pier: south } }`))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), scenarios)
	require.NoError(t, err)
	switchOn := func() *catalog.Activation {
		on, _, err := c.UseScenario(t.Context(), "mara", "storm", 0, time.Now())
		require.NoError(t, err)
		return on
	}
	_, err = c.OpenLane(t.Context(), spec.NewLane("mara"), time.Now())
	require.NoError(t, err)
	for _, w := range e.ScenarioWebhooks(t.Context(), "mara", switchOn()) {
		assert.Equal(t, engine.ScenarioWebhook{Service: "moorings", Name: "berthFreed", Why: "callbacks of the service are off (rapidmimic service set moorings --callbacks on)"}, w)
	}
	setCallbacks(t, c, func(s *spec.Service) { s.Callbacks = spec.Callbacks{On: true, To: "http://quay.example/hooks"} })
	made := e.ScenarioWebhooks(t.Context(), "mara", switchOn())
	require.Len(t, made, 3)
	assert.Equal(t, time.Minute, made[0].Call.After, "of the scenario that it builds on")
	assert.Equal(t, []string{"mara", "storm", `{"pier":"south"}`}, []string{made[1].Call.Lane, made[1].Call.Scenario, string(made[1].Call.Body)})
	assert.Contains(t, made[2].Why, `"1" is no address`)
	assert.True(t, e.WantsCallback(made[0].Call))
	elsewhere := *made[0].Call
	elsewhere.Lane = ""
	assert.False(t, e.WantsCallback(&elsewhere), "it is on in the lane only")
	time.Sleep(time.Millisecond)
	switchOn()
	assert.False(t, e.WantsCallback(made[0].Call), "it began anew")
	made = e.ScenarioWebhooks(t.Context(), "mara", switchOn())
	_, err = c.LeaveScenario(t.Context(), "mara", time.Now())
	require.NoError(t, err)
	assert.False(t, e.WantsCallback(made[0].Call), "it is off")
}
