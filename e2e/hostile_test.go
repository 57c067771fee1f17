package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
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
)

// raw sends bytes to the traffic port and returns what comes back until the other
// side closes, or half a second long.
func (s *service) raw(text string) string {
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.traffic, "http://"))
	require.NoError(s.t, err)
	defer conn.Close()
	_, err = io.WriteString(conn, text)
	require.NoError(s.t, err)
	require.NoError(s.t, conn.(*net.TCPConn).CloseWrite())
	require.NoError(s.t, conn.SetReadDeadline(time.Now().Add(5*time.Second)))
	answer, _ := io.ReadAll(conn) // a reset is an end, too
	return string(answer)
}

// lastCall is the newest call of the log, whole. It waits for the one that send made: a
// call comes to the log after its answer has gone out.
func (s *service) lastCall() api.CallDetail {
	var newest string
	answered, _ := s.answered.Load().(string)
	require.Eventually(s.t, func() bool {
		list, err := s.api.Calls(s.t.Context(), client.CallQuery{Limit: 1})
		require.NoError(s.t, err)
		if len(list.Items) > 0 {
			newest = list.Items[0].ID
		}
		return newest != "" && (len(newest) > len(answered) || len(newest) == len(answered) && newest >= answered)
	}, 10*time.Second, 5*time.Millisecond)
	detail, err := s.api.Call(s.t.Context(), newest)
	require.NoError(s.t, err)
	return detail
}

// withMapping puts mappings into a service of their own.
func withMapping(t testing.TB, cfg config.Config, mappings string) *service {
	s := start(t, cfg)
	_, err := s.api.CreateService(t.Context(), spec.NewService("office"))
	require.NoError(t, err)
	_, err = s.api.PutMappings(t.Context(), "office", []byte(mappings))
	require.NoError(t, err)
	return s
}

// No number, however it is written, costs more than a look at it, whoever sends it.
func TestNumbersBeyondMeasure(t *testing.T) {
	t.Parallel()
	upstream := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprint(w, `{"total": 1e999999999, "berths": []}`)
	}))
	defer upstream.Close()
	s := startDemo(t)
	numbers := "[" + strings.Repeat("1e999999,", 5_000) + "-1e-999999999]"
	s.send("GET /moorings/berths?minLength=1e999999999", "")
	s.send("POST /moorings/berths/N7/bookings", numbers, "Content-Type: application/json")
	_, err := s.api.PutMappings(t.Context(), "moorings", []byte(`call: {path: /weigh, where: [{body: "$.load", above: 1e400}]}`+"\nanswer: {text: heavy}"))
	require.NoError(t, err)
	_, body := s.send("POST /moorings/weigh", `{"load": 1e1000001}`, "Content-Type: application/json")
	assert.Equal(t, "heavy", body)
	resp, _ := s.send("POST /moorings/weigh", `{"load": 1e399}`, "Content-Type: application/json")
	assert.Equal(t, 404, resp.StatusCode)
	_, err = s.api.PatchService(t.Context(), "moorings", []byte(fmt.Sprintf(`{"upstream": %q, "mode": "relay"}`, upstream.URL)))
	require.NoError(t, err)
	resp, _ = s.send("GET /moorings/berths", "")
	assert.Equal(t, 200, resp.StatusCode)
	call := s.lastCall()
	assert.Equal(t, "listBerths", call.Operation, "the log goes on, and checks")
	status, err := s.api.Status(t.Context())
	require.NoError(t, err)
	assert.Zero(t, status.CallsNotChecked)
	assert.Zero(t, status.CallsNotKept)
}

