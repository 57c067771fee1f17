package engine_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
)

// What belongs to one connection, and hints, which are for us, are not passed on.
func TestHeadersThatAreNotPassedOn(t *testing.T) {
	sent := call.Header{
		"Connection": {"keep-alive, X-Private", "x-more"}, "X-Private": {"1"}, "X-More": {"1"}, "Keep-Alive": {"timeout=5"}, "Te": {"trailers"}, "Trailer": {"X-Sum"},
		"Transfer-Encoding": {"chunked"}, "Upgrade": {"h2c"}, "Http2-Settings": {"AAMAAABkAAQ"}, "Proxy-Authorization": {"Basic x"}, "Proxy-Connection": {"close"}, "Proxy-Authenticate": {"Basic"},
		"Accept": {"text/plain", "*/*"}, "Authorization": {"Bearer x"}, "Rapid-Mimic": {"lane=mara"}, "Baggage": {"rapid-mimic.lane=mara, tenant=north"},
	}
	passed := call.Header{"Accept": {"text/plain", "*/*"}, "Authorization": {"Bearer x"}}
	both := call.Header{"Accept": passed["Accept"], "Authorization": passed["Authorization"], "Rapid-Mimic": sent["Rapid-Mimic"], "Baggage": sent["Baggage"]}
	assert.Equal(t, both, engine.EndToEnd(sent))
	passed["Baggage"], passed["Rapid-Mimic-Hops"] = []string{"tenant=north"}, []string{"0"}
	assert.Equal(t, passed, (&engine.Relay{}).RequestHeader(sent))
	assert.Equal(t, []string{"lane=mara"}, sent["Rapid-Mimic"], "what came stays as it is")
}

// A relayed call stays below the base path of the upstream, and does not go round in
// circles for ever.
func TestWhereRelaysLead(t *testing.T) {
	c, e := harbour(t, "")
	office := spec.NewService("office")
	office.Upstream, office.Mode = "https://real.example/v1/office", spec.ModeRelay
	_, err := c.CreateService(t.Context(), office)
	require.NoError(t, err)
	root := spec.NewService("root")
	root.Upstream, root.Mode = "https://real.example", spec.ModeRelay
	_, err = c.CreateService(t.Context(), root)
	require.NoError(t, err)
	for path, want := range map[string]string{
		"/office/desks/7": "https://real.example/v1/office/desks/7", "/office/a..b/...": "https://real.example/v1/office/a..b/...", "/root/../x": "https://real.example/../x",
		"/office": "https://real.example/v1/office", "/office/": "https://real.example/v1/office/", "/root": "https://real.example/",
		"/office/../admin": "", "/office/a/%2e%2e/admin": "", "/office/a/..%2fadmin": "", `/office/a/..%5cadmin`: "", "/office/..": "", "/office/..;x=1/admin": "", "/office/%zz": "",
	} {
		d := ask(e, "GET "+path)
		if want == "" {
			assert.Nil(t, d.Relay, path)
			assert.Equal(t, 400, d.Answer.Status, path)
			assert.Contains(t, string(d.Answer.Body), "leaves the upstream's base path", path)
			continue
		}
		require.NotNil(t, d.Relay, path)
		assert.Equal(t, want, d.Relay.Target.String())
	}
	d := ask(e, "GET /office/desks", "Rapid-Mimic-Hops: 7")
	require.NotNil(t, d.Relay)
	assert.Equal(t, []string{"8"}, d.Relay.RequestHeader(call.Header{})["Rapid-Mimic-Hops"])
	d = ask(e, "GET /office/desks", "Rapid-Mimic-Hops: 8")
	assert.Nil(t, d.Relay)
	assert.Equal(t, 508, d.Answer.Status)
	for _, nonsense := range []string{"-5", "x", ""} {
		d = ask(e, "GET /office/desks", "Rapid-Mimic-Hops: "+nonsense)
		assert.Equal(t, []string{"1"}, d.Relay.RequestHeader(call.Header{})["Rapid-Mimic-Hops"], nonsense)
	}
}

