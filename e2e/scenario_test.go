package e2e

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
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

// situations are scenarios of the demo that try everything a scenario can say.
const situations = `
- name: calm
  services:
    moorings:
      examples: { getBerth: unknown }
      mappings:
        - { id: closed-pier, call: { path: "/berths/W{n}" }, answer: { status: 423, text: closed } }
        - { id: turns, call: { path: /turns }, sequence: [{ text: one }, { text: two }] }
    tides: { mappingsOff: [notice-board] }
- name: storm
  buildsOn: calm
  impair: { latency: 1ms }
  services:
    moorings:
      examples: { listBerths: none-free }
      mappings: [{ id: closed-pier, call: { path: "/berths/W{n}" }, answer: { status: 423, text: washed away } }]
      impairOperations: { listDues: { errors: { rate: 100%, status: 500 } } }
    tides: { off: true }
- name: fair
  buildsOn: calm
  services: { moorings: { mappingsOff: [closed-pier], impairMappings: { turns: { errors: { next: 1, status: 418 } } } } }
- name: lull
  buildsOn: storm
  services:
    moorings: { examples: { getBerth: free, listBerths: two-free } }
    tides: { off: false }
`

// situated is a demo with these scenarios.
func situated(t testing.TB) *service {
	s := startDemo(t)
	_, err := s.api.PutMappings(t.Context(), "moorings", []byte(`{ id: everybody, rank: 900, call: { operation: getBerth }, answer: { json: { shared: true } } }`))
	require.NoError(t, err)
	text := strings.ReplaceAll(situations, "getBerth: free, ", "getBerth: "+exampleOf(t, s, "getBerth", 200)+", ")
	_, err = s.api.PutScenarios(t.Context(), []byte(text))
	require.NoError(t, err)
	return s
}

// exampleOf is the first example of an operation with a status.
func exampleOf(t testing.TB, s *service, operation string, status int) string {
	op, err := s.api.Operation(t.Context(), "moorings", operation)
	require.NoError(t, err)
	for _, e := range op.Examples {
		if e.Status == status {
			return e.Name
		}
	}
	t.Fatalf("%s has no example with status %d", operation, status)
	return ""
}

func (s *service) use(scenario, lane string) {
	s.t.Helper()
	_, err := s.api.UseScenario(s.t.Context(), lane, scenario, 0)
	require.NoError(s.t, err, scenario)
}

// says makes a call and tells in a line what came back: its status, and its body.
func (s *service) says(line string, headers ...string) string {
	s.t.Helper()
	resp, body := s.send(line, "", headers...)
	return fmt.Sprint(resp.StatusCode, " ", body)
}

func codeOf(err error) problem.Code {
	var p *problem.Error
	if errors.As(err, &p) {
		return p.Code
	}
	return ""
}

func TestScenarios(t *testing.T) {
	t.Parallel()
	s := situated(t)
	probes := []string{"GET /moorings/berths/N7", "GET /moorings/berths/W1", "GET /moorings/berths", "GET /moorings/dues", "GET /tides/notice", "GET /tides/stations"}
	look := func() (seen []string) {
		for _, probe := range probes {
			seen = append(seen, s.says(probe))
		}
		return seen
	}
	before := look()
	assert.Contains(t, before[0], "shared", "a mapping of high rank answers")
	for _, k := range []struct {
		scenario string
		want     []string // of each probe
	}{
		{"calm", []string{"404 .*Not in our books", "423 closed", "200 .*two|200 .*N7", "200", "404 .*mapping|404", "200"}},
		{"storm", []string{"404 .*Not in our books", "423 washed away", `200 \{"total":0`, "500", "503 .*switched off by scenario ..storm", "503"}},
		{"lull", []string{`200 .*"number":"N7"`, `200 .*"number":"W1"`, `200 .*"total":2`, "500", "404", "200"}},
	} {
		s.use(k.scenario, "")
		for i, seen := range look() {
			assert.Regexp(t, "(?s)^("+k.want[i]+")", seen, "%s under %s", probes[i], k.scenario)
		}
	}
	list, err := s.api.Calls(t.Context(), client.CallQuery{Limit: len(probes)})
	require.NoError(t, err)
	for _, call := range list.Items {
		assert.Equal(t, "lull", call.Scenario, "it stands on every call")
	}
	resp, _ := s.send("GET /moorings/berths", "")
	assert.Contains(t, resp.Header.Get("Rapid-Mimic"), `scenario="lull"`)

	// what was on before is undone, and what was put under it stays
	_, err = s.api.PutMappings(t.Context(), "moorings", []byte(`{ id: later, call: { path: /later }, answer: { text: stays } }`))
	require.NoError(t, err)
	left, err := s.api.LeaveScenario(t.Context(), "")
	require.NoError(t, err)
	assert.Equal(t, "lull", left.Before)
	assert.Equal(t, before[:3], look()[:3])
	assert.Equal(t, "200 stays", s.says("GET /moorings/later"))
	left, err = s.api.LeaveScenario(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, left.Before)
}

