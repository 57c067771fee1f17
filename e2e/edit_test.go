package e2e

import (
	"encoding/json"
	"encoding/pem"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// answering is a service with an upstream that it asks only when told to.
func answering(t *testing.T, base string) *service {
	s := relaying(t, base)
	_, err := s.api.PatchService(t.Context(), "office", []byte(`{"mode": "answer"}`))
	require.NoError(t, err)
	return s
}

func TestAnswersOfTheUpstreamAreEdited(t *testing.T) {
	t.Parallel()
	upstream := office(t)
	s := answering(t, upstream.URL+"/api")
	// the mapping is put in, then the call made: what the caller gets, and what the
	// log says
	cases := []struct {
		name, mapping, call, body string
		headers                   []string
		status                    int
		want, step                string
		check                     func(t *testing.T, resp *http.Response, call api.CallDetail)
	}{
		{name: "as it came", mapping: `call: {path: /gzip}
answer: {from: upstream}`, call: "GET /office/br", status: 404, want: "nothing in service"},
		{name: "a value, decoded on the way", call: "GET /office/gzip", status: 200, want: `{"state":"closed"}`, step: "steps applied: 1", mapping: `call: {path: /gzip}
answer: { from: upstream, edit: [{ op: replace, path: /body/state, value: closed }] }`,
			check: func(t *testing.T, resp *http.Response, call api.CallDetail) {
				assert.Empty(t, resp.Header.Get("Content-Encoding"))
				assert.Equal(t, `{"state":"free"}`, call.Upstream.Answer.Body)
				assert.Equal(t, `{"state":"closed"}`, call.Answer.Body)
				assert.Equal(t, upstream.URL+"/api/gzip", call.Upstream.Target)
				assert.Equal(t, []string{"mapping", "edited"}, []string{call.Source, call.By})
			}},
		{name: "status, headers and an expression", call: "POST /office/echo", body: `{"dues": 40, "free": 1.0}`, status: 203, want: `{"dues":80,"free":1.0}`, step: "steps applied: 4", mapping: `call: {path: /echo}
answer:
  from: upstream
  edit:
    - { op: replace, path: /status, value: 203 }
    - { op: replace, path: /body/dues, value: "${upstream.body.dues * 2}" }
    - { op: remove, path: /headers/X-Twice }
    - { op: add, path: /headers/x-seen, value: "${upstream.headers['seen-target']} ${upstream.status}" }`,
			check: func(t *testing.T, resp *http.Response, _ api.CallDetail) {
				assert.Empty(t, resp.Header["X-Twice"])
				assert.Equal(t, "POST /api/echo 418", resp.Header.Get("X-Seen"))
			}},
		{name: "a test that does not hold", call: "GET /office/gzip", status: 200, want: `{"state":"free"}`, step: "nothing is changed: a test of the patch does not hold", mapping: `call: {path: /gzip}
answer: { from: upstream, edit: [{ op: test, path: /status, value: 500 }, { op: remove, path: /body }] }`},
		{name: "a step that does not fit", call: "GET /office/gzip", status: 502, want: `cannot be edited: .*/body/berth`, mapping: `call: {path: /gzip}
answer: { from: upstream, edit: [{ op: replace, path: /body/berth, value: 1 }] }`},
		{name: "the request", call: "POST /office/berths/N7?free=true&b=%20x", body: `{"vessel": "Tern"}`, headers: []string{"Accept-Language: en"}, status: 418, want: `^\{"vessel":"N7"\}$`, step: "steps applied: 4", mapping: `call: {path: "/berths/{number}"}
answer:
  from: upstream
  send:
    - { op: replace, path: /path, value: /echo }
    - { op: replace, path: /query/free, value: "false" }
    - { op: replace, path: /body/vessel, value: "${call.path.number}" }
    - { op: add, path: /headers/User-Agent, value: quay }`,
			check: func(t *testing.T, resp *http.Response, call api.CallDetail) {
				assert.Equal(t, "POST /api/echo?free=false&b=+x", resp.Header.Get("Seen-Target"))
				assert.Equal(t, "quay", resp.Header.Get("Seen-User-Agent"))
				assert.Equal(t, "/berths/N7", call.Path, "the log shows what the caller asked")
				assert.Equal(t, `{"vessel": "Tern"}`, call.Request.Body)
				assert.Equal(t, `{"vessel":"N7"}`, call.Upstream.Request.Body)
				assert.Nil(t, call.Upstream.Answer, "which the caller got as it came")
			}},
		{name: "a text", call: "GET /office/early", status: 200, want: "^later$", step: "steps applied: 1", mapping: `call: {path: /early}
answer: { from: upstream, edit: [{ op: replace, path: /body, value: "${upstream.body + 'r'}" }] }`},
		{name: "an answer that breaks off", call: "GET /office/broken", status: 502, want: "broke off after 4 bytes", mapping: `call: {path: /broken}
answer: { from: upstream, edit: [{ op: remove, path: /body }] }`},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			_, err := s.api.PutMappings(t.Context(), "office", []byte("id: edited\n"+c.mapping))
			require.NoError(t, err)
			resp, body := s.send(c.call, c.body, c.headers...)
			assert.Equal(t, c.status, resp.StatusCode, body)
			if strings.HasPrefix(c.want, "{") {
				assert.Equal(t, c.want, body)
			} else {
				assert.Regexp(t, "(?i)"+c.want, body)
			}
			call, err := s.api.Call(t.Context(), callID(resp))
			require.NoError(t, err)
			steps, err := json.Marshal(call.Explanation.Steps)
			require.NoError(t, err)
			assert.Contains(t, string(steps), c.step)
			if c.check != nil {
				c.check(t, resp, call)
			}
		})
	}

	// what would be asked is told without asking
	result, err := s.api.Explain(t.Context(), "office", api.TestCall{Method: "GET", Path: "/broken"})
	require.NoError(t, err)
	assert.Equal(t, []any{upstream.URL + "/api/broken", 0}, []any{result.Asks, result.Status})

	faulty := map[string]string{
		`{ edit: [{ op: remove, path: /body }] }`:                                     "they need `from: upstream`",
		`{ from: elsewhere }`:                                                         "from must be upstream, contract, or mapping",
		`{ from: upstream, status: 404 }`:                                             "change them by edit",
		`{ from: upstream, json: {} }`:                                                "a body of its own: change it by `with",
		`{ from: upstream, edit: [{ op: swap, path: /body }] }`:                       "op must be one of add, remove",
		`{ from: upstream, edit: [{ op: add, path: /query/x, value: 1 }] }`:           "begins with /status, /headers, /body",
		`{ from: upstream, send: [{ op: add, path: /query/x }] }`:                     "which need one",
		`{ from: upstream, edit: [{ op: add, path: /body/x, value: "${nope(1)}" }] }`: "nope",
	}
	for answer, want := range faulty {
		_, err := s.api.PutMappings(t.Context(), "office", []byte("call: {path: /x}\nanswer: "+answer))
		assert.ErrorContains(t, err, want, answer)
	}
	_, err = s.api.PutService(t.Context(), "lonely", spec.NewService("lonely"), "")
	require.NoError(t, err)
	_, err = s.api.PutMappings(t.Context(), "lonely", []byte("call: {path: /x}\nanswer: {from: upstream}"))
	assert.ErrorContains(t, err, `service "lonely" has no upstream`)
}

