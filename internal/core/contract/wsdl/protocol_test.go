package wsdl_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/wsdl"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

const askClearance = `<askClearance xmlns="https://customs.skerry-sound.example/cargo"><manifest>M-2041-SK</manifest></askClearance>`

func draw() *sample.Draw { return sample.NewDraw(1, "a", 0) }

func TestHowAnOperationIsShown(t *testing.T) {
	c := readFolder(t, demo, "customs.wsdl")
	assert.Equal(t, []string{"soap", "true"}, []string{c.Protocol.Name(), map[bool]string{true: "true"}[c.Protocol.ByMessage()]})
	op := operation(t, c, "askClearance")
	assert.Equal(t, []string{"POST", "/Desk", "askClearance at /Desk"}, []string{op.Method, op.Template.String(), op.String()})
	require.NotNil(t, op.Body)
	assert.True(t, op.Body.Required)
	assert.Contains(t, string(op.Body.MediaTypes[0].Examples[0].Body), ":askClearance>")
	var shown []string
	for _, r := range op.Responses {
		shown = append(shown, r.Key)
		for _, m := range r.MediaTypes {
			assert.True(t, m.Drawn)
			shown = append(shown, m.Name, m.Examples[0].Name)
		}
	}
	assert.Equal(t, []string{"200", "text/xml; charset=utf-8", "", "500", "text/xml; charset=utf-8", "unknownManifest"}, shown)
	assert.Same(t, op.Responses[0], op.Success)
	assert.Equal(t, []contract.Fact{{Name: "action", Value: "urn:skerry:askClearance"}, {Name: "ports", Value: "Desk, SOAP 1.1; Desk12, SOAP 1.2"}, {Name: "style", Value: "document"}}, op.Facts)
	var fields []string
	for _, r := range []*contract.MediaType{op.Body.MediaTypes[0], op.Responses[0].MediaTypes[0], op.Responses[1].MediaTypes[0]} {
		for _, f := range r.Fields() {
			fields = append(fields, f.Path+" "+strings.Join(append([]string{f.Type}, f.Rules...), ", "))
		}
	}
	assert.Equal(t, []string{`manifest string, fits M-\d{4}-[A-Z]{2}`, `manifest string, fits M-\d{4}-[A-Z]{2}`, "cleared dateTime, or hold", "hold Hold, or cleared",
		`hold/manifest string, fits M-\d{4}-[A-Z]{2}`, "hold/since date", "hold/reason string", "hold/lines list of integer", `manifest string, fits M-\d{4}-[A-Z]{2}`, "message string"}, fields)
	assert.Equal(t, "header office/name", operation(t, c, "submitManifest").Body.MediaTypes[0].Fields()[0].Path)
	assert.Contains(t, op.Responses[1].Description, "fault unknownManifest")
	var addresses []string
	for _, template := range c.Protocol.Addresses(op) {
		addresses = append(addresses, template.String())
	}
	assert.Equal(t, []string{"/", "/Desk", "/Desk12", "/desk", "/desk12"}, addresses)

	try := c.Protocol.Try(op, draw())
	assert.Equal(t, []string{"POST", "/Desk", "text/xml; charset=utf-8"}, []string{try.Method, try.Address, try.Header.Get("Content-Type")})
	assert.NotEmpty(t, try.Header["Soapaction"])
	asked := c.Protocol.Dispatch(&try, []string{"Desk"})
	assert.Equal(t, "askClearance", asked.ID(), "what is tried is understood")
	assert.Empty(t, c.Protocol.CheckRequest(&asked, &match.Facts{Request: &try}))
}