// What builds on another says where it differs; one that is used stays.
func TestScenariosBuildOnOneAnother(t *testing.T) {
	t.Parallel()
	s := situated(t)
	storm, err := s.api.Scenario(t.Context(), "storm")
	require.NoError(t, err)
	assert.Equal(t, []api.ScenarioDifference{{What: "mapping closed-pier of moorings", Here: "423 washed away", Instead: "423 closed", Of: `scenario "calm"`}}, storm.Differences)
	lull, err := s.api.Scenario(t.Context(), "lull")
	require.NoError(t, err)
	var what []string
	for _, d := range lull.Differences {
		what = append(what, d.What+" of "+d.Of)
	}
	assert.ElementsMatch(t, []string{`example of getBerth in moorings of scenario "calm"`, `example of listBerths in moorings of scenario "storm"`, `tides of scenario "storm"`}, what)

	assert.Equal(t, problem.Exists, codeOf(s.api.RemoveScenario(t.Context(), "calm")), "another builds on it")
	s.use("lull", "")
	assert.ErrorContains(t, s.api.RemoveScenario(t.Context(), "lull"), "everybody in no lane")

	s.use("fair", "") // which takes a mapping away from calm, and impairs another
	assert.Regexp(t, "^404 ", s.says("GET /moorings/berths/W1"))
	assert.Equal(t, []int{418, 200}, s.statuses("GET /moorings/turns", 2))
	s.use("lull", "")

	for document, want := range map[string]string{
		`{ name: storm, buildsOn: lull }`:                                                          "1:26: .*circle",
		`{ name: calm, buildsOn: strom }`:                                                          `scenario "strom" not found \(storm\?\)`,
		`{ name: x, services: { mooring: { off: true } } }`:                                        `service "mooring" not found \(moorings\?\)`,
		`{ name: x, services: { moorings: { examples: { listBerths: none } } } }`:                  `example "none" not found`,
		`{ name: x, services: { moorings: { examples: { listBerts: none-free } } } }`:              `operation "listBerts" not found \(listBerths\?\)`,
		`{ name: x, services: { moorings: { mode: relay } } }`:                                     "has no upstream to relay to",
		`{ name: x, services: { moorings: { mode: fast } } }`:                                      "answer or relay",
		`{ name: x, services: { moorings: { mappingsOff: [berth-under-repairs] } } }`:              `berth-under-repair\?`,
		`{ name: x, services: { moorings: { mappings: [{ call: { path: a }, answer: {} }] } } }`:   "/services/moorings/mappings/0/call/path|path",
		`{ name: x, services: { moorings: { mappings: [{ call: { path: /a }, anser: {} }] } } }`:   `"anser" is not a key of mapping \(answer\?\)`,
		`{ name: x, services: { moorings: { impair: {} } } }`:                                      "needs latency, errors",
		`{ name: x, services: { moorings: { impairOperations: { listBerth: { latency: 1s } } } }}`: `operation "listBerth" not found`,
		`{ name: x, impair: { connection: { line: canal } } }`:                                     `line "canal" not found`,
		`{ name: "x y" }`:          "the name of a scenario is",
		`{ name: x, service: {} }`: `"service" is not a key of scenario \(services\?\)`,
	} {
		_, err := s.api.PutScenarios(t.Context(), []byte(document))
		require.Error(t, err, document)
		assert.Regexp(t, want, err.Error(), document)
	}
	_, err = s.api.Scenario(t.Context(), "x")
	assert.Equal(t, problem.NotFound, codeOf(err), "nothing was kept")
	_, err = s.api.UseScenario(t.Context(), "", "strom", 0)
	assert.ErrorContains(t, err, "storm?")
	_, err = s.api.PutScenarios(t.Context(), []byte("- { name: y }\n- { name: y }\n"))
	assert.ErrorContains(t, err, "is used by scenario 1 of this document too")
}

