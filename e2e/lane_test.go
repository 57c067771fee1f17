package e2e

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os/exec"
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

// lane opens a lane by its document.
func (s *service) lane(document string) api.Lane {
	s.t.Helper()
	lane, err := s.api.OpenLaneFrom(s.t.Context(), []byte(document))
	require.NoError(s.t, err, document)
	return lane
}

// laneOf is the lane that the last call was in.
func (s *service) laneOfLastCall() string {
	list, err := s.api.Calls(s.t.Context(), client.CallQuery{Limit: 1})
	require.NoError(s.t, err)
	return list.Items[0].Lane
}

// A call belongs to a lane by what it says, in a fixed order, or by a rule.
func TestHowCallsBelongToLanes(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.lane(`{ name: mara }`)
	s.lane(`{ name: night-run }`)
	s.lane(`{ name: by-header, when: { where: [{ header: x-tester, equals: ida }] } }`)
	s.lane(`{ name: by-rule, when: { if: 'call.headers["user-agent"].startsWith("night/") && call.method == "GET"' } }`)
	for _, k := range []struct {
		line    string
		headers []string
		lane    string
	}{
		{berth, nil, ""},
		{berth, []string{"Rapid-Mimic: lane=mara"}, "mara"},
		{berth, []string{`Rapid-Mimic: lane="mara", delay="1ms"`}, "mara"},
		{"GET /@mara/moorings/berths/N7", nil, "mara"},
		{"GET /@mara/moorings/berths/N7", []string{"Rapid-Mimic: lane=night-run"}, "night-run"},
		{"GET /@mara/moorings/berths/N7", []string{"Baggage: rapid-mimic.lane=night-run"}, "mara"},
		{berth, []string{"Baggage: shift=late, rapid-mimic.lane=night-run;x=1"}, "night-run"},
		{berth, []string{"X-Tester: ida"}, "by-header"},
		{berth, []string{"X-Tester: ida", "Rapid-Mimic: lane=mara"}, "mara"},
		{berth, []string{"User-Agent: night/1"}, "by-rule"},
		{"DELETE /moorings/bookings/B-2041", []string{"User-Agent: night/1"}, ""},
		{"GET /@mara/nothing/here", nil, "mara"},
	} {
		resp, _ := s.send(k.line, "", k.headers...)
		assert.Equal(t, k.lane, s.laneOfLastCall(), "%s %v", k.line, k.headers)
		if k.lane != "" {
			assert.Contains(t, resp.Header.Get("Rapid-Mimic"), "lane="+k.lane)
		}
	}
	resp, body := s.send("GET /@mara", "")
	assert.Equal(t, 200, resp.StatusCode)
	assert.Contains(t, body, "/moorings", "the bare address of a lane helps")

	// one that is not open is refused, and never treated as shared
	_, err := s.api.CloseLane(t.Context(), "night-run")
	require.NoError(t, err)
	for line, want := range map[string]string{
		"GET /@marra/moorings/berths/N7":     `lane \"marra\" not found (mara?)`,
		"GET /@night-run/moorings/berths/N7": `lane \"night-run\" is closed since`,
		"GET /@night-run/nothing":            `lane \"night-run\" is closed since`,
	} {
		resp, body := s.send(line, "")
		assert.Equal(t, 400, resp.StatusCode, line)
		assert.Contains(t, body, want, line)
		assert.Contains(t, resp.Header.Get("Rapid-Mimic"), "source=self")
	}
	assert.Regexp(t, "^400 ", s.says(berth, "Baggage: rapid-mimic.lane=night-run"))
	explained, err := s.api.Call(t.Context(), "c-4")
	require.NoError(t, err)
	assert.Equal(t, api.Step{
		Stage: "place", Verdict: "taken", Of: api.Subject{Kind: "lane", ID: "mara"}, Finding: api.Finding{Code: "named", Values: []string{"its address"}},
		Subject: "lane mara", Reason: "the call names it by its address"}, explained.Explanation.Steps[0])
}