// Mappings that look into a body share what was read of it, and what takes too much is
// refused by name.
func TestWorkHasABudget(t *testing.T) {
	var mappings []string
	for i := range 100 {
		mappings = append(mappings, fmt.Sprintf(`{"id": "m%d", "call": {"method": "POST", "path": "/x", "if": "call.body.vessel.name == 'N%d'"}, "answer": {"text": "%d"}}`, i, i, i))
	}
	mappings = append(mappings, `{"id": "paths", "call": {"path": "/xml", "where": [{"xml": "//b[//b[//c]]"}]}, "answer": {"text": "x"}}`,
		`{"id": "doubled", "call": {"path": "/doubled", "if": "[1]`+strings.Repeat(".map(a, [a, a])", 30)+` == [1]"}, "answer": {"text": "x"}}`,
		`{"id": "grown", "call": {"path": "/grown"}, "answer": {"json": "${[1]`+strings.Repeat(".map(a, [a, a])", 30)+`}"}}`)
	s := withMapping(t, config.Config{}, "["+strings.Join(mappings, ",")+"]")
	pad := strings.Repeat(`{"a": "some berth or other"},`, 7_000)
	body := `{"vessel": {"name": "N99"}, "pad": [` + pad + `1]}`
	require.Greater(t, len(body), 200_000)
	_, answer := s.send("POST /office/x", body, "Content-Type: application/json")
	assert.Equal(t, "99", answer)
	assert.Less(t, s.lastCall().Timing.DecideMs, 2_000.0)

	for name, k := range map[string]struct {
		line, body string
		status     int
		detail     string
	}{
		"values":    {"POST /office/x", "[" + strings.Repeat("1,", 1_000_000) + "1]", 413, "more than 500000 values"},
		"elements":  {"POST /office/xml", "<a>" + strings.Repeat("<b/>", 600_000) + "</a>", 413, "more than 500000 values"},
		"steps":     {"POST /office/xml", "<a>" + strings.Repeat("<b/>", 5_000) + "</a>", 0, "than"},
		"condition": {"GET /office/doubled", "", 404, "more than 200000 parts"},
		"answer":    {"GET /office/grown", "", 500, "more than 200000 parts"},
		"text":      {"POST /office/xml", "<a>" + strings.Repeat("x&#65;", 300_000) + "</a>", 404, "no answer"},
	} {
		t.Run(name, func(t *testing.T) {
			resp, text := s.send(k.line, k.body)
			if k.status > 0 {
				assert.Equal(t, k.status, resp.StatusCode)
			} else {
				assert.Contains(t, []int{413, 503}, resp.StatusCode) // steps or time, whichever ends first
			}
			assert.Contains(t, text, k.detail)
		})
	}
	resp, _ := s.send("POST /office/x", `{"vessel": {"name": "N1"}}`)
	assert.Equal(t, 200, resp.StatusCode)
}

// A caller that leaves ends the work for its call.
func TestWhoLeavesStopsTheWork(t *testing.T) {
	t.Parallel()
	s := withMapping(t, config.Config{}, `{id: paths, call: {path: /xml, where: [{xml: "//b[//b[//c]]"}]}, answer: {text: x}}`)
	ctx, leave := context.WithTimeout(t.Context(), 100*time.Millisecond)
	defer leave()
	req, err := http.NewRequestWithContext(ctx, "POST", s.traffic+"/office/xml", strings.NewReader("<a>"+strings.Repeat("<b/>", 5_000)+"</a>"))
	require.NoError(t, err)
	_, err = (&http.Transport{DisableKeepAlives: true}).RoundTrip(req)
	require.ErrorIs(t, err, context.DeadlineExceeded)
	require.Eventually(t, func() bool {
		list, err := s.api.Calls(t.Context(), client.CallQuery{})
		return err == nil && len(list.Items) == 1
	}, 10*time.Second, 20*time.Millisecond)
	call := s.lastCall()
	assert.Equal(t, []any{499, "caller-left"}, []any{call.Status, call.By})
}

// What never becomes a call is logged with what is known of it.
func TestMalformedCallsAreLogged(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	_, err := s.api.PutMappings(t.Context(), "moorings", []byte(`{id: weigh, call: {path: /weigh, where: [{body: "$.load"}]}, answer: {text: heavy}}`))
	require.NoError(t, err)
	for _, k := range []struct {
		name, text string
		status     int
		method     string
		by, reason string
	}{
		{"no host", "GET /moorings/berths?password=s3cret HTTP/1.1\r\n\r\n", 400, "GET", "malformed", "missing required Host header"},
		{"a bad escape", "GET /moorings/%zz HTTP/1.1\r\nHost: a\r\n\r\n", 400, "GET", "malformed", "400 Bad Request"},
		{"a head without end", "PUT /moorings/x HTTP/1.1\r\nHost: a\r\nX: " + strings.Repeat("y", 400_000) + "\r\n\r\n", 431, "PUT", "malformed", "Request Header Fields Too Large"},
		{"an odd expectation", "POST /moorings/x HTTP/1.1\r\nHost: a\r\nExpect: miracles\r\nContent-Length: 1\r\n\r\nx", 417, "POST", "malformed", "Expectation Failed"},
		{"an odd coding", "POST /moorings/x HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: rot13\r\n\r\nx", 501, "POST", "malformed", "Unsupported transfer encoding"},
		{"an odd length", "POST /moorings/x HTTP/1.1\r\nHost: a\r\nContent-Length: -5\r\n\r\nx", 400, "POST", "malformed", "400 Bad Request"},
		{"no HTTP at all", "\x16\x03\x01 fog\r\n\r\n", 400, "?", "malformed", "400 Bad Request"},
		{"a tunnel", "CONNECT a.example:443 HTTP/1.1\r\nHost: a.example:443\r\n\r\n", 405, "CONNECT", "not-a-proxy", "proxy port"},
		{"the whole port", "OPTIONS * HTTP/1.1\r\nHost: a\r\n\r\n", 204, "OPTIONS", "options", "PATCH"},
		{"a body cut short", "POST /moorings/berths/N7/bookings HTTP/1.1\r\nHost: a\r\nContent-Length: 500\r\n\r\n{\"from\"", 400, "POST", "incomplete-body", "broke off after 7 bytes"},
		{"a bad chunk", "POST /moorings/berths/N7/bookings HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: chunked\r\n\r\nzz\r\n", 400, "POST", "incomplete-body", "broke off after 0 bytes"},
	} {
		t.Run(k.name, func(t *testing.T) {
			answer := s.raw(k.text)
			if k.status != 431 { // its connection may be reset before all was read
				assert.Contains(t, answer, fmt.Sprintf("HTTP/1.1 %d ", k.status))
			}
			require.Eventually(t, func() bool { return s.lastCall().Status == k.status && s.lastCall().Method == k.method }, 5*time.Second, 20*time.Millisecond)
			call := s.lastCall()
			assert.Equal(t, []string{"self", k.by}, []string{call.Source, call.By})
			assert.Contains(t, call.Explanation.Sentence, k.reason)
			assert.NotContains(t, call.Query, "s3cret")
		})
	}
}

