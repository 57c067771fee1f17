package wsdl_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/wsdl"
)

// References between documents are found, and lead elsewhere without another byte being touched.
func TestReferencesOfDocuments(t *testing.T) {
	const text = "<?xml version='1.0'?>\n" + `<w:definitions xmlns:w="http://schemas.xmlsoap.org/wsdl/" xmlns:xs="http://www.w3.org/2001/XMLSchema">
  <w:import namespace="urn:a" location='parts.wsdl'/><!-- location="not.xsd" -->
  <w:types><xs:schema><xs:include schemaLocation="a.xsd"/><xs:import namespace="urn:b"/><xs:import schemaLocation = "http://b.example/b.xsd?x=1&amp;y"/><xs:import schemaLocation="a.xsd"/>
  <xs:import schemaLocation="http://www.w3.org/2001/xml.xsd"/></xs:schema></w:types></w:definitions>`
	assert.Equal(t, []string{"parts.wsdl", "a.xsd", "http://b.example/b.xsd?x=1&y"}, wsdl.References([]byte(text)))
	moved := wsdl.Relocate([]byte(text), func(location string) (string, bool) {
		return map[string]string{"a.xsd": "x&y.xsd", "http://b.example/b.xsd?x=1&y": "b-2.xsd"}[location], location != "parts.wsdl" && !strings.Contains(location, "w3.org")
	})
	want := strings.NewReplacer(`"a.xsd"`, `"x&amp;y.xsd"`, `"http://b.example/b.xsd?x=1&amp;y"`, `"b-2.xsd"`, "<?xml version='1.0'?>\n", "").Replace(text)
	assert.Equal(t, want, string(moved))
	assert.Equal(t, text, string(wsdl.Relocate([]byte(text), func(string) (string, bool) { return "", false })))
	assert.Nil(t, wsdl.References([]byte("{}")))
	assert.Equal(t, "{}", string(wsdl.Relocate([]byte("{}"), nil)))
}

// The parts of a message come in its own order, whatever the order in which a binding chooses them.
func TestTheOrderOfParts(t *testing.T) {
	c := readText(t, dual, `<message name="told"><part name="p" element="h:told"/></message>`, `<message name="told"><part name="one" type="xs:int"/><part name="two" type="xs:int"/><part name="three" type="xs:int"/></message>`,
		`<soap:binding transport`, `<soap:binding style="rpc" transport`, `<output><soap:body use="literal"/></output>`, `<output><soap:body use="literal" namespace="urn:harbour" parts="three one"/></output>`)
	for _, op := range c.Operations {
		if try := c.Protocol.Try(op, draw()); try.Header.Get("Content-Type") == "text/xml; charset=utf-8" {
			assert.Regexp(t, `<n2:askResponse><one>-?\d+</one><three>-?\d+</three></n2:askResponse>`, string(built(t, c, &contract.Asked{Operation: op}, "").Body))
		}
	}
}

// Bindings answer also where a contract has no service; who reads it is given one.
func TestContractsWithoutAService(t *testing.T) {
	start, end := strings.Index(dual, "<service"), strings.Index(dual, "</definitions>")
	c := readText(t, dual[:start]+dual[end:])
	require.NotEmpty(t, c.Warnings)
	assert.Contains(t, c.Warnings[len(c.Warnings)-1].Detail, "the contract has no service: each of its bindings answers as a port of its name")
	asked := send(c, "/Two", "", "", envelope("1.2", ask))
	assert.Equal(t, "ask", asked.ID())
	published, _ := c.Protocol.(contract.Publisher).Publish("wsdl", "http://here/a&b")
	again := readText(t, string(published.Body))
	asked = send(again, "/One", "", "", envelope("1.1", ask))
	assert.Equal(t, "ask", asked.ID())
	assert.Contains(t, string(published.Body), `<port name="Two" binding="own:Two"><soap12:address location="http://here/a&amp;b/Two"/></port>`)
	_, err := wsdl.Read(&bundle.Bundle{Files: []bundle.File{{Text: []byte(dual[:strings.Index(dual, "<binding")] + "</definitions>")}}})
	assert.ErrorContains(t, err, "no port of it speaks SOAP")
}

// What is not beside the contract by its location is found by its name; what is nowhere leaves the
// operation answering without its schema.
func TestSchemasThatAreElsewhere(t *testing.T) {
	const types = `<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:harbour" elementFormDefault="qualified"><xs:element name="ask" type="xs:int"/><xs:element name="told" type="xs:int"/><xs:element name="closed" type="xs:int"/></xs:schema>`
	start, end := strings.Index(dual, "<types>"), strings.Index(dual, "</types>")
	text := dual[:start] + `<types><xs:schema><xs:import namespace="urn:harbour" schemaLocation="https://types.example/v1/harbour.xsd"/></xs:schema>` + dual[end:]
	read := func(files ...string) (warnings []string, answer string) {
		b := &bundle.Bundle{Main: "c.wsdl", Files: []bundle.File{{Name: "c.wsdl", Text: []byte(text)}}}
		for _, name := range files {
			b.Files = append(b.Files, bundle.File{Name: name, Text: []byte(types)})
		}
		c, err := wsdl.Read(b)
		require.NoError(t, err)
		for _, w := range c.Warnings {
			warnings = append(warnings, w.Detail)
		}
		asked := send(c, "/", "", "", envelope("1.1", `<ask xmlns="urn:harbour">7</ask>`))
		require.Equal(t, "ask", asked.ID(), "%+v", asked.Fault)
		return warnings, string(built(t, c, &asked, "").Body)
	}
	warnings, answer := read("deep/down/harbour.xsd", "other.xsd")
	assert.NotContains(t, strings.Join(warnings, "\n"), "refers to")
	assert.Regexp(t, `:told>-?\d+</`, answer)
	for _, files := range [][]string{{"other.xsd"}, {"a/harbour.xsd", "b/harbour.xsd"}} {
		warnings, answer = read(files...)
		assert.Contains(t, strings.Join(warnings, "\n"), `import refers to "https://types.example/v1/harbour.xsd", which is not among the imported files`)
		assert.Contains(t, strings.Join(warnings, "\n"), "the messages with part p are answered without its schema: anything may stand there")
		assert.Contains(t, answer, ":told")
	}
	_, err := wsdl.Read(&bundle.Bundle{Files: []bundle.File{{Text: []byte(`<description xmlns="http://www.w3.org/ns/wsdl" targetNamespace="urn:a"/>`)}}})
	assert.ErrorContains(t, err, "it is WSDL 2.0, which is not read")
	assert.True(t, wsdl.IsContract([]byte(`<description xmlns="http://www.w3.org/ns/wsdl"/>`)))
}
