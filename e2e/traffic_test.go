package e2e

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
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

func TestAContractAnswersAndTheLogSaysWhy(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	resp, body := s.send("GET /moorings/berths/N7", "", "Authorization: Bearer s3cret", "Cookie: session=s3cret")
	assert.Equal(t, 200, resp.StatusCode)
	assert.Equal(t, "application/json", resp.Header.Get("Content-Type"))
	assert.Contains(t, body, `"number":"N7"`)
	assert.Regexp(t, `^call=c-[0-9a-f]+, source=contract, by="getBerth, \\"free\\""$`, resp.Header.Get("Rapid-Mimic"))

	list, err := s.api.Calls(t.Context(), client.CallQuery{})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	detail, err := s.api.Call(t.Context(), list.Items[0].ID)
	require.NoError(t, err)
	assert.Equal(t, body, detail.Answer.Body)
	assert.Contains(t, detail.Explanation.Sentence, "operation getBerth")
	assert.Contains(t, detail.Curl, s.traffic+"/moorings/berths/N7")
	assert.NotContains(t, fmt.Sprintf("%+v", detail), "s3cret")

	require.NoError(t, s.api.ClearCalls(t.Context()))
	s.stop()
	for _, file := range []string{"environment.db", "environment.db-wal"} {
		if raw, err := os.ReadFile(filepath.Join(s.data, file)); err == nil {
			assert.NotContains(t, string(raw), "s3cret", "secrets never reach the disk")
		}
	}
}

func TestDeviationsStandOnTheCall(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.send("GET /moorings/berths/N7", "")
	s.send("POST /moorings/berths/N7/bookings", `{"vessel": {"name": "Tern"}, "from": "soon"}`, "Content-Type: application/json")
	list, err := s.api.Calls(t.Context(), client.CallQuery{Text: "deviates"})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	assert.Equal(t, 3, list.Items[0].Deviations)
	detail, err := s.api.Call(t.Context(), list.Items[0].ID)
	require.NoError(t, err)
	assert.Len(t, detail.DeviationList, 3)
	assert.Contains(t, detail.DeviationList, api.Deviation{Side: "request", Where: "body /from", Detail: "'soon' is not a valid date"})
	out, code := runBinary(t, "calls", "show", detail.ID, "--url", s.control)
	assert.Zero(t, code)
	assert.Contains(t, out, "breaks the contract\n")
	assert.Contains(t, out, "request, body /vessel: missing properties")
}

func TestAMappingIsLiveOnTheNextCallAndSurvivesRestart(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	put := func(status int) {
		_, err := s.api.PutMappings(t.Context(), "moorings", fmt.Appendf(nil,
			"id: own\ncall: {method: GET, path: '/berths/{number}'}\nanswer: {status: %d, headers: [{X-Port: Skerry}, {X-Port: Sound}], text: 'grüß <dich>'}", status))
		require.NoError(t, err)
		resp, body := s.send("GET /moorings/berths/N7", "")
		assert.Equal(t, status, resp.StatusCode)
		assert.Equal(t, []string{"Skerry", "Sound"}, resp.Header.Values("X-Port"))
		assert.Equal(t, "grüß <dich>", body)
	}
	put(503)
	put(299)
	before, err := s.api.Calls(t.Context(), client.CallQuery{})
	require.NoError(t, err)
	s.stop()

	s = start(t, config.Config{Data: s.data})
	resp, _ := s.send("GET /moorings/berths/N7", "")
	assert.Equal(t, 299, resp.StatusCode)
	after, err := s.api.Calls(t.Context(), client.CallQuery{})
	require.NoError(t, err)
	require.Len(t, after.Items, len(before.Items)+1)
	assert.Equal(t, before.Items, after.Items[1:])
	detail, err := s.api.Call(t.Context(), before.Items[0].ID)
	require.NoError(t, err)
	assert.Equal(t, "grüß <dich>", detail.Answer.Body)

	require.NoError(t, s.api.RemoveMapping(t.Context(), "moorings", "own"))
	resp, _ = s.send("GET /moorings/berths/N7", "")
	assert.Contains(t, resp.Header.Get("Rapid-Mimic"), "source=contract")
}