// Whoever follows what an upstream answers stays with us, as far as it leads below the
// upstream.
func TestAnswersOfUpstreamsLeadToUs(t *testing.T) {
	c, e := harbour(t, "")
	office := spec.NewService("office")
	office.Upstream, office.Mode = "https://real.example/v1", spec.ModeRelay
	_, err := c.CreateService(t.Context(), office)
	require.NoError(t, err)
	relay := ask(e, "GET /office/desks").Relay
	for name, values := range map[string]map[string]string{
		"Location": {
			"https://real.example/v1/desks/7?a=b#top": "/office/desks/7?a=b#top", "https://REAL.example/v1": "/office", "/v1/desks/%2f": "/office/desks/%2f",
			"https://other.example/v1/desks": "", "https://real.example/v12/desks": "", "/elsewhere": "", "desks/7": "", "http://[::1": "",
		},
		"Content-Location": {"/v1/desks/7": "/office/desks/7"},
		"Set-Cookie": {
			"k=v; Domain=real.example; Path=/v1/desks; Secure; HttpOnly; SameSite=None": "k=v; Path=/office/desks; HttpOnly",
			"k=v; Path=/v1; SameSite=Lax":        "k=v; Path=/office; SameSite=Lax",
			"k=v; Path=/v1/":                     "k=v; Path=/office",
			"k=v; Path=/other":                   "",
			"k=v; Expires=Fri, 01 May 2026 8:00": "",
		},
	} {
		for came, want := range values {
			out, changes := relay.AnswerHeader(call.Header{name: {came}})
			if want == "" {
				want = came
			}
			assert.Equal(t, []string{want}, out[name], came)
			assert.Len(t, changes, map[bool]int{true: 0, false: 1}[want == came], came)
		}
	}
	came := call.Header{"Alt-Svc": {`h3=":443"`}, "Etag": {`"1"`}}
	out, changes := relay.AnswerHeader(came)
	assert.Equal(t, call.Header{"Etag": {`"1"`}}, out)
	assert.Equal(t, []string{`Alt-Svc: h3=":443" was left out`}, changes)
	assert.Len(t, came, 2, "what came stays as it is")
}

// A contract that the upstream answers leads to us, where we have none of the service.
func TestContractsOfUpstreamsLeadToUs(t *testing.T) {
	c, e := harbour(t, "")
	office := spec.NewService("office")
	office.Upstream, office.Mode = "https://real.example/v1", spec.ModeRelay
	_, err := c.CreateService(t.Context(), office)
	require.NoError(t, err)
	finished := func(line string, got call.Answer) (string, []string) {
		r := request(line, "", "")
		r.Host = "mimic.example:7401"
		d := e.Decide(e.Place(t.Context(), r), r)
		require.NotNil(t, d.Relay, line)
		if !d.Relay.Edits() {
			return "", nil
		}
		changes := e.Finish(d, got)
		return string(d.Answer.Body), changes
	}
	xml := func(status int, kind, body string) call.Answer {
		return call.Answer{Status: status, Header: []call.Field{{Name: "Content-Type", Value: kind}}, Body: []byte(body)}
	}
	for came, want := range map[string]string{
		`<soap:address location="https://real.example/v1/desk"/>`:                                 `<soap:address location="http://mimic.example:7401/office/desk"/>`,
		`<soap:address location='http://inside:8080/v1/desk'/>`:                                   `<soap:address location='http://mimic.example:7401/office/desk'/>`,
		`<xs:import schemaLocation = "https://real.example/v1/desk?xsd=1&amp;x=2"/>`:              `<xs:import schemaLocation = "http://mimic.example:7401/office/desk?xsd=1&amp;x=2"/>`,
		`<wsa:Address> https://real.example/v1/desk</wsa:Address>`:                                `<wsa:Address> http://mimic.example:7401/office/desk</wsa:Address>`,
		`<definitions targetNamespace="https://real.example/v1/desk"/>`:                           "",
		`<x xsi:schemaLocation="https://real.example/v1/desk https://real.example/v1/desk.xsd"/>`: "",
		`<xs:import schemaLocation="desk.xsd"/>`:                                                  "",
		`<soap:address location="https://other.example/v1/other"/>`:                               "",
	} {
		got, changes := finished("GET /office/desk?WSDL", xml(200, "text/xml", came))
		if want == "" {
			want = came
		}
		assert.Equal(t, want, got)
		assert.Len(t, changes, map[bool]int{true: 0, false: 1}[want == came], came)
	}
	address := `<a location="https://real.example/v1/desk"/>`
	for line, edited := range map[string]bool{"GET /office/desk?xsd=1": true, "GET /office/desk?singleWsdl": true, "GET /office/desk?wsdl=Types.wsdl": true, "GET /office/desk": false, "GET /office/desk?wsdls": false, "POST /office/desk?wsdl": false} {
		got, _ := finished(line, xml(200, "text/xml", address))
		assert.Equal(t, edited, got != "", line)
	}
	for _, other := range []call.Answer{xml(404, "text/xml", address), xml(200, "text/plain", address)} {
		got, changes := finished("GET /office/desk?wsdl", other)
		assert.Equal(t, address, got)
		assert.Empty(t, changes)
	}
	office.KeepWithUs = false
	_, _, err = c.PutService(t.Context(), "office", office, "")
	require.NoError(t, err)
	got, _ := finished("GET /office/desk?wsdl", xml(200, "text/xml", address))
	assert.Empty(t, got, "callers may leave")
}

