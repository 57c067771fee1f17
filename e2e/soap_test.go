package e2e

import (
	"io"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/tree"
)

// TestSOAPClients lets three clients read the served contract and call every
// operation and fault in both versions. Two of them have no one-way call.
func TestSOAPClients(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	for name, c := range map[string]struct {
		command []string
		lines   int
	}{
		"node":   {[]string{"node", "judges/soap.mjs"}, 10},
		"python": {[]string{"/usr/bin/python3", "judges/zeep_client.py"}, 12},
		"php":    {[]string{"php", "judges/client.php"}, 12},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := exec.LookPath(c.command[0])
			require.NoError(t, err, "make test installs it")
			out, err := exec.Command(c.command[0], append(c.command[1:], s.traffic+"/customs?wsdl")...).CombinedOutput()
			require.NoError(t, err, "%s", out)
			assert.Len(t, strings.Split(strings.TrimSpace(string(out)), "\n"), c.lines, "%s", out)
		})
	}
	list, err := s.api.Calls(t.Context(), client.CallQuery{Service: "customs", Text: "deviates"})
	require.NoError(t, err)
	for _, call := range list.Items {
		detail, err := s.api.Call(t.Context(), call.ID)
		require.NoError(t, err)
		assert.Empty(t, detail.DeviationList, "%s %s", call.By, detail.Request.Body)
	}
}

// A client with WS-Addressing and WS-Security is understood, and refused with a password that is wrong;
// what it sends of it is in no log.
func TestSOAPHeadersOfAClient(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	require.NoError(t, s.api.SetVariables(t.Context(), client.VariableOwner{}, map[string]spec.Variable{"maraPassword": {Value: tree.NewString("high tide"), Secret: true}}))
	_, err := s.api.PatchService(t.Context(), "customs", []byte(`{"users": {"mara": "maraPassword"}, "security": "refuse"}`))
	require.NoError(t, err)
	out, err := exec.Command("/usr/bin/python3", "judges/zeep_headers.py", s.traffic+"/customs?wsdl").CombinedOutput()
	require.NoError(t, err, "%s", out)
	assert.Len(t, strings.Split(strings.TrimSpace(string(out)), "\n"), 8, "%s", out)
	list, err := s.api.Calls(t.Context(), client.CallQuery{Service: "customs", Text: "method:POST"})
	require.NoError(t, err)
	require.Len(t, list.Items, 8)
	deviate := 0
	for _, line := range list.Items {
		detail, err := s.api.Call(t.Context(), line.ID)
		require.NoError(t, err)
		assert.NotContains(t, detail.Request.Body, " tide")
		deviate += len(detail.DeviationList)
	}
	assert.Zero(t, deviate, "what was refused is listed as refused")
}