// A body that breaks off is no reason to refuse a call whose answer does not depend on
// it; what was relayed of it is told.
func TestABodyThatBreaksOffAndDoesNotMatter(t *testing.T) {
	s := withMapping(t, config.Config{}, `{id: log, call: {path: /log}, answer: {text: noted}}`)
	answer := s.raw("POST /office/log HTTP/1.1\r\nHost: a\r\nContent-Length: 500\r\n\r\nhalf")
	assert.Contains(t, answer, "noted")
	require.Eventually(t, func() bool { return s.lastCall().Status == 200 }, 5*time.Second, 20*time.Millisecond)
	call := s.lastCall()
	assert.Contains(t, fmt.Sprint(call.Explanation.Steps), "broke off after 4 bytes")
	assert.Equal(t, []any{int64(500), true}, []any{call.Request.Size, call.Request.Truncated})
}

// Callers that take their time, or rest, hold nobody up for longer than they may.
func TestSlowCallersHaveTimeLimits(t *testing.T) {
	s := withMapping(t, config.Config{HeaderTimeout: 200 * time.Millisecond, BodyTimeout: 300 * time.Millisecond, IdleTimeout: 200 * time.Millisecond, MaxConnections: 8},
		`{id: read, call: {path: /read, where: [{body: "$.a", equals: 1}]}, answer: {text: x}}`)
	ended := func(text string) time.Duration {
		conn, err := net.Dial("tcp", strings.TrimPrefix(s.traffic, "http://"))
		require.NoError(t, err)
		defer conn.Close()
		_, err = io.WriteString(conn, text)
		require.NoError(t, err)
		begun := time.Now()
		require.NoError(t, conn.SetReadDeadline(begun.Add(20*time.Second)))
		_, err = io.Copy(io.Discard, conn)
		require.NoError(t, err, "we end it, not the test")
		return time.Since(begun)
	}
	assert.Less(t, ended("GET /office/read HTTP/1.1\r\nHo"), 5*time.Second)
	assert.Less(t, ended("POST /office/read HTTP/1.1\r\nHost: a\r\nContent-Length: 9\r\n\r\n{"), 5*time.Second)
	assert.Equal(t, "incomplete-body", s.lastCall().By)
	assert.Less(t, ended("GET /office/none HTTP/1.1\r\nHost: a\r\n\r\n"), 5*time.Second)
}

// Idle connections make way for new ones, and the control port is there all the while.
func TestIdleConnectionsMakeWay(t *testing.T) {
	s := withMapping(t, config.Config{MaxConnections: 8}, `{id: log, call: {path: /log}, answer: {text: noted}}`)
	var conns []net.Conn
	for range 8 {
		conn, err := net.Dial("tcp", strings.TrimPrefix(s.traffic, "http://"))
		require.NoError(t, err)
		defer conn.Close()
		_, err = io.WriteString(conn, "GET /office/log HTTP/1.1\r\nHost: a\r\n\r\n")
		require.NoError(t, err)
		head := make([]byte, 12)
		_, err = io.ReadFull(conn, head)
		require.NoError(t, err)
		conns = append(conns, conn)
	}
	for range 3 {
		_, body := s.send("GET /office/log", "")
		assert.Equal(t, "noted", body)
	}
	closed := 0
	for _, conn := range conns {
		require.NoError(t, conn.SetReadDeadline(time.Now().Add(100*time.Millisecond)))
		if _, err := io.Copy(io.Discard, conn); err == nil {
			closed++
		}
	}
	assert.Positive(t, closed, "one that was idle was closed")
	assert.Less(t, closed, 5, "no more than room was needed for")
	_, err := s.api.Status(t.Context())
	assert.NoError(t, err)
}

