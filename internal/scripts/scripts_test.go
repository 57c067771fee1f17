package scripts_test

import (
	"context"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/script"
	"rapidmimic.example/internal/scripts"
)

func TestMain(m *testing.M) {
	scripts.WorkIfAsked()
	os.Exit(m.Run())
}

func compile(t testing.TB, source string) *script.Script {
	s, err := script.Compile(source)
	require.NoError(t, err)
	return s
}

func pool(t testing.TB, workers int) *scripts.Pool {
	p := scripts.NewPool("", workers)
	t.Cleanup(p.Close)
	return p
}

func nothing(script.Ask) (string, error) { return "", nil }

const fine = `export default (call, state) => ({ json: [call.method, state.recall('left', 0)] })`

// A script that takes too much ends alone: others that run beside it, and those that come after
// it, are answered.
func TestOnlyTheCulpritEnds(t *testing.T) {
	p := pool(t, 2)
	good := compile(t, fine)
	for name, k := range map[string]struct{ source, want string }{
		"a gigabyte of text":    {`export default () => { let s = 'quay'; for (;;) s += s; }`, "memory|took longer"},
		"a gigabyte at once":    {`export default () => ({ text: 'x'.repeat(1 << 29) + 'y'.repeat(1 << 29) })`, "memory|took longer"},
		"a gigabyte of numbers": {`export default () => { const all = []; for (;;) all.push(new Array(100000).fill(1)); }`, "memory|took longer"},
		"bytes":                 {`export default () => ({ json: new Uint8Array(1 << 30).fill(1).length })`, "memory|took longer"},
		"without end":           {`export default () => { for (;;); }`, "took longer than 50ms"},
		"a pattern without end": {`export default () => ({ json: /^(a+)+(?=b)$/.test('a'.repeat(60)) })`, "took longer than 50ms"},
		"calls without end":     {"const f = () => [f()]\nexport default () => f()", "calls itself without end"},
	} {
		bad := compile(t, k.source)
		var all sync.WaitGroup
		for range 20 {
			all.Go(func() {
				out, err := p.Run(context.Background(), good, &script.Input{Method: "GET"}, func(script.Ask) (string, error) { return "7", nil })
				if assert.NoError(t, err, name) && assert.Nil(t, out.Fault, name) {
					assert.Equal(t, `["GET",7]`, string(out.Body), name)
				}
			})
		}
		began := time.Now()
		out, err := p.Run(context.Background(), bad, &script.Input{}, nothing)
		require.NoError(t, err, name)
		if assert.NotNil(t, out.Fault, "%s: %.100s", name, out.Body) {
			assert.Regexp(t, k.want, out.Fault.Error(), name)
		}
		assert.Less(t, time.Since(began), 30*time.Second, name)
		all.Wait()
	}
}

func TestAPoolThatIsClosed(t *testing.T) {
	p := scripts.NewPool("", 1)
	good := compile(t, fine)
	out, err := p.Run(t.Context(), good, &script.Input{Method: "GET"}, nothing)
	require.NoError(t, err)
	assert.Equal(t, `["GET",0]`, string(out.Body))
	p.Close()
	p.Close()
	_, err = p.Run(t.Context(), good, &script.Input{}, nothing)
	assert.ErrorContains(t, err, "stops")

	_, err = scripts.NewPool("/no/such/program", 1).Run(t.Context(), good, &script.Input{}, nothing)
	assert.ErrorContains(t, err, "start a process for scripts")
	left, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = pool(t, 1).Run(left, good, &script.Input{}, nothing)
	assert.ErrorIs(t, err, context.Canceled)
}

// More scripts than a worker keeps ready, in turn.
func TestManyScripts(t *testing.T) {
	p := pool(t, 1)
	for range 2 {
		for i := range 60 {
			source := `export default () => ({ json: ` + string(rune('0'+i%10)) + ` }) // ` + time.Duration(i).String()
			out, err := p.Run(t.Context(), compile(t, source), &script.Input{}, nothing)
			require.NoError(t, err)
			assert.Equal(t, string(rune('0'+i%10)), string(out.Body))
		}
	}
}

// Calls and answers far larger than a pipe holds, many at once, with questions in between.
func TestLargeCalls(t *testing.T) {
	p := pool(t, 1)
	scripts := []*script.Script{
		compile(t, `export default (call) => ({ text: 'north ' + call.text })`),
		compile(t, `export default (call, state) => ({ text: state.recall('a', '') + call.text })`),
	}
	body := strings.Repeat("quay ", 20_000)
	var all sync.WaitGroup
	began := time.Now()
	for i := range 60 {
		all.Go(func() {
			out, err := p.Run(context.Background(), scripts[i/50], &script.Input{Text: body}, func(script.Ask) (string, error) { return `"north "`, nil })
			if assert.NoError(t, err) && assert.Nil(t, out.Fault) {
				assert.Equal(t, "north "+body, string(out.Body))
			}
		})
	}
	all.Wait()
	assert.Less(t, time.Since(began), 30*time.Second, "nothing waits for something that waits for it")
}

func BenchmarkScripts(b *testing.B) {
	p := pool(b, 2)
	s := compile(b, `export default (call) => ({ status: 200, json: { number: call.path.number, state: 'free' } })`)
	in := &script.Input{Method: "GET", Path: map[string]string{"number": "N7"}, Headers: map[string]string{"accept": "*/*"}}
	b.RunParallel(func(pb *testing.PB) {
		for pb.Next() {
			if out, err := p.Run(context.Background(), s, in, nothing); err != nil || out.Fault != nil {
				b.Error(out.Fault, err)
			}
		}
	})
}
