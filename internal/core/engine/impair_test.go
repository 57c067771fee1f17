package engine_test

import (
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

// become says what impairments made of a call: the effect or the status, and what
// came with it.
func become(d *engine.Decision) string {
	var parts []string
	if d.Effect != "" {
		parts = append(parts, d.Effect)
	}
	if d.Relay != nil {
		parts = append(parts, "relayed")
	} else if d.Answer.Status > 0 {
		parts = append(parts, fmt.Sprint(d.Answer.Status))
	}
	for _, f := range append(d.Answer.Header, d.Headers...) {
		if f.Name == "Retry-After" || f.Name == "RateLimit" || f.Name == "RateLimit-Policy" {
			parts = append(parts, f.Name+": "+f.Value)
		}
	}
	if d.Delay > 0 {
		parts = append(parts, d.Delay.String()+" late")
	}
	if d.Line.Slow() {
		parts = append(parts, d.Line.String())
	}
	return strings.Join(parts, ", ")
}

// impaired is the harbour with an impairment of the moorings, and a clock.
func impaired(t *testing.T, impairments map[string]string) (*engine.Engine, *time.Time) {
	t.Helper()
	_, e, now := impairedHarbour(t, impairments)
	return e, now
}

func impairedHarbour(t *testing.T, impairments map[string]string) (*catalog.Catalog, *engine.Engine, *time.Time) {
	t.Helper()
	now := time.Date(2026, 5, 1, 8, 0, 0, 0, time.UTC)
	c, _ := harbour(t, someMappings)
	relayed := spec.NewService("office")
	relayed.Upstream, relayed.Mode = "https://real.example/v1", spec.ModeRelay
	_, err := c.CreateService(t.Context(), relayed)
	require.NoError(t, err)
	for target, document := range impairments {
		i, err := spec.ReadImpairment([]byte(document))
		require.NoError(t, err)
		on := spec.Target{Service: target}
		if service, of, ok := strings.Cut(target, " "); ok {
			on.Service = service
			if on.Operation = of; strings.HasPrefix(of, "any-") {
				on.Operation, on.Mapping = "", of
			}
		}
		_, err = c.SetImpairment(t.Context(), on, i, "", 1, now)
		require.NoError(t, err)
	}
	return c, engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, Control: "http://127.0.0.1:7400", RunSeed: 1, Now: func() time.Time { return now }}), &now
}