func TestOtherwiseIsAnAnswer(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{})
	_, err := s.api.PutService(t.Context(), "office", spec.NewService("office"), "")
	require.NoError(t, err)
	_, err = s.api.PatchService(t.Context(), "office", []byte(`{"otherwise": ["example", {"answer": {"status": 503, "json": {"closed": "${call.method}"}}}]}`))
	require.NoError(t, err)
	resp, body := s.send("GET /office/anything", "")
	assert.Equal(t, "503"+`{"closed":"GET"}`, fmt.Sprint(resp.StatusCode, body))
	assert.Contains(t, resp.Header.Get("Rapid-Mimic"), `source=self, by="otherwise"`)
	assert.Equal(t, "no-store", resp.Header.Get("Cache-Control"))
	for otherwise, want := range map[string]string{
		`["upstream"]`:                           "a service without an upstream",
		`["nothing"]`:                            "otherwise lists example",
		`[{"answer": {"status": 99}}]`:           "/otherwise/0/answer/status",
		`[{"answer": {"text": "${"}}]`:           "/otherwise/0/answer/text",
		`[{"answer": {"generate": true}}]`:       "one of its own",
		`[{"answer": {"text": "a"}}, "example"]`: "nothing comes after an answer",
		`[{"reply": {"text": "a"}}]`:             "reply",
	} {
		_, err := s.api.PatchService(t.Context(), "office", []byte(`{"otherwise": `+otherwise+`}`))
		var p *problem.Error
		require.ErrorAs(t, err, &p, otherwise)
		assert.Contains(t, p.Error(), want, otherwise)
	}
}