// What is counted begins anew with each use, and by a reset; impairments that were
// switched on by themselves are in force as well.
func TestScenariosBeginAnew(t *testing.T) {
	t.Parallel()
	s := situated(t)
	for range 2 {
		s.use("calm", "")
		assert.Equal(t, "200 one", s.says("GET /moorings/turns"))
		assert.Equal(t, "200 two", s.says("GET /moorings/turns"))
	}
	require.NoError(t, s.api.ResetScenario(t.Context(), ""))
	assert.Equal(t, "200 one", s.says("GET /moorings/turns"))

	s.impair("moorings", `limit: { calls: 1, per: 1h }`)
	assert.Equal(t, []int{200, 429}, s.statuses("GET /moorings/turns", 2))
	require.NoError(t, s.api.ResetScenario(t.Context(), ""))
	assert.Equal(t, []int{200, 429}, s.statuses("GET /moorings/turns", 2))

	// one request may ask for another situation, which changes nothing for others
	assert.Regexp(t, `^200 \{"total":0`, s.says("GET /moorings/berths", `Rapid-Mimic: scenario="storm"`))
	assert.Regexp(t, "^400 .*calm.*lull.*storm", s.says("GET /moorings/berths", "Rapid-Mimic: scenario=hail"))
	_, err := s.api.PatchService(t.Context(), "moorings", []byte(`{"hints": false}`))
	require.NoError(t, err)
	_, err = s.api.RemoveImpairment(t.Context(), spec.Target{Service: "moorings"}, false)
	require.NoError(t, err)
	assert.Contains(t, s.says("GET /moorings/berths", `Rapid-Mimic: scenario="storm"`), `"total":2`, "hints are switched off")
}

// A scenario ends on its time, survives a restart, and follows a service that gets
// another name.
func TestScenariosLast(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	s := start(t, config.Config{Data: folder})
	_, err := s.api.PutService(t.Context(), "quay", spec.NewService("quay"), "")
	require.NoError(t, err)
	document := `{ name: full, services: { quay: { mappings: [{ id: m, call: { path: /a }, answer: { text: full } }] } } }`
	_, err = s.api.PutScenario(t.Context(), "full", []byte(document))
	require.NoError(t, err)
	used, err := s.api.UseScenario(t.Context(), "", "full", spec.Duration(time.Hour))
	require.NoError(t, err)
	assert.WithinDuration(t, time.Now().Add(time.Hour), *used.Until, time.Minute)
	s.stop()

	s = start(t, config.Config{Data: folder})
	assert.Equal(t, "200 full", s.says("GET /quay/a"))
	active, err := s.api.ActiveScenario(t.Context(), "")
	require.NoError(t, err)
	assert.Equal(t, used.Until, active.Until)
	renamed := spec.NewService("pier")
	_, err = s.api.PutService(t.Context(), "quay", renamed, "")
	require.NoError(t, err)
	assert.Equal(t, "200 full", s.says("GET /pier/a"))

	_, err = s.api.UseScenario(t.Context(), "", "full", spec.Duration(time.Millisecond))
	require.NoError(t, err)
	time.Sleep(5 * time.Millisecond)
	assert.Contains(t, s.says("GET /pier/a"), "404")
	require.NoError(t, s.api.RemoveService(t.Context(), "pier"))
	broken, err := s.api.Scenario(t.Context(), "full")
	require.NoError(t, err)
	require.Len(t, broken.Faults, 1)
	assert.Contains(t, broken.Faults[0].Detail, `service "pier" not found`)
}