func TestLanesThroughTheProxy(t *testing.T) {
	t.Parallel()
	s, _ := proxied(t)
	s.lane(`{ name: mara, services: { office: { mappings: [{ call: { path: /berths/N7 }, answer: { text: of mara } }] } } }`)
	ca, err := s.api.Authority(t.Context())
	require.NoError(t, err)
	for user, want := range map[string]string{"mara": "of mara", "nobody": `lane \"nobody\" not found`, "": `{"number":"N7"}`} {
		address, err := url.Parse(ca.Proxy)
		require.NoError(t, err)
		if user != "" {
			address.User = url.User(user)
		}
		through := s.through(t)
		through.Transport.(*http.Transport).Proxy = http.ProxyURL(address)
		for _, target := range []string{"http://office.example/berths/N7", "https://office.example/berths/N7"} {
			_, body := get(t, through, target)
			assert.Contains(t, body, want, "%s as %q", target, user)
		}
	}
}

// What a service answers can be seen as a lane finds it: its own mappings and those of
// its scenario first, what the scenario switches off, and the lane's own counts.
func TestWhatALaneSees(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	_, err := s.api.PutScenarios(t.Context(), []byte(`{ name: shut, services: { moorings: { mappingsOff: [booking-refused], examples: { listBerths: none-free },
  mappings: [{ id: shut, call: { operation: listDues }, answer: { status: 503 } }] } } }`))
	require.NoError(t, err)
	s.lane(`{ name: mara, scenario: shut }`)
	_, err = s.api.PutLaneMappings(t.Context(), "mara", "moorings", []byte(`{ id: mine, call: { path: "/berths/N7" }, answer: { text: mine } }`))
	require.NoError(t, err)
	s.use("tides-dead", "")
	for _, line := range []string{"GET /@mara/moorings/berths/N7", "GET /@mara/moorings/berths", "GET /moorings/berths/N13", "GET /moorings/berths", "GET /moorings/berths"} {
		s.says(line)
	}
	for _, k := range []struct {
		lane string
		want []string
	}{
		{"mara", []string{`mine, of lane "mara", 1 calls`, `shut, of scenario "shut"`, "berth-under-repair", `booking-refused, off by scenario "shut"`}},
		{"-", []string{"berth-under-repair, 1 calls", "booking-refused"}},
		{"", []string{"berth-under-repair, 1 calls", "booking-refused"}},
	} {
		list, err := s.api.SelectMappings(t.Context(), "moorings", client.Selection{Lane: k.lane})
		require.NoError(t, err)
		var told []string
		for _, m := range list {
			line := m.ID
			if m.Origin != "" {
				line += ", of " + m.Origin
			}
			if m.OffBy != "" {
				line += ", off by " + m.OffBy
			}
			if m.Calls != nil {
				line += fmt.Sprintf(", %d calls", m.Calls.Total)
			}
			told = append(told, line)
		}
		assert.Equal(t, k.want, told, "as %q", k.lane)
	}
	// pages go through all of them
	status, _, first := s.request("GET /services/moorings/mappings?lane=mara&limit=2", "")
	assert.Equal(t, 200, status)
	_, _, second := s.request("GET /services/moorings/mappings?lane=mara&limit=2&after="+url.QueryEscape(first["next"].(string)), "")
	assert.Equal(t, "berth-under-repair", second["items"].([]any)[0].(map[string]any)["id"])

	operation := func(lane, id string) api.OperationDetail {
		op, err := s.api.LaneOperation(t.Context(), lane, "moorings", id)
		require.NoError(t, err)
		return op
	}
	listBerths := operation("mara", "listBerths")
	assert.Equal(t, []any{"none-free", `scenario "shut"`, int64(1)}, []any{listBerths.Example, listBerths.ExampleOrigin, listBerths.Calls.Total})
	assert.Contains(t, listBerths.Curl, "/@mara/moorings/berths")
	listBerths = operation("", "listBerths")
	assert.Equal(t, []any{"two-free", "", int64(3)}, []any{listBerths.Example, listBerths.ExampleOrigin, listBerths.Calls.Total})
	assert.Equal(t, []any{[]string{"shut"}, `scenario "shut"`}, []any{operation("mara", "listDues").MappedBy, operation("mara", "listDues").MappedOrigin})
	assert.Empty(t, operation("-", "listDues").MappedBy)

	// one mapping likewise; on a lane's own, people do not overwrite one another
	of := func(lane, id string) string {
		m, err := s.api.LaneMapping(t.Context(), lane, "moorings", id)
		if err != nil {
			return err.Error()
		}
		return strings.TrimPrefix(m.Origin+" ", " ") + m.ID
	}
	assert.Equal(t, []string{`lane "mara" mine`, `scenario "shut" shut`, "berth-under-repair", `mapping "mine" not found (there is berth-under-repair, booking-refused)`, `lane "marra" not found (mara?)`},
		[]string{of("mara", "mine"), of("mara", "shut"), of("mara", "berth-under-repair"), of("", "mine"), of("marra", "mine")})
	const own = "/services/moorings/mappings/mine?lane=mara"
	_, tag, _ := s.request("GET "+own, "")
	document := `{"call": {"path": "/berths/N7"}, "answer": {"text": "newer"}}`
	status, _, answer := s.request("PUT "+own, document, "If-Match: "+tag)
	assert.Equal(t, 200, status, answer)
	status, _, answer = s.request("PUT "+own, document, "If-Match: "+tag)
	assert.Equal(t, 412, status)
	assert.Equal(t, "mine", answer["current"].(map[string]any)["id"], "what is kept now is told")
	status, _, answer = s.request("PUT "+own, document, "If-None-Match: *")
	assert.Equal(t, 412, status)
	assert.Equal(t, []any{`mapping "mine" already exists`, "mine"}, []any{answer["detail"], answer["current"].(map[string]any)["id"]})
	_, tag, _ = s.request("GET /services/moorings/mappings/shut?lane=mara", "")
	assert.Empty(t, tag, "a scenario is edited as a whole")
}

