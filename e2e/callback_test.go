package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
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

// receiver is a program that is called back; it notes "METHOD /path body" and answers 204, or 503 to the
// first two calls of a path with "flaky" in it.
type receiver struct {
	*httptest.Server
	mu    sync.Mutex
	lines []string
	flaky int
}

func receive(t *testing.T) *receiver {
	r := &receiver{}
	r.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, req *http.Request) {
		body, _ := io.ReadAll(req.Body)
		r.mu.Lock()
		defer r.mu.Unlock()
		r.lines = append(r.lines, req.Method+" "+req.RequestURI+" "+string(body))
		if strings.Contains(req.RequestURI, "flaky") {
			if r.flaky++; r.flaky <= 2 {
				w.WriteHeader(503)
				return
			}
		}
		w.WriteHeader(204)
	}))
	t.Cleanup(r.Close)
	return r
}

func (r *receiver) got() string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return strings.Join(r.lines, "\n")
}

// host is the receiver by a name that must be allowed.
func (r *receiver) host() string {
	_, port, _ := net.SplitHostPort(r.Listener.Addr().String())
	return "localhost:" + port
}

// A program that books is called back at the address that it gave; what was sent is in the log beside its
// call, in its lane, and no check takes it for a call that came.
func TestCallbacks(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	ctx := t.Context()
	to := receive(t)
	tell := "Tell-At: http://" + to.host() + "/told"
	bookIn := func(at string) api.CallDetail {
		resp, body := s.send("POST "+at+"/berths/N7/bookings", booking, jsonType, tell)
		require.Equal(t, 201, resp.StatusCode, body)
		call, err := s.api.Call(ctx, s.answered.Load().(string))
		require.NoError(t, err)
		return call
	}
	assert.Contains(t, lastReason(bookIn("/moorings")), "callbacks of moorings are off")
	_, err := s.api.PatchService(ctx, "moorings", []byte(`{"callbacks": {}}`))
	require.NoError(t, err)
	refused := bookIn("/moorings")
	require.Eventually(t, func() bool {
		refused, err = s.api.Call(ctx, refused.ID)
		return err == nil && len(refused.Callbacks) == 1
	}, 5*time.Second, 10*time.Millisecond)
	assert.Zero(t, refused.Callbacks[0].Status)
	made, err := s.api.Call(ctx, refused.Callbacks[0].ID)
	require.NoError(t, err)
	assert.Contains(t, made.Explanation.Sentence, "it leads to an address of this machine or of a private network")
	assert.Empty(t, to.got())

	_, err = s.api.PatchService(ctx, "moorings", []byte(`{"callbacks": {"hosts": ["localhost"]}}`))
	require.NoError(t, err)
	_, err = s.api.OpenLane(ctx, spec.NewLane("mara"))
	require.NoError(t, err)
	booked := bookIn("/@mara/moorings")
	require.Eventually(t, func() bool {
		booked, err = s.api.Call(ctx, booked.ID)
		return err == nil && len(booked.Callbacks) == 1
	}, 5*time.Second, 10*time.Millisecond)
	assert.Regexp(t, `^POST /told \{"reference":"B-2041","berth":"N7","state":"confirmed","at":"[^"]+"\}$`, to.got())
	made, err = s.api.Call(ctx, booked.Callbacks[0].ID)
	require.NoError(t, err)
	assert.Equal(t, []any{"callback", "bookingChanged", booked.ID, "mara", 204, to.host()}, []any{made.Source, made.By, made.Cause, made.Lane, made.Status, made.Host})
	assert.Contains(t, made.Curl, "curl -X POST http://"+to.host()+"/told ")

	result, err := s.api.Assert(ctx, api.Assertion{Service: "moorings", Lane: "mara", Calls: []spec.Pattern{{Method: spec.Methods{"POST"}, Path: "/told"}}})
	require.NoError(t, err)
	assert.False(t, result.Holds, "what a service sends did not come")
	// a secret in the address is seen by the receiver alone
	_, body := s.send("POST /moorings/berths/N7/bookings", booking, jsonType, tell+"?access_token=hush-hush-quay-9")
	require.NotEmpty(t, body)
	secretive := s.answered.Load().(string)
	require.Eventually(t, func() bool { return strings.Contains(to.got(), "access_token=hush-hush-quay-9") }, 5*time.Second, 10*time.Millisecond)
	require.Eventually(t, func() bool {
		whole, err := s.api.Call(ctx, secretive)
		return err == nil && len(whole.Callbacks) == 1
	}, 5*time.Second, 10*time.Millisecond)
	whole, err := s.api.Call(ctx, secretive)
	require.NoError(t, err)
	made, err = s.api.Call(ctx, whole.Callbacks[0].ID)
	require.NoError(t, err)
	for _, seen := range []api.CallDetail{whole, made} {
		text, err := json.Marshal(seen)
		require.NoError(t, err)
		assert.NotContains(t, string(text), "hush-hush-quay-9")
	}
	listed, err := s.api.Calls(ctx, client.CallQuery{Text: "cause:" + booked.ID})
	require.NoError(t, err)
	require.Len(t, listed.Items, 1)
	_, err = s.api.CreateWalk(ctx, api.NewWalk{Name: "of-it", Service: "moorings", BoundaryChoice: api.BoundaryChoice{Call: made.ID, At: []string{"$.number"}}})
	assert.ErrorContains(t, err, "did not come")
}