// A scenario is made of what is on, and of calls; it brings the same about again.
func TestScenariosAreMade(t *testing.T) {
	t.Parallel()
	s := situated(t)
	_, err := s.api.RemoveMappings(t.Context(), "customs", client.Selection{IDs: []string{"desk-closed"}}) // which is switched off
	require.NoError(t, err)
	_, err = s.api.DraftScenario(t.Context(), api.ScenarioDraft{Name: "now"})
	assert.ErrorContains(t, err, "nothing to keep")
	s.impair("tides", `errors: { rate: 100%, status: 502 }`)
	s.impair("moorings/operation/listDues", `outage: { as: 503 }`)
	_, err = s.api.PatchService(t.Context(), "moorings", []byte(`{"examples": {"listBerths": "none-free"}}`))
	require.NoError(t, err)
	s.use("calm", "")
	proposal, err := s.api.DraftScenario(t.Context(), api.ScenarioDraft{Name: "now"})
	require.NoError(t, err)
	assert.Equal(t, "calm", proposal.Scenario.BuildsOn)
	assert.Equal(t, []string{`moorings: listBerths answers with example "none-free"`, "moorings: operation listDues: outage (503)", "tides: errors 100% with 502"}, proposal.Lines)

	first := []string{s.says("GET /moorings/berths"), s.says("GET /moorings/bookings/B-2041"), s.says("GET /tides/stations")}
	list, err := s.api.Calls(t.Context(), client.CallQuery{Limit: 3})
	require.NoError(t, err)
	ids := []string{list.Items[0].ID, list.Items[1].ID, list.Items[2].ID}
	seen, err := s.api.DraftScenario(t.Context(), api.ScenarioDraft{Name: "seen", Calls: ids})
	require.NoError(t, err)
	text, err := json.Marshal([]spec.Scenario{proposal.Scenario, seen.Scenario})
	require.NoError(t, err)
	_, err = s.api.RemoveImpairment(t.Context(), spec.Target{}, true)
	require.NoError(t, err)
	_, err = s.api.PutScenarios(t.Context(), text)
	require.NoError(t, err)
	s.use("seen", "")
	for i, line := range []string{"GET /moorings/berths", "GET /moorings/bookings/B-2041", "GET /tides/stations"} {
		assert.Equal(t, first[i], s.says(line), "as it was answered")
	}
	s.use("now", "")
	assert.Equal(t, []int{502}, s.statuses("GET /tides/stations", 1))
	_, err = s.api.DraftScenario(t.Context(), api.ScenarioDraft{Name: "x", Calls: []string{"nine"}})
	assert.ErrorContains(t, err, "is not a call id")
}

