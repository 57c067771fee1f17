package engine_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// An answer that a call wants somewhere else is sent there by the rules of callbacks, after a 202; where
// the service makes none it goes back, and that is told.
func TestAnswersThatGoElsewhere(t *testing.T) {
	c, e := customs(t)
	set := func(callbacks spec.Callbacks) {
		settings := c.Snapshot().Named("customs").Spec
		settings.Callbacks = callbacks
		_, _, err := c.PutService(t.Context(), "customs", settings, "")
		require.NoError(t, err)
	}
	asked := func(replyTo, hops string) *engine.Decision {
		header := ""
		if replyTo != "" {
			header = `<e:Header><a:MessageID xmlns:a="http://www.w3.org/2005/08/addressing">urn:1</a:MessageID><a:ReplyTo xmlns:a="http://www.w3.org/2005/08/addressing"><a:Address>` + replyTo + `</a:Address></a:ReplyTo></e:Header>`
		}
		r := request("POST /customs/Desk", "", `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/">`+header+`<e:Body><askClearance xmlns="https://customs.skerry-sound.example/cargo"><manifest>M-2041-SK</manifest></askClearance></e:Body></e:Envelope>`)
		r.Header["Rapid-Mimic-Hops"] = []string{hops}
		return e.Decide(e.Place(t.Context(), r), r)
	}
	const to = "http://quay.example/in"
	d := asked(to, "")
	assert.Equal(t, 200, d.Answer.Status)
	assert.Empty(t, d.Callbacks)
	assert.Contains(t, stepsOf(d), "not made: callbacks of customs are off")
	set(spec.Callbacks{On: true, Pace: spec.Pace{Times: 3, Retries: 2}})
	d = asked(to, "2")
	assert.Equal(t, []any{202, 0}, []any{d.Answer.Status, len(d.Answer.Body)})
	require.Len(t, d.Callbacks, 1)
	made := d.Callbacks[0]
	assert.Equal(t, []any{"answer to ReplyTo", to, "POST", "customs", 1, 2}, []any{made.By, made.Target, made.Method, made.Service, made.Times, made.Retries})
	assert.Contains(t, string(made.Body), ":RelatesTo>urn:1</")
	assert.Equal(t, []string{"3"}, made.Header["Rapid-Mimic-Hops"])
	assert.Equal(t, []string{"text/xml; charset=utf-8"}, made.Header["Content-Type"])
	assert.Contains(t, stepsOf(d), "calls POST "+to)
	for address, told := range map[string]string{"http://www.w3.org/2005/08/addressing/none": "the call wants no answer", "mailto:quay": "is no address"} {
		d = asked(address, "")
		assert.Empty(t, d.Callbacks)
		assert.Contains(t, stepsOf(d), told)
		assert.Equal(t, map[string]int{"the call wants no answer": 202, "is no address": 200}[told], d.Answer.Status)
	}
	d = asked(to, "9")
	assert.Equal(t, 200, d.Answer.Status, "in a circle it comes back")
	assert.Contains(t, stepsOf(d), "the call has passed 9 services")
	d = asked("", "")
	assert.Equal(t, []any{200, 0, call.FromContract}, []any{d.Answer.Status, len(d.Callbacks), d.Source})
	settings := c.Snapshot().Named("customs").Spec
	settings.Conformance = spec.ConformanceRefuse
	_, _, err := c.PutService(t.Context(), "customs", settings, "")
	require.NoError(t, err)
	bad := request("POST /customs/Desk", "", `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Header><a:FaultTo xmlns:a="http://www.w3.org/2005/08/addressing"><a:Address>`+to+`</a:Address></a:FaultTo></e:Header><e:Body><askClearance xmlns="https://customs.skerry-sound.example/cargo"/></e:Body></e:Envelope>`)
	d = e.Decide(e.Place(t.Context(), bad), bad)
	require.Len(t, d.Callbacks, 1, "refusals go where faults go")
	assert.Equal(t, []any{202, "answer to FaultTo"}, []any{d.Answer.Status, d.Callbacks[0].By})
	assert.Contains(t, string(d.Callbacks[0].Body), "faultcode>soap:Client<")
}

