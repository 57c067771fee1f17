package e2e

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"crypto/rand"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
)

// office is an upstream with everything that a relay could spoil. It tells what
// it was asked in headers that begin with Seen.
func office(t *testing.T) *httptest.Server {
	big := make([]byte, 3<<20)
	_, _ = rand.Read(big)
	coded := func(w http.ResponseWriter, encoding string, writer io.WriteCloser) {
		_, _ = io.WriteString(writer, `{"state":"free"}`)
		_ = writer.Close()
		_ = encoding
	}
	mux := http.NewServeMux()
	mux.HandleFunc("/api/echo", func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		w.Header().Set("Seen-Target", r.Method+" "+r.RequestURI)
		w.Header().Set("Seen-Host", r.Host)
		for _, name := range []string{"Rapid-Mimic", "Baggage", "X-Hop", "Accept-Encoding", "User-Agent", "Expect"} {
			w.Header()["Seen-"+name] = r.Header[name]
		}
		w.Header().Add("X-Twice", "a")
		w.Header().Add("X-Twice", "b")
		w.WriteHeader(http.StatusTeapot)
		_, _ = w.Write(body)
	})
	mux.HandleFunc("/api/go", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Location", "http://"+r.Host+"/api/berths/N7?x=1#y")
		w.Header().Set("Alt-Svc", `h3=":443"`)
		w.Header().Add("Set-Cookie", "session=abc; Domain=office.example; Path=/api/; Secure; HttpOnly; SameSite=None")
		w.WriteHeader(http.StatusFound)
	})
	mux.HandleFunc("/api/away", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Location", "https://elsewhere.example/api/x")
		w.WriteHeader(http.StatusFound)
	})
	mux.HandleFunc("/api/gzip", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Encoding", "gzip")
		coded(w, "gzip", gzip.NewWriter(w))
	})
	mux.HandleFunc("/api/br", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Encoding", "br")
		coded(w, "br", brotli.NewWriter(w))
	})
	mux.HandleFunc("/api/zstd", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Encoding", "zstd")
		writer, _ := zstd.NewWriter(w)
		coded(w, "zstd", writer)
	})
	mux.HandleFunc("/api/big", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Length", strconv.Itoa(len(big)))
		_, _ = w.Write(big)
	})
	mux.HandleFunc("/api/none", func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusNoContent) })
	mux.HandleFunc("/api/same", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Etag", `"7"`)
		w.WriteHeader(http.StatusNotModified)
	})
	mux.HandleFunc("/api/early", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Link", "</style.css>; rel=preload")
		w.WriteHeader(http.StatusEarlyHints)
		_, _ = io.WriteString(w, "late")
	})
	mux.HandleFunc("/api/trailers", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Trailer", "X-Sum")
		_, _ = io.WriteString(w, "body")
		w.Header().Set("X-Sum", "4")
	})
	mux.HandleFunc("/api/events", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/event-stream")
		for i := range 3 {
			fmt.Fprintf(w, "data: %d\n\n", i)
			_ = http.NewResponseController(w).Flush()
			if i == 1 {
				<-r.Context().Done() // the third never comes: who waits for the end sees nothing
				return
			}
		}
	})
	mux.HandleFunc("/api/broken", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Length", "100")
		_, _ = io.WriteString(w, "half")
		_ = http.NewResponseController(w).Flush()
		panic(http.ErrAbortHandler)
	})
	mux.HandleFunc("/api/socket", func(w http.ResponseWriter, _ *http.Request) {
		conn, buffered, err := http.NewResponseController(w).Hijack()
		if err != nil {
			return
		}
		defer conn.Close()
		fmt.Fprint(conn, "HTTP/1.1 101 Switching Protocols\r\nConnection: Upgrade\r\nUpgrade: quay\r\n\r\n")
		line, _ := buffered.ReadString('\n')
		fmt.Fprint(conn, strings.ToUpper(line))
	})
	server := httptest.NewServer(mux)
	t.Cleanup(server.Close)
	return server
}