func TestAnswersOfOperations(t *testing.T) {
	c := readFolder(t, demo, "customs.wsdl")
	for _, version := range []string{"1.1", "1.2"} {
		kind := map[string]string{"1.1": "text/xml; charset=utf-8", "1.2": "application/soap+xml; charset=utf-8"}[version]
		asked := send(c, "/", kind, "", envelope(version, askClearance))
		require.Nil(t, asked.Fault)
		op := asked.Operation
		answer := func(w contract.Wanted) contract.Built {
			w.Draw = draw
			built, err := c.Protocol.Answer(&asked, w)
			require.NoError(t, err)
			assert.Equal(t, kind, built.Answer.Get("Content-Type"))
			return built
		}
		plain := answer(contract.Wanted{Status: 200, MediaTypes: op.Success.MediaTypes})
		assert.Equal(t, 200, plain.Answer.Status)
		assert.Equal(t, kind, plain.MediaType.Name)
		assert.Empty(t, plain.Invalid+plain.Fault)
		assert.NotContains(t, string(plain.Answer.Body), "M-2041-SK")
		echoed := answer(contract.Wanted{Status: 200, MediaTypes: op.Success.MediaTypes, Echo: &match.Facts{}})
		assert.Equal(t, []string{"manifest"}, echoed.Echoed)
		assert.Contains(t, string(echoed.Answer.Body), "M-2041-SK")
		for _, w := range []contract.Wanted{{Example: "unknownManifest"}, {Status: 500, MediaTypes: op.Responses[1].MediaTypes}} {
			fault := answer(w)
			assert.Equal(t, []any{500, "unknownManifest"}, []any{fault.Answer.Status, fault.Fault})
			assert.Nil(t, fault.MediaType)
			assert.Empty(t, c.Protocol.CheckAnswer(op, &fault.Answer, true, nil))
		}
		assert.Empty(t, c.Protocol.CheckAnswer(op, &call.Answer{Body: []byte("no XML")}, false, nil), "what is not whole is not looked at")
		assert.NotEmpty(t, c.Protocol.CheckAnswer(op, &call.Answer{Body: []byte("no XML")}, true, nil))

		pins, faults := contract.CompilePins(map[string]*tree.Node{"/manifest": tree.NewString("M-1-PIN"), "/nothing": tree.NewString("x"), "/*": tree.NewString("${call.none}")})
		require.Empty(t, faults)
		_, _, err := c.Protocol.Pin(plain, pins, &expr.Scope{Call: map[string]any{}})
		assert.Error(t, err, "an expression without a value")
		pinned, names, err := c.Protocol.Pin(plain, pins[1:], &expr.Scope{})
		require.NoError(t, err)
		assert.Equal(t, []string{"/manifest"}, names)
		assert.Contains(t, string(pinned.Answer.Body), "M-1-PIN")
		none, names, err := c.Protocol.Pin(contract.Built{Answer: call.Answer{Status: 202}}, pins[1:], &expr.Scope{})
		require.NoError(t, err)
		assert.Empty(t, names)
		assert.Equal(t, 202, none.Answer.Status)
	}
}

// Mappings and refusals travel in the caller's version.
func TestEnvelopes(t *testing.T) {
	c := readFolder(t, demo, "customs.wsdl")
	envelopes := c.Protocol.(contract.Envelope)
	old, current := send(c, "/Desk", "text/xml", "", envelope("1.1", askClearance)), send(c, "/Desk12", "application/soap+xml", "", envelope("1.2", askClearance))
	for _, k := range []struct {
		asked  *contract.Asked
		fault  contract.Fault
		status int
		says   string
	}{
		{&old, contract.Fault{Text: "why", Detail: []string{"one", "two"}}, 500, "<faultcode>soap:Client</faultcode><faultstring>why</faultstring><detail>"},
		{&old, contract.Fault{Ours: true, Text: "why"}, 500, "<faultcode>soap:Server</faultcode>"},
		{&current, contract.Fault{Text: "why"}, 400, "<soap:Value>soap:Sender</soap:Value>"},
		{&current, contract.Fault{Ours: true, Text: "why"}, 500, "<soap:Value>soap:Receiver</soap:Value>"},
		{&current, contract.Fault{Code: "MustUnderstand", Text: "why"}, 500, "<soap:Value>soap:MustUnderstand</soap:Value>"},
	} {
		a, ok := envelopes.Refuse(k.asked, k.fault)
		assert.True(t, ok)
		assert.Equal(t, k.status, a.Status, "%+v", k.fault)
		assert.Contains(t, string(a.Body), k.says)
		for _, line := range k.fault.Detail {
			assert.Contains(t, string(a.Body), ">"+line+"<")
		}
	}
	get := c.Protocol.Dispatch(&call.Request{Method: "GET"}, nil)
	require.NotNil(t, get.Fault)
	assert.True(t, get.Fault.Foreign)
	assert.Equal(t, "messages come by POST, not GET", get.Fault.Finding.String())
	_, ok := envelopes.Refuse(&get, contract.Fault{})
	assert.False(t, ok, "who does not speak SOAP gets no fault")

	xml, typed := "<a/>", []call.Field{{Name: "Content-Type", Value: "application/xml"}, {Name: "X-A", Value: "b"}}
	dressed := envelopes.Dress(&old, call.Answer{Status: 200, Header: typed, Body: []byte(xml)}, &spec.Answer{XML: &xml})
	assert.Equal(t, []call.Field{{Name: "Content-Type", Value: "text/xml; charset=utf-8"}, {Name: "X-A", Value: "b"}}, dressed.Header)
	assert.Equal(t, "application/xml", typed[0].Value, "what calls share stays as it is")
	assert.Contains(t, string(dressed.Body), "<soap:Body><a/></soap:Body>")
	twice := envelopes.Dress(&old, call.Answer{Header: typed, Body: dressed.Body}, &spec.Answer{XML: &xml})
	assert.Equal(t, string(dressed.Body), string(twice.Body), "an envelope needs none")
	broken := envelopes.Dress(&old, call.Answer{Header: typed, Body: []byte("<a")}, &spec.Answer{XML: &xml})
	assert.Equal(t, "<a", string(broken.Body), "a program may want to be tested with that")
	text := envelopes.Dress(&old, call.Answer{Body: []byte("busy")}, &spec.Answer{})
	assert.Equal(t, "busy", string(text.Body))

	fault := func(asked *contract.Asked, status int, f spec.Fault) call.Answer {
		return envelopes.Dress(asked, call.Answer{}, &spec.Answer{Status: spec.Status{Code: status}, Fault: &f})
	}
	assert.Equal(t, 500, fault(&old, 0, spec.Fault{Code: "Client", Text: "closed"}).Status)
	assert.Equal(t, 400, fault(&current, 500, spec.Fault{Code: "Client", Text: "closed"}).Status, "500 is what faults have unless said otherwise")
	assert.Equal(t, 503, fault(&current, 503, spec.Fault{Code: "Client", Text: "closed"}).Status)
	assert.Contains(t, string(fault(&old, 0, spec.Fault{Code: "Server", Text: "closed", Detail: "<until>ten</until>"}).Body), "<until>ten</until>")
	assert.Contains(t, string(fault(&old, 0, spec.Fault{Code: "Server", Text: "closed", Detail: "until ten"}).Body), ">until ten<")
	assert.NotContains(t, string(fault(&old, 0, spec.Fault{Code: "Server", Text: "closed"}).Body), "<detail>")
}