// What a recording captures can be tried before, and is what it then does.
func TestRecordingsCanBeNarrowed(t *testing.T) {
	t.Parallel()
	upstream := office(t)
	s := relaying(t, upstream.URL+"/api")
	calls := []string{"GET /office/events-none", "GET /office/events", "GET /office/echo", "POST /office/echo"}
	narrow := api.RecordingStart{Name: "narrow", Include: []string{"/echo", "/events"}, Exclude: []string{"POST /echo"}, MediaTypes: []string{"text/*"}}
	make1 := func() {
		for _, call := range calls {
			if strings.HasSuffix(call, "/events") {
				ctx := t.Context()
				req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.traffic+"/office/events", nil)
				require.NoError(t, err)
				resp, err := http.DefaultClient.Do(req)
				require.NoError(t, err)
				_, err = io.ReadFull(resp.Body, make([]byte, 9))
				require.NoError(t, err)
				require.NoError(t, resp.Body.Close())
				continue
			}
			s.send(call, "")
		}
	}
	make1()
	want := []string{"it is one of those to leave out", "its answer has no media type", "", "it is none of those to capture"}
	var trial api.RecordingTrial
	require.Eventually(t, func() bool {
		var err error
		trial, err = s.api.TryRecording(t.Context(), "office", narrow)
		return err == nil && len(trial.Calls) == len(calls)
	}, 5*time.Second, 20*time.Millisecond)
	reasons := map[string]string{}
	for _, tried := range trial.Calls {
		reasons[tried.Call.Method+" "+tried.Call.Path] = tried.Reason
	}
	assert.Equal(t, map[string]string{"POST /echo": want[0], "GET /echo": want[1], "GET /events": want[2], "GET /events-none": want[3]}, reasons)
	assert.Equal(t, 1, trial.Captured)

	_, err := s.api.StartRecording(t.Context(), "office", narrow)
	require.NoError(t, err)
	make1()
	require.Eventually(t, func() bool {
		recorded, err := s.api.RecordedCalls(t.Context(), "office", "narrow", "")
		return err == nil && len(recorded) == 1 && recorded[0].Path == "/events"
	}, 5*time.Second, 20*time.Millisecond)
	_, err = s.api.StopRecording(t.Context(), "office", "narrow", api.RecordingStop{RecordingEnd: spec.RecordingEnd{OnlyKeep: true}})
	require.NoError(t, err)
	for _, wrong := range []api.RecordingStart{{Name: "a", MediaTypes: []string{"json"}}, {Name: "a", Hosts: []string{"http://x"}}, {Name: "a", Include: []string{"GET berths"}}} {
		_, err := s.api.TryRecording(t.Context(), "office", wrong)
		assert.Error(t, err, "%+v", wrong)
	}
}

// What a service does not answer itself is asked of the upstream, and recorded.
func TestRecordingWhatIsMissing(t *testing.T) {
	t.Parallel()
	upstream := office(t)
	s := answering(t, upstream.URL+"/api")
	_, err := s.api.PutMappings(t.Context(), "office", []byte("call: {path: /none}\nanswer: {text: ours}"))
	require.NoError(t, err)
	gaps := api.RecordingStart{Name: "gaps", Missing: true}
	_, err = s.api.StartRecording(t.Context(), "office", gaps)
	var known *problem.Error
	require.ErrorAs(t, err, &known)
	assert.Equal(t, &problem.Hint{Code: problem.AskUpstream, Service: "office"}, known.Hint)
	_, err = s.api.PatchService(t.Context(), "office", []byte(`{"otherwise": ["upstream"]}`))
	require.NoError(t, err)
	_, err = s.api.StartRecording(t.Context(), "office", gaps)
	require.NoError(t, err)
	_, body := s.send("GET /office/none", "")
	assert.Equal(t, "ours", body)
	s.send("GET /office/early", "")
	report, err := s.api.StopRecording(t.Context(), "office", "gaps", api.RecordingStop{})
	require.NoError(t, err)
	require.Len(t, report.Mappings, 1)
	upstream.Close()
	_, body = s.send("GET /office/early", "")
	assert.Equal(t, "late", body)
}

