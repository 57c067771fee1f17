package e2e

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"net"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// impair switches an impairment on: for a service, "SERVICE/operation/ID",
// "SERVICE/mapping/ID", or with "" for everything.
func (s *service) impair(target, document string) {
	s.t.Helper()
	parts := strings.Split(target+"//", "/")
	t := spec.Target{Service: parts[0]}
	switch parts[1] {
	case "operation":
		t.Operation = parts[2]
	case "mapping":
		t.Mapping = parts[2]
	}
	_, err := s.api.SetImpairment(s.t.Context(), t, []byte(document))
	require.NoError(s.t, err, document)
}

// statuses makes calls one after another and lists what they got.
func (s *service) statuses(line string, count int, headers ...string) (statuses []int) {
	for range count {
		resp, _ := s.send(line, "", headers...)
		statuses = append(statuses, resp.StatusCode)
	}
	return statuses
}

const (
	berth     = "GET /moorings/berths/N7"
	listHolds = `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body><listHolds xmlns="https://customs.skerry-sound.example/cargo"/></e:Body></e:Envelope>`
)

// A dead SOAP service has no contract to give; all other trouble is for its messages,
// and reading the contract takes no turn of it.
func TestTroubleOfAServedContract(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	const contract = "GET /customs?wsdl"
	message := func() int {
		resp, _ := s.send("POST /customs/Desk", listHolds, "Content-Type: text/xml")
		return resp.StatusCode
	}
	s.impair("customs", `{ errors: { next: 1 }, limit: { calls: 2, per: 1h } }`)
	assert.Equal(t, []int{200, 200, 200}, s.statuses(contract, 3))
	assert.Equal(t, []int{503, 200, 429}, []int{message(), message(), message()}, "a fault, an answer, and the limit")
	s.impair("customs", `outage: { as: 503 }`)
	assert.Equal(t, []int{503, 503}, append(s.statuses(contract, 1), message()))
	list, err := s.api.Calls(t.Context(), client.CallQuery{Text: "impaired:outage GET"})
	require.NoError(t, err)
	assert.Len(t, list.Items, 1)
	s.impair("customs", `outage: { as: drop }`)
	_, err = http.Get(s.traffic + "/customs?wsdl")
	assert.Error(t, err, "no answer at all")
}

func TestErrors(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	for document, want := range map[string][]int{
		`errors: { rate: 100% }`:                        {503, 503, 503},
		`errors: { rate: 0% }`:                          {200, 200, 200},
		`errors: { next: 2, status: 500 }`:              {500, 500, 200, 200},
		`errors: { every: 3 }`:                          {200, 200, 503, 200, 200, 503},
		`errors: { first: 1, of: "header:User-Agent" }`: {503, 200},
		`outage: { as: 502 }`:                           {502, 502},
	} {
		s.impair("moorings", document)
		assert.Equal(t, want, s.statuses(berth, len(want)), document)
	}
	s.impair("moorings", `errors: { first: 1, of: "header:User-Agent" }`)
	assert.Equal(t, []int{503, 200}, s.statuses(berth, 2, "User-Agent: one"))
	assert.Equal(t, []int{503, 200}, s.statuses(berth, 2, "User-Agent: two"))

	// the same seed gives the same sequence: set again, reset, and after a restart
	document := `{ errors: { rate: 30%, status: { 503: 3, 500: 1 } }, seed: 7 }`
	s.impair("moorings", document)
	first := s.statuses(berth, 40)
	assert.Contains(t, first, 503)
	assert.Contains(t, first, 200)
	require.NoError(t, s.api.ResetImpairments(t.Context(), "moorings"))
	assert.Equal(t, first, s.statuses(berth, 40), "after a reset")
	resp, body := s.send(berth, "")
	_ = body
	detail, err := s.api.Call(t.Context(), callID(resp))
	require.NoError(t, err)
	if len(detail.Injected) > 0 {
		assert.Equal(t, int64(7), detail.Injected[0].Seed)
		assert.Equal(t, uint64(41), detail.Injected[0].Draw)
	}
	data := s.data
	s.stop()
	again := start(t, config.Config{Data: data})
	assert.Equal(t, first, again.statuses(berth, 40), "after a restart")
	again.impair("moorings", strings.Replace(document, "7", "8", 1))
	assert.NotEqual(t, first, again.statuses(berth, 40), "another seed")
}