// A mapping sends a call on in its own words, and answers with what comes back in its
// own words, too.
func TestMappingsEditWhatIsRelayed(t *testing.T) {
	c, e := harbour(t, "")
	office := spec.NewService("office")
	office.Upstream = "https://real.example/v1"
	_, err := c.CreateService(t.Context(), office)
	require.NoError(t, err)
	mappings, err := spec.ReadMappings([]byte(`
- id: plain
  call: { path: /plain }
  answer: { from: upstream }
- id: edited
  call: { path: "/edited/{number}" }
  answer:
    from: upstream
    send:
      - { op: add, path: /headers/X-Desk, value: "${call.path.number}" }
    edit:
      - { op: test, path: /status, value: 200 }
      - { op: replace, path: /body/state, value: "${upstream.body.state + ' today'}" }
`))
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "office", mappings)
	require.NoError(t, err)
	d := ask(e, "GET /office/plain")
	require.NotNil(t, d.Relay)
	assert.Nil(t, d.Relay.Request, "it goes on as it came")
	d = ask(e, "GET /office/edited/7")
	require.NotNil(t, d.Relay)
	assert.Equal(t, []string{"7"}, d.Relay.Request.Header["X-Desk"])
	assert.Equal(t, "https://real.example/v1/edited/7", d.Relay.Target.String())

	answer := func(status int) call.Answer {
		d := ask(e, "GET /office/edited/7")
		e.Finish(d, call.Answer{Status: status, Header: []call.Field{{Name: "Content-Type", Value: "application/json"}}, Body: []byte(`{"state":"closed"}`)})
		assert.Equal(t, call.FromMapping, d.Source)
		return d.Answer
	}
	assert.JSONEq(t, `{"state":"closed today"}`, string(answer(200).Body))
	assert.JSONEq(t, `{"state":"closed"}`, string(answer(503).Body), "the test does not hold")
	office.Upstream = ""
	_, _, err = c.PutService(t.Context(), "office", office, "")
	require.NoError(t, err)
	d = ask(e, "GET /office/plain")
	assert.Equal(t, 502, d.Answer.Status)
	assert.Contains(t, string(d.Answer.Body), `Mapping \"plain\" takes its answer from the upstream of office, which has none.`)
}

// What goes to the upstream has the headers of the service, unless a mapping sets them, and
// goes where the variables of the view lead; where they lead nowhere, the caller is told.
func TestVariablesOfTheUpstream(t *testing.T) {
	c, e := harbour(t, "")
	given, err := spec.GivenVariables([]byte("{variables: {host: real.example, key: {secret: true, value: hush-hush-1}}}"), "")
	require.NoError(t, err)
	_, err = c.PutVariables(t.Context(), given.Document, "")
	require.NoError(t, err)
	office, err := spec.ReadServiceNamed([]byte("{upstream: 'https://${vars.host}/v1', upstreamHeaders: [{X-Key: '${vars.key}'}, {x-key: second}, {X-Desk: desk}], variables: {lost: {secret: true}}}"), "office")
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), office)
	require.NoError(t, err)
	mappings, err := spec.ReadMappings([]byte(`
- { id: plain, call: { path: /plain }, answer: { from: upstream } }
- { id: own, call: { path: /own }, answer: { from: upstream, send: [{ op: add, path: /headers/X-Key, value: "${vars.host}" }] } }
`))
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "office", mappings)
	require.NoError(t, err)
	d := ask(e, "GET /office/plain", "X-Key: mine", "X-Other: mine")
	require.NotNil(t, d.Relay)
	sent := d.Relay.RequestHeader(call.Header{"X-Key": {"mine"}, "X-Other": {"mine"}})
	assert.Equal(t, []string{"hush-hush-1", "second"}, sent["X-Key"])
	assert.Equal(t, []string{"mine"}, sent["X-Other"])
	last := d.Explanation.Steps[len(d.Explanation.Steps)-1]
	assert.Equal(t, "on the way to the upstream the service sets X-Key, x-key, X-Desk", last.String())
	d = ask(e, "GET /office/own")
	assert.Equal(t, []string{"real.example"}, d.Relay.RequestHeader(d.Relay.Request.Header)["X-Key"], "the mapping has the last word")
	assert.Equal(t, []string{"desk"}, d.Relay.RequestHeader(d.Relay.Request.Header)["X-Desk"])

	lane, err := spec.ReadLane([]byte("{when: {if: 'call.headers[\"x-tester\"] == vars.host'}, variables: {host: lane.example}}"), "night")
	require.NoError(t, err)
	_, err = c.OpenLane(t.Context(), lane, time.Now())
	require.NoError(t, err)
	assert.Equal(t, "https://lane.example/v1/plain", ask(e, "GET /office/plain", "X-Tester: real.example").Relay.Target.String(), "the rule of a lane sees what everybody has")
	assert.Equal(t, "https://real.example/v1/plain", ask(e, "GET /office/plain").Relay.Target.String())

	office.Mode, office.UpstreamHeaders = spec.ModeRelay, spec.Headers{{Name: "X-Key", Value: "${vars.lost}"}}
	_, _, err = c.PutService(t.Context(), "office", office, "")
	require.NoError(t, err)
	d = ask(e, "GET /office/any")
	assert.Nil(t, d.Relay)
	assert.Equal(t, 502, d.Answer.Status)
	assert.Contains(t, string(d.Answer.Body), "Service office cannot ask its upstream: header X-Key of the upstream: expression")
	assert.Contains(t, string(d.Answer.Body), "variable lost has no value here")
	_, err = c.StartRecording(t.Context(), "office", spec.Recording{Name: "r"})
	assert.ErrorContains(t, err, "variable lost has no value here")
}
