package engine_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/engine"
)

// Pages that were not listed see what everybody sees: no hint, no lane, and nothing of
// ours on answers.
func TestForeignPages(t *testing.T) {
	c, _ := harbour(t, someMappings)
	e := engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, Now: time.Now, Listed: func(origin string) bool { return origin == "http://office.example" }})
	const listed, foreign = "Origin: http://office.example", "Origin: https://elsewhere.example"
	get := func(d *engine.Decision, name string) string { return d.Answer.Get(name) }

	for _, k := range []struct {
		address, origin, hint string
		status                int
		refused               bool
	}{
		{"GET /moorings/berths", listed, "Rapid-Mimic: status=400", 400, false},
		{"GET /moorings/berths", foreign, "", 200, false},
		{"GET /moorings/berths", foreign, "Rapid-Mimic: status=404", 400, true},
		{"GET /moorings/berths", foreign, "Baggage: rapid-mimic.lane=mara", 400, true},
		{"GET /moorings/berths", foreign, "Baggage: tenant=7", 200, false},
		{"GET /moorings/berths", "Origin: null", "Rapid-Mimic: status=404", 400, true},
		{"GET /@mara/moorings/berths", foreign, "", 400, true},
	} {
		headers := []string{k.origin}
		if k.hint != "" {
			headers = append(headers, k.hint)
		}
		d := ask(e, k.address, headers...)
		assert.Equal(t, k.status, d.Answer.Status, "%+v", k)
		assert.Equal(t, k.refused, d.Source == call.FromSelf, "%+v", k)
		if k.refused {
			assert.Contains(t, string(d.Answer.Body), "serve --origins", "%+v", k)
		}
	}
	assert.Contains(t, get(ask(e, "GET /moorings/berths", listed), "Access-Control-Expose-Headers"), "Rapid-Mimic")
	assert.NotContains(t, get(ask(e, "GET /moorings/berths", foreign), "Access-Control-Expose-Headers"), "Rapid-Mimic")
	assert.Equal(t, "https://elsewhere.example", get(ask(e, "GET /moorings/berths", foreign), "Access-Control-Allow-Origin"), "front ends go on working")

	asks := []string{"Access-Control-Request-Method: GET", "Access-Control-Request-Headers: content-type, rapid-mimic"}
	assert.Equal(t, "content-type, rapid-mimic", get(ask(e, "OPTIONS /moorings/berths", append(asks, listed)...), "Access-Control-Allow-Headers"))
	assert.Equal(t, "content-type", get(ask(e, "OPTIONS /moorings/berths", append(asks, foreign)...), "Access-Control-Allow-Headers"))
}