// Browsers, and whoever else waits to be asked, are asked for the lane.
func TestTheProxyAsksForTheLane(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{Proxy: "127.0.0.1:0", ProxyAsks: true})
	document := spec.NewService("office")
	document.Hosts = []string{"office.example"}
	_, err := s.api.PutService(t.Context(), "office", document, "")
	require.NoError(t, err)
	_, err = s.api.PutMappings(t.Context(), "office", []byte(`{ call: { path: /berths/N7 }, answer: { text: of all } }`))
	require.NoError(t, err)
	s.lane(`{ name: mara, services: { office: { mappings: [{ call: { path: /berths/N7 }, answer: { text: of mara } }] } } }`)
	ca, err := s.api.Authority(t.Context())
	require.NoError(t, err)
	for user, want := range map[string]string{"mara:": "of mara", "-:": "of all", "marra:": `lane \"marra\" not found (mara?)`} {
		for _, target := range []string{"http://office.example/berths/N7", "https://office.example/berths/N7"} {
			out, err := exec.CommandContext(t.Context(), "curl", "-sS", "--proxy", ca.Proxy, "--proxy-anyauth", "--proxy-user", user, "--cacert", ca.File, target).CombinedOutput()
			require.NoError(t, err, string(out))
			assert.Contains(t, string(out), want, "%s as %q", target, user)
		}
	}
	out, err := exec.CommandContext(t.Context(), "curl", "-sS", "--proxy", ca.Proxy, "http://office.example/berths/N7").CombinedOutput()
	require.NoError(t, err)
	assert.Contains(t, string(out), "asks for a user name")
	// other hosts are none of its business
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "itself") }))
	defer other.Close()
	_, body := get(t, s.through(t), other.URL)
	assert.Equal(t, "itself", body)
}