// What an error says: the contract's own words, a fault to who speaks SOAP, else a
// problem; and when to come back.
func TestErrorsThatSuit(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.impair("moorings", `errors: { rate: 100%, status: 404 }`)
	_, body := s.send(berth, "")
	assert.Contains(t, body, "Not in our books", "the example of the contract for that status")
	s.impair("moorings", `{ errors: { rate: 100%, status: 503 }, seed: 3 }`)
	resp, body := s.send(berth, "", "Origin: http://quay.example")
	assert.Equal(t, "application/problem+json", resp.Header.Get("Content-Type"))
	assert.Equal(t, "http://quay.example", resp.Header.Get("Access-Control-Allow-Origin"), "a page may read it")
	assert.Contains(t, body, "Refused by the impairment of moorings: errors 100%, seed 3, draw 1.")
	assert.Contains(t, resp.Header.Get("Rapid-Mimic"), `source=impairment, by="errors 100%"`)
	s.impair("customs", `errors: { rate: 100%, status: 500 }`)
	resp, body = s.send("POST /customs/Desk", listHolds, "Content-Type: text/xml")
	assert.Equal(t, 500, resp.StatusCode)
	assert.Contains(t, body, "faultcode")

	s.impair("moorings", `errors: { next: 1, retryAfter: 1s }`)
	resp, _ = s.send(berth, "")
	assert.Equal(t, []string{"503", "1"}, []string{strconv.Itoa(resp.StatusCode), resp.Header.Get("Retry-After")})
	assert.Equal(t, []int{503}, s.statuses(berth, 1), "too early")
	assert.Equal(t, []int{200}, s.statuses("GET /moorings/berths/N13", 1), "another call is not held back")
	require.Eventually(t, func() bool { return s.statuses(berth, 1)[0] == 200 }, 5*time.Second, 200*time.Millisecond, "who waits is served")
	require.Eventually(t, func() bool {
		stories, err := s.api.Retries(t.Context(), client.CallQuery{Service: "moorings"})
		return err == nil && len(stories) > 0 && stories[0].Outcome == "got through" && len(stories[0].Attempts) >= 3 && !stories[0].Attempts[1].Obeyed
	}, 5*time.Second, 50*time.Millisecond)
}

func TestLimitsAreExact(t *testing.T) {
	s := startDemo(t)
	s.impair("moorings/operation/getBerth", `limit: { calls: 40, per: 1h }`)
	served := make(chan int, 100)
	var all sync.WaitGroup
	for range 100 {
		all.Go(func() { served <- s.statuses(berth, 1)[0] })
	}
	all.Wait()
	counts := map[int]int{}
	for range 100 {
		counts[<-served]++
	}
	assert.Equal(t, map[int]int{200: 40, 429: 60}, counts)
	resp, _ := s.send(berth, "")
	assert.Regexp(t, `^"calls";q=40;w=3600 "calls";r=0;t=(3600|35\d\d) (3600|35\d\d)$`, strings.Join([]string{resp.Header.Get("RateLimit-Policy"), resp.Header.Get("RateLimit"), resp.Header.Get("Retry-After")}, " "))
	assert.Equal(t, []int{200}, s.statuses("GET /moorings/dues", 1), "another operation has no limit")
	list, err := s.api.Impairments(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 40, list.Items[0].Limits[0].Used)
	require.NoError(t, s.api.ResetImpairments(t.Context(), ""))
	resp, _ = s.send(berth, "")
	assert.Equal(t, `"calls";r=39;t=3600`, resp.Header.Get("RateLimit"), "who is served learns it, too")

	s.impair("moorings", `limit: { calls: 1, per: 1h, of: "header:X-Run" }`)
	s.impair("moorings/operation/getBerth", `latency: 0ms`)
	assert.Equal(t, []int{200, 429}, s.statuses(berth, 2, "X-Run: a"))
	assert.Equal(t, []int{200, 429}, s.statuses(berth, 2, "X-Run: b"))

	s.impair("moorings", `{ limit: { inFlight: 2 }, latency: 300ms }`)
	_, err = s.api.RemoveImpairment(t.Context(), spec.Target{Service: "moorings", Operation: "getBerth"}, false)
	require.NoError(t, err)
	for range 3 {
		all.Go(func() { served <- s.statuses(berth, 1)[0] })
	}
	all.Wait()
	assert.Equal(t, 200+200+429, <-served+<-served+<-served)
	assert.Equal(t, []int{200}, s.statuses(berth, 1), "whoever has left makes room")
}