// relaying is a service that relays to an upstream.
func relaying(t *testing.T, base string) *service {
	s := start(t, config.Config{})
	document := spec.NewService("office")
	document.Upstream, document.Mode = base, spec.ModeRelay
	_, err := s.api.PutService(t.Context(), "office", document, "")
	require.NoError(t, err)
	return s
}

func TestRelayIsFaithful(t *testing.T) {
	t.Parallel()
	upstream := office(t)
	s := relaying(t, upstream.URL+"/api/")

	resp, body := s.send("PUT /office/echo?a=1&b=%20x", "the body", "X-Hop: 1", "Connection: X-Hop", `Rapid-Mimic: status=404`, "Baggage: a=1, rapid-mimic.status=404", "User-Agent: quay", "Accept-Encoding: br")
	assert.Equal(t, 418, resp.StatusCode)
	assert.Equal(t, "the body", body)
	assert.Equal(t, "PUT /api/echo?a=1&b=%20x", resp.Header.Get("Seen-Target"))
	assert.Equal(t, strings.TrimPrefix(upstream.URL, "http://"), resp.Header.Get("Seen-Host"))
	assert.Equal(t, []string{"a=1", "br", "quay", "", ""}, []string{resp.Header.Get("Seen-Baggage"), resp.Header.Get("Seen-Accept-Encoding"),
		resp.Header.Get("Seen-User-Agent"), resp.Header.Get("Seen-Rapid-Mimic"), resp.Header.Get("Seen-X-Hop")})
	assert.Equal(t, []string{"a", "b"}, resp.Header["X-Twice"])
	assert.Regexp(t, `^call=c-1, source=upstream, by="127`, resp.Header.Get("Rapid-Mimic"))
	call, err := s.api.Call(t.Context(), "c-1")
	require.NoError(t, err)
	assert.Equal(t, "upstream", call.Source)
	assert.Equal(t, []string{"the body", "the body"}, []string{call.Request.Body, call.Answer.Body})

	// what would lead the caller past us is changed, and each change is told
	resp, _ = s.send("GET /office/go", "")
	assert.Equal(t, "/office/berths/N7?x=1#y", resp.Header.Get("Location"))
	assert.Equal(t, "session=abc; Path=/office; HttpOnly", resp.Header.Get("Set-Cookie"))
	assert.Empty(t, resp.Header.Get("Alt-Svc"))
	call, err = s.api.Call(t.Context(), "c-2")
	require.NoError(t, err)
	assert.Len(t, call.Explanation.Steps, 4)
	resp, _ = s.send("GET /office/away", "")
	assert.Equal(t, "https://elsewhere.example/api/x", resp.Header.Get("Location"))
	_, err = s.api.PatchService(t.Context(), "office", []byte(`{"keepWithUs": false}`))
	require.NoError(t, err)
	resp, _ = s.send("GET /office/go", "")
	assert.Equal(t, upstream.URL+"/api/berths/N7?x=1#y", resp.Header.Get("Location"))
	assert.NotEmpty(t, resp.Header.Get("Alt-Svc"))

	// bodies: coded as they were, decoded in the log; none; large; with trailers
	for _, coding := range []string{"gzip", "br", "zstd"} {
		resp, body = s.send("GET /office/"+coding, "", "Accept-Encoding: "+coding)
		assert.Equal(t, coding, resp.Header.Get("Content-Encoding"))
		assert.NotEqual(t, `{"state":"free"}`, body)
		call, err = s.api.Call(t.Context(), callID(resp))
		require.NoError(t, err)
		assert.Equal(t, `{"state":"free"}`, call.Answer.Body, coding)
	}
	for path, status := range map[string]int{"none": 204, "same": 304} {
		resp, body = s.send("GET /office/"+path, "")
		assert.Equal(t, status, resp.StatusCode)
		assert.Empty(t, body)
		assert.Empty(t, resp.Header["Content-Type"])
	}
	resp, body = s.send("HEAD /office/big", "")
	assert.Equal(t, int64(3<<20), resp.ContentLength)
	assert.Empty(t, body)
	direct, err := http.Get(upstream.URL + "/api/big")
	require.NoError(t, err)
	want, err := io.ReadAll(direct.Body)
	require.NoError(t, err)
	require.NoError(t, direct.Body.Close())
	_, body = s.send("GET /office/big", "")
	assert.True(t, body == string(want), "3 MiB of bytes are the same")
	resp, body = s.send("GET /office/trailers", "")
	assert.Equal(t, "body4", body+resp.Trailer.Get("X-Sum"))
	resp, body = s.send("GET /office/early", "")
	assert.Equal(t, "200late", fmt.Sprint(resp.StatusCode, body))
}