// A lane has what everybody has, and neither the scenario nor the impairments that
// are on for calls in none; what it has of its own nobody else sees.
func TestLanesKeepToThemselves(t *testing.T) {
	t.Parallel()
	s := situated(t)
	s.lane(`{ name: mara, scenario: calm }`)
	s.lane(`{ name: ben }`)
	s.use("storm", "")
	s.impair("", `errors: { rate: 100%, status: 500 }`)
	assert.Equal(t, "423 closed", s.says("GET /@mara/moorings/berths/W1"))
	assert.Regexp(t, "^200 .*shared", s.says("GET /@ben/moorings/berths/W1"))
	assert.Regexp(t, "^200 ", s.says("GET /@ben/tides/stations"))
	assert.Regexp(t, "^500 ", s.says("GET /moorings/berths/W1"))
	_, err := s.api.RemoveImpairment(t.Context(), spec.Target{}, true)
	require.NoError(t, err)
	assert.Equal(t, "423 washed away", s.says("GET /moorings/berths/W1"), "the scenario is on as before")

	// two lanes with opposite scenarios on one service at the same moment
	s.use("storm", "ben")
	assert.Regexp(t, `^200 .*"total":2`, s.says("GET /@mara/moorings/berths"))
	assert.Regexp(t, `^200 .*"total":0`, s.says("GET /@ben/moorings/berths"))

	// its own mappings, examples, impairments, modes; by the API that everybody uses
	report, err := s.api.PutLaneMappings(t.Context(), "mara", "moorings", []byte(`{ id: closed-pier, call: { path: "/berths/W{n}" }, answer: { text: only mara } }`))
	require.NoError(t, err)
	assert.Equal(t, 1, report.Created)
	assert.Equal(t, "200 only mara", s.says("GET /@mara/moorings/berths/W1"), "above its scenario")
	_, err = s.api.PatchLane(t.Context(), "mara", []byte(`{"services": {"moorings": {"examples": {"listBerths": "none-free"}}, "tides": {"off": true}}}`))
	require.NoError(t, err)
	assert.Regexp(t, `^200 .*"total":0`, s.says("GET /@mara/moorings/berths"))
	assert.Regexp(t, "^503 .*switched off by lane", s.says("GET /@mara/tides/stations"))
	_, err = s.api.SetLaneImpairment(t.Context(), "mara", spec.Target{Service: "moorings", Operation: "listDues"}, []byte(`limit: { calls: 2, per: 1h }`))
	require.NoError(t, err)
	assert.Equal(t, []int{200, 200, 429}, s.statuses("GET /@mara/moorings/dues", 3))
	status, err := s.api.LaneStatus(t.Context(), "mara")
	require.NoError(t, err)
	assert.Equal(t, []string{"operation listDues of moorings"}, status.Impaired)
	assert.Equal(t, map[string]string{"customs": "answer", "moorings": "answer", "tides": "off"}, status.Modes)
	assert.Equal(t, "calm", status.Scenario.Scenario)
	shared, err := s.api.Status(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "storm", shared.Scenario.Scenario)
	assert.Equal(t, []string{"mara", "ben"}, shared.Lanes)
	assert.Equal(t, []string{"everything", "operation listDues of moorings"}, shared.Impaired, "of the storm")

	gone, err := s.api.RemoveLaneImpairment(t.Context(), "mara", spec.Target{}, true)
	require.NoError(t, err)
	assert.Len(t, gone.Items, 1)
	require.NoError(t, s.api.RemoveLaneMapping(t.Context(), "mara", "moorings", "closed-pier"))
	assert.Equal(t, "423 closed", s.says("GET /@mara/moorings/berths/W1"))
	assert.Equal(t, "423 washed away", s.says("GET /moorings/berths/W1"), "as before")

	for document, want := range map[string]string{
		`{ name: 2night }`:             "the name of a lane is",
		`{ name: mara }`:               "is already open",
		`{ name: x, ttl: 0s }`:         "ttl must be",
		`{ name: x, ttl: 9000h }`:      "at most",
		`{ name: x, scenario: strom }`: "storm?",
		`{ name: x, when: {} }`:        "a rule needs where or if",
		`{ name: x, when: { where: [{ body: $.a, equals: b }] } }`: "known before its body is read",
		`{ name: x, when: { if: 'call.body.a == 1' } }`:            "known before its body is read",
		`{ name: x, when: { if: 'call.body.' } }`:                  "expression",
		`{ name: x, services: { moorings: { mode: relay } } }`:     "has no upstream",
		`{ name: x, sevices: {} }`:                                 `"sevices" is not a key of lane`,
	} {
		_, err := s.api.OpenLaneFrom(t.Context(), []byte(document))
		require.Error(t, err, document)
		assert.Contains(t, err.Error(), want, document)
	}
	_, err = s.api.PutLaneMappings(t.Context(), "mara", "moorings", []byte("{ id: a, call: { operation: listBerths }, answer: { example: none } }"))
	require.Error(t, err)
	_, err = s.api.PutLaneMappings(t.Context(), "nobody", "moorings", []byte("{ id: a, call: { path: /a } }"))
	assert.Equal(t, problem.NotFound, codeOf(err))
}

