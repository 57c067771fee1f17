package wsdl_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/wsdl"
	"rapidmimic.example/internal/core/sample"
)

// largeContract is a WSDL document of about 700 KB with 60 operations.
func largeContract() []byte {
	var types, messages, operations, bound strings.Builder
	for i := range 60 {
		for _, kind := range []string{"Ask", "Get"} {
			fmt.Fprintf(&types, "<xs:element name=\"%s%d\"><xs:complexType><xs:sequence>\n", kind, i)
			for j := range 30 {
				fmt.Fprintf(&types, "  <xs:element name=\"field%d\" type=\"xs:string\" minOccurs=\"0\"><xs:annotation><xs:documentation>What the desk wrote into field %d of operation %d</xs:documentation></xs:annotation></xs:element>\n", j, j, i)
			}
			fmt.Fprintf(&types, "  <xs:element name=\"next\" type=\"t:T%d\" minOccurs=\"0\"/>\n</xs:sequence></xs:complexType></xs:element>\n", i)
			fmt.Fprintf(&messages, "<message name=\"%s%d\"><part name=\"body\" element=\"t:%s%d\"/></message>\n", kind, i, kind, i)
		}
		fmt.Fprintf(&types, "<xs:complexType name=\"T%d\"><xs:sequence>", i)
		for j := range 10 {
			fmt.Fprintf(&types, "<xs:element name=\"inner%d\" type=\"xs:int\"/>", j)
		}
		fmt.Fprintf(&types, "<xs:element name=\"more\" type=\"t:T%d\" minOccurs=\"0\" maxOccurs=\"unbounded\"/></xs:sequence></xs:complexType>\n", (i+1)%60)
		fmt.Fprintf(&operations, "<operation name=\"op%d\"><input message=\"t:Ask%d\"/><output message=\"t:Get%d\"/></operation>\n", i, i, i)
		fmt.Fprintf(&bound, "<operation name=\"op%d\"><soap:operation soapAction=\"\"/><input><soap:body use=\"literal\"/></input><output><soap:body use=\"literal\"/></output></operation>\n", i)
	}
	return []byte(`<definitions name="Large" targetNamespace="urn:large" xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:t="urn:large" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/">
<types><xs:schema targetNamespace="urn:large" elementFormDefault="qualified">` + types.String() + `</xs:schema></types>` + messages.String() +
		`<portType name="P">` + operations.String() + `</portType><binding name="B" type="t:P"><soap:binding style="document" transport="http://schemas.xmlsoap.org/soap/http"/>` + bound.String() +
		`</binding><service name="S"><port name="P" binding="t:B"><soap:address location="http://x.example"/></port></service></definitions>`)
}

// BenchmarkReadLarge is from the text to the first answer.
func BenchmarkReadLarge(b *testing.B) {
	text := largeContract()
	b.SetBytes(int64(len(text)))
	for b.Loop() {
		c, err := wsdl.Read(&bundle.Bundle{Files: []bundle.File{{Text: text}}})
		require.NoError(b, err)
		require.Len(b, c.Operations, 60)
		built, _ := c.Protocol.Answer(&contract.Asked{Operation: c.Operations[30]}, contract.Wanted{Draw: func() *sample.Draw { return sample.NewDraw(1, "", 0) }})
		require.Empty(b, built.Invalid)
	}
}
