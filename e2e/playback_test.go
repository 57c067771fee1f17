package e2e

import (
	"bufio"
	"bytes"
	"compress/flate"
	"compress/gzip"
	"compress/zlib"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/andybalholm/brotli"
	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// wireServer answers with raw bytes, as no library would write them: by method and
// path, in parts with pauses between them.
func wireServer(t *testing.T, answers map[string][]string) (address string) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = listener.Close() })
	go func() {
		for {
			conn, err := listener.Accept()
			if err != nil {
				return
			}
			go func() {
				defer conn.Close()
				in := bufio.NewReader(conn)
				for {
					r, err := http.ReadRequest(in)
					if err != nil {
						return
					}
					_, _ = io.Copy(io.Discard, r.Body)
					parts := answers[r.Method+" "+r.RequestURI]
					for i, part := range parts {
						if i > 0 {
							time.Sleep(60 * time.Millisecond)
						}
						_, _ = io.WriteString(conn, part)
					}
					if parts == nil {
						_, _ = io.WriteString(conn, "HTTP/1.1 404 Not Found\r\nContent-Length: 0\r\n\r\n")
					}
				}
			}()
		}
	}()
	return listener.Addr().String()
}

// wired is an answer as its bytes came: its head by lines, its body without chunks.
type wired struct {
	status   string
	header   []string
	body     string
	trailers []string
	times    []time.Duration // when each read of the body came
}

// wire makes a call byte by byte and reads what comes.
func wire(t *testing.T, address, method, path string, lines ...string) (w wired) {
	conn, err := net.Dial("tcp", address)
	require.NoError(t, err)
	defer conn.Close()
	require.NoError(t, conn.SetDeadline(time.Now().Add(20*time.Second)))
	_, err = fmt.Fprintf(conn, "%s %s HTTP/1.1\r\nHost: office.example\r\n%s\r\n", method, path, strings.Join(append(lines, ""), "\r\n"))
	require.NoError(t, err)
	in := bufio.NewReader(conn)
	line := func() string {
		text, err := in.ReadString('\n')
		require.NoError(t, err)
		return strings.TrimRight(text, "\r\n")
	}
	for {
		w.status, w.header = line(), nil
		for text := line(); text != ""; text = line() {
			w.header = append(w.header, text)
		}
		if !strings.HasPrefix(w.status, "HTTP/1.1 1") { // early hints go before
			break
		}
	}
	head, err := http.ReadResponse(bufio.NewReader(strings.NewReader(w.status+"\r\n"+strings.Join(w.header, "\r\n")+"\r\n\r\n")), nil)
	require.NoError(t, err)
	var body bytes.Buffer
	copied := func(from io.Reader) {
		buffer, begun := make([]byte, 32<<10), time.Now()
		for {
			n, err := from.Read(buffer)
			if n > 0 {
				body.Write(buffer[:n])
				w.times = append(w.times, time.Since(begun))
			}
			if err != nil {
				require.ErrorIs(t, err, io.EOF)
				return
			}
		}
	}
	switch {
	case method == "HEAD" || head.StatusCode == 204 || head.StatusCode == 304:
	case slices.Contains(head.TransferEncoding, "chunked"):
		copied(httputil.NewChunkedReader(in))
		for text := line(); text != ""; text = line() {
			w.trailers = append(w.trailers, text)
		}
	default:
		copied(io.LimitReader(in, head.ContentLength))
	}
	w.body = body.String()
	return w
}

// end is what an answer says, without what belongs to the connection, the moment or us:
// its length where there is a body to see.
func (w wired) end() (lines []string) {
	length := "no length"
	lines = append(lines, w.status)
	for _, line := range w.header {
		name, value, _ := strings.Cut(line, ": ")
		switch strings.ToLower(name) {
		case "date", "connection", "transfer-encoding", "rapid-mimic", "trailer", "x-request-id":
		case "content-length":
			if w.body == "" { // which line it is belongs to the connection
				length = value
			}
		case "cache-control":
			if value != "no-store" {
				lines = append(lines, line)
			}
		case "set-cookie": // whose values are secrets
			_, attributes, _ := strings.Cut(value, ";")
			cookie, _, _ := strings.Cut(value, "=")
			lines = append(lines, name+": "+cookie+";"+attributes)
		default:
			lines = append(lines, line)
		}
	}
	return append(append(lines, fmt.Sprintf("%q, %s", w.body, length)), w.trailers...)
}