// A SOAP service is recorded at its own address, whatever our ports are called, and with our contract;
// mappings are told by operations, and what is played back is for the message that it answers.
func TestRecordingSOAP(t *testing.T) {
	t.Parallel()
	real, s := startDemo(t), startDemo(t)
	ctx := t.Context()
	_, err := s.api.PatchService(ctx, "customs", []byte(`{"upstream": "`+real.traffic+`/customs/Desk"}`))
	require.NoError(t, err)
	_, err = real.api.PutMappings(ctx, "customs", []byte("id: cleared\ncall: {operation: askClearance}\nanswer:\n  xml: <askClearanceResponse xmlns='https://customs.skerry-sound.example/cargo'><manifest>M-2041-SK</manifest><cleared>2026-12-01T10:00:00Z</cleared></askClearanceResponse>\n"))
	require.NoError(t, err)
	ask := func(path, message string) (status int, body, by string) {
		addressed := strings.Replace(clearance, "<soap:Body>", `<soap:Header><MessageID xmlns="http://www.w3.org/2005/08/addressing">urn:`+message+`</MessageID></soap:Header><soap:Body>`, 1)
		resp, body := s.send("POST "+path, addressed, "Content-Type: text/xml")
		return resp.StatusCode, body, resp.Header.Get("Rapid-Mimic")
	}
	_, err = s.api.StartRecording(ctx, "customs", api.RecordingStart{Name: "clearances"})
	require.NoError(t, err)
	resp, served := s.send("GET /customs?wsdl", "")
	assert.Equal(t, 200, resp.StatusCode)
	assert.Contains(t, served, `"`+s.traffic+`/customs/Desk"`, "clients stay with us while we record")
	status, recorded, by := ask("/customs/Desk", "first")
	assert.Equal(t, 200, status, recorded)
	assert.Contains(t, by, "source=upstream")
	assert.Contains(t, recorded, ":RelatesTo>urn:first</")
	assert.Contains(t, recorded, "<cleared>2026-12-01T10:00:00Z</cleared>")
	ask("/customs", "third")
	resp, _ = s.send("POST /customs", strings.Replace(clearance, "M-2041-SK", "M-2042-SK", 1), "Content-Type: text/xml")
	assert.Equal(t, 200, resp.StatusCode)
	report, err := s.api.StopRecording(ctx, "customs", "clearances", api.RecordingStop{})
	require.NoError(t, err)
	require.Len(t, report.Mappings, 2)
	for i, id := range []string{"askclearance", "askclearance-2"} {
		m := report.Mappings[i].Mapping
		assert.Equal(t, []any{id, "askClearance", "", 0}, []any{m.ID, m.Call.Operation, m.Call.Path, len(m.Sequence)})
		for _, c := range m.Call.Where {
			assert.Nil(t, c.Present, "nothing is asked for that is not there")
		}
	}
	_, err = s.api.PatchService(ctx, "customs", []byte(`{"upstream": ""}`))
	require.NoError(t, err)
	for _, path := range []string{"/customs/Desk", "/customs"} {
		_, again, by := ask(path, "second")
		assert.Contains(t, by, `source=mapping, by="askclearance"`)
		pattern := regexp.MustCompile(`(:MessageID>urn:uuid:)[^<]*|urn:first|urn:second`)
		assert.Equal(t, pattern.ReplaceAllString(recorded, "$1"), pattern.ReplaceAllString(again, "$1"), "else it is what was recorded, to the byte")
		assert.Contains(t, again, ":RelatesTo>urn:second</")
	}
}

// A service without a contract gets one of what was recorded, which the client that was recorded
// understands.
func TestAContractOfARecording(t *testing.T) {
	t.Parallel()
	real, s := startDemo(t), start(t, config.Config{})
	ctx := t.Context()
	document := spec.NewService("desk")
	document.Upstream = real.traffic + "/customs/Desk"
	_, err := s.api.CreateService(ctx, document)
	require.NoError(t, err)
	_, err = s.api.StartRecording(ctx, "desk", api.RecordingStart{Name: "first"})
	require.NoError(t, err)
	for _, manifest := range []string{"M-2041-SK", "M-2042-SK"} {
		resp, text := s.send("POST /desk", strings.Replace(clearance, "M-2041-SK", manifest, 1), "Content-Type: text/xml", `SOAPAction: "urn:skerry:askClearance"`)
		require.Equal(t, 200, resp.StatusCode, text)
	}
	_, err = s.api.StopRecording(ctx, "desk", "first", api.RecordingStop{})
	require.NoError(t, err)
	contract := s.run(t, "recording", "contract", "desk", "first")
	assert.NotContains(t, contract, "M-2041", "nothing of what was sent is in it")
	report, err := s.api.Import(ctx, client.Import{Text: []byte(contract), File: "desk.wsdl", Into: "desk"})
	require.NoError(t, err)
	assert.Empty(t, report.Warnings)
	_, err = s.api.PatchService(ctx, "desk", []byte(`{"conformance": "refuse", "upstream": ""}`))
	require.NoError(t, err)
	resp, text := s.send("POST /desk", strings.Replace(clearance, "M-2041-SK", "M-7777-SK", 1), "Content-Type: text/xml", `SOAPAction: "urn:skerry:askClearance"`)
	assert.Equal(t, 200, resp.StatusCode, text)
	assert.Contains(t, text, "manifest>M-7777-SK<", "by the contract, for a message that was never recorded")
	_, err = s.api.StartRecording(ctx, "desk", api.RecordingStart{Name: "none"})
	assert.Error(t, err, "there is no upstream any more")
}

