package traffic_test

import (
	"context"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"net/http/httptrace"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/internal/traffic"
	"rapidmimic.example/spec"
)

// memoryLog keeps what it is given.
type memoryLog struct {
	mu      sync.Mutex // guards all below
	number  uint64
	records []*call.Record
	behind  chan struct{} // work for it waits until this is closed
}

func (l *memoryLog) Number() uint64 {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.number++
	return l.number
}

func (l *memoryLog) Began(*call.Record) {}

func (l *memoryLog) Add(r *call.Record) func() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.records = append(l.records, r)
	behind := l.behind
	return func() {
		if behind != nil {
			<-behind
		}
	}
}

func (l *memoryLog) BodyLimit() int { return 100 }

// definitions fail where a snapshot is asked for, when they are broken.
type definitions struct {
	snapshot *catalog.Snapshot
	broken   bool
}

func (d *definitions) Snapshot() *catalog.Snapshot {
	if d.broken {
		panic("the definitions are broken")
	}
	return d.snapshot
}

func serve(t *testing.T, d *definitions) (*httptest.Server, *memoryLog) {
	log := &memoryLog{}
	decide := engine.New(engine.Config{Definitions: d, State: &engine.Memory{}, Control: "http://127.0.0.1:7400"})
	server := httptest.NewServer(traffic.New(traffic.Config{Engine: decide, Log: log, Logger: slog.New(slog.NewTextHandler(io.Discard, nil))}))
	t.Cleanup(server.Close)
	return server, log
}

// A call on which we fail gets an answer, is kept, and harms no other.
func TestAFaultOfOursIsAnsweredAndKept(t *testing.T) {
	d := &definitions{snapshot: &catalog.Snapshot{}, broken: true}
	server, log := serve(t, d)
	resp, err := http.Get(server.URL + "/moorings/berths")
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	assert.Equal(t, 500, resp.StatusCode)
	assert.Contains(t, string(text), "a fault of Rapid Mimic")
	assert.NotContains(t, string(text), "broken definitions", "the reason is for our log alone")
	require.Len(t, log.records, 1)
	assert.Equal(t, call.FromSelf, log.records[0].Source)

	d.broken = false
	resp, err = http.Get(server.URL + "/")
	require.NoError(t, err)
	require.NoError(t, resp.Body.Close())
	assert.Equal(t, 200, resp.StatusCode)
}

// failing is what takes secrets out of answers, and fails.
type failing struct{ engine.Secrets }

func (failing) Clean(*call.Request, *call.Answer, **call.Explanation) { panic("the rules are broken") }

// What a call took of the memory is free again, also where we failed on it.
func TestAFaultOfOursHoldsNoMemory(t *testing.T) {
	memory := &oneUpload{}
	decide := engine.New(engine.Config{Definitions: &definitions{snapshot: &catalog.Snapshot{}}, State: &engine.Memory{}, Control: "http://127.0.0.1:7400", Secrets: failing{}})
	server := httptest.NewServer(traffic.New(traffic.Config{Engine: decide, Log: &memoryLog{}, Memory: memory, Logger: slog.New(slog.NewTextHandler(io.Discard, nil))}))
	defer server.Close()
	for range 2 { // the second would find no memory
		req, err := http.NewRequest("POST", server.URL+"/moorings/berths", strings.NewReader("a body"))
		require.NoError(t, err)
		req.ContentLength = -1 // so that memory is asked for
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		text, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		require.NoError(t, resp.Body.Close())
		assert.Contains(t, string(text), "a fault of Rapid Mimic")
	}
	server.Close() // waits for the calls
	assert.False(t, memory.taken.Load())
}