// names are those of the header lines of end, as they are spelled and in their order.
func (w wired) names() (names []string) {
	lines := w.end()
	for _, line := range lines[1 : len(lines)-1-len(w.trailers)] {
		name, _, _ := strings.Cut(line, ": ")
		names = append(names, name)
	}
	return names
}

// whole is a raw answer with its length.
func whole(head, body string) []string {
	return []string{fmt.Sprintf("HTTP/1.1 200 OK\r\n%sContent-Length: %d\r\n\r\n%s", strings.ReplaceAll(head, "\n", "\r\n"), len(body), body)}
}

func codedBy(t *testing.T, open func(io.Writer) io.WriteCloser, text string) string {
	var b bytes.Buffer
	w := open(&b)
	_, err := io.WriteString(w, text)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	return b.String()
}

// What an upstream says by its very bytes is said again in playback, and after the
// environment was written to a folder and read by another one.
func TestPlaybackIsTrueToTheByte(t *testing.T) {
	t.Parallel()
	text := `{"a":1.10,"b":1e3,"a":2, "z" : [ ] , "price": "${amount}"}` + "\n"
	gz := func(w io.Writer) io.WriteCloser { return gzip.NewWriter(w) }
	large := `{"list":[` + strings.Repeat(`"tide", `, 20_000) + `0]}`
	chunked := func(pieces ...string) (parts []string) {
		for i, piece := range pieces {
			head := ""
			if i == 0 {
				head = "HTTP/1.1 200 OK\r\nContent-Type: text/event-stream\r\nTransfer-Encoding: chunked\r\n\r\n"
			}
			parts = append(parts, fmt.Sprintf("%s%x\r\n%s\r\n", head, len(piece), piece))
		}
		return append(parts, "0\r\n\r\n")
	}
	const jsonHead = "Content-Type: application/json\n"
	answers := map[string][]string{
		"GET /odd":         whole(jsonHead+"ETag: \"33a64df5\"\nx-lower: 1\nX-Twice: a\nVary: Accept\nX-Twice: b\n", text),
		"GET /compact":     whole(jsonHead, `{"a":1.50,"b":[]}`),
		"GET /latin":       whole("Content-Type: text/plain; charset=iso-8859-1\n", "f\xf8rste br\xf8nn"),
		"GET /wide":        whole("Content-Type: text/plain; charset=utf-16\n", "\xff\xfea\x00b\x00"),
		"GET /mark":        whole(jsonHead, "\ufeff{}"),
		"GET /gzip":        whole(jsonHead+"Content-Encoding: gzip\nETag: W/\"g\"\n", codedBy(t, gz, text)),
		"GET /br":          whole(jsonHead+"Content-Encoding: br\n", codedBy(t, func(w io.Writer) io.WriteCloser { return brotli.NewWriter(w) }, text)),
		"GET /zstd":        whole(jsonHead+"Content-Encoding: zstd\n", codedBy(t, func(w io.Writer) io.WriteCloser { z, _ := zstd.NewWriter(w); return z }, text)),
		"GET /deflate":     whole(jsonHead+"Content-Encoding: deflate\n", codedBy(t, func(w io.Writer) io.WriteCloser { return zlib.NewWriter(w) }, text)),
		"GET /bare":        whole(jsonHead+"Content-Encoding: deflate\n", codedBy(t, func(w io.Writer) io.WriteCloser { f, _ := flate.NewWriter(w, 6); return f }, text)),
		"GET /unknown":     whole("Content-Type: text/plain\nContent-Encoding: fog\n", "not ours"),
		"GET /empty-gzip":  whole(jsonHead+"Content-Encoding: gzip\n", ""),
		"GET /large-gzip":  whole(jsonHead+"Content-Encoding: gzip\n", codedBy(t, gz, large)),
		"GET /untyped":     whole("", "who knows"),
		"GET /empty":       whole("", ""),
		"HEAD /odd":        {fmt.Sprintf("HTTP/1.1 200 OK\r\nContent-Type: application/json\r\nContent-Length: %d\r\n\r\n", len(text))},
		"HEAD /unsaid":     {"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\n\r\n"},
		"GET /204":         {"HTTP/1.1 204 No Content\r\nX-Berth: N7\r\n\r\n"},
		"GET /teapot":      {"HTTP/1.1 418 I'm a teapot\r\nContent-Length: 1\r\n\r\nx"},
		"GET /redirect":    {"HTTP/1.1 307 Temporary Redirect\r\nLocation: /redirect\r\nContent-Length: 0\r\n\r\n"},
		"GET /cookies":     whole("Set-Cookie: pier=north; Path=/; HttpOnly; Max-Age=600\nSet-Cookie: a=b; Expires=Wed, 01 Jan 2031 00:00:00 GMT; SameSite=Lax\n", "{}"),
		"GET /long-header": whole("X-Long: "+strings.Repeat("fog ", 25_000)+"horn\n", "{}"),
		"GET /parts":       whole("Content-Type: multipart/mixed; boundary=x\n", "--x\r\nContent-Type: text/plain\r\n\r\na\r\n--x--\r\n"),
		"GET /hints":       {"HTTP/1.1 103 Early Hints\r\nLink: </a.css>; rel=preload\r\n\r\n" + whole(jsonHead, "{}")[0]},
		"GET /events":      chunked("data: 1\n\n", "data: 2\n\n", "data: 3\n\n"),
		"GET /trailers":    {"HTTP/1.1 200 OK\r\nContent-Type: text/plain\r\nTrailer: X-Sum\r\nTransfer-Encoding: chunked\r\n\r\n3\r\nebb\r\n0\r\nX-Sum: 42\r\n\r\n"},
		"GET /ranged":      {"HTTP/1.1 206 Partial Content\r\nContent-Type: text/plain\r\nContent-Range: bytes 0-2/9\r\nContent-Length: 3\r\n\r\nebb"},
	}
	var asks []string
	for ask := range answers {
		asks = append(asks, ask)
	}
	slices.Sort(asks)
	call := func(s *service, base, ask string, lines ...string) wired {
		method, path, _ := strings.Cut(ask, " ")
		if path == "/ranged" {
			lines = append(lines, "Range: bytes=0-2")
		}
		return wire(t, strings.TrimPrefix(s.traffic, "http://"), method, base+path, append(lines, "Accept-Encoding: gzip, br, zstd, deflate, fog")...)
	}
	s := start(t, config.Config{})
	upstream := wireServer(t, answers)
	document := spec.NewService("office")
	document.Upstream = "http://" + upstream
	_, err := s.api.CreateService(t.Context(), document)
	require.NoError(t, err)
	_, err = s.api.StartRecording(t.Context(), "office", api.RecordingStart{Name: "bytes", End: spec.RecordingEnd{Pace: "recorded"}})
	require.NoError(t, err)
	live := make(map[string]wired)
	for _, ask := range asks {
		live[ask] = call(s, "/office", ask)
		method, path, _ := strings.Cut(ask, " ")
		assert.Equal(t, wire(t, upstream, method, path).names(), live[ask].names(), "%s: order and spelling", ask)
	}
	report, err := s.api.StopRecording(t.Context(), "office", "bytes", api.RecordingStop{})
	require.NoError(t, err)
	assert.Empty(t, report.Skipped)
	assert.Len(t, report.Mappings, len(asks))
	equal := func(t *testing.T, s *service) {
		for _, ask := range asks {
			assert.Equal(t, live[ask].end(), call(s, "/office", ask).end(), ask)
		}
	}
	t.Run("played back", func(t *testing.T) { equal(t, s) })
	t.Run("in its time", func(t *testing.T) {
		events := call(s, "/office", "GET /events")
		require.Len(t, events.times, 3)
		took := events.times[2] - events.times[0]
		assert.Greater(t, took, 90*time.Millisecond, "of two pauses of 60 ms")
		assert.Less(t, took, 2*time.Second, "with all that a busy machine adds")
	})
	t.Run("for others", func(t *testing.T) {
		for _, ask := range []string{"GET /gzip", "GET /br", "GET /zstd", "GET /deflate", "GET /bare"} {
			plain := wire(t, strings.TrimPrefix(s.traffic, "http://"), "GET", "/office"+strings.TrimPrefix(ask, "GET "))
			assert.Equal(t, text, plain.body, ask)
			assert.NotContains(t, strings.Join(plain.header, "\n"), "Content-Encoding", ask)
		}
		same := call(s, "/office", "GET /odd", `If-None-Match: "x", "33a64df5"`)
		assert.Equal(t, []string{"HTTP/1.1 304 Not Modified", ""}, []string{same.status, same.body})
		other := call(s, "/office", "GET /odd", `If-None-Match: "x"`)
		assert.Equal(t, live["GET /odd"].end(), other.end())
	})
	t.Run("in another environment", func(t *testing.T) {
		folder := t.TempDir()
		s.run(t, "export", folder)
		s.stop()
		other := start(t, config.Config{NoUpstream: true})
		other.run(t, "apply", folder)
		equal(t, other)
		edited, err := other.api.Mapping(t.Context(), "office", "get-gzip")
		require.NoError(t, err)
		m := edited.Mapping
		short := `{"edited":true}`
		m.Answer.Text = &short
		_, err = other.api.PutMapping(t.Context(), "office", m, "")
		require.NoError(t, err)
		answer := call(other, "/office", "GET /gzip")
		assert.Equal(t, short, answer.body)
		assert.NotContains(t, strings.Join(answer.header, "\n"), "Content-Encoding")
		assert.NotContains(t, strings.Join(answer.header, "\n"), `W/"g"`, "the ETag follows the bytes")
		assert.Contains(t, strings.Join(answer.header, "\n"), `W/"`)
	})
}