// The contract of a running service is imported from its address, with all its parts, of that origin
// alone; what it then says is its own.
func TestImportingTheContractOfAService(t *testing.T) {
	t.Parallel()
	real, s := startDemo(t), start(t, config.Config{ImportURLs: true, ImportPrivate: true})
	report, err := s.api.Import(t.Context(), client.Import{From: real.traffic + "/customs?wsdl", Name: "desk"})
	require.NoError(t, err)
	assert.Equal(t, []string{"customs.wsdl", "cargo.xsd", "codes.xsd"}, report.Contract.Files)
	assert.Empty(t, report.Warnings)
	operations, err := s.api.Operations(t.Context(), "desk")
	require.NoError(t, err)
	assert.Len(t, operations, 4)
	resp, text := s.send("POST /desk/Desk", clearance, "Content-Type: text/xml")
	assert.Equal(t, 200, resp.StatusCode)
	assert.Contains(t, text, "manifest>M-2041-SK<")
	_, served := s.send("GET /desk?wsdl", "")
	assert.Contains(t, served, s.traffic+"/desk?xsd=cargo.xsd")
	assert.NotContains(t, served, real.traffic)
	out, err := exec.Command("/usr/bin/python3", "judges/zeep_client.py", s.traffic+"/desk?wsdl").CombinedOutput()
	require.NoError(t, err, "%s", out)

	var strangers atomic.Int64
	stranger := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { strangers.Add(1) }))
	defer stranger.Close()
	own := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/photos.wsdl" {
			_, _ = io.WriteString(w, strings.Replace(photoDesk, "<types>", `<types><xs:schema><xs:import namespace="urn:a" schemaLocation="`+stranger.URL+`/a.xsd"/><xs:import namespace="urn:b" schemaLocation="gone.xsd"/></xs:schema>`, 1))
			return
		}
		http.NotFound(w, r)
	}))
	defer own.Close()
	report, err = s.api.Import(t.Context(), client.Import{From: own.URL + "/photos.wsdl"})
	require.NoError(t, err)
	assert.Zero(t, strangers.Load(), "nobody else is asked")
	assert.Len(t, report.Warnings, 2)
}

const clearance = `<soap:Envelope xmlns:soap="http://schemas.xmlsoap.org/soap/envelope/"><soap:Body>` +
	`<askClearance xmlns="https://customs.skerry-sound.example/cargo"><manifest>M-2041-SK</manifest></askClearance></soap:Body></soap:Envelope>`