func TestBodiesOverTheLimits(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{BodyLimit: 1000, MaxBody: 5000})
	_, err := s.api.PutService(t.Context(), "seeded", spec.Service{Name: "seeded", Reveal: true, Seed: new(int64)}, "")
	require.NoError(t, err)
	_, err = s.api.PutService(t.Context(), "plain", spec.Service{Name: "plain", Reveal: true}, "")
	require.NoError(t, err)
	_, err = s.api.PutMappings(t.Context(), "plain", []byte(`{"call": {"path": "/long"}, "answer": {"text": "`+strings.Repeat("é", 900)+`"}}`))
	require.NoError(t, err)

	resp, _ := s.send("POST /seeded/x", strings.Repeat("a", 5001))
	assert.Equal(t, 413, resp.StatusCode, "its answer depends on the body")
	resp, _ = s.send("POST /seeded/x", strings.Repeat("a", 5000))
	assert.Equal(t, 404, resp.StatusCode)
	resp, body := s.send("POST /plain/long", strings.Repeat("a", 70_000))
	assert.Equal(t, 200, resp.StatusCode, "nothing looks at this body, so it may be of any length")
	assert.Len(t, body, 1800)

	list, err := s.api.Calls(t.Context(), client.CallQuery{})
	require.NoError(t, err)
	detail, err := s.api.Call(t.Context(), list.Items[0].ID)
	require.NoError(t, err)
	assert.Equal(t, int64(70_000), detail.Request.Size)
	assert.True(t, detail.Request.Truncated)
	assert.Len(t, detail.Request.Body, 1000)
	assert.Equal(t, int64(1800), detail.Answer.Size)
	assert.True(t, detail.Answer.Truncated)
	assert.Equal(t, "text", detail.Answer.Encoding, "a letter that was cut in two does not make it binary")
	refused, err := s.api.Call(t.Context(), list.Items[2].ID)
	require.NoError(t, err)
	assert.Equal(t, "self", refused.Source)
	assert.Contains(t, refused.Explanation.Sentence, "bodies over 5000 bytes are not held")
}

func TestLengthsAndMethodsOnTheWire(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	resp, body := s.send("HEAD /moorings/berths", "")
	assert.Empty(t, body)
	assert.Greater(t, resp.ContentLength, int64(100), "HEAD tells the length of what GET would send")
	resp, _ = s.send("DELETE /moorings/bookings/B-2041", "")
	assert.Equal(t, 204, resp.StatusCode)
	assert.Empty(t, resp.Header.Get("Content-Length"))
	assert.Empty(t, resp.Header.Get("Content-Type"))
	resp, _ = s.send("OPTIONS /moorings/dues", "", "Origin: http://office.example", "Access-Control-Request-Method: GET", "Access-Control-Request-Headers: x-a")
	assert.Equal(t, "x-a", resp.Header.Get("Access-Control-Allow-Headers"))
	resp, body = s.send("GET /", "")
	assert.Equal(t, 200, resp.StatusCode)
	assert.Contains(t, body, "/moorings")
	assert.Contains(t, body, s.control)
}

func TestEveryCallUnderLoadIsKept(t *testing.T) {
	s := startDemo(t)
	const callers, each = 16, 150
	var all sync.WaitGroup
	for range callers {
		all.Go(func() {
			office := &http.Client{Transport: &http.Transport{}}
			defer office.CloseIdleConnections()
			for range each {
				resp, err := office.Get(s.traffic + "/moorings/dues")
				if assert.NoError(t, err) {
					_, _ = io.Copy(io.Discard, resp.Body)
					_ = resp.Body.Close()
				}
			}
		})
	}
	all.Wait()
	status, err := s.api.Status(t.Context())
	require.NoError(t, err)
	assert.Zero(t, status.CallsNotKept)
	assert.Equal(t, callers*each, status.LastMinute["contract"])
	seen := map[string]bool{}
	for query := (client.CallQuery{Limit: 999}); ; {
		list, err := s.api.Calls(t.Context(), query)
		require.NoError(t, err)
		for _, call := range list.Items {
			seen[call.ID] = true
		}
		if query.After = list.Next; list.Next == "" {
			break
		}
	}
	assert.Len(t, seen, callers*each)
	metrics, err := http.Get(s.control + "/metrics")
	require.NoError(t, err)
	defer metrics.Body.Close()
	text, err := io.ReadAll(metrics.Body)
	require.NoError(t, err)
	assert.Contains(t, string(text), fmt.Sprintf(`rapidmimic_calls_total{service="moorings",source="contract"} %d`, callers*each))
}