// run runs the real command line against the service.
func (s *service) run(t *testing.T, arguments ...string) string {
	cmd := exec.Command(binary, arguments...)
	cmd.Env = append(os.Environ(), "RAPIDMIMIC_URL="+s.control)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	return string(out)
}

// door is an office that lets callers in by a password and knows them by a cookie.
func door(t *testing.T) *httptest.Server {
	visits := 0
	var mu sync.Mutex
	mux := http.NewServeMux()
	mux.HandleFunc("POST /login", func(w http.ResponseWriter, r *http.Request) {
		var asked struct{ User, Password string }
		_ = json.NewDecoder(r.Body).Decode(&asked)
		if asked.Password != "tide-"+asked.User+"-77" {
			http.Error(w, `{"error":"wrong password"}`, http.StatusUnauthorized)
			return
		}
		http.SetCookie(w, &http.Cookie{Name: "sid", Value: "session-of-" + asked.User + "-4711"})
		_, _ = io.WriteString(w, `{"token":"token-of-`+asked.User+`-0815"}`)
	})
	mux.HandleFunc("GET /me", func(w http.ResponseWriter, r *http.Request) {
		cookie, err := r.Cookie("sid")
		if err != nil {
			http.Error(w, "who are you?", http.StatusUnauthorized)
			return
		}
		_, _ = io.WriteString(w, "berths of "+strings.Split(cookie.Value, "-")[2])
	})
	mux.HandleFunc("GET /dues", func(w http.ResponseWriter, r *http.Request) {
		_, _ = io.WriteString(w, "dues for "+r.Header.Get("Authorization")[len("Bearer token-of-"):])
	})
	mux.HandleFunc("GET /visits", func(w http.ResponseWriter, _ *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		visits++
		_, _ = fmt.Fprint(w, visits)
	})
	server := httptest.NewServer(mux)
	t.Cleanup(server.Close)
	return server
}