func TestSOAPMappingsFaultsAndRefusals(t *testing.T) {
	t.Parallel()
	s := startDemo(t)
	post := func(body string, headers ...string) (int, string, string) {
		resp, text := s.send("POST /customs", body, append(headers, "Content-Type: text/xml")...)
		return resp.StatusCode, text, resp.Header.Get("Rapid-Mimic")
	}
	status, text, by := post(clearance)
	assert.Equal(t, 200, status)
	assert.Contains(t, text, "manifest>M-2041-SK<", "echoed")
	assert.Contains(t, by, `by="askClearance"`)

	// a mapping on the operation, and a fault, each in the caller's version
	_, err := s.api.PutMappings(t.Context(), "customs", []byte("id: desk-closed\ncall: {operation: askClearance}\nanswer: {fault: {code: Server, text: closed, detail: <until xmlns='urn:n'>seven</until>}}\n"))
	require.NoError(t, err)
	status, text, by = post(clearance)
	assert.Equal(t, 500, status)
	assert.Contains(t, text, "<faultcode>soap:Server</faultcode><faultstring>closed</faultstring>")
	assert.Contains(t, text, ">seven<")
	assert.Contains(t, by, `source=mapping, by="desk-closed"`)
	resp, text := s.send("POST /customs/Desk12", strings.ReplaceAll(clearance, "http://schemas.xmlsoap.org/soap/envelope/", "http://www.w3.org/2003/05/soap-envelope"), "Content-Type: application/soap+xml")
	assert.Equal(t, "application/soap+xml; charset=utf-8", resp.Header.Get("Content-Type"))
	assert.Contains(t, text, "<soap:Value>soap:Receiver</soap:Value>")
	require.NoError(t, s.api.RemoveMapping(t.Context(), "customs", "desk-closed"))

	// hints, chosen faults, pins, refusals
	status, text, _ = post(clearance, `Rapid-Mimic: example="unknownManifest"`)
	assert.Equal(t, 500, status)
	assert.Contains(t, text, "unknownManifest")
	status, text, _ = post(clearance, `Rapid-Mimic: example="nope"`)
	assert.Equal(t, 500, status)
	assert.Contains(t, text, "its examples are unknownManifest")
	_, err = s.api.PatchService(t.Context(), "customs", []byte(`{"conformance": "refuse", "pins": {"askClearance": {"/manifest": "${'M-0000-' + 'AA'}"}}}`))
	require.NoError(t, err)
	_, text, _ = post(clearance)
	assert.Contains(t, text, "manifest>M-0000-AA<")
	status, text, by = post(strings.Replace(clearance, "M-2041-SK", "2041", 1))
	assert.Equal(t, 500, status)
	assert.Contains(t, text, "does not fit the pattern")
	assert.Contains(t, by, `by="contract-broken"`)

	// what is not understood says what was expected, and so does the log
	status, text, by = post(strings.ReplaceAll(clearance, "askClearance", "askClearence"))
	assert.Equal(t, 500, status)
	assert.Contains(t, text, "Closest is operation askClearance, which takes &lt;askClearance&gt;")
	assert.Contains(t, by, "source=miss")
	resp, text = s.send("GET /customs", "")
	assert.Equal(t, 405, resp.StatusCode)
	assert.Contains(t, text, "its contract at ?wsdl")
	resp, text = s.send("GET /customs?xsd=schemas/codes.xsd", "")
	assert.Equal(t, 200, resp.StatusCode)
	assert.Contains(t, text, "ManifestNumber")

	operations, err := s.api.Operations(t.Context(), "customs")
	require.NoError(t, err)
	for _, op := range operations {
		detail, err := s.api.Operation(t.Context(), "customs", op.ID)
		require.NoError(t, err)
		result, err := s.api.TestCall(t.Context(), "customs", detail.Try)
		require.NoError(t, err)
		assert.Equal(t, op.Status, result.Status, op.ID)
	}
	_, err = s.api.TestCall(t.Context(), "customs", api.TestCall{Method: "POST", Path: "/", Body: "{}"})
	require.NoError(t, err)
	_, err = s.api.PutMappings(t.Context(), "moorings", []byte("call: {operation: getBert}\nanswer: {json: {}}\n"))
	assert.ErrorContains(t, err, "getBerth?")
	_, err = s.api.PutMappings(t.Context(), "moorings", []byte("call: {path: /x}\nanswer: {fault: {code: Server, text: x}}\n"))
	assert.ErrorContains(t, err, "speaks plain HTTP, which has no faults")
	_, err = s.api.PutMappings(t.Context(), "moorings", []byte("id: by-name\ncall: {operation: getBerth}\nanswer: {status: 418}\n"))
	require.NoError(t, err)
	resp, _ = s.send("GET /moorings/berths/N7", "")
	assert.Equal(t, 418, resp.StatusCode)
}
