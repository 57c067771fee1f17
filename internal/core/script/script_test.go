package script_test

import (
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/script"
)

var moment = time.Date(2026, 12, 1, 10, 0, 0, 0, time.UTC)

func input() *script.Input {
	return &script.Input{
		Method: "POST", Address: "http://mimic/quay/berths/N7", Path: map[string]string{"number": "N7"}, Query: map[string]string{"a": "1"}, Queries: map[string][]string{"a": {"1", "2"}},
		Headers: map[string]string{"x-run": "7"}, Cookies: map[string]string{"sid": "abc"}, Text: `{"n": 2}`, Body: `{"n": 2}`, Vars: `{"harbour": "Skerry"}`,
		Now: moment.UnixMilli(), Seed: 7, Key: "k", Number: 3,
	}
}

// remembered is what the service remembers in the tests.
func remembered(a script.Ask) (string, error) {
	switch {
	case a.Flow == "permit":
		return `"draft"`, nil
	case a.Key == "left":
		return `3`, nil
	case a.Key == "log":
		return `[1]`, nil
	case a.Key == "broken":
		return "", fmt.Errorf("the service is gone")
	default:
		return "", nil
	}
}

var began = time.Now()

func passed() time.Duration { return time.Since(began) }

func interpreter(t testing.TB, clock script.Clock) *script.Interpreter {
	it, err := script.NewInterpreter(clock)
	require.NoError(t, err)
	return it
}

func load(t testing.TB, it *script.Interpreter, source string) *script.Runner {
	compiled, err := script.Compile(source)
	require.NoError(t, err, source)
	runner, err := it.Load(compiled)
	require.NoError(t, err, source)
	return runner
}

// answers are the functions, and what they answer.
func TestAnswers(t *testing.T) {
	it := interpreter(t, passed)
	run := func(source string) script.Output { return load(t, it, source).Run(input(), remembered) }
	for source, want := range map[string]string{
		`() => ({})`: `200 `,
		`(call) => ({ status: 201, json: { n: call.body.n + 1, p: call.path.number, q: call.query.a, all: call.queries.a, h: call.headers['x-run'], c: call.cookies.sid, m: call.method, v: call.vars.harbour } })`: `201 application/json {"n":3,"p":"N7","q":"1","all":["1","2"],"h":"7","c":"abc","m":"POST","v":"Skerry"}`,
		`async (call) => ({ text: call.text })`:                                                                     `200 text/plain; charset=utf-8 {"n": 2}`,
		`function answer() { return { xml: '<a/>', headers: { 'X-A': ['b', 1], 'X-C': 'd\r\ne' } } }`:               `200 application/xml X-A=b X-A=1 X-C=d  e <a/>`,
		`() => ({ base64: 'AAEC' })`:                                                                                "200 application/octet-stream \x00\x01\x02",
		`() => ({ json: [new Date().toISOString(), Math.random() < 1] })`:                                           `200 application/json ["2026-12-01T10:00:00.000Z",true]`,
		`(c, s) => ({ json: [s.recall('left'), s.recall('none'), s.recall('none', 9), s.state('permit', 'P-7')] })`: `200 application/json [3,null,9,"draft"]`,
		`(c, s) => { s.remember('left', 2, { for: '10m' }); s.append('log', { a: 1 }); s.append('new', 1); s.forget('x'); s.move('permit', 'P', 'sent'); return { json: [s.recall('left'), s.recall('log'), s.recall('new'), s.recall('x', 'gone'), s.state('permit', 'P')] } }`: `200 application/json [2,[1,{"a":1}],[1],"gone","sent"]`,
		`(c, s, fake) => ({ json: [fake.whole(3, 3), fake.pick(['a']), typeof fake.ship()] })`: `200 application/json [3,"a","string"]`,
	} {
		out := run("const x = 1\nexport default " + source)
		require.Nil(t, out.Fault, source)
		got := fmt.Sprint(out.Status, " ")
		if out.MediaType != "" {
			got += out.MediaType + " "
		}
		for _, h := range out.Headers {
			got += h[0] + "=" + h[1] + " "
		}
		assert.Equal(t, want, got+string(out.Body), source)
	}
	whole := run(`export default (call) => ({ json: call })`)
	assert.Contains(t, string(whole.Body), `"cookies":{"sid":"abc"},`, "all of a call can be seen at once")
	out := run(`export default (call, state) => { console.log('seen', call.path, 7); state.remember('a', [1], {for: '1s'}); return { status: 204 } }`)
	assert.Equal(t, []string{`seen {"number":"N7"} 7`}, out.Logs)
	assert.Equal(t, []script.Write{{Key: "a", JSON: "[1]", For: 1000}}, out.Writes)
}