// injectedLatency makes a call and tells which latency it was given, "" for none. It
// was held back for at least that long.
func (s *service) injectedLatency(line string, headers ...string) (latency string, status int) {
	s.t.Helper()
	resp, _ := s.send(line, "", headers...)
	detail, err := s.api.Call(s.t.Context(), callID(resp))
	require.NoError(s.t, err)
	for _, injected := range detail.Injected {
		if injected.Kind == "latency" {
			latency, _, _ = strings.Cut(injected.What, " ")
		}
	}
	wanted, _ := time.ParseDuration(latency) // 0 for none
	assert.GreaterOrEqual(s.t, detail.Timing.WaitMs, float64(wanted.Milliseconds()))
	assert.Equal(s.t, latency != "", detail.Timing.WaitMs > 0)
	return latency, resp.StatusCode
}

// The narrowest latency wins and nothing is added up; one switch turns all off.
func TestWhichImpairmentWins(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	_, err := s.api.PutMappings(t.Context(), "moorings", []byte("- {id: slow-one, call: {path: /slow}, answer: {text: a}, impair: {latency: 31ms}}\n- {id: turns, call: {path: /turns}, sequence: [{text: one}, {text: two}]}"))
	require.NoError(t, err)
	waited := func(line string) string {
		latency, _ := s.injectedLatency(line)
		return latency
	}
	assert.Equal(t, "31ms", waited("GET /moorings/slow"))
	s.impair("", `latency: 11ms`)
	assert.Equal(t, []string{"31ms", "11ms", "11ms"}, []string{waited("GET /moorings/slow"), waited(berth), waited("GET /tides/stations")})
	s.impair("moorings", `latency: 51ms`)
	s.impair("moorings/operation/getBerth", `latency: 71ms`)
	s.impair("moorings/mapping/slow-one", `latency: 91ms`)
	assert.Equal(t, []string{"91ms", "71ms", "51ms", "11ms"}, []string{waited("GET /moorings/slow"), waited(berth), waited("GET /moorings/dues"), waited("GET /tides/stations")})
	list, err := s.api.SwitchImpairments(t.Context(), true)
	require.NoError(t, err)
	assert.Len(t, list.Items, 4)
	assert.Equal(t, []string{"", ""}, []string{waited("GET /moorings/slow"), waited(berth)}, "also what a mapping has of itself")
	_, err = s.api.SwitchImpairments(t.Context(), false)
	require.NoError(t, err)
	assert.Equal(t, "91ms", waited("GET /moorings/slow"))
	status, err := s.api.Status(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []string{"everything", "moorings", "mapping slow-one of moorings", "operation getBerth of moorings"}, status.Impaired)

	lines, err := s.api.Calls(t.Context(), client.CallQuery{Service: "moorings", Text: "impaired:latency"})
	require.NoError(t, err)
	require.NotEmpty(t, lines.Items)
	assert.Equal(t, []string{"latency"}, lines.Items[0].Impaired, "the list says so, too")

	// a refused call takes no turn of a sequence
	s.impair("moorings", `errors: { next: 2 }`)
	var bodies []string
	for range 4 {
		resp, body := s.send("GET /moorings/turns", "")
		bodies = append(bodies, map[bool]string{true: body, false: strconv.Itoa(resp.StatusCode)}[resp.StatusCode == 200])
	}
	assert.Equal(t, []string{"503", "503", "one", "two"}, bodies)

	// a mapping is tried as if nothing were impaired
	s.impair("moorings", `errors: { rate: 100% }`)
	trial, err := s.api.TryMapping(t.Context(), "moorings", api.TrialRequest{Document: "call: {path: /turns}\nrank: 1\nanswer: {text: tried}", Recent: 1})
	require.NoError(t, err)
	require.Len(t, trial.Calls, 1)
	assert.True(t, trial.Calls[0].Answers, trial.Calls[0].Reason)
	assert.Equal(t, 1, trial.Asked)

	_, err = s.api.PatchService(t.Context(), "moorings", []byte(`{"name": "berths"}`))
	require.NoError(t, err)
	resp, body := s.send("GET /berths/dues", "")
	assert.Equal(t, 503, resp.StatusCode, "it goes on under another name")
	assert.Contains(t, body, "the impairment of berths")
	_, err = s.api.PatchService(t.Context(), "berths", []byte(`{"name": "moorings"}`))
	require.NoError(t, err)

	// what a mapping had goes with it
	require.NoError(t, s.api.RemoveMapping(t.Context(), "moorings", "slow-one"))
	gone, err := s.api.RemoveImpairment(t.Context(), spec.Target{Service: "moorings"}, true)
	require.NoError(t, err)
	assert.Len(t, gone.Items, 2)
	for target, want := range map[spec.Target]string{
		{Service: "mooring"}:                                              "moorings?",
		{Service: "moorings", Operation: "getBert"}:                       "getBerth?",
		{Service: "moorings", Mapping: "turn"}:                            "turns?",
		{Service: "moorings", Mapping: "slow-one", Operation: "getBerth"}: "not for both",
	} {
		_, err := s.api.SetImpairment(t.Context(), target, []byte(`latency: 1s`))
		assert.ErrorContains(t, err, want)
	}
	_, err = s.api.SetImpairment(t.Context(), spec.Target{}, []byte(`seed: 1`))
	assert.ErrorContains(t, err, "needs latency, errors")
	_, err = s.api.SetImpairment(t.Context(), spec.Target{}, []byte(`connection: { line: tin-can }`))
	assert.ErrorContains(t, err, `line "tin-can" not found`)
}