// Upstreams on IPv6, and over HTTP/2 with a certificate that this machine was
// told to trust.
func TestOtherUpstreams(t *testing.T) {
	t.Parallel()
	said := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { fmt.Fprint(w, r.Proto, " ", r.URL) })
	six, err := net.Listen("tcp6", "[::1]:0")
	if err != nil {
		t.Skip("this machine has no IPv6 loopback: ", err)
	}
	plain := &httptest.Server{Listener: six, Config: &http.Server{Handler: said}}
	plain.Start()
	defer plain.Close()
	secured := httptest.NewUnstartedServer(said)
	secured.EnableHTTP2 = true
	secured.StartTLS()
	defer secured.Close()
	trusted := filepath.Join(t.TempDir(), "upstream.pem")
	require.NoError(t, os.WriteFile(trusted, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: secured.Certificate().Raw}), 0o600))

	s := startProcess(t, []string{"SSL_CERT_FILE=" + trusted})
	for name, want := range map[string]struct{ base, answer string }{"six": {plain.URL, "HTTP/1.1 /a?b=1"}, "two": {secured.URL, "HTTP/2.0 /a?b=1"}} {
		document := spec.NewService(name)
		document.Upstream, document.Mode = want.base, spec.ModeRelay
		_, err := s.api.PutService(t.Context(), name, document, "")
		require.NoError(t, err)
		_, body := s.send("GET /"+name+"/a?b=1", "")
		assert.Equal(t, want.answer, body)
	}
}

// startProcess starts the real program with more variables in its environment, and its data in a folder.
func startProcess(t testing.TB, environment []string, data ...string) *service {
	folder := append(data, t.TempDir())[0]
	cmd := exec.Command(binary, "serve", "--control", "127.0.0.1:0", "--traffic", "127.0.0.1:0", "--proxy", "", "--data", folder)
	cmd.Env = append(os.Environ(), environment...)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	addresses := printedAddresses(out, "data")
	s := &service{t: t, control: addresses["console"], traffic: addresses["services"], pid: cmd.Process.Pid}
	s.api, err = client.New(s.control)
	require.NoError(t, err)
	s.stop = sync.OnceFunc(func() {
		s.api.Close()
		http.DefaultClient.CloseIdleConnections()
		assert.NoError(t, cmd.Process.Signal(os.Interrupt))
		assert.NoError(t, cmd.Wait())
	})
	t.Cleanup(s.stop)
	return s
}

// A check never passes for want of evidence: calls that have left the log make it
// undecidable, unless enough are there all the same.
func TestChecksThatCannotBeDecided(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{KeepCalls: 10})
	_, err := s.api.PutService(t.Context(), "quay", spec.NewService("quay"), "")
	require.NoError(t, err)
	_, err = s.api.PutMappings(t.Context(), "quay", []byte("call: {path: '/berths/{number}'}\nanswer: {text: a}"))
	require.NoError(t, err)
	begun := time.Now()
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			caller := &http.Client{Transport: &http.Transport{}}
			defer caller.CloseIdleConnections()
			for range 700 { // so many that retention looks
				if resp, err := caller.Get(s.traffic + "/quay/berths/N7"); assert.NoError(t, err) {
					_, _ = io.Copy(io.Discard, resp.Body)
					_ = resp.Body.Close()
				}
			}
		})
	}
	all.Wait()
	never, once := 0, 1
	check := func(a api.Assertion) api.AssertionResult {
		a.Service, a.Calls = "quay", []spec.Pattern{{Path: "/berths/N9"}}
		if a.AtLeast != nil {
			a.Calls[0].Path = "/berths/N7"
		}
		result, err := s.api.Assert(t.Context(), a)
		require.NoError(t, err)
		return result
	}
	result := check(api.Assertion{Times: &never, Since: begun})
	assert.False(t, result.Holds)
	assert.Contains(t, result.Undecidable, "have left the log, which keeps the last 10")
	assert.True(t, check(api.Assertion{AtLeast: &once, Since: begun}).Holds, "more could not make it less")
	later := check(api.Assertion{Times: &never, Since: time.Now().Add(time.Second)})
	assert.True(t, later.Holds, later.Undecidable)
}