// Each step is a call: after how long, of whom, and what became of it. What Explain
// says just before is what then happens, and saying it changes nothing.
func TestWhatImpairmentsDo(t *testing.T) {
	type step struct {
		after time.Duration
		of    string
		want  string
	}
	const berths = "GET /moorings/berths/N7"
	for name, c := range map[string]struct {
		line        string
		impairments map[string]string
		steps       []step
	}{
		"the next calls":          {impairments: map[string]string{"moorings": `errors: {next: 2, status: 500}`}, steps: []step{{want: "500"}, {want: "500"}, {want: "200"}}},
		"every third":             {impairments: map[string]string{"moorings": `errors: {every: 3, status: 500}`}, steps: []step{{want: "200"}, {want: "200"}, {want: "500"}, {want: "200"}, {want: "200"}, {want: "500"}}},
		"the first of each":       {impairments: map[string]string{"moorings": `errors: {first: 2, of: "header:X-Run", status: 500}`}, steps: []step{{of: "a", want: "500"}, {of: "b", want: "500"}, {of: "a", want: "500"}, {of: "a", want: "200"}, {of: "b", want: "500"}, {of: "b", want: "200"}}},
		"the first of an address": {impairments: map[string]string{"moorings": `errors: {first: 1, status: 500}`}, steps: []step{{of: "a", want: "500"}, {of: "b", want: "500"}, {of: "a", want: "200"}}},
		"all by chance":           {impairments: map[string]string{"moorings": `errors: {rate: 100%, status: 500}`}, steps: []step{{want: "500"}, {want: "500"}}},
		"some by chance":          {impairments: map[string]string{"moorings": "errors: {rate: 50%, status: {500: 1, 502: 1}}\nseed: 4"}, steps: []step{{want: "500"}, {want: "200"}, {want: "200"}, {want: "502"}, {want: "500"}, {want: "200"}, {want: "500"}}},
		"none by chance":          {impairments: map[string]string{"moorings": `errors: {rate: 0%}`}, steps: []step{{want: "200"}, {want: "200"}}},
		"advice to wait": {impairments: map[string]string{"moorings": `errors: {next: 2, status: 500, retryAfter: 2s}`}, steps: []step{
			{want: "500, Retry-After: 2"}, {after: time.Second, want: "500, Retry-After: 1"}, {after: time.Second, want: "200"}, {want: "500, Retry-After: 2"}}},
		"a limit": {impairments: map[string]string{"moorings": `limit: {calls: 2, per: 10s}`}, steps: []step{
			{want: `200, RateLimit-Policy: "calls";q=2;w=10, RateLimit: "calls";r=1;t=10`}, {after: 4 * time.Second, want: `200, RateLimit-Policy: "calls";q=2;w=10, RateLimit: "calls";r=0;t=6`},
			{after: time.Second, want: `429, Retry-After: 5, RateLimit-Policy: "calls";q=2;w=10, RateLimit: "calls";r=0;t=5`}, {after: 5 * time.Second, want: `200, RateLimit-Policy: "calls";q=2;w=10, RateLimit: "calls";r=0;t=4`}}},
		"a limit of each": {impairments: map[string]string{"moorings": `limit: {calls: 1, per: 1m, of: "header:X-Run"}`}, steps: []step{
			{of: "a", want: `200, RateLimit-Policy: "calls";q=1;w=60, RateLimit: "calls";r=0;t=60`}, {of: "b", want: `200, RateLimit-Policy: "calls";q=1;w=60, RateLimit: "calls";r=0;t=60`},
			{of: "a", want: `429, Retry-After: 60, RateLimit-Policy: "calls";q=1;w=60, RateLimit: "calls";r=0;t=60`}}},
		"a connection dropped":         {impairments: map[string]string{"moorings": `connection: drop`}, steps: []step{{want: "drop"}, {want: "drop"}}},
		"a connection garbled":         {impairments: map[string]string{"moorings": `connection: garbage`}, steps: []step{{want: "garbage"}}},
		"an answer cut":                {impairments: map[string]string{"moorings": `connection: cut-body`}, steps: []step{{want: "cut-body, 200"}}},
		"some connections":             {impairments: map[string]string{"moorings": "connection: {effect: reset, rate: 50%}\nseed: 4"}, steps: []step{{want: "200"}, {want: "200"}, {want: "reset"}, {want: "200"}, {want: "reset"}}},
		"the narrowest effect":         {impairments: map[string]string{"moorings": `connection: wrong-length`, "moorings getBerth": `connection: cut-body`}, steps: []step{{want: "cut-body, 200"}}},
		"a slow line":                  {impairments: map[string]string{"moorings": `connection: {bytesPerSecond: 2000}`}, steps: []step{{want: "200, 2000 bytes a second"}}},
		"an outage":                    {impairments: map[string]string{"moorings": `outage: {as: "502", for: 5s, every: 20s}`}, steps: []step{{want: "502"}, {after: 4 * time.Second, want: "502"}, {after: time.Second, want: "200"}, {after: 15 * time.Second, want: "502"}}},
		"an outage of connections":     {impairments: map[string]string{"moorings": `outage: {as: hang}`}, steps: []step{{want: "hang"}}},
		"latency":                      {impairments: map[string]string{"moorings": `latency: 250ms`}, steps: []step{{want: "200, 250ms late"}, {want: "200, 250ms late"}}},
		"latency of errors, too":       {impairments: map[string]string{"moorings": "latency: 250ms\nerrors: {next: 1, status: 500}"}, steps: []step{{want: "500, 250ms late"}, {want: "200, 250ms late"}}},
		"the narrowest latency":        {impairments: map[string]string{"": `latency: 3s`, "moorings": `latency: 2s`, "moorings getBerth": `latency: 1s`}, steps: []step{{want: "200, 1s late"}}},
		"errors of one, lines of all":  {impairments: map[string]string{"": `connection: {bytesPerSecond: 2000}`, "moorings getBerth": `errors: {next: 1, status: 500}`}, steps: []step{{want: "500"}, {want: "200, 2000 bytes a second"}}},
		"of another operation":         {impairments: map[string]string{"moorings listBerths": `latency: 1s`}, steps: []step{{want: "200"}}},
		"of a mapping":                 {line: "POST /moorings/berths/N13", impairments: map[string]string{"moorings any-berth": `errors: {next: 1, status: 500}`}, steps: []step{{want: "500"}, {want: "200"}}},
		"of a call that is relayed":    {line: "GET /office/desks", impairments: map[string]string{"office": "latency: 250ms\nerrors: {every: 2, status: 500}"}, steps: []step{{want: "relayed, 250ms late"}, {want: "500, 250ms late"}}},
		"of a relayed call, the line":  {line: "GET /office/desks", impairments: map[string]string{"office": `connection: {bytesPerSecond: 2000}`}, steps: []step{{want: "relayed, 2000 bytes a second"}}},
		"of everything":                {line: "GET /office/desks", impairments: map[string]string{"": `connection: reset`}, steps: []step{{want: "reset"}}},
		"all the trouble there can be": {impairments: map[string]string{"moorings": "outage: {as: \"502\", for: 1s}\nlimit: {calls: 1, per: 1m}\nerrors: {next: 1, status: 500}\nconnection: drop"}, steps: []step{{want: "502"}, {after: time.Second, want: "500"}, {want: `429, Retry-After: 60, RateLimit-Policy: "calls";q=1;w=60, RateLimit: "calls";r=0;t=60`}, {after: time.Minute, want: "drop"}}},
	} {
		t.Run(name, func(t *testing.T) {
			e, now := impaired(t, c.impairments)
			line := c.line
			if line == "" {
				line = berths
			}
			for i, s := range c.steps {
				*now = now.Add(s.after)
				method, address, _ := strings.Cut(line, " ")
				r := &call.Request{Method: method, Address: address, Caller: "10.0.0.1:1", Header: call.Header{}}
				if s.of != "" {
					r.Header["X-Run"], r.Caller = []string{s.of}, s.of
				}
				for range 2 {
					assert.Equal(t, s.want, become(e.Explain(t.Context(), r)), "explained before call %d", i+1)
				}
				p := e.Place(t.Context(), r)
				assert.Equal(t, s.want, become(e.Decide(p, r)), "call %d", i+1)
				p.Release()
			}
		})
	}
}

