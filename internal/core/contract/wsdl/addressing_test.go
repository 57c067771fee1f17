package wsdl_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec"
)

const (
	wsa   = "http://www.w3.org/2005/08/addressing"
	wsa04 = "http://schemas.xmlsoap.org/ws/2004/08/addressing"
)

func built(t *testing.T, c *contract.Contract, asked *contract.Asked, example string) call.Answer {
	b, err := c.Protocol.Answer(asked, contract.Wanted{Example: example, Draw: func() *sample.Draw { return draw() }})
	require.NoError(t, err)
	return b.Answer
}

// headersOf are the headers of an answer, name=text.
func headersOf(t *testing.T, body []byte) (all []string) {
	root, err := xmltree.Parse(body)
	require.NoError(t, err, "%s", body)
	header := root.Child(root.Name.Space, "Header")
	if header == nil {
		return nil
	}
	for _, h := range header.Children {
		text := h.Name.Local + "=" + h.Text
		if marked, _ := h.Lookup(xmltree.Name{Space: wsa, Local: "IsReferenceParameter"}); marked == "true" {
			text += " (parameter)"
		}
		if h.Name.Space == wsa04 {
			text = "2004 " + text
		}
		all = append(all, text)
	}
	return all
}

// Answers of all kinds carry the headers by which a caller with WS-Addressing knows them again; to
// others they carry none.
func TestAnswersAreAddressed(t *testing.T) {
	c := readText(t, dual)
	envelopes := c.Protocol.(contract.Envelope)
	id := `<MessageID xmlns="` + wsa + `">urn:uuid:1</MessageID>`
	asked := send(c, "/", "", "", with("1.1", id, ask))
	const own, to = "MessageID=urn:uuid:3ffadc86-f65d-577b-8f99-e7e71fea9121", "To=" + wsa + "/anonymous"
	written := func(a spec.Answer, body string) call.Answer {
		return envelopes.Dress(&asked, call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: "application/xml"}}, Body: []byte(body)}, &a)
	}
	text := "x"
	refused, _ := envelopes.Refuse(&asked, contract.Fault{Text: "no"})
	for name, k := range map[string]struct {
		answer call.Answer
		action string
	}{
		"drawn":            {built(t, c, &asked, ""), "urn:harbour:Desk:askResponse"},
		"a declared fault": {built(t, c, &asked, "closed"), "urn:harbour:Desk:ask:Fault:closed"},
		"of a mapping":     {written(spec.Answer{XML: &text}, `<told xmlns="urn:harbour"/>`), "urn:harbour:Desk:askResponse"},
		"its fault":        {written(spec.Answer{Fault: &spec.Fault{Code: "Server", Text: "no"}}, ""), wsa + "/soap/fault"},
		"one declared":     {written(spec.Answer{Fault: &spec.Fault{Code: "Server", Text: "no", Detail: `<closed xmlns="urn:harbour">x</closed>`}}, ""), "urn:harbour:Desk:ask:Fault:closed"},
		"a refusal":        {refused, wsa + "/soap/fault"},
	} {
		assert.Equal(t, []string{"Action=" + k.action, own, "RelatesTo=urn:uuid:1", to}, headersOf(t, k.answer.Body), name)
	}
	for headers, want := range map[string][]string{
		"": nil,
		`<a:MessageID xmlns:a="` + wsa04 + `">urn:uuid:1</a:MessageID><a:ReplyTo xmlns:a="` + wsa04 + `"><a:Address>http://b.example</a:Address><a:ReferenceProperties><ticket>7</ticket></a:ReferenceProperties></a:ReplyTo>`: {
			"2004 Action=urn:harbour:Desk:askResponse", "2004 " + own, "2004 RelatesTo=urn:uuid:1", "2004 To=http://b.example", "ticket=7"},
		`<a:Action xmlns:a="` + wsa + `">urn:harbour:Desk:askRequest</a:Action><a:ReplyTo xmlns:a="` + wsa + `"><a:Address>` + wsa + `/anonymous</a:Address><a:ReferenceParameters><x:ticket xmlns:x="urn:x">7</x:ticket></a:ReferenceParameters></a:ReplyTo>`: {
			"Action=urn:harbour:Desk:askResponse", to, "ticket=7 (parameter)"},
	} {
		asked := send(c, "/", "", "", with("1.2", headers, ask))
		assert.Equal(t, want, headersOf(t, built(t, c, &asked, "").Body))
	}
}