// A check sees calls from when they come: those that are held back, and those that an
// upstream is asked for, as far as they are known.
func TestChecksSeeCallsThatAreNotAnsweredYet(t *testing.T) {
	t.Parallel()
	release := make(chan struct{})
	upstream := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		_, _ = io.Copy(io.Discard, r.Body)
		<-release
	}))
	defer upstream.Close()
	goOn := sync.OnceFunc(func() { close(release) })
	defer goOn()
	s := startDemo(t)
	_, err := s.api.PatchService(t.Context(), "tides", fmt.Appendf(nil, `{"upstream": %q, "mode": "relay"}`, upstream.URL))
	require.NoError(t, err)
	s.impair("moorings", `latency: 1500ms`)
	var callers sync.WaitGroup
	callers.Go(func() { s.send("POST /moorings/berths/N7/bookings", `{"nights": 3}`, "Content-Type: application/json") })
	callers.Go(func() { s.send("POST /tides/warnings", `{"severity": "danger"}`, "Content-Type: application/json") })
	check := func(service, document string) api.AssertionResult {
		var a api.Assertion
		require.NoError(t, json.Unmarshal([]byte(document), &a))
		a.Service = service
		result, err := s.api.Assert(t.Context(), a)
		require.NoError(t, err)
		return result
	}
	came := check("moorings", `{"calls": [{"operation": "bookBerth", "where": [{"body": "$.nights", "above": 2}]}], "times": 1, "within": "1s"}`)
	assert.True(t, came.Holds, came.Text)
	list, err := s.api.Calls(t.Context(), client.CallQuery{Service: "moorings"})
	require.NoError(t, err)
	assert.Empty(t, list.Items, "it is not answered yet")
	assert.False(t, check("moorings", `{"calls": [{"operation": "bookBerth"}], "times": 0}`).Holds)
	assert.True(t, check("moorings", `{"calls": [{"operation": "listBerths"}], "times": 0}`).Holds)

	assert.True(t, check("tides", `{"calls": [{"path": "/warnings"}], "times": 1, "within": "5s"}`).Holds)
	const danger = `{"calls": [{"path": "/warnings", "where": [{"body": "$.severity", "equals": "danger"}]}], `
	assert.Contains(t, check("tides", danger+`"times": 0}`).Undecidable, "whose body is not known yet")
	time.AfterFunc(100*time.Millisecond, goOn)
	later := check("tides", danger+`"times": 1, "within": "10s"}`)
	assert.True(t, later.Holds, later.Undecidable)
	callers.Wait()
	assert.True(t, check("moorings", `{"calls": [{"operation": "bookBerth"}], "times": 1}`).Holds, "it counts once")
}

// Expressions are worked out for a call while a mapping is written; what one gives is masked as the call is.
func TestExpressionsAreWorkedOut(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.send("GET /moorings/berths/N7?nights=2", "", "Authorization: Bearer hush-hush-harbour")
	s.send("GET /tides/warnings", "")
	wanted := api.TrialRequest{
		Document:    `{call: {path: "/berths/{number}"}, answer: {let: {more: 1}, json: {who: "${call.body.skipper}"}}}`,
		Recent:      5,
		Expressions: []string{"call.path.number", "int(call.query.nights) + more", "call.query.pier", "call.path.numbr", `call.headers["authorization"]`},
	}
	trial, err := s.api.TryMapping(t.Context(), "moorings", wanted)
	require.NoError(t, err)
	assert.Equal(t, "c-1", trial.ValuesOf)
	require.Len(t, trial.Calls, 1)
	assert.Contains(t, trial.Calls[0].Reason, "call.body.skipper", "it fits, and fails")
	require.Len(t, trial.Values, 5)
	assert.Equal(t, []string{`"N7"`, "3"}, []string{string(trial.Values[0].Value.AppendJSON(nil)), string(trial.Values[1].Value.AppendJSON(nil))})
	assert.Contains(t, trial.Values[2].Fault, "no such key: pier")
	assert.Contains(t, trial.Values[3].Fault, "number?")
	assert.Contains(t, trial.Values[4].Value.Str(), "Bearer masked-")
	wanted.Call, wanted.Expressions = "c-1", wanted.Expressions[:1]
	trial, err = s.api.TryMapping(t.Context(), "moorings", wanted)
	require.NoError(t, err)
	assert.Equal(t, []any{"c-1", `"N7"`}, []any{trial.ValuesOf, string(trial.Values[0].Value.AppendJSON(nil))})
	wanted.Call, wanted.Document = "", `{call: {path: /fog}, answer: {text: a}}`
	trial, err = s.api.TryMapping(t.Context(), "moorings", wanted)
	require.NoError(t, err)
	assert.Empty(t, trial.Values, "there is no call to work them out for")
	wanted.Call, wanted.Expressions = "c-1", make([]string, 51)
	_, err = s.api.TryMapping(t.Context(), "moorings", wanted)
	assert.ErrorContains(t, err, "at most 50 expressions")
}