// What is wrong is said with its place, when the script is compiled or when it runs.
func TestFaults(t *testing.T) {
	for source, want := range map[string]string{
		"const a = ;\nexport default () => ({})": "line 1, character 11: Unexpected token ;",
		"\n\nexport default () => ({ a: })":      "line 3, character 28: Unexpected token }",
		"const a = 1":                            "a script needs a function that answers",
		"export default 1\nexport default 2":     "line 2, character 1: a script has one export default",
		"import x from 'y'\nexport default 1":    "a script cannot import others",
		"let a; let a;\nexport default () => 1":  "line 1, character 12: Identifier 'a' has already been declared",
		strings.Repeat("x", 200_001):             "at most 200000 bytes",
	} {
		_, err := script.Compile(source)
		assert.ErrorContains(t, err, want, source)
	}
	it := interpreter(t, passed) // which each fault leaves as it was
	for source, want := range map[string]string{
		"export default 7":                                                            "export default must be a function",
		"export default () => 7":                                                      "must give an object",
		"export default () => ({ status: 7 })":                                        "status must be a number from 200 to 999, not 7",
		"export default () => ({ stauts: 200 })":                                      `an answer has no "stauts"`,
		"export default () => ({ json: 1, text: '' })":                                "one of json, text, xml and base64",
		"export default () => ({ json: () => 1 })":                                    "json must be a value that JSON has",
		"export default () => ({ base64: '*' })":                                      "base64 is not in the standard alphabet",
		"export default () => ({ headers: { 'a b': 1 } })":                            `"a b" is not a header name`,
		"export default () => ({ headers: { Connection: 1 } })":                       "Connection follows from the body",
		"export default () => new Promise(() => {})":                                  "waits for something that never comes",
		"export default async () => { throw 'fog' }":                                  "the function was rejected: fog",
		"\nexport default (call) => ({ json: call.body.a.b })":                        "line 2, character 47: TypeError: Cannot read property 'b' of undefined",
		"export default () => { throw new Error('fog') }":                             "line 1, character 30: Error: fog",
		"const f = () => f()\nexport default () => f()":                               "calls itself without end",
		"export default () => { for (;;); }":                                          "took longer than 50ms",
		"export default (c, s) => s.recall('broken')":                                 "the service is gone",
		"export default (c, s) => s.remember('a', () => 1)":                           "a value that JSON has",
		"export default (c, s) => s.remember('a', 1, {for: 'soon'})":                  "for must be a time such as 10m",
		"export default (c, s) => { for (;;) s.remember('a', 1) }":                    "at most 100 values",
		"export default (c, s, fake) => fake.pick([])":                                "the list is empty",
		"export default (c, s, fake) => fake.whole(2, 1)":                             "the first not above the second",
		"export default () => { undeclared = 1; return {} }":                          "undeclared",
		"export default () => { Array.prototype.map = 1; return {} }":                 "TypeError",
		"export default () => { globalThis.x = 1; return {} }":                        "TypeError",
		"export default () => { Object.getPrototypeOf([].keys()).next = 1 }":          "TypeError",
		"export default () => { (function* () {})().constructor.prototype.next = 1 }": "TypeError",
		"export default (c, s) => { s.recall.x = 1 }":                                 "TypeError",
		"export default (c, s, fake) => { fake.ship.x = 1 }":                          "TypeError",
		"export default () => { console.log.x = 1 }":                                  "TypeError",
		"export default (c) => { Object.getPrototypeOf(c).toJSON.x = 1 }":             "TypeError",
		"export default () => { ((s) => { s.x = 1 })`quay` }":                         "TypeError",
		"export default () => ({ json: eval('1') })":                                  "eval",
		"export default () => require('fs')":                                          "require is not defined",
		"export default () => { const a = {}; a.a = a; return { json: a } }":          "circular",
		"export default () => ({ get json() { throw new Error('mist') } })":           "Error: mist",
		"export default () => fetch('http://127.0.0.1')":                              "fetch is not defined",
	} {
		out := load(t, it, source).Run(input(), remembered)
		require.NotNil(t, out.Fault, source)
		assert.Contains(t, out.Fault.Error(), want, source)
		assert.NotContains(t, out.Fault.Error(), "interpreter", source)
	}
}

