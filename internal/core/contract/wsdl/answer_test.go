package wsdl_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

// desk is a contract with one operation, whose answer is edited to be plain or not.
const desk = `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:t="urn:t" targetNamespace="urn:t">
	<types><xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:t"><xs:element name="ask"/><xs:element name="ticket" type="xs:int"/>
		<xs:element name="berth"><xs:complexType><xs:sequence><xs:element name="depth" type="xs:int"/><xs:element name="pier" type="xs:string"/></xs:sequence></xs:complexType></xs:element></xs:schema></types>
	<message name="Ask"><part name="body" element="t:ask"/></message><message name="Berth"><part name="body" element="t:berth"/></message><message name="Ticket"><part name="head" element="t:ticket"/></message>
	<portType name="Desk"><operation name="ask"><input message="t:Ask"/><output message="t:Berth"/></operation></portType>
	<binding name="Desk" type="t:Desk"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><operation name="ask"><soap:operation/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation></binding>
	<service name="Desk"><port name="Desk" binding="t:Desk"><soap:address location="http://a/"/></port></service></definitions>`

// Plain answers are written while they are drawn, all others as trees first: nobody sees a difference.
func TestAnswersPlainOrNot(t *testing.T) {
	const output = `<output><soap:body use="literal"/></output>`
	nested := ""
	for i := range 70 {
		nested += fmt.Sprintf(`<xs:complexType name="T%d"><xs:sequence><xs:element name="e" type="t:T%d"/></xs:sequence></xs:complexType>`, i, i+1)
	}
	encoded := []string{output, `<output><soap:body use="encoded" namespace="urn:t"/></output>`}
	deep := []string{`<xs:element name="pier" type="xs:string"/></xs:sequence></xs:complexType></xs:element></xs:schema>`, `<xs:element name="pier" type="t:T0"/></xs:sequence></xs:complexType></xs:element>` + nested + `<xs:complexType name="T70"><xs:attribute name="a" use="required" type="xs:int"/></xs:complexType></xs:schema>`}
	header := []string{output, `<output><soap:header message="t:Ticket" part="head" use="literal"/><soap:body use="literal"/></output>`}
	uncertain := []string{`<xs:element name="pier" type="xs:string"/>`, `<xs:element name="pier"><xs:simpleType><xs:restriction base="xs:string"><xs:pattern value=".+"/></xs:restriction></xs:simpleType></xs:element>`}
	thrice := []string{`<xs:element name="depth" type="xs:int"/>`, `<xs:element name="depth" type="xs:int" minOccurs="3" maxOccurs="3"/>`}
	for name, k := range map[string]struct {
		edits   []string
		has     string // part of every answer
		invalid string
	}{
		"plain":                          {},
		"not certain":                    {edits: uncertain},
		"several of a name":              {edits: thrice},
		"several of a name, not certain": {edits: append(thrice, uncertain...)},
		"with a header":                  {edits: header, has: `<soap:Header><n2:ticket>`},
		"a header, not certain":          {edits: append(header, uncertain...), has: `<soap:Header><n2:ticket>`},
		"encoded":                        {edits: encoded, has: `soap:encodingStyle="http://schemas.xmlsoap.org/soap/encoding/"`},
		"deeper than any message":        {edits: deep, invalid: "/e/e: <e> is not complete"},
		"encoded, and as deep":           {edits: append(encoded, deep...), has: `<e xsi:type="n2:T50">`},
		"with an attachment": {edits: []string{output, `<output><m:multipartRelated xmlns:m="http://schemas.xmlsoap.org/wsdl/mime/"><m:part><soap:body use="literal"/></m:part><m:part><m:content part="sketch" type="image/png"/></m:part></m:multipartRelated></output>`,
			`<part name="body" element="t:berth"/>`, `<part name="body" element="t:berth"/><part name="sketch" type="xs:base64Binary" xmlns:xs="http://www.w3.org/2001/XMLSchema"/>`}, has: "</n2:berth><sketch>"},
	} {
		c := readText(t, desk, k.edits...)
		ask := `<t:ask xmlns:t="urn:t"><depth>1234567</depth><ticket>7654321</ticket><pier>A</pier><pier>B</pier></t:ask>`
		for n := range uint64(20) {
			asked := send(c, "/", "text/xml", "", envelope("1.1", ask))
			require.Nil(t, asked.Fault, name)
			b, err := c.Protocol.Answer(&asked, contract.Wanted{Echo: &match.Facts{}, Draw: func() *sample.Draw { return sample.NewDraw(1, "x", n) }})
			require.NoError(t, err, name)
			assert.Equal(t, k.invalid == "" && name != "with an attachment", b.Answer.IsProven(), name)
			if k.invalid != "" {
				require.Contains(t, b.Invalid, k.invalid, name)
				continue
			}
			text := string(b.Answer.Body)
			require.Empty(t, b.Invalid, name)
			require.Contains(t, text, k.has, name)
			require.Equal(t, []string{"depth"}, b.Echoed, "%s: of two that were given, none is meant; and headers take nothing", name)
			require.Regexp(t, `depth( xsi:type="xsd:int")?>1234567<`, text, name)
			require.NotContains(t, text, "7654321", name)
			root, err := xmltree.Parse(b.Answer.Body)
			require.NoError(t, err, name)
			root.Carry()
			require.Equal(t, text, string(root.Document()), name)
		}
	}
}

func BenchmarkAnswer(b *testing.B) {
	forty := ""
	for i := range 10 {
		forty += fmt.Sprintf(`<xs:element name="berth%d" type="xs:string"/><xs:element name="since%d" type="xs:dateTime"/><xs:element name="length%d" type="xs:decimal"/><xs:element name="free%d" type="xs:boolean"/>`, i, i, i, i)
	}
	for name, of := range map[string]struct {
		contract  *contract.Contract
		operation string
	}{
		"40 elements, plain":            {readText(b, desk, `<xs:element name="pier" type="xs:string"/>`, forty), "ask"},
		"one of each type, not certain": {readFolder(b, constructs, "service.wsdl"), "builtins"},
	} {
		asked := &contract.Asked{Operation: operation(b, of.contract, of.operation)}
		b.Run(name, func(b *testing.B) {
			b.ReportAllocs()
			n := uint64(0)
			for b.Loop() {
				n++
				_, _ = of.contract.Protocol.Answer(asked, contract.Wanted{Draw: func() *sample.Draw { return sample.NewDraw(1, "x", n) }})
			}
		})
	}
}
