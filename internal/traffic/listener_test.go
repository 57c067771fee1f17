package traffic

import (
	"bufio"
	"crypto/tls"
	"io"
	"net"
	"net/http"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What waits for the end of an answer in chunks is done when its caller has all of it, and before the
// next call on its connection is read.
func TestWorkIsDoneWhenACallIsOver(t *testing.T) {
	below, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	l := NewListener(below, 10, time.Minute, func(Malformed) {})
	behind := make(chan struct{})
	server := &http.Server{ConnContext: WithConn, ConnState: l.Track, Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, _ = io.WriteString(w, "berth ")
		w.(http.Flusher).Flush()
		_, _ = io.WriteString(w, "N7")
		work := func() { <-behind }
		intercepted := tls.Server(&bufferedConn{trackedConn(r), nil}, nil)
		assert.Same(t, trackedConn(r), tracked(intercepted), "also of one upon it")
		trackedConn(r).whenOver.Store(&work)
	})}
	go func() { _ = server.Serve(l) }()
	t.Cleanup(func() { _ = server.Close() })
	conn, err := net.Dial("tcp", below.Addr().String())
	require.NoError(t, err)
	defer conn.Close()
	reader := bufio.NewReader(conn)
	ask := func() string {
		resp, err := http.ReadResponse(reader, nil)
		require.NoError(t, err)
		text, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return string(text)
	}
	for range 2 {
		_, err := io.WriteString(conn, "GET / HTTP/1.1\r\nHost: a\r\n\r\n")
		require.NoError(t, err)
	}
	assert.Equal(t, "berth N7", ask())
	require.NoError(t, conn.SetReadDeadline(time.Now().Add(100*time.Millisecond)))
	_, err = reader.Peek(1)
	assert.ErrorIs(t, err, os.ErrDeadlineExceeded, "the next one waits")
	require.NoError(t, conn.SetReadDeadline(time.Time{}))
	close(behind)
	assert.Equal(t, "berth N7", ask())
}

// Where there is no room a connection that has just come is left its first call; idle ones make room.
func TestNewConnectionsAreNotIdle(t *testing.T) {
	below, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	l := NewListener(below, 2, time.Minute, func(Malformed) {})
	taken, held := make(chan bool, 1), make(chan bool)
	server := &http.Server{ConnState: l.Track, Handler: http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/held" {
			taken <- true
			<-held
		}
	})}
	go func() { _ = server.Serve(l) }()
	t.Cleanup(func() { _ = server.Close() })
	dial := func() net.Conn {
		conn, err := net.Dial("tcp", below.Addr().String())
		require.NoError(t, err)
		t.Cleanup(func() { _ = conn.Close() })
		return conn
	}
	ask := func(conn net.Conn, path string) {
		_, err := io.WriteString(conn, "GET "+path+" HTTP/1.1\r\nHost: a\r\n\r\n")
		require.NoError(t, err)
	}
	answered := func(conn net.Conn) {
		resp, err := http.ReadResponse(bufio.NewReader(conn), nil)
		require.NoError(t, err)
		assert.Equal(t, 200, resp.StatusCode)
	}
	busy := dial()
	ask(busy, "/held")
	<-taken
	fresh := dial()
	require.Eventually(t, func() bool { return l.Open() == 2 }, 10*time.Second, time.Millisecond)
	next := dial()
	ask(next, "/")
	time.Sleep(150 * time.Millisecond) // it looks for room every 100 ms
	assert.Zero(t, l.Closed())
	ask(fresh, "/")
	answered(fresh)
	answered(next)
	assert.Equal(t, int64(1), l.Closed(), "the one that was answered is idle")
	close(held)
	answered(busy)
}