func lastReason(call api.CallDetail) string {
	return call.Explanation.Steps[len(call.Explanation.Steps)-1].Reason
}

// The commands of the page work as they stand there, and the mapping on it is told of in its order.
func TestTheCommandsOfTheCallbacksPage(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	to := receive(t)
	page, err := os.ReadFile(docsFolder + "callbacks.md")
	require.NoError(t, err)
	text := strings.NewReplacer("localhost:9000", to.host(), "http://127.0.0.1:7401", s.traffic).Replace(string(page))
	ran := s.typeAll(t, text, t.TempDir(), func(line, out string) {
		if strings.HasPrefix(line, "rapidmimic webhook send") {
			assert.Contains(t, out, "berthFreed  will be sent", "the callbacks of the service wait")
		}
	})
	assert.Equal(t, 5, ran)
	require.Eventually(t, func() bool { return strings.Count(to.got(), "/freed") == 2 }, 10*time.Second, 10*time.Millisecond)
	assert.Contains(t, to.got(), `POST /freed {"number":"S2","pier":"south","state":"free"}`)

	mapping := strings.ReplaceAll(documented(t, "callbacks.md")[0], "localhost:9000", to.host())
	_, err = s.api.PutMappings(t.Context(), "moorings", []byte(mapping))
	require.NoError(t, err)
	_, err = s.api.PatchService(t.Context(), "moorings", []byte(`{"callbacks": {"after": null, "retryEvery": "10ms"}}`))
	require.NoError(t, err)
	resp, body := s.send("POST /moorings/berths/N7/bookings?as=told", booking, jsonType, "Tell-At: http://"+to.host()+"/flaky")
	require.Equal(t, 202, resp.StatusCode)
	var given struct{ Reference string }
	require.NoError(t, json.Unmarshal([]byte(body), &given))
	require.Eventually(t, func() bool {
		return strings.Contains(to.got(), `"state":"confirmed"`) && strings.Contains(to.got(), "PUT")
	}, 10*time.Second, 10*time.Millisecond)
	assert.Contains(t, to.got(), fmt.Sprintf("PUT /ledger/%s Grey Gannet", given.Reference))
	assert.Equal(t, 3, strings.Count(to.got(), fmt.Sprintf(`POST /flaky {"reference":%q,"berth":"N7","state":"waiting"`, given.Reference)), "it was tried until it was taken")
	ledger, err := s.api.Call(t.Context(), s.made("method:PUT").ID)
	require.NoError(t, err)
	assert.Contains(t, fmt.Sprint(ledger.Request.Headers), "Bearer masked-")
}

// A scenario sends its webhooks where it is switched on, and once that it is.
func TestWebhooksOfAScenario(t *testing.T) {
	t.Parallel()
	to := receive(t)
	s := start(t, config.Config{Data: t.TempDir()})
	ctx := t.Context()
	put := func(path, body string) string {
		status, _, said := s.request("PUT /"+path, body)
		return fmt.Sprint(status, " ", said)
	}
	_, err := s.api.Import(ctx, client.Import{Name: "piers", File: "piers.yaml", Text: []byte(`{openapi: 3.1.0, info: {title: p, version: "1"}, paths: {/a: {get: {responses: {"200": {description: a}}}}},
		webhooks: {freed: {post: {requestBody: {content: {application/json: {schema: {type: object}, example: {pier: south}}}}, responses: {"204": {description: b}}}}}}`)})
	require.NoError(t, err)
	said := put("scenarios/storm", `{services: {piers: {webhooks: {name: fred}}}}`)
	assert.Contains(t, said, "422 ")
	assert.Contains(t, said, `webhook "fred" not found (freed?)`)
	require.Contains(t, put("scenarios/storm", `{services: {piers: {webhooks: [{name: freed, headers: {X-Why: storm}}, {name: freed, after: 1h}]}}}`), "201 ")
	on, err := s.api.UseScenario(ctx, "", "storm", 0)
	require.NoError(t, err)
	assert.Equal(t, api.ScenarioWebhook{Service: "piers", Webhook: "freed", Why: "callbacks of the service are off (rapidmimic service set piers --callbacks on)"}, on.Webhooks[0])
	_, err = s.api.PatchService(ctx, "piers", []byte(`{"callbacks": {"hosts": ["localhost"], "to": "http://`+to.host()+`/hook"}}`))
	require.NoError(t, err)
	lane := spec.NewLane("mara")
	lane.Scenario = "storm"
	_, err = s.api.OpenLane(ctx, lane)
	require.NoError(t, err)
	require.Eventually(t, func() bool { return to.got() == `POST /hook {"pier":"south"}` }, 5*time.Second, 10*time.Millisecond, "%s", to.got())
	s.made("lane:mara")
}

