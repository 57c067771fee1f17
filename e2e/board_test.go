package e2e

import (
	"crypto/sha256"
	"crypto/x509"
	"encoding/base64"
	"encoding/pem"
	"net/http/httptest"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/demo"
	"rapidmimic.example/e2e/browser"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec/api"
)

// boarded is a demo with stand-ins behind its services, and a quay board that
// stays when the stand-ins are gone.
func boarded(t *testing.T) (s *service, standIns *httptest.Server, board string) {
	s = start(t, config.Config{Proxy: "127.0.0.1:0"})
	require.NoError(t, demo.SetUp(t.Context(), s.api))
	standIns = httptest.NewServer(demo.NewStandIns(time.Millisecond))
	t.Cleanup(standIns.Close)
	require.NoError(t, demo.SetUpstreams(t.Context(), s.api, standIns.URL))
	program := httptest.NewServer(demo.NewStandIns(0))
	t.Cleanup(program.Close)
	return s, standIns, program.URL + "/board/?services=" + s.traffic + "/{service}"
}

// open opens a page in a browser of its own or in the shared one.
func open(t *testing.T, b *browser.Browser, address string) *browser.Page {
	p, err := b.Open(address)
	require.NoError(t, err)
	t.Cleanup(p.Close)
	return p
}

func sharedBrowser(t *testing.T) *browser.Browser {
	chromiumStarted = true
	b, err := chromium()
	require.NoError(t, err)
	return b
}

const allGood = "document.querySelectorAll('[data-state=good]').length === 5"

// shown is what the board shows, without what tells the time.
func shown(t *testing.T, p *browser.Page) string {
	text, err := browser.Eval[string](p, "[...document.querySelectorAll('.shown')].map((e) => e.innerText).join('\\n')")
	require.NoError(t, err)
	return text
}

// The quay board is recorded, and played back without the real services; then one
// value is changed, and it shows.
func TestTheBoardIsRecordedAndPlayedBack(t *testing.T) {
	t.Parallel()
	s, standIns, board := boarded(t)
	for _, name := range demo.Services() {
		_, err := s.api.StartRecording(t.Context(), name, api.RecordingStart{Name: "the board"})
		require.NoError(t, err)
	}
	p := open(t, sharedBrowser(t), board)
	must(t, p.Wait(allGood))
	before := shown(t, p)
	assert.Contains(t, before, "845.00 NOK")
	assert.Contains(t, before, "A certificate is missing")
	for _, name := range demo.Services() {
		recorded, err := s.api.CheckRecording(t.Context(), name, "the board")
		require.NoError(t, err)
		for _, call := range recorded {
			assert.Empty(t, call.Deviations, "the stand-ins keep to the contract: %s %s", name, call.Path)
		}
		report, err := s.api.StopRecording(t.Context(), name, "the board", api.RecordingStop{})
		require.NoError(t, err)
		assert.NotEmpty(t, report.Mappings)
		for _, skipped := range report.Skipped {
			assert.Contains(t, skipped.Reason, "preflight")
		}
		if name == "customs" {
			assert.Contains(t, report.Mappings[len(report.Mappings)-1].Notes, "it comes before mapping nothing-held, which fits, too")
		}
	}
	standIns.Close()
	p = open(t, sharedBrowser(t), board)
	must(t, p.Wait(allGood))
	assert.Equal(t, before, shown(t, p), "played back, it is the same")

	list, err := s.api.Mappings(t.Context(), "moorings")
	require.NoError(t, err)
	changed := false
	for _, m := range list {
		if m.Answer.Text != nil && strings.HasPrefix(m.Call.Path, "/dues") {
			document, err := m.YAML()
			require.NoError(t, err)
			_, err = s.api.PutMappings(t.Context(), "moorings", []byte(strings.Replace(document, "845.00", "9845.00", 1)))
			require.NoError(t, err)
			changed = true
		}
	}
	require.True(t, changed)
	must(t, p.Press("Ask again"), p.WaitText("9845.00 NOK"))

	// and with the real ones gone, a relaying service says so to the page
	_, err = s.api.PatchService(t.Context(), "tides", []byte(`{"mode": "relay"}`))
	require.NoError(t, err)
	must(t, p.Press("Ask again"), p.WaitText("tides answered 502. Gave up after 3 tries."))
}