// Calls see nothing of one another, and the same call gets the same.
func TestCallsAreAlone(t *testing.T) {
	it := interpreter(t, passed)
	runner := load(t, it, `let count = 0
const seen = {}
export default (call, state, fake) => { seen[call.method] = ++count; return { json: [count, seen, Math.random(), fake.ship(), Date.now()] } }`)
	first := runner.Run(input(), remembered)
	require.Nil(t, first.Fault)
	assert.Contains(t, string(first.Body), `[1,{"POST":1},0.`)
	assert.Equal(t, string(first.Body), string(runner.Run(input(), remembered).Body))
	other := input()
	other.Number++
	assert.NotEqual(t, string(first.Body), string(runner.Run(other, remembered).Body))

	later := load(t, it, `export default (call, state) => { Promise.resolve().then(() => state.remember('late', 1)); while (call.method === 'POST'); return { text: 'ok' } }`)
	require.NotNil(t, later.Run(input(), remembered).Fault)
	again := runner.Run(input(), remembered)
	assert.Equal(t, string(first.Body), string(again.Body), "scripts go on after one was stopped")
	assert.Empty(t, again.Writes, "what one left undone is not done in another")
	other.Method = "GET"
	assert.Equal(t, "ok", string(later.Run(other, remembered).Body))
}

// The time of a script is what the clock says that it worked, without what it waited for answers.
func TestTimeThatCounts(t *testing.T) {
	slow := func() time.Duration { return passed() / 3 }
	for name, k := range map[string]struct {
		clock   script.Clock
		asked   time.Duration // how long an answer of the service takes
		endless bool
		least   time.Duration
	}{
		"a service that is slow to answer":      {clock: passed, asked: 2 * script.Time, least: 4 * script.Time},
		"and then a script without end":         {clock: passed, asked: script.Time, endless: true, least: 3 * script.Time},
		"a machine that has little time for it": {clock: slow, endless: true, least: 3 * script.Time},
	} {
		runner := load(t, interpreter(t, k.clock), `export default (call, state) => { state.recall('a'); state.recall('a'); while (`+strconv.FormatBool(k.endless)+`); return { text: 'ok' } }`)
		start := time.Now()
		out := runner.Run(input(), func(script.Ask) (string, error) {
			time.Sleep(k.asked)
			return "", nil
		})
		assert.GreaterOrEqual(t, time.Since(start), k.least, name)
		assert.Equal(t, k.endless, out.Fault != nil, name)
	}
}

// The time of a run ends also when none went before for a while, and after one that was stopped.
func TestEveryRunHasItsTime(t *testing.T) {
	it := interpreter(t, passed)
	fine, endless := load(t, it, `export default () => ({ text: 'ok' })`), load(t, it, `export default () => { for (;;); }`)
	for range 2 {
		assert.Nil(t, fine.Run(input(), remembered).Fault)
		time.Sleep(3 * script.Time)
		for range 2 {
			out := endless.Run(input(), remembered)
			require.NotNil(t, out.Fault)
			assert.Contains(t, out.Fault.Error(), "took longer than 50ms")
		}
	}
}

func BenchmarkRun(b *testing.B) {
	runner := load(b, interpreter(b, passed), `export default (call) => ({ status: 200, json: { number: call.path.number, state: 'free', nights: Number(call.query.a) * 2 } })`)
	in := input()
	for b.Loop() {
		runner.Run(in, remembered)
	}
}

func BenchmarkLoad(b *testing.B) {
	it := interpreter(b, passed)
	compiled, err := script.Compile(`export default (call) => ({ json: call.path.number })`)
	require.NoError(b, err)
	for b.Loop() {
		_, _ = it.Load(compiled)
	}
}

// A script is given the parts of a call that its source names, and all where it may look at them without
// naming them.
func TestScriptsWantWhatTheyName(t *testing.T) {
	for source, want := range map[string][]script.Part{
		`export default () => ({})`:                                             nil,
		`export default (call) => ({ json: call.path.number })`:                 {script.Path},
		`export default (call) => ({ json: [call.query.a, call.queries.b] })`:   {script.Query},
		`export default ({ headers, cookies }) => ({ json: headers.a })`:        {script.Headers, script.Cookies},
		`export default (call) => ({ json: [call.body, call.text, call.vars]})`: {script.Text, script.Body, script.Vars},
		`export default (call) => ({ json: { ...call } })`:                      {script.Path, script.Query, script.Headers, script.Cookies, script.Text, script.Body, script.Vars},
	} {
		s, err := script.Compile(source)
		require.NoError(t, err)
		var got []script.Part
		for part := range script.PartCount {
			if s.Wants(part) {
				got = append(got, part)
			}
		}
		assert.Equal(t, want, got, source)
		assert.False(t, s.Writes(), source)
	}
	s, err := script.Compile(`export default (call, state) => { state.remember('a', 1); return {} }`)
	require.NoError(t, err)
	assert.True(t, s.Writes())
}