// record captures what calls do.
func (s *service) record(name string, calls func(), how ...spec.RecordingEnd) api.RecordingReport {
	_, err := s.api.StartRecording(s.t.Context(), "office", api.RecordingStart{Name: name})
	require.NoError(s.t, err)
	calls()
	stop := api.RecordingStop{}
	if len(how) > 0 {
		stop.RecordingEnd = how[0]
	}
	report, err := s.api.StopRecording(s.t.Context(), "office", name, stop)
	require.NoError(s.t, err)
	return report
}

// Logins work in playback as they did: the right password gets in, a wrong one what a
// wrong one got, any other one nothing; and what is handed out leads to what was recorded
// with it. Two recordings of two people are both there.
func TestLoginsArePlayedBack(t *testing.T) {
	t.Parallel()
	upstream := door(t)
	s := start(t, config.Config{})
	document := spec.NewService("office")
	document.Upstream = upstream.URL
	_, err := s.api.CreateService(t.Context(), document)
	require.NoError(t, err)
	login := func(user, password string) (status int, cookie, token string) {
		resp, body := s.send("POST /office/login", `{"user":"`+user+`","password":"`+password+`"}`, jsonType)
		var answer struct{ Token string }
		_ = json.Unmarshal([]byte(body), &answer)
		cookie, _, _ = strings.Cut(resp.Header.Get("Set-Cookie"), ";")
		return resp.StatusCode, cookie, answer.Token
	}
	says := func(line string, headers ...string) string {
		resp, body := s.send(line, "", headers...)
		return fmt.Sprint(resp.StatusCode, " ", strings.TrimSpace(body))
	}
	visit := func(user string) func() {
		return func() {
			says("GET /office/me")
			login(user, "wrong-1234")
			_, cookie, token := login(user, "tide-"+user+"-77")
			says("GET /office/me", "Cookie: "+cookie)
			says("GET /office/dues", "Authorization: Bearer "+token)
			says("GET /office/me", "Cookie: "+cookie)
		}
	}
	s.record("ida", visit("ida"))
	second := s.record("olav", visit("olav"))
	outcomes := make(map[string]string)
	for _, m := range second.Mappings {
		outcomes[m.Mapping.ID] = m.Outcome
	}
	assert.Equal(t, map[string]string{
		"get-me-without-sid": "unchanged", "post-login-3": "created", "post-login-4": "created", "get-me-2": "created", "get-dues": "narrowed", "get-dues-2": "created",
	}, outcomes)
	upstream.Close()
	check := func(t *testing.T) {
		for _, user := range []string{"olav", "ida"} {
			assert.Equal(t, "401 who are you?", says("GET /office/me"))
			status, cookie, token := login(user, "tide-"+user+"-77")
			assert.Equal(t, 200, status)
			assert.NotContains(t, cookie+token, user, "what is handed out betrays nothing")
			for range 3 {
				assert.Equal(t, "200 berths of "+user, says("GET /office/me", "Cookie: "+cookie), "the session that was handed out")
			}
			assert.Equal(t, "200 dues for "+user+"-0815", says("GET /office/dues", "Authorization: Bearer "+token))
			assert.Equal(t, "200 berths of "+user, says("GET /office/me", "Cookie: sid=session-of-"+user+"-4711"), "the live one")
			status, _, _ = login(user, "wrong-1234")
			assert.Equal(t, 401, status)
			status, _, _ = login(user, "another-5678")
			assert.Equal(t, 404, status)
		}
		resp, body := s.send("GET /office/me", "", "Cookie: sid=session-of-nobody-1")
		assert.Equal(t, 404, resp.StatusCode)
		assert.Contains(t, body, "cookie sid is a secret that was not recorded")
		assert.NotContains(t, body, "session-of-nobody-1")
	}
	check(t)
	require.NoError(t, s.api.RemoveRecording(t.Context(), "office", "ida"))
	t.Run("after a recording was removed", check)
	folder := t.TempDir()
	s.run(t, "export", folder)
	key, err := os.ReadFile(filepath.Join(s.data, "digest.key"))
	require.NoError(t, err)
	s.stop()
	s = start(t, config.Config{NoUpstream: true, DigestKey: string(key)})
	s.run(t, "apply", folder)
	t.Run("in another environment with the key", check)
	s.stop()
	s = start(t, config.Config{NoUpstream: true})
	s.run(t, "apply", folder)
	status, _, _ := login("ida", "tide-ida-77")
	assert.Equal(t, 404, status, "without the key nothing is known again")
}