func callID(resp *http.Response) string {
	id, _, _ := strings.Cut(strings.TrimPrefix(resp.Header.Get("Rapid-Mimic"), "call="), ",")
	return id
}

// Pages of other origins may send hints also where the service relays: the upstream is
// not asked about a header that never reaches it.
func TestPagesMaySendHintsThroughARelay(t *testing.T) {
	asked := make(chan []string, 1)
	upstream := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked <- r.Header["Access-Control-Request-Headers"]
		w.Header().Set("Access-Control-Allow-Origin", "*")
		w.Header().Set("Access-Control-Allow-Headers", "X-Shift")
	}))
	defer upstream.Close()
	s := relaying(t, upstream.URL)
	for _, k := range []struct {
		wants           string
		asked, answered []string
	}{
		{"rapid-mimic, x-shift", []string{"x-shift"}, []string{"X-Shift", "Rapid-Mimic"}},
		{"rapid-mimic", nil, []string{"X-Shift", "Rapid-Mimic"}},
		{"x-shift", []string{"x-shift"}, []string{"X-Shift"}},
	} {
		resp, _ := s.send("OPTIONS /office/berths", "", "Origin: http://localhost:3000", "Access-Control-Request-Method: GET", "Access-Control-Request-Headers: "+k.wants)
		assert.Equal(t, k.asked, <-asked, k.wants)
		assert.Equal(t, k.answered, resp.Header["Access-Control-Allow-Headers"], k.wants)
	}
}

func TestRelayDoesNotWaitForTheEnd(t *testing.T) {
	t.Parallel()
	s := relaying(t, office(t).URL+"/api")
	ctx, cancel := context.WithTimeout(t.Context(), 10*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.traffic+"/office/events", nil)
	require.NoError(t, err)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	lines := bufio.NewReader(resp.Body)
	for _, want := range []string{"data: 0\n", "\n", "data: 1\n"} {
		line, err := lines.ReadString('\n')
		require.NoError(t, err)
		assert.Equal(t, want, line)
	}
	cancel() // the caller leaves: so does the call to the upstream, and the log says it
	_ = resp.Body.Close()
	require.Eventually(t, func() bool {
		call, err := s.api.Call(context.Background(), "c-1")
		return err == nil && strings.Contains(fmt.Sprint(call.Explanation.Steps), "the caller left after 18 bytes")
	}, 10*time.Second, 20*time.Millisecond)

	// a protocol of its own goes both ways
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.traffic, "http://"))
	require.NoError(t, err)
	defer conn.Close()
	fmt.Fprint(conn, "GET /office/socket HTTP/1.1\r\nHost: x\r\nConnection: Upgrade\r\nUpgrade: quay\r\n\r\n")
	reader := bufio.NewReader(conn)
	status, err := reader.ReadString('\n')
	require.NoError(t, err)
	assert.Contains(t, status, "101")
	fmt.Fprint(conn, "ahoy\n")
	all, _ := io.ReadAll(reader)
	assert.True(t, bytes.HasSuffix(all, []byte("AHOY\n")), string(all))
}

