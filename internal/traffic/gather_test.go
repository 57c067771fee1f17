package traffic_test

import (
	"bufio"
	"crypto/sha256"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
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

// slowLog takes its time to take a call.
type slowLog struct{ memoryLog }

func (l *slowLog) Add(r *call.Record) func() {
	time.Sleep(30 * time.Millisecond)
	return l.memoryLog.Add(r)
}

type upstream struct{ http.RoundTripper }

func (upstream) Explain(err error) (int, string) { return http.StatusBadGateway, err.Error() }

// Whoever has all bytes of an answer finds its call, however large the answer is and however it is sent.
func TestAnAnswerIsWholeOnceItsCallIsKept(t *testing.T) {
	berths := strings.Repeat("N7 ", 1<<20)
	real := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		size := 3 * len(r.URL.Path) * len(r.URL.Path)
		w.Header().Set("Content-Length", fmt.Sprint(size))
		_, _ = io.WriteString(w, berths[:size/2])
		w.(http.Flusher).Flush()
		_, _ = io.WriteString(w, berths[size/2:size])
	}))
	t.Cleanup(real.Close)
	c, err := catalog.Open(t.Context(), nowhere{})
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), spec.NewService("moorings"))
	require.NoError(t, err)
	relayed := spec.NewService("real")
	relayed.Upstream, relayed.Mode = real.URL, spec.ModeRelay
	_, err = c.CreateService(t.Context(), relayed)
	require.NoError(t, err)
	var document strings.Builder
	for _, size := range []int{1 << 10, 3 << 10, 10 << 10, 17 << 10, 100 << 10, 3 << 20} {
		fmt.Fprintf(&document, "- { id: m%d, call: { path: /%d }, answer: { text: %q } }\n", size, size, berths[:size])
	}
	fmt.Fprintf(&document, "- { id: slow, call: { path: /slow }, impair: { connection: { line: sea-cable } }, answer: { text: %q } }\n", berths[:70<<10])
	sum := sha256.Sum256([]byte(berths[:40<<10]))
	fmt.Fprintf(&document, "- { id: recorded, call: { path: /recorded }, answer: { text: %q, recorded: { sum: %x, pieces: [20000 after 1ms, 20960 after 20ms], pace: recorded } } }\n", berths[:40<<10], sum[:16])
	mappings, err := spec.ReadMappings([]byte(document.String()))
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "moorings", mappings)
	require.NoError(t, err)

	log := &slowLog{}
	below, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	l := traffic.NewListener(below, 100, time.Minute, func(traffic.Malformed) {})
	server := &http.Server{ConnContext: traffic.WithConn, ConnState: l.Track, Handler: traffic.New(traffic.Config{
		Engine: engine.New(engine.Config{Definitions: c, State: &engine.Memory{}, Now: time.Now}), Log: log, Logger: slog.New(slog.DiscardHandler),
		Upstream: upstream{http.DefaultTransport},
	})}
	go func() { _ = server.Serve(l) }()
	t.Cleanup(func() { _ = server.Close() })
	conn, err := net.Dial("tcp", below.Addr().String())
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close() })
	reader := bufio.NewReader(conn)
	for i, path := range []string{"/moorings/1024", "/moorings/3072", "/moorings/10240", "/moorings/17408", "/moorings/102400", "/moorings/3145728", "/moorings/slow", "/moorings/recorded", "/real/berths", "/real/" + strings.Repeat("berths", 20), "/moorings/1024"} {
		_, err = fmt.Fprintf(conn, "GET %s HTTP/1.1\r\nHost: quay\r\n\r\n", path)
		require.NoError(t, err)
		resp, err := http.ReadResponse(reader, nil)
		require.NoError(t, err)
		require.Positive(t, resp.ContentLength, path)
		begun, body := time.Now(), make([]byte, resp.ContentLength)
		_, err = io.ReadFull(resp.Body, body)
		log.mu.Lock()
		kept := len(log.records)
		log.mu.Unlock()
		require.NoError(t, err, path)
		assert.Equal(t, i+1, kept, path)
		if path == "/moorings/slow" {
			assert.Greater(t, time.Since(begun), 200*time.Millisecond, "the head goes ahead")
		}
		assert.Equal(t, berths[:len(body)], string(body), path)
	}
}