func TestStoppingFinishesCallsInFlight(t *testing.T) {
	s := startDemo(t)
	stream, err := s.api.Follow(t.Context(), client.CallQuery{}, "")
	require.NoError(t, err)
	defer stream.Close()
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.traffic, "http://"))
	require.NoError(t, err)
	defer conn.Close()
	_, err = io.WriteString(conn, "POST /moorings/berths/N7/bookings HTTP/1.1\r\nHost: x\r\nContent-Length: 4\r\nExpect: 100-continue\r\n\r\n")
	require.NoError(t, err)
	reader := bufio.NewReader(conn)
	line, err := reader.ReadString('\n') // the body is being read: the call is in flight
	require.NoError(t, err)
	require.Contains(t, line, "100 Continue")
	go func() {
		time.Sleep(300 * time.Millisecond) // well after the stop was asked for
		_, _ = io.WriteString(conn, "half")
	}()
	began := time.Now()
	s.stop()
	assert.Less(t, time.Since(began), 5*time.Second)
	var answer bytes.Buffer
	_, _ = io.Copy(&answer, reader)
	assert.Contains(t, answer.String(), "201 Created")
	for err == nil {
		_, err = stream.Next()
	}
	assert.ErrorIs(t, err, io.EOF, "streams end as well")

	s = start(t, config.Config{Data: s.data})
	list, err := s.api.Calls(t.Context(), client.CallQuery{Text: "POST bookBerth"})
	require.NoError(t, err)
	assert.Len(t, list.Items, 1, "and the call is in the log")
}

func TestTheStreamResumes(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	next := func(stream *client.Stream) (paths []string, gap bool) {
		batch, err := stream.Next()
		require.NoError(t, err)
		for _, call := range batch.Calls {
			paths = append(paths, call.Path)
		}
		return paths, batch.Gap
	}
	stream, err := s.api.Follow(t.Context(), client.CallQuery{Text: "moorings"}, "")
	require.NoError(t, err)
	inBodies, err := s.api.Follow(t.Context(), client.CallQuery{Text: "body:inner-quay"}, "")
	require.NoError(t, err)
	s.send("GET /tides/stations", "")
	s.send("GET /moorings/dues", "")
	paths, _ := next(stream)
	assert.Equal(t, []string{"/dues"}, paths, "the filter holds for the stream too")
	paths, _ = next(inBodies)
	assert.Equal(t, []string{"/stations"}, paths, "also where it looks into bodies")
	require.NoError(t, inBodies.Close())
	require.NoError(t, stream.Close())
	s.send("GET /moorings/berths", "")
	stream, err = s.api.Follow(t.Context(), client.CallQuery{Text: "moorings"}, stream.LastEventID)
	require.NoError(t, err)
	paths, gap := next(stream)
	assert.Equal(t, []string{"/berths"}, paths, "what came in between is not lost")
	assert.False(t, gap)
	require.NoError(t, stream.Close())

	require.NoError(t, s.api.ClearCalls(t.Context()))
	s.send("GET /moorings/dues", "")
	listed, err := s.api.Calls(t.Context(), client.CallQuery{}) // which waits until it is kept
	require.NoError(t, err)
	stream, err = s.api.Follow(t.Context(), client.CallQuery{Text: "moorings"}, stream.LastEventID)
	require.NoError(t, err)
	batch, err := stream.Next()
	require.NoError(t, err)
	assert.True(t, batch.Cleared, "who was away learns that the log was cleared")
	assert.Equal(t, listed.Items, batch.Calls)
	require.NoError(t, stream.Close())
	last := stream.LastEventID
	s.stop()

	s = start(t, config.Config{Data: s.data})
	stream, err = s.api.Follow(t.Context(), client.CallQuery{}, last)
	require.NoError(t, err)
	defer stream.Close()
	_, gap = next(stream)
	assert.True(t, gap, "an id of another run is told as a gap")
	_, err = s.api.Follow(t.Context(), client.CallQuery{}, "nonsense")
	var p *problem.Error
	require.ErrorAs(t, err, &p)
	assert.Equal(t, problem.Invalid, p.Code)
}