// Chromium itself goes through the proxy, and trusts the authority.
func TestTheBoardThroughTheProxy(t *testing.T) {
	t.Parallel()
	s, standIns, board := boarded(t)
	for _, name := range demo.Services() {
		_, err := s.api.PatchService(t.Context(), name, []byte(`{"hosts": ["`+name+`.skerry-sound.example"]}`))
		require.NoError(t, err)
		_ = s.api.RemoveMapping(t.Context(), name, "nothing-held") // of customs
		_, err = s.api.StartRecording(t.Context(), name, api.RecordingStart{Name: "the board", Hosts: []string{name + ".skerry-sound.example"}})
		require.NoError(t, err)
	}
	ca, err := s.api.Authority(t.Context())
	require.NoError(t, err)
	block, _ := pem.Decode([]byte(ca.PEM))
	certificate, err := x509.ParseCertificate(block.Bytes)
	require.NoError(t, err)
	digest := sha256.Sum256(certificate.RawSubjectPublicKeyInfo)
	b, err := browser.StartThrough(strings.TrimPrefix(ca.Proxy, "http://"), base64.StdEncoding.EncodeToString(digest[:]))
	require.NoError(t, err)
	defer b.Close()
	address, _, _ := strings.Cut(board, "?")
	address += "?services=https://{service}.skerry-sound.example"
	p := open(t, b, address)
	must(t, p.Wait(allGood))
	before := shown(t, p)
	for _, name := range demo.Services() {
		report, err := s.api.StopRecording(t.Context(), name, "the board", api.RecordingStop{})
		require.NoError(t, err)
		assert.NotEmpty(t, report.Mappings)
	}
	standIns.Close()
	p = open(t, b, address)
	must(t, p.Wait(allGood))
	assert.Equal(t, before, shown(t, p))
	list, err := s.api.Calls(t.Context(), client.CallQuery{Limit: 100})
	require.NoError(t, err)
	for _, c := range list.Items { // connections that the browser had no use for are none of them
		detail, err := s.api.Call(t.Context(), c.ID)
		require.NoError(t, err)
		assert.Equal(t, "HTTP/2.0", detail.Protocol, detail.Explanation.Sentence)
	}
}

// How the board takes a bad day: each kind of trouble can be told from the others.
func TestTheBoardOnABadDay(t *testing.T) {
	t.Parallel()
	s, _, board := boarded(t)
	part := func(id, text string) string {
		return "document.querySelector('#" + id + " .told').textContent.includes(" + strconv.Quote(text) + ")"
	}
	p := open(t, sharedBrowser(t), board)
	must(t, p.Wait(allGood))
	for _, day := range []struct{ service, document, part, told string }{
		{"tides/operation/getLevel", `latency: 4s`, "level", "tides takes its time"},
		{"moorings/operation/listDues", `limit: { calls: 1, per: 1h }`, "dues", "moorings asks us to call less often (429)"},
		{"customs", `connection: drop`, "holds", "customs cannot be reached: the connection failed before an answer. Gave up after 3 tries."},
		{"moorings/operation/listBerths", `connection: cut-body`, "berths", "moorings was cut off in the middle of its answer. Gave up after 3 tries."},
		{"tides/operation/listWarnings", `errors: { rate: 100%, status: 503 }`, "warnings", "tides answered 503. Gave up after 3 tries."},
	} {
		s.impair(day.service, day.document)
		if day.part == "dues" { // the first call is within the limit
			must(t, p.Press("Ask again"), p.Wait("document.querySelector('#dues').dataset.state === 'good'"))
		}
		must(t, p.Wait("!document.querySelector('[data-state=asking]')"), p.Press("Ask again"), p.Wait(part(day.part, day.told)))
	}
	_, err := s.api.SwitchImpairments(t.Context(), true)
	require.NoError(t, err)
	p = open(t, sharedBrowser(t), board)
	must(t, p.Wait(allGood))
}