func TestAnUpstreamThatFails(t *testing.T) {
	t.Parallel()
	upstream := office(t)
	s := relaying(t, upstream.URL+"/api")
	_, err := http.Get(s.traffic + "/office/broken")
	if err == nil { // then the fault shows while the body is read
		resp, err := http.Get(s.traffic + "/office/broken")
		require.NoError(t, err)
		_, err = io.ReadAll(resp.Body)
		require.Error(t, err)
		_ = resp.Body.Close()
	}
	call, err := s.api.Call(t.Context(), "c-1")
	require.NoError(t, err)
	assert.Contains(t, fmt.Sprint(call.Explanation.Steps), "the upstream broke off after 4 bytes of its answer")

	silent, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer silent.Close()
	go func() {
		for {
			conn, err := silent.Accept()
			if err != nil {
				return
			}
			// a close with the request unread would be a reset
			_, _ = http.ReadRequest(bufio.NewReader(conn))
			_ = conn.Close()
		}
	}()
	closed, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	require.NoError(t, closed.Close())
	secure := httptest.NewTLSServer(http.NotFoundHandler())
	defer secure.Close()
	for base, why := range map[string]string{
		"http://" + closed.Addr().String():                      "the connection was refused: nothing listens there",
		"http://" + silent.Addr().String():                      "it closed the connection without an answer",
		"http://no-such-host.invalid":                           "is not known here",
		secure.URL:                                              "certificate is from an authority that is not trusted here",
		strings.Replace(upstream.URL, "http://", "https://", 1): "it does not speak TLS",
	} {
		_, err := s.api.PatchService(t.Context(), "office", []byte(`{"upstream": "`+base+`"}`))
		require.NoError(t, err)
		resp, body := s.send("GET /office/x", "")
		assert.Equal(t, 502, resp.StatusCode, base)
		assert.Equal(t, "application/problem+json", resp.Header.Get("Content-Type"))
		assert.Contains(t, body, why, base)
	}
	for document, want := range map[string]string{
		`{"upstream": "office.example"}`:      "must be a base URL",
		`{"upstream": null}`:                  "nothing to relay to",
		`{"mode": "pass"}`:                    "mode must be answer or relay",
		`{"otherwise": ["upstream", "luck"]}`: "otherwise lists example, generated, upstream, miss, or an answer",
	} {
		_, err := s.api.PatchService(t.Context(), "office", []byte(document))
		assert.ErrorContains(t, err, want)
	}
}

// A service may draw data although its contract has examples; hints go past that.
func TestOtherwiseGenerated(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	_, err := s.api.PatchService(t.Context(), "moorings", []byte(`{"otherwise": ["generated"]}`))
	require.NoError(t, err)
	resp, body := s.send("GET /moorings/berths/N7", "")
	assert.Contains(t, body, `"number":"N7"`)
	call, err := s.api.Call(t.Context(), callID(resp))
	require.NoError(t, err)
	assert.Contains(t, call.Explanation.Sentence, "data generated from the schema")
	resp, _ = s.send("GET /moorings/berths/N7", "", `Rapid-Mimic: example="unknown"`)
	assert.Equal(t, 404, resp.StatusCode)
}

// Where nothing else answers, the upstream may; and nothing leaves a service that
// was told so.
func TestOtherwiseTheUpstream(t *testing.T) {
	t.Parallel()
	upstream := office(t)
	s := relaying(t, upstream.URL+"/api")
	_, err := s.api.PatchService(t.Context(), "office", []byte(`{"mode": "answer", "otherwise": ["upstream"]}`))
	require.NoError(t, err)
	_, err = s.api.PutMappings(t.Context(), "office", []byte("call: {path: /none}\nanswer: {text: mine}"))
	require.NoError(t, err)
	_, body := s.send("GET /office/none", "")
	assert.Equal(t, "mine", body)
	resp, body := s.send("POST /office/echo", "held and passed on")
	assert.Equal(t, "418held and passed on", fmt.Sprint(resp.StatusCode, body))
	call, err := s.api.Call(t.Context(), callID(resp))
	require.NoError(t, err)
	assert.Contains(t, call.Explanation.Sentence, "nothing else answers the call")

	alone := start(t, config.Config{NoUpstream: true})
	document := spec.NewService("office")
	document.Upstream, document.Mode = upstream.URL, spec.ModeRelay
	_, err = alone.api.PutService(t.Context(), "office", document, "")
	require.NoError(t, err)
	resp, body = alone.send("GET /office/echo", "")
	assert.Equal(t, 502, resp.StatusCode)
	assert.Contains(t, body, "--no-upstream")
}