// What is passed on as it comes is not held, and needs no room.
func TestRelaysNeedNoRoomForBodies(t *testing.T) {
	memory := &oneUpload{}
	real := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		assert.False(t, memory.taken.Load())
		_, _ = io.Copy(w, r.Body)
	}))
	defer real.Close()
	c, err := catalog.Open(t.Context(), nowhere{})
	require.NoError(t, err)
	settings := spec.NewService("moorings")
	settings.Upstream, settings.Mode = real.URL, spec.ModeRelay
	_, err = c.CreateService(t.Context(), settings)
	require.NoError(t, err)
	server := httptest.NewServer(traffic.New(traffic.Config{Engine: engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, Now: time.Now}), Log: &memoryLog{}, Memory: memory, Logger: slog.New(slog.DiscardHandler), Upstream: upstream{http.DefaultTransport}}))
	defer server.Close()
	req, err := http.NewRequest("POST", server.URL+"/moorings/berths", strings.NewReader("a body"))
	require.NoError(t, err)
	req.ContentLength = -1 // so that memory would be asked for
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	assert.Equal(t, "a body", string(text))
}

// Who has an answer finds its call in the log, and waited for nothing that the log does then: the next
// call on the connection does, and no other. What the call had of the service is free by then.
func TestAnswersAreNotedAndSentBeforeTheLogCatchesUp(t *testing.T) {
	var first, second http.Protocols
	first.SetHTTP1(true)
	second.SetUnencryptedHTTP2(true)
	for _, protocols := range []*http.Protocols{&first, &second} {
		t.Run(protocols.String(), func(t *testing.T) { answersBeforeTheLog(t, protocols) })
	}
}

func answersBeforeTheLog(t *testing.T, protocols *http.Protocols) {
	log := &memoryLog{behind: make(chan struct{})}
	below, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	l := traffic.NewListener(below, 100, time.Minute, func(traffic.Malformed) {})
	memory := &oneUpload{}
	decide := engine.New(engine.Config{Definitions: &definitions{snapshot: &catalog.Snapshot{}}, State: &engine.Memory{}, Control: "http://127.0.0.1:7400"})
	server := &http.Server{Protocols: protocols, ConnContext: traffic.WithConn, ConnState: l.Track, Handler: traffic.New(traffic.Config{Engine: decide, Log: log, Memory: memory, Logger: slog.New(slog.NewTextHandler(io.Discard, nil))})}
	go func() { _ = server.Serve(l) }()
	t.Cleanup(func() { _ = server.Close() })
	address := "http://" + below.Addr().String() + "/moorings/berths"
	reused := make(chan bool, 1) // whether the connection of a call is that of one before
	trace := httptrace.WithClientTrace(t.Context(), &httptrace.ClientTrace{GotConn: func(got httptrace.GotConnInfo) { reused <- got.Reused }})
	ask := func(client *http.Transport, method, body string) (status int, text string) {
		req, err := http.NewRequestWithContext(trace, method, address, strings.NewReader(body))
		require.NoError(t, err)
		req.ContentLength = -1 // so that memory is asked for
		resp, err := client.RoundTrip(req)
		require.NoError(t, err)
		all, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		require.NoError(t, resp.Body.Close())
		return resp.StatusCode, string(all)
	}
	first := &http.Transport{Protocols: protocols}
	for i, method := range []string{"GET", "HEAD", "POST"} {
		client := &http.Transport{Protocols: protocols} // over a connection of its own
		if i == 0 {
			client = first
		}
		status, text := ask(client, method, "ask")
		assert.False(t, <-reused)
		assert.Equal(t, 404, status)
		assert.Equal(t, method == "HEAD", len(text) == 0)
		log.mu.Lock()
		assert.Len(t, log.records, i+1)
		log.mu.Unlock()
	}
	again := make(chan int, 1)
	for range 10 { // on a busy machine the client may give up a connection, and take another
		go func() {
			status, _ := ask(first, "POST", "again")
			again <- status
		}()
		if <-reused {
			break
		}
		assert.Equal(t, 404, <-again)
	}
	select {
	case <-again:
		require.Fail(t, "the next call on the connection waits")
	case <-time.After(100 * time.Millisecond):
	}
	close(log.behind)
	assert.Equal(t, 404, <-again)
}

// oneUpload lets one body be held at a time.
type oneUpload struct{ taken atomic.Bool }