func TestTenThousandMappingsInOneDocument(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	var doc strings.Builder
	for i := range 10_000 {
		fmt.Fprintf(&doc, "- id: m%d\n  call: {method: GET, path: /quay/%d}\n  answer: {json: {n: %d}}\n", i, i, i)
	}
	report, err := s.api.PutMappings(t.Context(), "moorings", []byte(doc.String()))
	require.NoError(t, err)
	assert.Equal(t, 10_000, report.Created)
	_, body := s.send("GET /moorings/quay/9999", "")
	assert.Equal(t, `{"n":9999}`, body)
	mappings, err := s.api.Mappings(t.Context(), "moorings")
	require.NoError(t, err)
	assert.Len(t, mappings, 10_002)
}

func TestEveryMediaTypeOfAContract(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{})
	_, err := s.api.Import(t.Context(), client.Import{Name: "tugs", Text: []byte(`
openapi: 3.1.0
paths:
  /tug:
    get:
      responses:
        "200":
          description: ok
          headers: {X-Left: {required: true, schema: {type: integer, minimum: 3, maximum: 5}}}
          content:
            application/json: {schema: {$ref: "#/components/schemas/Tug"}}
            application/xml: {schema: {$ref: "#/components/schemas/Tug"}}
            text/plain: {schema: {type: string, enum: [pulling]}}
    put:
      deprecated: true
      requestBody: {content: {application/xml: {schema: {$ref: "#/components/schemas/Tug"}}}}
      responses: {"200": {description: ok, content: {application/xml: {schema: {$ref: "#/components/schemas/Tug"}}}}}
components:
  schemas:
    Tug: {type: object, xml: {name: tug}, required: [name, pull], properties: {name: {type: string, xml: {attribute: true}}, pull: {type: integer, minimum: 1}}}
`)})
	require.NoError(t, err)
	for accept, want := range map[string]string{
		"application/json": `^\{"name":"[^"]+","pull":\d+\}$`,
		"application/xml":  `^<\?xml version="1.0" encoding="UTF-8"\?>\n<tug name="[^"]+"><pull>\d+</pull></tug>\n$`,
		"text/*":           `^pulling$`,
	} {
		resp, body := s.send("GET /tugs/tug", "", "Accept: "+accept)
		assert.Regexp(t, want, body)
		assert.Regexp(t, `^[3-5]$`, resp.Header.Get("X-Left"))
	}
	_, body := s.send("PUT /tugs/tug", `<tug name="Quiet Heron"><pull>40</pull></tug>`, "Content-Type: application/xml")
	assert.Contains(t, body, `<tug name="Quiet Heron"><pull>40</pull></tug>`, "echoed from XML into XML")
	s.send("PUT /tugs/tug", `<tug name="Quiet Heron"><pull>none</pull></tug>`, "Content-Type: application/xml")
	resp, _ := s.send("OPTIONS /tugs/tug", "")
	assert.Equal(t, 204, resp.StatusCode)
	assert.Equal(t, "GET, HEAD, PUT, OPTIONS", resp.Header.Get("Allow"))

	list, err := s.api.Calls(t.Context(), client.CallQuery{Text: "operation:put-tug deviates"})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	detail, err := s.api.Call(t.Context(), list.Items[0].ID)
	require.NoError(t, err)
	assert.Equal(t, "body /pull", detail.DeviationList[0].Where)
	assert.Contains(t, fmt.Sprint(detail.Explanation.Steps), "deprecated")
	operations, err := s.api.Operations(t.Context(), "tugs")
	require.NoError(t, err)
	assert.True(t, operations[1].Deprecated)
	assert.Equal(t, [2]int64{2, 1}, [2]int64{operations[1].Calls.Total, operations[1].Calls.Deviating})
}

func TestTestCallsAreCallsLikeAnyOther(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	operations, err := s.api.Operations(t.Context(), "moorings")
	require.NoError(t, err)
	for _, op := range operations {
		detail, err := s.api.Operation(t.Context(), "moorings", op.ID)
		require.NoError(t, err)
		result, err := s.api.TestCall(t.Context(), "moorings", detail.Try)
		require.NoError(t, err)
		assert.Equal(t, op.Status, result.Status, op.ID)
		call, err := s.api.Call(t.Context(), result.Call)
		require.NoError(t, err)
		assert.Empty(t, call.DeviationList, "%s: what is proposed obeys the contract", op.ID)
		assert.Equal(t, op.ID, call.Operation)
	}
	result, err := s.api.TestCall(t.Context(), "moorings", api.TestCall{Method: "GET", Path: "/bertsh/N7"})
	require.NoError(t, err)
	assert.Equal(t, 404, result.Status)
	for _, bad := range []api.TestCall{{Method: "GET", Path: "berths"}, {Method: "NO GOOD", Path: "/"}} {
		_, err := s.api.TestCall(t.Context(), "moorings", bad)
		assert.ErrorContains(t, err, "the test call was not sent")
	}
}