// It is told of each impairment how many calls came under it, and to how many it did something.
func TestWhatImpairmentsDid(t *testing.T) {
	for name, c := range map[string]struct {
		impairments map[string]string
		calls       int
		want        map[string]string // hit of calls, by target
	}{
		"errors":            {map[string]string{"moorings": `errors: {next: 2, status: 500}`}, 3, map[string]string{"moorings": "2 of 3"}},
		"latency":           {map[string]string{"moorings": `latency: 1s`}, 2, map[string]string{"moorings": "2 of 2"}},
		"a narrower one":    {map[string]string{"moorings": `latency: 2s`, "moorings getBerth": `latency: 1s`}, 2, map[string]string{"moorings": "0 of 2", "moorings getBerth": "2 of 2"}},
		"beside it":         {map[string]string{"moorings": `latency: 2s`, "moorings getBerth": `errors: {next: 1}`}, 2, map[string]string{"moorings": "2 of 2", "moorings getBerth": "1 of 2"}},
		"another operation": {map[string]string{"moorings listBerths": `latency: 1s`}, 1, map[string]string{"moorings listBerths": "0 of 0"}},
		"a limit":           {map[string]string{"moorings": `limit: {calls: 2, per: 1m}`}, 3, map[string]string{"moorings": "1 of 3"}},
		"a slow line":       {map[string]string{"moorings": `connection: {bytesPerSecond: 2000}`}, 1, map[string]string{"moorings": "1 of 1"}},
		"a cut answer":      {map[string]string{"moorings": `connection: cut-body`}, 1, map[string]string{"moorings": "1 of 1"}},
		"an outage":         {map[string]string{"": `outage: {as: drop}`, "moorings": `latency: 1s`}, 2, map[string]string{"": "2 of 2", "moorings": "2 of 2"}},
	} {
		definitions, e, _ := impairedHarbour(t, c.impairments)
		for range c.calls {
			r := &call.Request{Method: "GET", Address: "/moorings/berths/N7", Caller: "10.0.0.1:1", Header: call.Header{}}
			e.Explain(t.Context(), r) // which is no call
			p := e.Place(t.Context(), r)
			e.Decide(p, r)
			p.Release()
		}
		did := make(map[string]string)
		snapshot := definitions.Snapshot()
		for _, i := range snapshot.Impairments() {
			told := e.HitsOf(i)
			target := snapshot.TargetOf(i.StoredImpairment)
			did[strings.TrimSpace(target.Service+" "+target.Operation)] = fmt.Sprintf("%d of %d", told.Hit, told.Calls)
			assert.Equal(t, told.Hit, uint64(told.Minutes[14].Hit), name)
			e.ResetImpairment(snapshot, i)
			assert.Zero(t, e.HitsOf(i).Calls, name)
		}
		assert.Equal(t, c.want, did, name)
	}
}