// Every text of a fault may hold expressions; in its detail values are escaped.
func TestFaultsWithExpressions(t *testing.T) {
	c, e := customs(t)
	fault := func(written string) *engine.Decision {
		list, err := spec.ReadMappings([]byte(`{id: held, call: {operation: askClearance}, answer: {let: {m: "${xpath(call.text, '//manifest')}"}, fault: ` + written + `}}`))
		require.NoError(t, err)
		_, _, err = c.PutMappings(t.Context(), "customs", list)
		require.NoError(t, err)
		r := request("POST /customs/Desk", "", `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body><askClearance xmlns="https://customs.skerry-sound.example/cargo"><manifest>M&amp;1</manifest></askClearance></e:Body></e:Envelope>`)
		return e.Decide(e.Place(t.Context(), r), r)
	}
	body := string(fault(`{code: "${m == '' ? 'Client' : '{urn:desk}Held'}", subcode: "{urn:desk}${'Twice'}", text: "${m} is held", role: "urn:${1 + 1}", detail: "<d:of xmlns:d='urn:d'>${m}</d:of>"}`).Answer.Body)
	for _, want := range []string{`<faultcode>n2:Twice</faultcode>`, `<faultstring>M&amp;1 is held<`, `<faultactor>urn:2<`, `<detail><d:of xmlns:d='urn:d'>M&amp;1</d:of></detail>`} {
		assert.Contains(t, body, want)
	}
	d := fault(`{code: Client, text: "${call.header['X'][0]}"}`)
	assert.Equal(t, 500, d.Answer.Status)
	assert.Contains(t, string(d.Answer.Body), "Mapping &#34;held&#34; answers this call, but fault: ")
}

// What goes wrong is told to callers of a SOAP service as a fault, in the version of their message, also
// where the message itself was not held; who comes by another method is told which one there is.
func TestRefusalsInTheWordsOfSOAP(t *testing.T) {
	c, e := customs(t)
	settings := c.Snapshot().Named("customs").Spec
	settings.Upstream, settings.Mode = "http://upstream.example", spec.ModeRelay
	_, _, err := c.PutService(t.Context(), "customs", settings, "")
	require.NoError(t, err)
	r := request("POST /customs/Desk12", "", "")
	r.Header["Content-Type"] = []string{"application/soap+xml; charset=utf-8"}
	place := func() *engine.Placed { return e.Place(t.Context(), r) }
	unreached := e.Decide(place(), r)
	engine.Unreached(unreached, 502, "the connection was refused")
	assert.Equal(t, call.FromUpstream, unreached.Source)
	for says, d := range map[string]*engine.Decision{
		"Receiver the connection was refused": unreached, "Sender bodies over 100 bytes": engine.TooLarge(place(), r, 100), "Receiver take all the memory": engine.NoMemory(place(), r), "Sender broke off after 7 bytes": engine.Incomplete(place(), r, 7, "EOF"),
	} {
		code, text, _ := strings.Cut(says, " ")
		assert.Equal(t, "application/soap+xml; charset=utf-8", d.Answer.Get("Content-Type"), says)
		assert.Contains(t, string(d.Answer.Body), "<soap:Value>soap:"+code+"</soap:Value>")
		assert.Contains(t, string(d.Answer.Body), text)
	}
	settings.Mode = spec.ModeAnswer
	_, _, err = c.PutService(t.Context(), "customs", settings, "")
	require.NoError(t, err)
	for line, want := range map[string]string{"GET /customs/Desk": "405 POST", "PUT /customs": "405 POST", "OPTIONS /customs/Desk12": "405 POST", "GET /customs/Nothing": "404 "} {
		d := ask(e, line)
		assert.Equal(t, want, fmt.Sprintf("%d %s", d.Answer.Status, d.Answer.Get("Allow")), line)
	}
}