// A caller may ask for a delay of its own answer, where the service lets it.
func TestTheHintDelay(t *testing.T) {
	s := startDemo(t)
	waited := func(line, hint string) (string, int) { return s.injectedLatency(line, "Rapid-Mimic: "+hint) }
	s.impair("moorings", `latency: 1ms`)
	for _, k := range []struct {
		line, hint string
		waited     string
		status     int
	}{
		{"GET /moorings/berths/N13", `delay="41ms"`, "41ms", 200}, // a mapping answers it
		{berth, `delay="31ms", example="unknown"`, "31ms", 404},
		{berth, `delay="soon"`, "", 400}, {berth, `delay=31`, "", 400}, {berth, `hurry`, "", 400},
	} {
		got, status := waited(k.line, k.hint)
		assert.Equal(t, []any{k.waited, k.status}, []any{got, status}, k.hint)
	}
	_, err := s.api.PatchService(t.Context(), "moorings", []byte(`{"hints": false}`))
	require.NoError(t, err)
	got, status := waited(berth, `delay="41ms", example="unknown"`)
	assert.Equal(t, []any{"1ms", 200}, []any{got, status}, "nobody asks any more")
}

// What a caller sees of a connection, in words that do not depend on the client.
func seen(err error, body string) string {
	var timeout net.Error
	switch {
	case err == nil:
		return "whole"
	case errors.As(err, &timeout) && timeout.Timeout():
		return "nothing"
	case errors.Is(err, syscall.ECONNRESET):
		return "reset"
	case errors.Is(err, io.ErrUnexpectedEOF):
		return fmt.Sprintf("cut after %d", len(body))
	case strings.Contains(err.Error(), "malformed HTTP"):
		return "no HTTP"
	case strings.Contains(err.Error(), "stream error"):
		return "stream reset after " + strconv.Itoa(len(body))
	case errors.Is(err, io.EOF):
		return "closed"
	default:
		return err.Error()
	}
}