// Fifty runs at once on one service, each with mappings, a scenario, sequences,
// counters, limits and chance of its own: none sees another.
func TestFiftyLanesAtOnce(t *testing.T) {
	s := situated(t)
	_, err := s.api.PutMappings(t.Context(), "moorings", []byte(`
- { id: count, call: { path: /count }, answer: { text: "${counter('visits')}" } }
- { id: shared-turns, call: { path: /queue }, sequence: [{ text: a }, { text: b }, { text: c }] }
`))
	require.NoError(t, err)
	var runs sync.WaitGroup
	for i := range 50 {
		runs.Go(func() {
			name := fmt.Sprintf("run-%d", i)
			lane := spec.NewLane(name)
			lane.Scenario = []string{"calm", "storm"}[i%2]
			ctx := context.Background()
			if _, err := s.api.OpenLane(ctx, lane); !assert.NoError(t, err) {
				return
			}
			mapping := fmt.Sprintf(`{ id: who, call: { path: /who }, answer: { text: %s } }`, name)
			if _, err := s.api.PutLaneMappings(ctx, name, "moorings", []byte(mapping)); !assert.NoError(t, err) {
				return
			}
			_, err := s.api.SetLaneImpairment(ctx, name, spec.Target{Service: "moorings", Mapping: "count"}, []byte(fmt.Sprintf("limit: { calls: %d, per: 1h }", i%5+1)))
			assert.NoError(t, err)
			hint := "Rapid-Mimic: lane=" + name
			var counted, queued []string
			for n := range 6 {
				assert.Equal(t, "200 "+name, s.says("GET /moorings/who", hint))
				if said := s.says("GET /moorings/count", hint); strings.HasPrefix(said, "200") {
					counted = append(counted, said)
				}
				if n < 3 {
					queued = append(queued, s.says("GET /moorings/queue", hint))
				}
			}
			want := []string{"200 1", "200 2", "200 3", "200 4", "200 5"}
			assert.Equal(t, want[:i%5+1], counted, name)
			assert.Equal(t, []string{"200 a", "200 b", "200 c"}, queued, name)
			total := []string{`"total":2`, `"total":0`}[i%2]
			assert.Contains(t, s.says("GET /moorings/berths", hint), total, name)
			result, err := s.api.Assert(ctx, api.Assertion{Service: "moorings", Lane: name, Calls: []spec.Pattern{{Path: "/who"}}, Times: new(6)})
			assert.NoError(t, err)
			assert.True(t, result.Holds, result.Text)
		})
	}
	runs.Wait()
	assert.Equal(t, "200 1", s.says("GET /moorings/count"), "nobody has counted for the others")
	assert.Regexp(t, "^404", s.says("GET /moorings/who"))
	in, err := s.api.Calls(t.Context(), client.CallQuery{Lane: "run-1", Limit: 100})
	require.NoError(t, err)
	assert.Len(t, in.Items, 16, "run-10 is another lane")
	none, err := s.api.Calls(t.Context(), client.CallQuery{Lane: "-", Limit: 100})
	require.NoError(t, err)
	assert.Len(t, none.Items, 2)
	lanes, err := s.api.Lanes(t.Context())
	require.NoError(t, err)
	require.Len(t, lanes, 50)
	for _, lane := range lanes {
		assert.Equal(t, 16, lane.Calls["mapping"]+lane.Calls["contract"]+lane.Calls["impairment"], lane.Name)
	}
}