func TestWhatIsNoMessage(t *testing.T) {
	c := readFolder(t, demo, "customs.wsdl")
	cut := &call.Request{Method: "POST", Header: call.Header{"Content-Type": {"text/xml"}}, Body: call.Body{Bytes: []byte(envelope("1.1", askClearance))[:90], Truncated: true}}
	assert.Contains(t, c.Protocol.Dispatch(cut, nil).Fault.Text, "not known to its end")
	parts := send(c, "/", "multipart/related; boundary=x", "", "--x")
	assert.Contains(t, parts.Fault.Text, "The body is not XML")
	for text, want := range map[string]bool{
		`<definitions xmlns="http://schemas.xmlsoap.org/wsdl/"/>`: true, `<w:definitions xmlns:w="http://schemas.xmlsoap.org/wsdl/"/>`: true,
		`<definitions/>`: false, `http://schemas.xmlsoap.org/wsdl/`: false, "openapi: 3.1.0": false, "": false, strings.Repeat(" ", 9000) + `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/"/>`: false,
	} {
		assert.Equal(t, want, wsdl.IsContract([]byte(text)), "%.60q", text)
	}
}

// Messages of one element hold documents; those of several parts, and encoded ones, do not.
func TestShapes(t *testing.T) {
	c := readFolder(t, constructs, "service.wsdl")
	documented := c.Protocol.(contract.Documented)
	var told []string
	for _, op := range c.Operations {
		request, answer := documented.Shapes(op)
		told = append(told, fmt.Sprint(op.ID, " ", request != nil, " ", answer != nil))
		for _, s := range []*contract.Schema{request, answer} {
			if s == nil {
				continue
			}
			for i := range uint64(20) {
				value, valid := s.Generate(sample.NewDraw(1, op.ID, i))
				assert.True(t, valid, "%s: %s", op.ID, value.AppendJSON(nil))
			}
			for _, p := range s.Properties() {
				value, valid := p.Schema.Generate(sample.NewDraw(1, op.ID, 0))
				assert.True(t, valid, "%s: %s %s %v", op.ID, p.Name, value.AppendJSON(nil), p.Schema.Check(value))
			}
		}
	}
	assert.Equal(t, []string{"everything true true", "builtins true true", "inline true true", "parted true false", "oneWay true false", "lost false false", "berths true true", "berths-2 true true", "berths-3 false false"}, told)
}