func TestConnections(t *testing.T) {
	s, through := proxied(t) // whose answer has 15 bytes
	ask := func(c *http.Client, address string) string {
		ctx, cancel := context.WithTimeout(t.Context(), 700*time.Millisecond)
		defer cancel()
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
		require.NoError(t, err)
		resp, err := c.Do(req)
		if err != nil {
			return seen(err, "")
		}
		defer resp.Body.Close()
		body, err := io.ReadAll(resp.Body)
		return seen(err, string(body))
	}
	fresh := &http.Client{Transport: &http.Transport{DisableKeepAlives: true}}
	for effect, want := range map[string][2]string{ // over HTTP/1.1, and over HTTP/2 through the proxy
		spec.EffectDrop:        {"closed", "stream reset after 0"},
		spec.EffectReset:       {"reset", "stream reset after 0"},
		spec.EffectHang:        {"nothing", "nothing"},
		spec.EffectCutBody:     {"cut after 7", "stream reset after 7"},
		spec.EffectWrongLength: {"cut after 15", "stream reset after 15"},
		spec.EffectGarbage:     {"no HTTP", "stream reset after 0"},
	} {
		s.impair("office", `connection: `+effect)
		assert.Equal(t, want[0], ask(fresh, s.traffic+"/office/berths/N7"), effect)
		assert.Equal(t, want[1], ask(through, "https://office.example/berths/N7"), "%s over HTTP/2", effect)
	}
	// a neighbour on the same HTTP/2 connection goes on
	_, err := s.api.PutMappings(t.Context(), "office", []byte("id: neighbour\ncall: {path: /slow}\nanswer: {text: fine}\nimpair: {latency: 400ms}"))
	require.NoError(t, err)
	_, err = s.api.RemoveImpairment(t.Context(), spec.Target{Service: "office"}, false)
	require.NoError(t, err)
	s.impair("office/mapping/any-berths-n7", `connection: drop`)
	neighbour := make(chan string, 1)
	go func() { neighbour <- ask(through, "https://office.example/slow") }()
	for range 5 {
		assert.Equal(t, "stream reset after 0", ask(through, "https://office.example/berths/N7"))
	}
	assert.Equal(t, "whole", <-neighbour)
	_, err = s.api.RemoveImpairment(t.Context(), spec.Target{Service: "office"}, true)
	require.NoError(t, err)

	// half of them, by chance
	s.impair("office", `{ connection: { effect: drop, rate: 50% }, seed: 2 }`)
	closed := 0
	for range 40 {
		if ask(fresh, s.traffic+"/office/berths/N7") == "closed" {
			closed++
		}
	}
	assert.InDelta(t, 20, closed, 3*math.Sqrt(10))
}

// What is relayed is impaired like everything else, and not recorded when it was
// spoilt.
func TestRelayedCallsAreImpaired(t *testing.T) {
	s := relaying(t, office(t).URL+"/api")
	for document, want := range map[string]string{
		`errors: { rate: 100%, status: 502 }`: "502",
		`latency: 120ms`:                      "whole",
		`connection: cut-body`:                "cut after 1572864",
		`connection: wrong-length`:            "cut after 3145728",
	} {
		s.impair("office", document)
		begun := time.Now()
		resp, err := (&http.Transport{DisableKeepAlives: true}).RoundTrip(mustRequest(t, s.traffic+"/office/big"))
		require.NoError(t, err, document)
		body, err := io.ReadAll(resp.Body)
		require.NoError(t, resp.Body.Close())
		got := seen(err, string(body))
		if resp.StatusCode != 200 {
			got = strconv.Itoa(resp.StatusCode)
		}
		assert.Equal(t, want, got, document)
		if strings.HasPrefix(document, "latency") {
			assert.GreaterOrEqual(t, time.Since(begun), 120*time.Millisecond)
		}
	}
}