// A lane ends on its time: what it held is gone from the answers, its calls stay,
// and whoever opens one of its name begins anew.
func TestLanesEnd(t *testing.T) {
	folder := t.TempDir()
	s := start(t, config.Config{Data: folder})
	_, err := s.api.PutService(t.Context(), "quay", spec.NewService("quay"), "")
	require.NoError(t, err)
	short := `{ name: short, ttl: 1200ms, services: { quay: { mappings: [{ id: m, call: { path: /a }, answer: { text: "turn ${counter('n')}" } }] } } }`
	opened := s.lane(short)
	s.lane(`{ name: long, ttl: 1h, services: { quay: { mappings: [{ id: m, call: { path: /a }, answer: { text: long } }] } } }`)
	assert.Equal(t, "200 turn 1", s.says("GET /@short/quay/a"))
	assert.Regexp(t, "^404", s.says("GET /quay/a"))
	time.Sleep(time.Until(opened.Until) + 5*time.Millisecond)
	assert.Regexp(t, "^400 .*closed since", s.says("GET /@short/quay/a"))
	_, err = s.api.Lane(t.Context(), "short")
	assert.ErrorContains(t, err, "closed since")
	calls, err := s.api.Calls(t.Context(), client.CallQuery{Lane: "short"})
	require.NoError(t, err)
	assert.Len(t, calls.Items, 1, "its calls stay readable")

	s.lane(strings.Replace(short, "1200ms", "1h", 1))
	assert.Equal(t, "200 turn 1", s.says("GET /@short/quay/a"), "what is counted begins anew")
	result, err := s.api.Assert(t.Context(), api.Assertion{Service: "quay", Lane: "short", Calls: []spec.Pattern{{Path: "/a"}}, Times: new(1)})
	require.NoError(t, err)
	assert.True(t, result.Holds, result.Text)
	s.stop()

	s = start(t, config.Config{Data: folder})
	assert.Equal(t, "200 long", s.says("GET /@long/quay/a"), "lanes survive a restart")
	closed, err := s.api.CloseLane(t.Context(), "long")
	require.NoError(t, err)
	assert.Equal(t, 1, closed.Calls["mapping"])
	assert.Regexp(t, "^400 ", s.says("GET /@long/quay/a"))
	_, err = s.api.CloseLane(t.Context(), "long")
	assert.Equal(t, problem.NotFound, codeOf(err))
}