// What the real services of the port answer keeps to their contracts, whatever they
// are asked.
func TestTheStandInsKeepToTheContracts(t *testing.T) {
	t.Parallel()
	s, _, _ := boarded(t)
	for _, name := range demo.Services() {
		_, err := s.api.PatchService(t.Context(), name, []byte(`{"mode": "relay"}`))
		require.NoError(t, err)
	}
	booking := `{"vessel": {"name": "Bold Curlew", "callSign": "SKC07", "lengthMetres": 11}, "from": "2026-12-01", "until": "2026-12-03"}`
	warning := `{"id": "4c1be7d2-50a1-4c68-9f0e-8f3c5b7a9d12", "severity": "notice", "text": "Fog.", "areas": ["roads"], "from": "2026-12-01T06:00:00Z"}`
	message := func(body string) string {
		return `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body>` + body + `</e:Body></e:Envelope>`
	}
	cargo := ` xmlns="https://customs.skerry-sound.example/cargo"`
	for _, k := range []struct {
		line, body, mediaType string
		status                int
	}{
		{"GET /moorings/berths?free=true", "", "", 200}, {"GET /moorings/berths/N7", "", "", 200}, {"GET /moorings/berths/N99", "", "", 404},
		{"PATCH /moorings/berths/N13", `{"state": "free"}`, "application/merge-patch+json", 200}, {"GET /moorings/berths/S4/bookings?from=2026-12-01", "", "", 200},
		{"POST /moorings/berths/N13/bookings", booking, "application/json", 201}, {"GET /moorings/bookings/B-3001", "", "", 200},
		{"PUT /moorings/bookings/B-2041", booking, "application/json", 200}, {"DELETE /moorings/bookings/B-2042", "", "", 204}, {"DELETE /moorings/bookings/B-2042", "", "", 404},
		{"GET /moorings/dues", "", "", 200}, {"GET /tides/stations", "", "", 200}, {"GET /tides/stations/inner-quay/tides?date=2026-12-01", "", "", 200},
		{"GET /tides/stations/inner-quay/level", "", "", 200}, {"GET /tides/warnings?severity=danger", "", "", 200}, {"POST /tides/warnings", warning, "application/json", 201},
		{"GET /tides/warnings", "", "", 200}, {"DELETE /tides/warnings/4c1be7d2-50a1-4c68-9f0e-8f3c5b7a9d12", "", "", 204},
		{"POST /customs/Desk", message("<listHolds" + cargo + "/>"), "text/xml", 200}, {"POST /customs/Desk", message("<askClearance" + cargo + "><manifest>M-2040-SK</manifest></askClearance>"), "text/xml", 200},
		{"POST /customs/Desk", message("<askClearance" + cargo + "><manifest>M-1111-SK</manifest></askClearance>"), "text/xml", 200},
	} {
		headers := []string{"Accept: application/json"}
		if k.mediaType != "" {
			headers = append(headers, "Content-Type: "+k.mediaType)
		}
		resp, body := s.send(k.line, k.body, headers...)
		assert.Equal(t, k.status, resp.StatusCode, "%s: %s", k.line, body)
		detail, err := s.api.Call(t.Context(), callID(resp))
		require.NoError(t, err)
		assert.NotEmpty(t, detail.Operation, k.line)
		for _, d := range detail.DeviationList {
			assert.NotEqual(t, "answer", d.Side, "%s %s: %s", k.line, d.Where, d.Detail)
		}
	}
}

// Under "nothing found" and under "server dead" the board shows things that a user
// can tell apart, in two lanes at the same moment.
func TestTheBoardUnderScenarios(t *testing.T) {
	t.Parallel()
	s, _, board := boarded(t)
	s.lane(`{ name: empty, scenario: nothing-found }`)
	s.lane(`{ name: dead, scenario: tides-dead }`)
	inLane := func(lane string) string {
		return strings.Replace(board, s.traffic+"/{service}", s.traffic+"/@"+lane+"/{service}", 1)
	}
	told := func(id, text string) string {
		return "document.querySelector('#" + id + "').innerText.includes(" + strconv.Quote(text) + ")"
	}
	empty, dead := open(t, sharedBrowser(t), inLane("empty")), open(t, sharedBrowser(t), inLane("dead"))
	must(t, empty.Wait(allGood), empty.Wait(told("warnings", "No warning is in force.")), empty.Wait(told("berths", "No berth is free.")), empty.Wait(told("holds", "Nothing is held.")))
	must(t, dead.Wait(told("warnings", "tides cannot be reached: the connection failed before an answer. Gave up after 3 tries.")), dead.Wait(told("berths", "N7")))
	shared := open(t, sharedBrowser(t), board)
	must(t, shared.Wait(allGood), shared.Wait(told("berths", "N7")))

	// one switch, and the same board sees the other situation with its next question
	s.use("customs-holds", "empty")
	must(t, empty.Press("Ask again"), empty.Wait(told("holds", "M-2041-SK")), empty.Wait(told("berths", "N7")))
	_, err := s.api.LeaveScenario(t.Context(), "dead")
	require.NoError(t, err)
	must(t, dead.Press("Ask again"), dead.Wait(allGood))
	calls, err := s.api.Calls(t.Context(), client.CallQuery{Text: "scenario:nothing-found deviates"})
	require.NoError(t, err)
	assert.Empty(t, calls.Items, "what the scenarios answer keeps to the contracts")
}