func (m *oneUpload) Reserve(string, int64) (release func(), ok bool) {
	if m.taken.Swap(true) {
		return func() {}, false
	}
	return func() { m.taken.Store(false) }, true
}

func TestEveryCallIsRecordedAsItCame(t *testing.T) {
	server, log := serve(t, &definitions{snapshot: &catalog.Snapshot{}})
	req, err := http.NewRequest("REPORT", server.URL+"/mo%20rings/a%2Fb?x=1&x=%20", strings.NewReader(strings.Repeat("y", 150)))
	require.NoError(t, err)
	req.Header.Add("X-Twice", "1")
	req.Header.Add("X-Twice", "2")
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	require.NoError(t, resp.Body.Close())
	assert.Equal(t, `call=c-1, source=miss, by="no such service"`, resp.Header.Get("Rapid-Mimic"))
	require.Len(t, log.records, 1)
	r := log.records[0].Request
	assert.Equal(t, "REPORT", r.Method)
	assert.Equal(t, "/mo%20rings/a%2Fb", r.Address)
	assert.Equal(t, "x=1&x=%20", r.Query)
	assert.Equal(t, []string{"1", "2"}, r.Header["X-Twice"])
	assert.Equal(t, call.Body{Bytes: []byte(strings.Repeat("y", 100)), Size: 150, Truncated: true}, r.Body)
	assert.Positive(t, log.records[0].Took())
}

// nowhere is a store that keeps nothing.
type nowhere struct{ catalog.Store }

func (nowhere) Load(context.Context) (catalog.Definitions, error) {
	return catalog.Definitions{}, nil
}
func (nowhere) Apply(context.Context, catalog.Change) error   { return nil }
func (nowhere) Marks(context.Context) ([]catalog.Mark, error) { return nil, nil }

// sent are the callbacks that are to be made.
type sent chan *call.Callback

func (s sent) Make(c *call.Callback) { s <- c }

// Callbacks follow an answer that went out whole, and no other.
func TestCallbacksFollowTheAnswer(t *testing.T) {
	c, err := catalog.Open(t.Context(), nowhere{})
	require.NoError(t, err)
	service := spec.NewService("ledger")
	service.Callbacks.On = true
	_, err = c.CreateService(t.Context(), service)
	require.NoError(t, err)
	mappings, err := spec.ReadMappings([]byte(`
- { id: whole, call: { path: /whole }, answer: { text: a, callbacks: { to: "http://quay.example/whole" } } }
- { id: cut, call: { path: /cut }, impair: { connection: { rate: 100%, effect: reset } }, answer: { text: a, callbacks: { to: "http://quay.example/cut" } } }
- { id: late, call: { path: /late }, impair: { latency: 1m }, answer: { text: a, callbacks: { to: "http://quay.example/late" } } }
`))
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "ledger", mappings)
	require.NoError(t, err)
	log, made := &memoryLog{}, make(sent, 10)
	server := httptest.NewServer(traffic.New(traffic.Config{
		Engine: engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, Now: time.Now}), Log: log, Callbacks: made, Logger: slog.New(slog.DiscardHandler),
	}))
	get := func(path string, patience time.Duration) error {
		ctx, cancel := context.WithTimeout(t.Context(), patience)
		defer cancel()
		req, err := http.NewRequestWithContext(ctx, "GET", server.URL+"/ledger"+path, nil)
		require.NoError(t, err)
		resp, err := http.DefaultClient.Do(req)
		if err == nil {
			err = resp.Body.Close()
		}
		return err
	}
	assert.Error(t, get("/cut", time.Minute))
	assert.Error(t, get("/late", 50*time.Millisecond))
	require.NoError(t, get("/whole", time.Minute))
	server.Close() // which waits for all of them
	require.Len(t, made, 1)
	one := <-made
	assert.Equal(t, "http://quay.example/whole", one.Target)
	assert.NotZero(t, one.Cause)
	require.Len(t, log.records, 3)
}