// Calls in work count against a limit until they are released, whoever explains
// another in the meantime.
func TestCallsInWorkAreLimited(t *testing.T) {
	e, _ := impaired(t, map[string]string{"moorings": `limit: {inFlight: 1}`})
	r := &call.Request{Method: "GET", Address: "/moorings/berths/N7", Header: call.Header{}}
	first := e.Place(t.Context(), r)
	assert.Equal(t, 200, e.Decide(first, r).Answer.Status)
	second := e.Place(t.Context(), r)
	refused := e.Decide(second, r)
	assert.Equal(t, "429, Retry-After: 1", become(refused))
	assert.Contains(t, refused.Explanation.Summary.String(), "limit reached")
	second.Release()
	first.Release()
	e.Explain(t.Context(), r)
	third := e.Place(t.Context(), r)
	assert.Equal(t, 200, e.Decide(third, r).Answer.Status)
	third.Release()
}

// What is switched on for a mapping stands instead of the impairment that it has of itself, that of the service beside it.
func TestWhatIsSwitchedOnStandsInsteadOfItsOwn(t *testing.T) {
	c, e := harbour(t, `{id: late, call: {path: /late}, impair: {latency: 2s, limit: {calls: 1, per: 1h}}, answer: {text: late}}`)
	on := func(mapping, document string) {
		i, err := spec.ReadImpairment([]byte(document))
		require.NoError(t, err)
		_, err = c.SetImpairment(t.Context(), spec.Target{Service: "moorings", Mapping: mapping}, i, "", 1, time.Now())
		require.NoError(t, err)
	}
	assert.Contains(t, become(ask(e, "GET /moorings/late")), "2s late", "its own")
	assert.Contains(t, become(ask(e, "GET /moorings/late")), "429", "which limits it")
	on("late", "latency: 3s")
	for range 2 { // and no limit
		assert.Equal(t, "200, 3s late", become(ask(e, "GET /moorings/late")))
	}
	on("", "latency: 4s")
	assert.Equal(t, "200, 3s late", become(ask(e, "GET /moorings/late")), "the narrowest counts")
}
