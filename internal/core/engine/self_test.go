package engine_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
)

// What we say for ourselves: with which status, by which name, and why.
func TestAnswersOfOurOwn(t *testing.T) {
	c, _ := harbour(t, someMappings)
	e := engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, Now: time.Now})
	berths := &call.Request{Method: "POST", Address: "/moorings/berths", Header: call.Header{}}
	place := func() *engine.Placed { return e.Place(context.Background(), berths) }
	for name, c := range map[string]struct {
		d      *engine.Decision
		status int
		by     string
		says   string
	}{
		"the bare address":  {ask(e, "GET /"), 200, "root", "/moorings"},
		"all of the port":   {ask(e, "OPTIONS *"), 204, "options", ""},
		"no service":        {ask(e, "GET /mooring/berths"), 404, "no such service", `"moorings"`},
		"a tunnel":          {ask(e, "CONNECT office.example:443"), 405, "not-a-proxy", "only the proxy port"},
		"too large":         {engine.TooLarge(place(), berths, 100), 413, "too-large", "bodies over 100 bytes are not held"},
		"no memory":         {engine.NoMemory(place(), berths), 503, "no-memory", "try again"},
		"malformed":         {engine.Malformed(400, "no host"), 400, "malformed", ""},
		"incomplete":        {engine.Incomplete(place(), berths, 7, "unexpected EOF"), 400, "incomplete-body", "broke off after 7 bytes (unexpected EOF)"},
		"a fault of ours":   {engine.Broken("moorings"), 500, "broken", "its own log has the details"},
		"not acceptable":    {ask(e, "GET /moorings/berths", "Accept: image/png"), 406, "not-acceptable", "the call accepts only image/png"},
		"an unknown hint":   {ask(e, "GET /moorings/berths", "Rapid-Mimic: example=nope"), 400, "hint", "its examples are"},
		"no such status":    {ask(e, "GET /moorings/berths", "Rapid-Mimic: status=418"), 400, "hint", "has no response 418"},
		"no such lane":      {ask(e, "GET /@nobody/moorings/berths"), 400, "hint", "nobody"},
		"a lane of no name": {ask(e, "GET /@/moorings/berths"), 400, "hint", "names no lane"},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, c.status, c.d.Answer.Status)
			assert.Equal(t, c.by, c.d.By)
			assert.Contains(t, string(c.d.Answer.Body), c.says)
			if name != "no service" {
				assert.Equal(t, call.FromSelf, c.d.Source)
			}
			require.NotNil(t, c.d.Explanation)
			assert.NotEmpty(t, c.d.Explanation.Summary.String())
		})
	}
	memory := engine.NoMemory(place(), berths)
	assert.Equal(t, "1", memory.Answer.Get("Retry-After"))
	allow := ask(e, "CONNECT x:1")
	assert.Contains(t, allow.Answer.Get("Allow"), "GET, HEAD, POST")
	whole := ask(e, "GET /moorings/berths/N7")
	before := len(whole.Explanation.Steps)
	whole.NoteBrokenBody(3, "EOF")
	require.Len(t, whole.Explanation.Steps, before+1)
	assert.Contains(t, whole.Explanation.Steps[before].String(), "3")
}

// Whether the body of a call must be held depends on what could look into it.
func TestWhichCallsMustBeHeld(t *testing.T) {
	c, e := harbour(t, "")
	needs := func() bool {
		return e.Place(context.Background(), &call.Request{Method: "POST", Address: "/bare/x", Header: call.Header{}}).NeedsBody()
	}
	assert.False(t, needs(), "nothing looks")
	assert.False(t, e.Place(context.Background(), &call.Request{Address: "/none"}).NeedsBody())
	set := func(change func(*spec.Service)) {
		s := spec.NewService("bare")
		change(&s)
		_, _, err := c.PutService(t.Context(), "bare", s, "")
		require.NoError(t, err)
	}
	seed := int64(7)
	set(func(s *spec.Service) { s.Seed = &seed })
	assert.True(t, needs(), "data follow from the call")
	set(func(s *spec.Service) { s.Conformance = spec.ConformanceRefuse })
	assert.True(t, needs(), "it may break the contract")
	set(func(*spec.Service) {})
	assert.False(t, needs())
	put := func(text string) {
		mappings, err := spec.ReadMappings([]byte(text))
		require.NoError(t, err)
		_, _, err = c.PutMappings(t.Context(), "bare", mappings)
		require.NoError(t, err)
	}
	put("id: a\ncall: { path: /x }\nanswer: { text: a }")
	assert.False(t, needs(), "a fixed answer")
	put("id: a\ncall: { path: /x, where: [{ body: $.a, equals: 1 }] }\nanswer: { text: a }")
	assert.True(t, needs(), "a condition")
	put("id: a\ncall: { path: /x }\nanswer: { text: '${call.text}' }")
	assert.True(t, needs(), "an expression")
}