// Where a call wants its answer, and its faults.
func TestAnswersThatGoElsewhere(t *testing.T) {
	c := readText(t, dual)
	to := func(header, address string) string {
		return `<` + header + ` xmlns="` + wsa + `"><Address>` + address + `</Address></` + header + `>`
	}
	for _, k := range []struct {
		headers, example, header, address string
		elsewhere                         bool
	}{
		{"", "", "", "", false},
		{to("ReplyTo", "http://b.example/in"), "", "ReplyTo", "http://b.example/in", true},
		{to("ReplyTo", wsa+"/anonymous"), "", "", "", false},
		{to("ReplyTo", wsa+"/none"), "", "ReplyTo", "", true},
		{to("ReplyTo", "http://b.example/in"), "closed", "ReplyTo", "http://b.example/in", true},
		{to("ReplyTo", "http://b.example/in") + to("FaultTo", "http://b.example/faults"), "closed", "FaultTo", "http://b.example/faults", true},
		{to("ReplyTo", "http://b.example/in") + to("FaultTo", wsa+"/anonymous"), "closed", "", "", false},
		{to("FaultTo", "http://b.example/faults"), "", "", "", false},
	} {
		asked := send(c, "/", "", "", with("1.1", k.headers, ask))
		answer := built(t, c, &asked, k.example)
		got, elsewhere := c.Protocol.(contract.Redirector).Elsewhere(&asked, &answer)
		assert.Equal(t, k.elsewhere, elsewhere, "%+v", k)
		assert.Equal(t, []string{k.header, k.address}, []string{got.Header, got.Address}, "%+v", k)
		if k.address != "" {
			want := map[string]string{"": `"urn:harbour:Desk:askResponse"`, "closed": `"urn:harbour:Desk:ask:Fault:closed"`}[k.example]
			assert.Equal(t, call.Header{"Content-Type": {"text/xml; charset=utf-8"}, "Soapaction": {want}}, got.Fields)
		}
	}
	asked := send(c, "/", "", "", with("1.1", to("ReplyTo", "http://b.example/in"), ask))
	_, elsewhere := c.Protocol.(contract.Redirector).Elsewhere(&asked, &call.Answer{Status: 202})
	assert.False(t, elsewhere, "nothing is answered")
}

// Contracts that demand WS-Addressing, in each of the ways that there are, are held to it.
func TestAddressingThatTheContractDemands(t *testing.T) {
	const metadata = "http://www.w3.org/2007/05/addressing/metadata"
	policy := func(inside string) []string {
		return []string{`<types>`, `<p:Policy xmlns:p="http://www.w3.org/ns/ws-policy" xmlns:u="urn:utility" u:Id="own" xmlns:m="` + metadata + `"><p:ExactlyOne><p:All>` + inside + `</p:All></p:ExactlyOne></p:Policy><types>`,
			`<binding name="One" type="h:Desk">`, `<binding name="One" type="h:Desk"><p:PolicyReference xmlns:p="http://www.w3.org/ns/ws-policy" URI="#own"/>`}
	}
	const missing = "header Action: the contract demands WS-Addressing, and the call has no such header"
	for _, k := range []struct {
		edits   []string
		headers string
		want    []string
	}{
		{nil, "", nil},
		{policy(`<m:Addressing/>`), "", []string{missing}},
		{policy(`<m:Addressing p:Optional="true"/>`), "", nil},
		{policy(`<m:Other/>`), "", nil},
		{[]string{`<soap:address`, `<w:UsingAddressing xmlns:w="http://www.w3.org/2006/05/addressing/wsdl" xmlns:d="http://schemas.xmlsoap.org/wsdl/" d:required="true"/><soap:address`}, "", []string{missing}},
		{[]string{`<soap:address`, `<w:UsingAddressing xmlns:w="http://www.w3.org/2006/05/addressing/wsdl"/><soap:address`}, "", nil},
		{policy(`<m:Addressing/>`), `<Action xmlns="` + wsa + `">urn:harbour:Desk:askRequest</Action><MessageID xmlns="` + wsa + `">urn:1</MessageID>`, nil},
		{policy(`<m:Addressing/>`), `<Action xmlns="` + wsa + `">urn:harbour:Desk:askRequest</Action>`, []string{"header MessageID: it is missing, so that the answer cannot say what it is for"}},
		{nil, `<Action xmlns="` + wsa + `">urn:other</Action>`, []string{`header Action: "urn:other" is not the action of operation ask, "urn:harbour:Desk:askRequest"`}},
		{[]string{`<input message="h:ask"/>`, `<input message="h:ask" m:Action="urn:said" xmlns:m="` + metadata + `"/>`}, `<Action xmlns="` + wsa + `">urn:said</Action>`, nil},
		{[]string{`<soap:operation soapAction=""/>`, `<soap:operation soapAction="urn:act"/>`}, `<Action xmlns="` + wsa + `">urn:act</Action>`, nil},
	} {
		c := readText(t, dual, k.edits...)
		asked := send(c, "/Desk", "", "", with("1.1", k.headers, ask))
		require.NotNil(t, asked.Operation)
		var found []string
		for _, d := range checkRequest(c, &asked, "text/xml") {
			found = append(found, d.Where+": "+d.Detail)
		}
		assert.Equal(t, k.want, found, "%+v", k)
		for _, op := range c.Operations { // what is tried obeys
			try := c.Protocol.Try(op, draw())
			asked := c.Protocol.Dispatch(&try, []string{"Desk"})
			assert.Empty(t, checkRequest(c, &asked, try.Header.Get("Content-Type")), "%s", try.Body.Bytes)
		}
	}
}