// With 32 callers at work, no call is answered by a mixture of two scenarios: its
// body, its limit and its mark are of one.
func TestSwitchingUnderLoad(t *testing.T) {
	s := startDemo(t)
	document := ""
	for _, name := range []string{"ebb", "flood"} {
		document += fmt.Sprintf("- name: %s\n  services:\n    moorings:\n      mappings: [{ id: tide, call: { path: /tide }, answer: { headers: [{ X-Tide: %s }], text: \"%s ${counter('calls') > 0}\" } }]\n      impair: { limit: { calls: %d, per: 1h } }\n",
			name, name, name, map[string]int{"ebb": 60_001, "flood": 60_002}[name])
	}
	_, err := s.api.PutScenarios(t.Context(), []byte(document))
	require.NoError(t, err)
	s.use("ebb", "")
	var stop atomic.Bool
	var made atomic.Int64
	seen := make(map[string]int)
	var mu sync.Mutex // guards seen
	var callers sync.WaitGroup
	shared := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 32}}
	defer shared.CloseIdleConnections()
	limits := regexp.MustCompile(`q=6000(\d)`)
	for range 32 {
		callers.Go(func() {
			for !stop.Load() {
				resp, err := shared.Get(s.traffic + "/moorings/tide")
				if err != nil {
					t.Error(err)
					return
				}
				body := make([]byte, 64)
				n, _ := resp.Body.Read(body)
				_ = resp.Body.Close()
				mark := regexp.MustCompile(`scenario="(\w+)"`).FindStringSubmatch(resp.Header.Get("Rapid-Mimic"))
				limit := limits.FindStringSubmatch(resp.Header.Get("RateLimit-Policy"))
				if len(mark) < 2 || len(limit) < 2 {
					t.Errorf("%s %v", body[:n], resp.Header)
					return
				}
				text := strings.Join([]string{string(body[:n]), resp.Header.Get("X-Tide"), limit[1], mark[1]}, " ")
				mu.Lock()
				seen[text]++
				mu.Unlock()
				made.Add(1)
			}
		})
	}
	for i := range 100 {
		name := []string{"flood", "ebb"}[i%2]
		s.use(name, "")
		assert.Contains(t, s.says("GET /moorings/tide"), name, "the next call is under it")
		for reached := made.Load() + 20; made.Load() < reached && !t.Failed(); { // so that calls are under each
			time.Sleep(time.Millisecond)
		}
	}
	stop.Store(true)
	callers.Wait()
	assert.Len(t, seen, 2, "%v", seen)
	assert.Positive(t, seen["ebb true ebb 1 ebb"])
	assert.Positive(t, seen["flood true flood 2 flood"])
}

// The fault that a scenario chooses for an operation of SOAP comes before mappings,
// and is the contract's; one who calls a service that is off gets a fault.
func TestScenariosOfSOAP(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	_, err := s.api.PutScenarios(t.Context(), []byte("- { name: unknown, services: { customs: { examples: { listHolds: 'REFUSED', askClearance: unknownManifest } } } }"))
	assert.ErrorContains(t, err, `example "REFUSED" not found`)
	_, err = s.api.PutScenarios(t.Context(), []byte("- { name: unknown, services: { customs: { examples: { askClearance: unknownManifest } } } }\n- { name: closed, services: { customs: { off: true } } }"))
	require.NoError(t, err)
	message := `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body><askClearance xmlns="https://customs.skerry-sound.example/cargo"><manifest>M-2041-SK</manifest></askClearance></e:Body></e:Envelope>`
	ask := func() (int, string) {
		resp, body := s.send("POST /customs/Desk", message, "Content-Type: text/xml", `SOAPAction: ""`)
		return resp.StatusCode, body
	}
	status, _ := ask()
	assert.Equal(t, 200, status)
	s.use("unknown", "")
	status, body := ask()
	assert.Equal(t, 500, status)
	assert.Contains(t, body, "unknownManifest")
	detail, err := s.api.Call(t.Context(), "c-2")
	require.NoError(t, err)
	assert.Equal(t, "contract", detail.Source)
	assert.Equal(t, `Answered by the contract: operation askClearance, fault "unknownManifest", its detail generated by draw 1 of this run, as scenario "unknown" asks.`, detail.Explanation.Sentence)
	resp, body := s.send("POST /customs/Desk", message, "Content-Type: text/xml", `SOAPAction: ""`, "Rapid-Mimic: lane=nobody")
	assert.Equal(t, 500, resp.StatusCode, "as SOAP 1.1 has it for every fault")
	assert.Contains(t, body, "Client</faultcode>")
	assert.Contains(t, body, `lane &#34;nobody&#34; not found`)
	s.use("closed", "")
	status, body = ask()
	assert.Equal(t, 503, status)
	assert.Contains(t, body, "Fault")
	assert.Contains(t, body, "switched off by scenario")
}