// A relayed message of SOAP is impaired by its operation, and a dead upstream is as
// slow as a living one.
func TestRelayedMessagesAreImpairedByTheirOperation(t *testing.T) {
	t.Parallel()
	s, standIns, _ := boarded(t)
	_, err := s.api.PatchService(t.Context(), "customs", []byte(`{"mode": "relay"}`))
	require.NoError(t, err)
	ask := func(body string) (int, string) {
		resp, text := s.send("POST /customs/Desk", `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body>`+
			strings.Replace(body, ">", ` xmlns="https://customs.skerry-sound.example/cargo">`, 1)+`</e:Body></e:Envelope>`, "Content-Type: text/xml")
		return resp.StatusCode, text
	}
	s.impair("customs/operation/listHolds", `errors: { rate: 100%, status: 500 }`)
	status, text := ask("<listHolds></listHolds>")
	assert.Equal(t, 500, status)
	assert.Contains(t, text, "faultstring")
	status, text = ask("<askClearance><manifest>M-1111-SK</manifest></askClearance>")
	assert.Equal(t, 200, status)
	assert.Contains(t, text, "cleared")
	standIns.Close()
	s.impair("customs", `latency: 60ms`)
	status, text = ask("<askClearance><manifest>M-1111-SK</manifest></askClearance>")
	assert.Equal(t, 500, status)
	assert.Contains(t, text, "soap:Server</faultcode>", "who speaks SOAP is told in its words")
	list, err := s.api.Calls(t.Context(), client.CallQuery{Limit: 1})
	require.NoError(t, err)
	detail, err := s.api.Call(t.Context(), list.Items[0].ID)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, detail.Timing.WaitMs, 60.0)
	assert.Equal(t, []string{"latency"}, detail.Impaired)
}

func mustRequest(t *testing.T, address string) *http.Request {
	req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, address, nil)
	require.NoError(t, err)
	return req
}

// A slow line, by its name; and a caller who does not wait.
func TestSlowLines(t *testing.T) {
	s := startDemo(t)
	_, err := s.api.PutMappings(t.Context(), "moorings", []byte("call: {path: /log}\nanswer: {text: '"+strings.Repeat("fog ", 500)+"'}"))
	require.NoError(t, err)
	_, err = s.api.PutLine(t.Context(), "old-tug", spec.Line{BytesPerSecond: 10_000, FirstByte: spec.Duration(100 * time.Millisecond), Pause: spec.Duration(50 * time.Millisecond), Chunk: 500})
	require.NoError(t, err)
	s.impair("moorings", `connection: { line: old-tug }`)
	begun := time.Now()
	_, body := s.send("GET /moorings/log", "")
	assert.Len(t, body, 2000)
	// 100 ms, 200 ms for 2,000 bytes, and three pauses between four chunks
	assert.GreaterOrEqual(t, time.Since(begun), 445*time.Millisecond)
	_, err = s.api.PutLine(t.Context(), "old-tug", spec.Line{BytesPerSecond: 1_000_000})
	require.NoError(t, err)
	resp, _ := s.send("GET /moorings/log", "")
	detail, err := s.api.Call(t.Context(), callID(resp))
	require.NoError(t, err)
	require.Len(t, detail.Injected, 1)
	assert.Equal(t, "line old-tug: 1000000 bytes a second", detail.Injected[0].What, "an edit of a line is live")
	assert.ErrorContains(t, s.api.RemoveLine(t.Context(), "old-tug"), "in use by the impairment of moorings")
	_, err = s.api.PutMappings(t.Context(), "tides", []byte("id: by-tug\ncall: {path: /tug}\nanswer: {text: a}\nimpair: {connection: {line: old-tug}}"))
	require.NoError(t, err)
	_, err = s.api.RemoveImpairment(t.Context(), spec.Target{Service: "moorings"}, false)
	require.NoError(t, err)
	assert.ErrorContains(t, s.api.RemoveLine(t.Context(), "old-tug"), "in use by mapping by-tug of tides")
	_, err = s.api.PutMappings(t.Context(), "tides", []byte("call: {path: /tug}\nanswer: {text: a}\nimpair: {connection: {line: tin-can}}"))
	assert.ErrorContains(t, err, `line "tin-can" not found`)

	s.impair("moorings", `latency: 30s`)
	ctx, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer cancel()
	_, err = http.DefaultTransport.RoundTrip(mustRequest(t, s.traffic+"/moorings/log").WithContext(ctx))
	require.Error(t, err)
	require.Eventually(t, func() bool {
		stories, err := s.api.Retries(t.Context(), client.CallQuery{Service: "moorings"})
		return err == nil && len(stories) == 1 && stories[0].Attempts[0].Status == 499
	}, 5*time.Second, 20*time.Millisecond, "the log has it when the caller leaves, not after 30 s")
}