// Endpoint references of the served contract lead to us.
func TestEndpointReferencesLeadToUs(t *testing.T) {
	c := readText(t, dual, `<soap:address location="http://x.example/desk"/>`, `<soap:address location="http://x.example/desk"/><a:EndpointReference xmlns:a="`+wsa+`"><a:Address>http://x.example/desk</a:Address></a:EndpointReference>`)
	published, _ := c.Protocol.(contract.Publisher).Publish("wsdl", "http://here/a&b")
	assert.Contains(t, string(published.Body), `<a:Address>http://here/a&amp;b/Desk</a:Address></a:EndpointReference>`)
	assert.Equal(t, 1, strings.Count(string(published.Body), "x.example"), "that of the port that is not answered")
}

// A recorded answer says that it is for the message that it answers now; all else of it stays, to the
// byte, save what follows from the bytes.
func TestRecordedAnswersAreForWhoAsks(t *testing.T) {
	c := readText(t, dual)
	envelopes := c.Protocol.(contract.Envelope)
	recorded := func(headers string) []byte {
		return []byte(`<?xml version='1.0' encoding='UTF-8'?>` + "\r\n" + with("1.1", headers, `<told  xmlns='urn:harbour'/><!-- as it came -->`))
	}
	const headers = `<w:RelatesTo xmlns:w="` + wsa + `" RelationshipType="x">urn:old</w:RelatesTo><w:Action xmlns:w="` + wsa + `">a</w:Action><w:MessageID xmlns:w="` + wsa + `">urn:uuid:old</w:MessageID>`
	wire := &call.Wire{Coding: "gzip", Coded: []byte("zipped"), Length: -1}
	answer := call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Encoding", Value: "gzip"}, {Name: "ETag", Value: "x"}, {Name: "X-A", Value: "b"}}, Body: recorded(headers), Wire: wire}
	asked := send(c, "/", "", "", with("1.1", `<MessageID xmlns="`+wsa+`">urn:uuid:1&amp;2</MessageID>`, ask))
	dressed := envelopes.Dress(&asked, answer, &spec.Answer{Recorded: &spec.Recorded{}})
	want := strings.NewReplacer("urn:old", "urn:uuid:1&amp;2", "urn:uuid:old", "urn:uuid:5e8b").Replace(string(recorded(headers)))
	got := string(dressed.Body)
	at := strings.Index(want, "urn:uuid:5e8b")
	require.Greater(t, len(got), at+45)
	assert.Equal(t, want[:at], got[:at])
	assert.Equal(t, want[at+13:], got[at+45:])
	assert.Equal(t, []call.Field{{Name: "X-A", Value: "b"}}, dressed.Header)
	assert.Nil(t, dressed.Wire.Coded)
	assert.Equal(t, "gzip", wire.Coding, "what calls share stays as it is")

	plain := send(c, "/", "", "", envelope("1.1", ask))
	for _, k := range []struct {
		asked *contract.Asked
		body  []byte
		how   spec.Answer
	}{
		{&plain, recorded(headers), spec.Answer{Recorded: &spec.Recorded{}}},
		{&asked, recorded(""), spec.Answer{Recorded: &spec.Recorded{}}},
		{&asked, recorded(headers), spec.Answer{}},
		{&asked, []byte("no XML"), spec.Answer{Recorded: &spec.Recorded{}}},
	} {
		assert.Equal(t, string(k.body), string(envelopes.Dress(k.asked, call.Answer{Body: k.body}, &k.how).Body))
	}
}