func TestImportsFromAddressesNeedLeave(t *testing.T) {
	t.Parallel()
	files := http.FileServer(http.Dir("../demo/data"))
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	server := &http.Server{Handler: files}
	go func() { _ = server.Serve(listener) }()
	defer server.Close()
	address := "http://" + listener.Addr().String() + "/tides.yaml"

	for name, c := range map[string]struct {
		cfg  config.Config
		want string
	}{
		"no leave":       {config.Config{}, "imports by URL are switched off"},
		"not to here":    {config.Config{ImportURLs: true}, "of this machine or of a private network"},
		"leave for both": {config.Config{ImportURLs: true, ImportPrivate: true}, ""},
	} {
		s := start(t, c.cfg)
		report, err := s.api.Import(t.Context(), client.Import{From: address})
		if c.want != "" {
			assert.ErrorContains(t, err, c.want, name)
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, "tides", report.Service)
	}
}

func TestTheStreamTellsWhatChangesMeanwhile(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	follow := func(service, last string) *client.Stream {
		stream, err := s.api.Follow(t.Context(), client.CallQuery{Service: service}, last)
		require.NoError(t, err)
		return stream
	}
	next := func(stream *client.Stream) (told []string) {
		batch, err := stream.Next()
		require.NoError(t, err)
		for _, e := range batch.Entries {
			told = append(told, e.Lines...)
		}
		for _, call := range batch.Calls {
			told = append(told, call.Method+" "+call.Path)
		}
		return told
	}
	impair := func(service string) {
		_, err := s.api.SetImpairment(t.Context(), spec.Target{Service: service}, []byte(`errors: { rate: 100% }`))
		require.NoError(t, err)
	}
	all, tides := follow("", ""), follow("tides", "")
	defer all.Close()
	defer tides.Close()
	impair("moorings")
	assert.Equal(t, []string{"made moorings slow or failing: errors 100%"}, next(all), "at once, without a call")
	s.send("GET /tides/stations", "")
	assert.Equal(t, []string{"GET /stations"}, next(all))
	assert.Equal(t, []string{"GET /stations"}, next(tides), "what another service does is not told")
	_, err := s.api.SwitchImpairments(t.Context(), true)
	require.NoError(t, err)
	assert.Equal(t, []string{"switched all impairments off"}, next(tides), "what the environment does is")
	require.NoError(t, tides.Close())

	impair("tides")
	tides = follow("tides", tides.LastEventID)
	assert.Equal(t, []string{"made tides slow or failing: errors 100%"}, next(tides), "nor is what came in between lost")
	require.NoError(t, tides.Close())
	impair("moorings")
	last := tides.LastEventID
	s.stop()
	s = start(t, config.Config{Data: s.data})
	tides = follow("", last)
	assert.Empty(t, next(tides), "the gap")
	assert.Equal(t, []string{"made moorings slow or failing: errors 100%"}, next(tides), "entries outlive a run")
}

func TestCallsComeBesideAnyNumberOfChanges(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	stream, err := s.api.Follow(t.Context(), client.CallQuery{}, "")
	require.NoError(t, err)
	defer stream.Close()
	ctx, stop := context.WithCancel(t.Context())
	var editing sync.WaitGroup
	editing.Go(func() {
		for off := true; ctx.Err() == nil; off = !off {
			_, _ = s.api.SwitchImpairments(ctx, off) // the last one is cut off
		}
	})
	defer editing.Wait()
	defer stop()
	_, err = stream.Next()
	require.NoError(t, err)
	s.send("GET /tides/stations", "")
	changes := 0
	for range 10 {
		batch, err := stream.Next()
		require.NoError(t, err)
		changes += len(batch.Entries)
		if len(batch.Calls) > 0 {
			assert.Positive(t, changes)
			return
		}
	}
	assert.Fail(t, "the call waits for the changes to end")
}
