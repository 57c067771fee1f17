package wsdl_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/wsdl"
	"rapidmimic.example/internal/core/sample"
)

// dual is a contract with one operation, bound twice: in SOAP 1.1 and 1.2, both at one location, as
// tools write it.
const dual = `<definitions name="Harbour" targetNamespace="urn:harbour" xmlns:h="urn:harbour" xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/"
  xmlns:soap12="http://schemas.xmlsoap.org/wsdl/soap12/" xmlns:xs="http://www.w3.org/2001/XMLSchema">
<types><xs:schema targetNamespace="urn:harbour" elementFormDefault="qualified">
  <xs:element name="ask"><xs:complexType><xs:sequence><xs:element name="berth" type="xs:string" minOccurs="0"/></xs:sequence></xs:complexType></xs:element>
  <xs:element name="told"><xs:complexType><xs:sequence><xs:element name="berth" type="xs:string" minOccurs="0"/></xs:sequence></xs:complexType></xs:element>
  <xs:element name="closed" type="xs:string"/>
</xs:schema></types>
<message name="ask"><part name="p" element="h:ask"/></message><message name="told"><part name="p" element="h:told"/></message><message name="closed"><part name="p" element="h:closed"/></message>
<portType name="Desk"><operation name="ask"><input message="h:ask"/><output message="h:told"/><fault name="closed" message="h:closed"/></operation></portType>
<binding name="One" type="h:Desk"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><operation name="ask"><soap:operation soapAction=""/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation></binding>
<binding name="Two" type="h:Desk"><soap12:binding transport="http://www.w3.org/2003/05/soap/bindings/HTTP/"/><operation name="ask"><soap12:operation soapAction=""/><input><soap12:body use="literal"/></input><output><soap12:body use="literal"/></output></operation></binding>
<binding name="Bare" type="h:Nothing"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/></binding>
<service name="Harbour">
  <port name="Desk" binding="h:One"><soap:address location="http://x.example/desk"/></port>
  <port name="Desk12" binding="h:Two"><soap12:address location="http://x.example/desk"/></port>
  <port name="Bare" binding="h:Bare"><soap:address location="http://x.example/bare"/></port>
</service></definitions>`

const ask = `<ask xmlns="urn:harbour"><berth>N7</berth></ask>`

// readText reads a contract of one file, in which pairs of texts were replaced.
func readText(t testing.TB, text string, edits ...string) *contract.Contract {
	text = strings.NewReplacer(edits...).Replace(text)
	c, err := wsdl.Read(&bundle.Bundle{Main: "c.wsdl", Files: []bundle.File{{Name: "c.wsdl", Text: []byte(text)}}})
	require.NoError(t, err)
	return c
}

// with is an envelope with headers.
func with(version, headers, body string) string {
	return strings.Replace(envelope(version, body), "<e:Body>", "<e:Header>"+headers+"</e:Header><e:Body>", 1)
}

// Ports that share a location are one endpoint, where the envelope chooses; others keep to their
// version.
func TestPortsAtOneLocation(t *testing.T) {
	apart := []string{`<soap12:address location="http://x.example/desk"/>`, `<soap12:address location="http://x.example/desk12"/>`}
	for _, k := range []struct {
		path, version string
		edits         []string
		fault         string
	}{
		{"/Desk", "1.1", nil, ""},
		{"/Desk", "1.2", nil, ""},
		{"/Desk12", "1.1", nil, ""},
		{"/", "1.2", nil, ""},
		{"/Desk12", "1.1", apart, "Port Desk12 speaks SOAP 1.2, and the envelope is of SOAP 1.1."},
		{"/Desk", "1.2", apart, "Port Desk speaks SOAP 1.1, and the envelope is of SOAP 1.2."},
	} {
		asked := send(readText(t, dual, k.edits...), k.path, "", "", envelope(k.version, ask))
		if k.fault == "" {
			assert.Equal(t, "ask", asked.ID(), "%+v", k)
		} else if assert.NotNil(t, asked.Fault) {
			assert.Equal(t, k.fault, asked.Fault.Text)
		}
	}
	c := readText(t, dual)
	require.Len(t, c.Warnings, 2)
	assert.Contains(t, c.Warnings[1].Detail, "port Bare is not answered: its binding has no operations")
	published, _ := c.Protocol.(contract.Publisher).Publish("wsdl", "http://here")
	for _, want := range []string{`"http://here/Desk"`, `"http://here/Desk12"`, `"http://x.example/bare"`} {
		assert.Contains(t, string(published.Body), want, "what is not answered stays where it is")
	}
	fewer := readText(t, dual, `<port name="Desk12" binding="h:Two"><soap12:address location="http://x.example/desk"/></port>`, "")
	changes := contract.Compare(c, fewer)
	require.Len(t, changes.Changed, 1, "a port that went is noticed")
	assert.Equal(t, contract.Difference{Where: "ports, Desk12", What: "removed", Before: `"SOAP 1.2"`, Effect: contract.Breaking}, changes.Changed[0].Differences[0])
}