// A program in the middle passes baggage on, so that what it calls is in the lane of
// who called it; an upstream hears nothing of it.
func TestBaggageCrossesPrograms(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.lane(`{ name: mara, services: { moorings: { examples: { listBerths: none-free } } } }`)
	middle := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		req, err := http.NewRequestWithContext(r.Context(), http.MethodGet, s.traffic+"/moorings/berths", nil)
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		req.Header["Baggage"] = r.Header["Baggage"]
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			http.Error(w, err.Error(), http.StatusBadGateway)
			return
		}
		defer resp.Body.Close()
		_, _ = io.Copy(w, resp.Body)
	}))
	defer middle.Close()
	defer http.DefaultClient.CloseIdleConnections()
	ask := func(baggage string) string {
		req, err := http.NewRequest(http.MethodGet, middle.URL, nil)
		require.NoError(t, err)
		if baggage != "" {
			req.Header.Set("Baggage", baggage)
		}
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		body, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return string(body)
	}
	assert.Contains(t, ask("rapid-mimic.lane=mara, shift=late"), `"total":0`)
	assert.Contains(t, ask(""), `"total":2`)

	heard := make(chan http.Header, 1)
	upstream := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { heard <- r.Header }))
	defer upstream.Close()
	_, err := s.api.PatchService(t.Context(), "tides", fmt.Appendf(nil, `{"upstream": %q}`, upstream.URL))
	require.NoError(t, err)
	_, err = s.api.PatchLane(t.Context(), "mara", []byte(`{"services": {"tides": {"mode": "relay"}}}`))
	require.NoError(t, err)
	assert.Regexp(t, "^200 ", s.says("GET /@mara/tides/stations", "Baggage: shift=late, rapid-mimic.lane=mara", "Rapid-Mimic: lane=mara", "Proxy-Authorization: Basic "+base64.StdEncoding.EncodeToString([]byte("mara:"))))
	got := <-heard
	assert.Equal(t, []string{"shift=late"}, got["Baggage"])
	assert.Empty(t, got["Rapid-Mimic"])
	assert.Regexp(t, "^200 ", s.says("GET /tides/stations"))
	assert.Empty(t, heard, "in no lane it answers by itself")
}

// What a lane narrows: the live stream, the list, checks; and a lane that is edited
// by two at once.
func TestLanesNarrow(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	s.lane(`{ name: mara }`)
	stream, err := s.api.Follow(t.Context(), client.CallQuery{Lane: "mara"}, "")
	require.NoError(t, err)
	defer stream.Close()
	s.says("GET /moorings/berths")
	s.says("GET /@mara/moorings/dues")
	batch, err := stream.Next()
	require.NoError(t, err)
	require.Len(t, batch.Calls, 1)
	assert.Equal(t, "/dues", batch.Calls[0].Path)
	for lane, holds := range map[string]bool{"mara": false, "": true, "-": true} {
		result, err := s.api.Assert(t.Context(), api.Assertion{Service: "moorings", Lane: lane, Calls: []spec.Pattern{{Path: "/berths"}}})
		require.NoError(t, err)
		assert.Equal(t, holds, result.Holds, "in %q", lane)
	}
	document, err := s.api.LaneYAML(t.Context(), "mara")
	require.NoError(t, err)
	again, err := s.api.PutLane(t.Context(), "mara", bytes.Replace(document, []byte("ttl: 1h"), []byte("ttl: 2h"), 1))
	require.NoError(t, err)
	assert.WithinDuration(t, again.Opened.Add(2*time.Hour), again.Until, time.Second)
}

// While a service is recorded, its calls in a lane are answered as the lane says, and
// are no part of the recording.
func TestLanesAreNotRecorded(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	upstream := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = io.WriteString(w, "real") }))
	defer upstream.Close()
	_, err := s.api.PatchService(t.Context(), "moorings", fmt.Appendf(nil, `{"upstream": %q}`, upstream.URL))
	require.NoError(t, err)
	_, err = s.api.StartRecording(t.Context(), "moorings", api.RecordingStart{Name: "a day"})
	require.NoError(t, err)
	s.lane(`{ name: mara, services: { moorings: { examples: { listBerths: none-free } } } }`)
	assert.Equal(t, "200 real", s.says("GET /moorings/berths"))
	assert.Contains(t, s.says("GET /@mara/moorings/berths"), `"total":0`)
	status, err := s.api.LaneStatus(t.Context(), "mara")
	require.NoError(t, err)
	assert.Equal(t, "answer", status.Modes["moorings"])
	assert.Empty(t, status.Recording)
	shared, err := s.api.Status(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "recording", shared.Modes["moorings"])
	report, err := s.api.StopRecording(t.Context(), "moorings", "a day", api.RecordingStop{RecordingEnd: spec.RecordingEnd{OnlyKeep: true}})
	require.NoError(t, err)
	assert.Equal(t, 1, report.Recording.Calls)
}