// Whatever was asked of a server, in whatever order: each ask gets in playback what it
// got, at its turn where that changed; what was never asked gets a miss.
func TestPlaybackOfAnything(t *testing.T) {
	t.Parallel()
	turns := make(map[string]int)
	var mu sync.Mutex
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		body, _ := io.ReadAll(r.Body)
		query := r.URL.Query()
		query.Del("_") // which says nothing
		ask := r.Method + r.URL.Path + query.Encode() + string(body)
		turns[ask]++
		turn := 0
		if strings.HasPrefix(r.URL.Path, "/turns") {
			turn = turns[ask]
		}
		w.Header().Set("Content-Type", "application/json")
		_, _ = fmt.Fprintf(w, "{\"asked\": %q, \"turn\":%d}\n", ask, turn)
	}))
	defer server.Close()
	s := start(t, config.Config{})
	for seed := range uint64(6) {
		chance := rand.New(rand.NewPCG(seed, 18))
		some := func(texts ...string) string { return texts[chance.IntN(len(texts))] }
		draw := func() (line, body string) {
			query := some("", "", "a=1", "a=2", "a=1&b=1", "b=1&a=1", "a=1&a=1", "c=", "d=%20")
			if body = some("", "", `{"n":1}`, `{"n":2}`, `{"n":1,"m":[1]}`, `[]`, "plain text", "<a><b>1</b></a>", "<a><b>1</b><b>1</b></a>"); body != "" {
				return some("POST", "PUT") + " /" + some("things", "things/1", "turns") + "?" + query, body
			}
			return some("GET", "POST", "DELETE") + " /" + some("things", "things/1", "turns", "turns/2") + "?" + query, ""
		}
		key := func(line, body string) string { // two spellings of one ask are one
			target, query, _ := strings.Cut(line, "?")
			values, _ := url.ParseQuery(query)
			return target + " " + values.Encode() + " " + body
		}
		name := fmt.Sprint("office-", seed)
		document := spec.NewService(name)
		document.Upstream, document.CORS = server.URL, false
		_, err := s.api.CreateService(t.Context(), document)
		require.NoError(t, err)
		ask := func(line, body string) string {
			resp, answer := s.send(strings.Replace(line, " ", " /"+name, 1), body)
			if resp.StatusCode == 404 {
				return "miss"
			}
			return answer
		}
		got := make(map[string][]string)
		lines := make(map[string][2]string)
		for _, recording := range []string{"one", "two"} {
			_, err := s.api.StartRecording(t.Context(), name, api.RecordingStart{Name: recording, End: spec.RecordingEnd{Existing: "follow"}})
			require.NoError(t, err)
			for range 25 {
				line, body := draw()
				if answer := ask(strings.Replace(line, "?", some("?", "?_=7&"), 1), body); answer != "miss" {
					k := key(line, body)
					got[k], lines[k] = append(got[k], answer), [2]string{line, body}
				}
			}
			_, err = s.api.StopRecording(t.Context(), name, recording, api.RecordingStop{})
			require.NoError(t, err)
		}
		asked := make(map[string]int)
		for range 150 {
			line, body := draw()
			k := key(line, body)
			answers := got[k]
			want := "miss"
			if answers != nil {
				want = answers[min(asked[k], len(answers)-1)]
				asked[k]++
			}
			assert.Equal(t, want, ask(line, body), "seed %d, %s %s, turn %d of %d", seed, line, body, asked[k], len(answers))
		}
	}
}