// What a header demands is a deviation where nobody understands it, and a fault of its own where bad
// calls are refused. Headers for others are none of our business.
func TestHeadersThatMustBeUnderstood(t *testing.T) {
	c := readText(t, dual)
	const x = `<x:trace xmlns:x="urn:x" e:mustUnderstand="1" `
	for _, k := range []struct {
		version, header string
		understood      []string
		missed          bool
	}{
		{"1.1", x + `/>`, nil, true},
		{"1.2", x + `/>`, nil, true},
		{"1.2", strings.Replace(x, `"1"`, `"true"`, 1) + `/>`, nil, true},
		{"1.1", strings.Replace(x, `"1"`, `"0"`, 1) + `/>`, nil, false},
		{"1.1", x + `e:actor="http://schemas.xmlsoap.org/soap/actor/next"/>`, nil, true},
		{"1.1", x + `e:actor="urn:somebody"/>`, nil, false},
		{"1.2", x + `e:role="http://www.w3.org/2003/05/soap-envelope/role/ultimateReceiver"/>`, nil, true},
		{"1.2", x + `e:role="http://www.w3.org/2003/05/soap-envelope/role/none"/>`, nil, false},
		{"1.1", x + `/>`, []string{"urn:y", "urn:x"}, false},
		{"1.1", x + `/>`, []string{"*"}, false},
		{"1.1", x + `/>`, []string{"urn:y"}, true},
		{"1.1", `<Action xmlns="http://www.w3.org/2005/08/addressing" e:mustUnderstand="1">urn:harbour:Desk:askRequest</Action>`, nil, false},
		{"1.2", `<s:Security xmlns:s="http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd" e:mustUnderstand="true"/>`, nil, false},
	} {
		asked := send(c, "/Desk", "", "", with(k.version, k.header, ask))
		asked.Understood = k.understood
		require.Equal(t, "ask", asked.ID(), "it is answered all the same")
		require.Nil(t, asked.Fault)
		found := checkRequest(c, &asked, map[string]string{"1.1": "text/xml", "1.2": "application/soap+xml"}[k.version])
		if !k.missed {
			assert.Empty(t, found, "%+v", k)
			continue
		}
		assert.Equal(t, []call.Deviation{{Side: call.OfRequest, Where: "header trace", Detail: "it must be understood, and operation ask declares no such header"}}, found, "%+v", k)
		refused, ok := c.Protocol.(contract.Envelope).Refuse(&asked, contract.Fault{Text: "no"})
		require.True(t, ok)
		assert.Contains(t, string(refused.Body), ":MustUnderstand<")
		assert.Equal(t, k.version == "1.2", strings.Contains(string(refused.Body), `<soap:NotUnderstood qname="n2:trace"/>`), "%s", refused.Body)
	}
	asked := send(c, "/Desk", "application/soap+xml", "", `<Envelope xmlns="urn:x"/>`)
	refused, _ := c.Protocol.(contract.Envelope).Refuse(&asked, *asked.Fault)
	assert.Contains(t, string(refused.Body), `<soap:Upgrade><soap:SupportedEnvelope qname="soap:Envelope"/><soap:SupportedEnvelope qname="n2:Envelope"/></soap:Upgrade>`)
	asked = send(c, "/Desk", "", "", with("1.1", x+`/>`, ask))
	refused, _ = c.Protocol.(contract.Envelope).Refuse(&asked, contract.Fault{Ours: true, Text: "no"})
	assert.Contains(t, string(refused.Body), ":Server<", "what is our fault is no matter of headers")
}

// A body whose element is in another namespace is for the operation that takes one of its name, and
// deviates.
func TestTheWrapperOfAnotherNamespace(t *testing.T) {
	c := readText(t, dual)
	for body, want := range map[string]string{
		`<ask xmlns="urn:other"><berth>N7</berth></ask>`: `<ask> is in the namespace "urn:other", not in "urn:harbour"`,
		`<ask/>`: `<ask> is in the namespace "", not in "urn:harbour"`,
	} {
		asked := send(c, "/", "", "", envelope("1.1", body))
		require.Equal(t, "ask", asked.ID())
		assert.Contains(t, asked.Reason, "although in another namespace")
		found := checkRequest(c, &asked, "text/xml")
		require.Len(t, found, 1)
		assert.Equal(t, want, found[0].Detail)
	}
	rpc := readFolder(t, constructs, "service.wsdl")
	asked := send(rpc, "/", "", "", envelope("1.2", `<berths xmlns="urn:other"/>`))
	assert.Nil(t, asked.Operation, "of several with the name, none is meant")
	asked = send(rpc, "/", "application/soap+xml", "urn:byCount", envelope("1.2", `<berths xmlns="urn:other"/>`))
	require.NotNil(t, asked.Operation, "unless the action says which")
	assert.Equal(t, "berths-2", asked.ID())
}

// An element in the body of an operation that takes none is sent by clients that make one of its name.
func TestAnElementInsteadOfNothing(t *testing.T) {
	c := readText(t, dual, `<message name="ask"><part name="p" element="h:ask"/></message>`, `<message name="Asking"/>`, `"h:ask"/><output`, `"h:Asking"/><output`)
	for body, want := range map[string]string{``: "nothing", `<ask/>`: "<ask>, although it should be empty", `<Asking/>`: "<Asking>, although it should be empty"} {
		asked := send(c, "/", "", "", envelope("1.1", body))
		require.Equal(t, "ask", asked.ID(), body)
		assert.Contains(t, asked.Reason, want)
		assert.Equal(t, body != "", len(checkRequest(c, &asked, "text/xml")) > 0, body)
	}
	asked := send(c, "/", "", "", envelope("1.1", `<other/>`))
	assert.Nil(t, asked.Operation)
}

// A fault to which the contract gives no name has that of its message, and comes only when it is asked for.
func TestAFaultWithoutAName(t *testing.T) {
	c := readText(t, dual, `<fault name="closed" message`, `<fault message`)
	op := operation(t, c, "ask")
	assert.Equal(t, []string{"closed"}, op.ExampleNames())
	for fault, want := range map[string]int{"": 200, "closed": 500} {
		built, err := c.Protocol.Answer(&contract.Asked{Operation: op}, contract.Wanted{Example: fault, Draw: func() *sample.Draw { return sample.NewDraw(1, "x", 1) }})
		require.NoError(t, err)
		assert.Equal(t, want, built.Answer.Status, fault)
	}
}