// made is the one call that the service has made and that a filter selects. It is in the log a moment after
// it has come to where it goes.
func (s *service) made(filter string) api.Call {
	var all api.Calls
	require.Eventually(s.t, func() (found bool) {
		var err error
		all, err = s.api.Calls(s.t.Context(), client.CallQuery{Text: "source:callback " + filter})
		return err == nil && len(all.Items) == 1
	}, 10*time.Second, 10*time.Millisecond)
	return all.Items[0]
}

// Nothing that waits outlives the service that it is of, and a restart makes nothing twice.
func TestCallbacksThatWait(t *testing.T) {
	t.Parallel()
	to := receive(t)
	cfg := config.Config{Data: t.TempDir()}
	s := start(t, cfg)
	ctx := t.Context()
	_, err := s.api.CreateService(ctx, spec.NewService("ledger"))
	require.NoError(t, err)
	_, err = s.api.PatchService(ctx, "ledger", []byte(`{"callbacks": {"hosts": ["localhost"], "after": "300ms"}}`))
	require.NoError(t, err)
	_, err = s.api.PutMappings(ctx, "ledger", []byte(`{ id: told, call: { path: "/{n}" }, answer: { text: ok, callbacks: { to: "http://`+to.host()+`/${call.path.n}" } } }`))
	require.NoError(t, err)
	assert.Equal(t, "200 ok", s.says("GET /ledger/kept"))
	require.Eventually(t, func() bool { return to.got() == "POST /kept " }, 5*time.Second, 10*time.Millisecond)
	assert.Equal(t, "200 ok", s.says("GET /ledger/off"))
	_, err = s.api.PatchService(ctx, "ledger", []byte(`{"callbacks": "off"}`))
	require.NoError(t, err)
	time.Sleep(600 * time.Millisecond)
	_, err = s.api.PatchService(ctx, "ledger", []byte(`{"callbacks": {"hosts": ["localhost"], "after": "1h"}}`))
	require.NoError(t, err)
	assert.Equal(t, "200 ok", s.says("GET /ledger/late"))
	s.stop()
	s = start(t, cfg)
	assert.Equal(t, "POST /kept ", to.got())
	sent, err := s.api.Calls(ctx, client.CallQuery{Text: "source:callback"})
	require.NoError(t, err)
	require.Len(t, sent.Items, 1)
	assert.NotEmpty(t, sent.Items[0].Cause, "it is known after a restart")
}

func TestConsoleCallbacks(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	to := receive(t)
	p := s.page("/services/moorings/callbacks")
	must(t, p.WaitText("The service makes none of them until callbacks are on."), p.Press("Make callbacks"), p.Wait("document.querySelector('[data-webhook=berthFreed]')"))
	must(t, p.Fill("Address that berthFreed goes to", "http://"+to.host()+"/freed"), p.Press("Send"), p.WaitText("Nobody answered"))
	must(t, p.Fill("Private hosts that may be called; others must be public", "localhost"), p.Press("Set the hosts"))
	require.Eventually(t, func() bool {
		service, err := s.api.Service(t.Context(), "moorings")
		return err == nil && service.Callbacks.Allows("localhost")
	}, 5*time.Second, 10*time.Millisecond)
	must(t, p.Press("Send"), p.WaitText("Answered 204"), p.Press("See the call"), p.WaitText("The service made this call: webhook berthFreed."))
	assert.Contains(t, to.got(), `POST /freed {"number":"N9"`)
	resp, _ := s.send("POST /moorings/berths/N7/bookings", booking, jsonType, "Tell-At: http://"+to.host()+"/told")
	require.Equal(t, 201, resp.StatusCode)
	must(t, p.Goto(s.control+"/calls?call="+s.answered.Load().(string)), p.Wait("document.querySelector('[data-callback]')"))
}