// A recording ends with its recorder, as if that had stopped it, unless it was told to go
// on.
func TestARecordingEndsWithItsRecorder(t *testing.T) {
	t.Parallel()
	upstream := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = io.WriteString(w, "ebb") }))
	defer upstream.Close()
	s := start(t, config.Config{})
	for _, name := range []string{"office", "annex"} {
		document := spec.NewService(name)
		document.Upstream = upstream.URL
		_, err := s.api.CreateService(t.Context(), document)
		require.NoError(t, err)
	}
	record := func(service string, flags ...string) *exec.Cmd {
		cmd := exec.Command(binary, append([]string{"--url", s.control, "record", service, "--name", "left"}, flags...)...)
		require.NoError(t, cmd.Start())
		require.Eventually(t, func() bool {
			found, err := s.api.Service(t.Context(), service)
			return err == nil && found.Recording != nil
		}, 10*time.Second, 20*time.Millisecond)
		return cmd
	}
	left, going := record("office"), record("annex", "--keep-running")
	_, body := s.send("GET /office/tide", "")
	assert.Equal(t, "ebb", body)
	require.Eventually(t, func() bool {
		status, err := s.api.Status(t.Context())
		return err == nil && slices.Contains(status.Recording, api.RunningRecording{Service: "office", Name: "left", Calls: 1})
	}, 5*time.Second, 20*time.Millisecond)
	for _, cmd := range []*exec.Cmd{left, going} {
		require.NoError(t, cmd.Process.Kill())
		_ = cmd.Wait() // it was killed
	}
	require.Eventually(t, func() bool {
		r, err := s.api.Recording(t.Context(), "office", "left")
		return err == nil && !r.Running
	}, 15*time.Second, 100*time.Millisecond)
	assert.Contains(t, s.run(t, "recording", "list", "office"), "kept, its recorder was gone")
	assert.Contains(t, s.log.String(), "its recorder was gone")
	upstream.Close()
	_, body = s.send("GET /office/tide", "")
	assert.Equal(t, "ebb", body, "it answers by itself")
	r, err := s.api.Recording(t.Context(), "annex", "left")
	require.NoError(t, err)
	assert.True(t, r.Running)
}