// An element that a pin fixes is there, however optional, in whichever branch.
func TestPinnedElementsAreThere(t *testing.T) {
	c := readText(t, dual, `<xs:element name="told"><xs:complexType><xs:sequence>`, `<xs:element name="told"><xs:complexType><xs:sequence><xs:choice minOccurs="0"><xs:element name="a" type="xs:int"/><xs:sequence minOccurs="0"><xs:element name="b" nillable="true" minOccurs="0"><xs:complexType><xs:sequence><xs:element name="c" minOccurs="0" maxOccurs="2" nillable="true" type="xs:int"/></xs:sequence></xs:complexType></xs:element></xs:sequence></xs:choice>`)
	asked := send(c, "/", "", "", envelope("1.1", ask))
	pins, _ := contract.CompilePins(map[string]*tree.Node{"/b/c": tree.NewNumber("7")})
	without := 0
	for i := range uint64(200) {
		wanted := contract.Wanted{Draw: func() *sample.Draw { return sample.NewDraw(1, "x", i) }}
		plain, err := c.Protocol.Answer(&asked, wanted)
		require.NoError(t, err)
		if !strings.Contains(string(plain.Answer.Body), ":c>") {
			without++
		}
		for _, pin := range pins {
			wanted.Held = append(wanted.Held, pin.Path())
		}
		held, err := c.Protocol.Answer(&asked, wanted)
		require.NoError(t, err)
		out, pinned, err := c.Protocol.Pin(held, pins, nil)
		require.NoError(t, err)
		require.Equal(t, []string{"/b/c"}, pinned, "%s", held.Answer.Body)
		require.Empty(t, c.Protocol.CheckAnswer(asked.Operation, &out.Answer, true, nil), "%s", out.Answer.Body)
	}
	assert.Greater(t, without, 50, "else it may be left out")
}

// XML of mappings goes out as it stands: its prefixes, also in values, comments, text among elements,
// several elements where a message has several parts.
func TestXMLOfMappingsStaysAsItIs(t *testing.T) {
	c := readText(t, dual)
	envelopes := c.Protocol.(contract.Envelope)
	asked := send(c, "/", "", "", envelope("1.2", ask))
	const typed = `<e:told xmlns:e="urn:harbour" xmlns:ens="urn:types" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"><e:berth xsi:type="ens:Berth">N7 <b>or</b> N8<!-- both --><![CDATA[ & more]]></e:berth></e:told>`
	for written, want := range map[string]string{
		typed: typed,
		"<?xml version='1.0' encoding='utf-8'?>\n" + typed + "\n": typed,
		"<a/>\n<b/>": "<a/>\n<b/>",
		"<a><b></a>": "", // sent as it is, for programs that are tested with it
	} {
		dressed := envelopes.Dress(&asked, call.Answer{Body: []byte(written)}, &spec.Answer{XML: &written})
		if want == "" {
			assert.Equal(t, written, string(dressed.Body))
			continue
		}
		assert.Equal(t, `<?xml version="1.0" encoding="UTF-8"?>`+"\n"+`<soap:Envelope xmlns:soap="http://www.w3.org/2003/05/soap-envelope"><soap:Body>`+want+"</soap:Body></soap:Envelope>\n", string(dressed.Body))
	}
	for _, k := range []struct {
		fault    string
		old, new string
	}{
		{`{code: "{urn:desk}Closed", text: closed}`,
			`<faultcode>n2:Closed</faultcode><faultstring>closed</faultstring>`,
			`<soap:Code><soap:Value>soap:Receiver</soap:Value><soap:Subcode><soap:Value>n2:Closed</soap:Value></soap:Subcode></soap:Code><soap:Reason><soap:Text xml:lang="en">closed</soap:Text></soap:Reason>`},
		{`{code: Sender, subcode: ["{urn:desk}Late", "{urn:a}VeryLate"], text: late, translations: {de: spät}, node: urn:n, role: urn:r}`,
			`<faultcode>n2:VeryLate</faultcode><faultstring>late</faultstring><faultactor>urn:r</faultactor>`,
			`<soap:Code><soap:Value>soap:Sender</soap:Value><soap:Subcode><soap:Value>n2:Late</soap:Value><soap:Subcode><soap:Value>n3:VeryLate</soap:Value></soap:Subcode></soap:Subcode></soap:Code><soap:Reason><soap:Text xml:lang="en">late</soap:Text><soap:Text xml:lang="de">spät</soap:Text></soap:Reason><soap:Node>urn:n</soap:Node><soap:Role>urn:r</soap:Role>`},
		{`{code: Receiver, text: "no", detail: "<x:a xmlns:x='urn:x'>x:y</x:a> and <b/>"}`,
			`<faultcode>soap:Server</faultcode><faultstring>no</faultstring><detail><x:a xmlns:x='urn:x'>x:y</x:a> and <b/></detail>`,
			`<soap:Code><soap:Value>soap:Receiver</soap:Value></soap:Code><soap:Reason><soap:Text xml:lang="en">no</soap:Text></soap:Reason><soap:Detail><x:a xmlns:x='urn:x'>x:y</x:a> and <b/></soap:Detail>`},
	} {
		mapping, err := spec.ReadMappings([]byte(`{id: a, call: {path: /}, answer: {fault: ` + k.fault + `}}`))
		require.NoError(t, err)
		for version, want := range map[string]string{"1.1": k.old, "1.2": k.new} {
			asked := send(c, "/", "", "", envelope(version, ask))
			body := string(envelopes.Dress(&asked, call.Answer{}, &mapping[0].Answer).Body)
			assert.Contains(t, body, want+"</soap:Fault>")
		}
	}
}