// Definitions that cannot be worked with are refused where they come in.
func TestDefinitionsThatExplode(t *testing.T) {
	s := withMapping(t, config.Config{MemoryLimit: 512 << 20}, `{id: log, call: {path: /log}, answer: {text: noted}}`)
	schemas := make([]string, 0, 31)
	for i := range 30 {
		schemas = append(schemas, fmt.Sprintf(`"A%d": {"allOf": [{"$ref": "#/components/schemas/A%d"}, {"$ref": "#/components/schemas/A%d"}]}`, i, i+1, i+1))
	}
	contract := func(schema string, more ...string) string {
		return `{"openapi": "3.1.0", "info": {"title": "x", "version": "1"}, "paths": {"/a": {"get": {"operationId": "a", "responses": {"200": {"description": "", "content": {"application/json": {"schema": ` +
			schema + `}}}}}}}, "components": {"schemas": {` + strings.Join(more, ",") + `}}}`
	}
	_, err := s.api.Import(t.Context(), client.Import{File: "a.json", Name: "doubling", Text: []byte(contract(`{"$ref": "#/components/schemas/A0"}`, append(schemas, `"A30": {"type": "object"}`)...))})
	assert.ErrorContains(t, err, "double until they are more than 100000")
	for name, k := range map[string]struct{ schema, warning string }{
		"items":    {`{"type": "array", "minItems": 1000000000, "items": {"type": "string"}}`, "minItems 1000000000 is more than is ever drawn"},
		"length":   {`{"type": "string", "minLength": 100000000}`, "minLength 100000000 is more than is ever drawn"},
		"required": {`{"$ref": "#/components/schemas/R"}`, ""},
	} {
		report, err := s.api.Import(t.Context(), client.Import{File: "a.json", Name: name, Text: []byte(contract(k.schema, `"R": {"type": "object", "required": ["r"], "properties": {"r": {"$ref": "#/components/schemas/R"}}}`))})
		require.NoError(t, err)
		if k.warning != "" {
			require.NotEmpty(t, report.Warnings)
			assert.Contains(t, report.Warnings[0].Detail, k.warning)
		}
		resp, text := s.send("GET /"+name+"/a", "")
		assert.Equal(t, 200, resp.StatusCode)
		assert.Less(t, len(text), 2<<20)
		assert.Contains(t, s.lastCall().Explanation.Sentence, "do not obey the schema")
	}
	for name, k := range map[string]struct{ mapping, want string }{
		"path":       {`{"call": {"path": "/x", "where": [{"body": "$` + strings.Repeat(".a", 5_000) + `"}]}, "answer": {"text": "x"}}`, "more than 4000 characters"},
		"sequence":   {`{"call": {"path": "/x"}, "sequence": [` + strings.Repeat(`{"text": "x"},`, 10_000) + `{"text": "x"}]}`, "a sequence has at most 10000 answers, not 10001"},
		"conditions": {`{"call": {"path": "/x", "where": [` + strings.Repeat(`{"query": "a"},`, 1_000) + `{"query": "a"}]}, "answer": {"text": "x"}}`, "a mapping has at most 1000 conditions, not 1001"},
		"upload":     {`[` + strings.Repeat(`{"call": {"path": "/x"}},`, 1_000_000) + `1]`, "uploads have 256 MB together"},
	} {
		_, err := s.api.PutMappings(t.Context(), "office", []byte(k.mapping))
		assert.ErrorContains(t, err, k.want, name)
	}
	_, body := s.send("GET /office/log", "")
	assert.Equal(t, "noted", body)
}

// Who demands no version is not refused for one: patches of many people at once all
// count.
func TestPatchesThatDemandNothingAllCount(t *testing.T) {
	t.Parallel()
	s := withMapping(t, config.Config{}, `{id: log, call: {path: /log}, answer: {text: noted}}`)
	labels := []string{"a", "b", "c", "d", "e", "f", "g", "h"}
	document, err := s.api.Mapping(t.Context(), "office", "log")
	require.NoError(t, err)
	var all sync.WaitGroup
	for _, label := range labels {
		all.Go(func() {
			for i := range 5 {
				patch, _ := json.Marshal(map[string]any{"title": fmt.Sprint("by ", label, i)})
				_, err := s.api.PatchMapping(t.Context(), "office", "log", patch, "")
				assert.NoError(t, err)
			}
		})
	}
	all.Wait()
	_, err = s.api.PatchMapping(t.Context(), "office", "log", []byte(`{"title": "late"}`), document.ETag)
	assert.ErrorContains(t, err, "was changed by somebody else")
	versions, err := s.api.MappingVersions(t.Context(), "office", "log")
	require.NoError(t, err)
	assert.Len(t, versions, 1+5*len(labels))
}