// The upstream of a SOAP service is its port, whatever ours are called; its contract is ours also while
// it relays.
func TestRelayingSOAP(t *testing.T) {
	c, e := customs(t)
	relayed := func(upstream, line string) *engine.Decision {
		settings := c.Snapshot().Named("customs").Spec
		settings.Upstream, settings.Mode = upstream, spec.ModeRelay
		_, _, err := c.PutService(t.Context(), "customs", settings, "")
		require.NoError(t, err)
		return ask(e, line)
	}
	for line, want := range map[string]string{
		"POST /customs/Desk":            "http://real.example/office/port",
		"POST /customs":                 "http://real.example/office/port",
		"POST /customs/?trace=1":        "http://real.example/office/port?trace=1",
		"POST /customs/other/path":      "http://real.example/office/port/other/path",
		"GET /customs/Desk12?singleWsd": "http://real.example/office/port?singleWsd",
	} {
		d := relayed("http://real.example/office/port", line)
		require.NotNil(t, d.Relay, line)
		assert.Equal(t, want, d.Relay.Target.String(), line)
	}
	assert.Equal(t, "https://customs.skerry-sound.example/desk", "https://customs.skerry-sound.example"+relayed("http://real.example", "POST /customs/Desk").Relay.Target.Path, "as the contract has it")
	settings := c.Snapshot().Named("customs").Spec
	settings.Hosts = []string{"customs.skerry-sound.example"}
	_, _, err := c.PutService(t.Context(), "customs", settings, "")
	require.NoError(t, err)
	r := request("POST /Desk", "", "")
	r.Host = "customs.skerry-sound.example"
	assert.Equal(t, "http://real.example/Desk", e.Decide(e.Place(t.Context(), r), r).Relay.Target.String(), "who takes us for the real service asks at its addresses")
	d := relayed("http://real.example/office/port", "GET /customs?wsdl")
	assert.Nil(t, d.Relay)
	assert.Equal(t, []any{200, call.FromSelf}, []any{d.Answer.Status, d.Source})
	assert.Contains(t, string(d.Answer.Body), "/customs/Desk")
}

// A message that comes again is refused by its nonce, in each lane by itself; who only asks why uses none
// up.
func TestNoncesOfMessages(t *testing.T) {
	c, e := customs(t)
	settings := c.Snapshot().Named("customs").Spec
	settings.Users, settings.Security = map[string]string{"mara": "maraPassword"}, spec.SecurityRefuse
	settings.Variables = map[string]spec.Variable{"maraPassword": {Value: tree.NewString("high tide"), Secret: true}}
	_, _, err := c.PutService(t.Context(), "customs", settings, "")
	require.NoError(t, err)
	_, err = c.OpenLane(t.Context(), spec.NewLane("mara"), time.Now())
	require.NoError(t, err)
	message := func(at, nonce string) *call.Request {
		const wsse = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd"
		return request("POST "+at, "", `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Header><s:Security xmlns:s="`+wsse+`"><s:UsernameToken><s:Username>mara</s:Username><s:Password>high tide</s:Password><s:Nonce>`+nonce+
			`</s:Nonce></s:UsernameToken></s:Security></e:Header><e:Body><askClearance xmlns="https://customs.skerry-sound.example/cargo"><manifest>M-2041-SK</manifest></askClearance></e:Body></e:Envelope>`)
	}
	status := func(at, nonce string) int {
		r := message(at, nonce)
		return e.Decide(e.Place(t.Context(), r), r).Answer.Status
	}
	assert.Equal(t, 200, e.Explain(t.Context(), message("/customs/Desk", "one")).Answer.Status)
	assert.Equal(t, []int{200, 500, 200, 200, 500}, []int{status("/customs/Desk", "one"), status("/customs/Desk", "one"), status("/customs/Desk", "two"), status("/@mara/customs/Desk", "one"), status("/@mara/customs/Desk", "one")})
	r := message("/customs/Desk", "one")
	d := e.Decide(e.Place(t.Context(), r), r)
	assert.Contains(t, string(d.Answer.Body), "FailedAuthentication")
	assert.Contains(t, string(d.Answer.Body), "was used before")
}
