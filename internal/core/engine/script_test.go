package engine_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/internal/core/script"
)

var began = time.Now()

// here runs scripts in this process.
type here struct{ fails error }

func (h here) Run(_ context.Context, s *script.Script, in *script.Input, host script.Host) (script.Output, error) {
	if h.fails != nil {
		return script.Output{}, h.fails
	}
	interpreter, err := script.NewInterpreter(func() time.Duration { return time.Since(began) })
	if err != nil {
		return script.Output{}, err
	}
	runner, err := interpreter.Load(s)
	if err != nil {
		return script.Output{}, err
	}
	return runner.Run(in, host), nil
}

const scripted = `
- id: quote
  call: { method: POST, path: "/quotes/{number}" }
  answer:
    script: |
      export default (call, state) => {
        const n = state.recall('quotes', 0) + 1
        state.remember('quotes', n)
        state.move('quote', call.path.number, 'given')
        console.log('quote', n)
        return { status: 201, headers: { 'X-Run': call.headers['x-run'] }, json: { n, q: call.query.a, all: call.queries.a, b: call.body.b, c: call.cookies.sid, was: state.state('quote', 'none') } }
      }
- { id: fails, call: { path: /fails }, answer: { script: "export default () => { console.log('here'); throw new Error('fog') }" } }
- { id: typed, call: { path: /typed }, answer: { script: "export default () => ({ text: 'a', headers: { 'Content-Type': 'text/x-quay' } })" } }
- { id: bad-key, call: { path: /bad-key }, answer: { script: "export default (c, state) => { state.remember('', 1); return {} }" } }
- { id: count, call: { path: /count }, answer: { json: ["${recall('quotes', 0)}", "${state('quote', 'N7')}"] } }
`

// A script sees the call, remembers with its answer, and tells what it does; what goes wrong with
// it is said, and then nothing is remembered.
func TestScripts(t *testing.T) {
	c, _ := harbour(t, scripted)
	e := engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, Now: time.Now, Scripts: here{}})
	r := request("POST /moorings/quotes/N7?a=1&a=2", "", `{"b": 7}`)
	r.Header["X-Run"], r.Header["Cookie"] = []string{"night"}, []string{"sid=abc"}
	d := decide(e, r)
	assert.Equal(t, `{"n":1,"q":"1","all":["1","2"],"b":7,"c":"abc","was":"start"}`, string(d.Answer.Body))
	assert.Equal(t, 201, d.Answer.Status)
	assert.Equal(t, "application/json", d.Answer.Get("Content-Type"))
	assert.Equal(t, "night", d.Answer.Get("X-Run"))
	for _, says := range []string{"what its script gives", "quote 1", `remembers "quotes", the state of N7`, `under "quotes" was read`} {
		assert.Contains(t, stepsOf(d), says)
	}
	_ = e.Explain(t.Context(), request("POST /moorings/quotes/N7", "", `{}`))
	assert.Equal(t, `[1,"given"]`, string(ask(e, "GET /moorings/count").Answer.Body), "an explanation remembers nothing")
	typed := ask(e, "GET /moorings/typed")
	assert.Equal(t, "text/x-quay", typed.Answer.Get("Content-Type"))
	for line, want := range map[string]string{"GET /moorings/fails": "its script failed: line 1, character 51: Error: fog", "GET /moorings/bad-key": "a key must be a text"} {
		d := ask(e, line)
		assert.Equal(t, 500, d.Answer.Status, line)
		assert.Contains(t, string(d.Answer.Body), want, line)
	}
	assert.Contains(t, stepsOf(ask(e, "GET /moorings/fails")), "here")
	service := c.Snapshot().Named("moorings")
	assert.Equal(t, "its script failed when it ran last: line 1, character 51: Error: fog", e.ScriptFault(service, service.Mapping("fails")))
	assert.Empty(t, e.ScriptFault(service, service.Mapping("quote")))
	mended := service.Mapping("fails").Spec
	mended.Answer.Script = "export default () => ({})"
	_, _, err := c.PutMapping(t.Context(), "moorings", mended, "")
	require.NoError(t, err)
	service = c.Snapshot().Named("moorings")
	assert.Empty(t, e.ScriptFault(service, service.Mapping("fails")), "it is another one now")

	for _, k := range []struct {
		scripts engine.Scripts
		want    string
	}{{nil, "runs no scripts"}, {here{errors.New("the pool is empty")}, "the pool is empty"}} {
		e = engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, Now: time.Now, Scripts: k.scripts})
		assert.Contains(t, string(ask(e, "GET /moorings/typed").Answer.Body), k.want)
	}
	require.NotNil(t, c.Snapshot().Named("moorings").Mapping("quote").Replies[0].Script)
}
