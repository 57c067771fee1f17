package xsd_test

import (
	"math"
	"strconv"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/sample"
)

// What a type allows is drawn from one end to the other, and nothing beyond it.
func TestBothEndsOfATypeAreDrawn(t *testing.T) {
	value := func(text string) float64 {
		f, err := strconv.ParseFloat(text, 64)
		require.NoError(t, err)
		return f
	}
	runes := func(text string) float64 { return float64(utf8.RuneCountInString(text)) }
	items := func(text string) float64 { return float64(len(strings.Fields(text))) }
	pairs := func(text string) float64 { return float64(len(text)) / 2 }
	for _, c := range []struct {
		definition string
		measure    func(string) float64
		low, high  float64
	}{
		{`<xs:restriction base="xs:int"/>`, value, 1, 1000},
		{`<xs:restriction base="xs:int"><xs:minInclusive value="990"/></xs:restriction>`, value, 990, 1000},
		{`<xs:restriction base="xs:int"><xs:minInclusive value="1000"/></xs:restriction>`, value, 1000, 2000},
		{`<xs:restriction base="xs:int"><xs:maxInclusive value="4"/></xs:restriction>`, value, 1, 4},
		{`<xs:restriction base="xs:int"><xs:minInclusive value="5"/><xs:maxInclusive value="7"/></xs:restriction>`, value, 5, 7},
		{`<xs:restriction base="xs:int"><xs:minInclusive value="7"/><xs:maxInclusive value="7"/></xs:restriction>`, value, 7, 7},
		{`<xs:restriction base="xs:int"><xs:minExclusive value="3"/><xs:maxExclusive value="6"/></xs:restriction>`, value, 4, 5},
		{`<xs:restriction base="xs:integer"><xs:maxInclusive value="-5"/></xs:restriction>`, value, -1005, -5},
		{`<xs:restriction base="xs:decimal"><xs:maxExclusive value="1"/><xs:fractionDigits value="0"/></xs:restriction>`, value, -999, 0},
		{`<xs:restriction base="xs:integer"><xs:minInclusive value="998"/><xs:maxInclusive value="1003"/></xs:restriction>`, value, 998, 1003},
		{`<xs:restriction base="xs:integer"><xs:totalDigits value="1"/></xs:restriction>`, value, 1, 9},
		{`<xs:restriction base="xs:integer"><xs:minInclusive value="-70"/><xs:totalDigits value="1"/></xs:restriction>`, value, -9, 9},
		{`<xs:restriction base="xs:decimal"><xs:totalDigits value="3"/><xs:fractionDigits value="2"/></xs:restriction>`, value, 1, 9},
		{`<xs:restriction base="xs:decimal"><xs:minInclusive value="0.5"/><xs:maxInclusive value="0.7"/><xs:fractionDigits value="1"/></xs:restriction>`, value, 0.5, 0.7},
		{`<xs:restriction base="xs:negativeInteger"/>`, value, -1001, -1},
		{`<xs:restriction base="xs:unsignedByte"/>`, value, 1, 255},
		{`<xs:restriction base="xs:int"><xs:minInclusive value="0"/><xs:maxInclusive value="2000000"/></xs:restriction>`, value, 0, 1000},
		{`<xs:list itemType="xs:int"/>`, items, 1, 3},
		{`<xs:restriction><xs:simpleType><xs:list itemType="xs:int"/></xs:simpleType><xs:minLength value="2"/><xs:maxLength value="5"/></xs:restriction>`, items, 2, 5},
		{`<xs:restriction><xs:simpleType><xs:list itemType="xs:int"/></xs:simpleType><xs:minLength value="4"/></xs:restriction>`, items, 4, 6},
		{`<xs:restriction base="xs:hexBinary"/>`, pairs, 0, 12},
		{`<xs:restriction base="xs:hexBinary"><xs:minLength value="2"/><xs:maxLength value="3"/></xs:restriction>`, pairs, 2, 3},
		{`<xs:restriction base="xs:string"><xs:maxLength value="3"/></xs:restriction>`, runes, 3, 3},
		{`<xs:restriction base="xs:token"><xs:length value="90"/></xs:restriction>`, runes, 90, 90},
		{`<xs:restriction base="xs:string"><xs:pattern value="[a-c]{2,4}"/></xs:restriction>`, runes, 2, 4},
		{`<xs:restriction base="xs:int"><xs:enumeration value="3"/><xs:enumeration value="5"/><xs:enumeration value="9"/></xs:restriction>`, value, 3, 9},
		{`<xs:union><xs:simpleType><xs:restriction base="xs:int"><xs:enumeration value="1"/></xs:restriction></xs:simpleType><xs:simpleType><xs:restriction base="xs:int"><xs:enumeration value="2"/></xs:restriction></xs:simpleType></xs:union>`, value, 1, 2},
	} {
		t.Run(c.definition, func(t *testing.T) {
			s, warned := schemas(t, `<xs:element name="v"><xs:simpleType>`+c.definition+`</xs:simpleType></xs:element>`)
			require.Empty(t, warned)
			e := s.Elements[xsd.Name{Space: "urn:t", Local: "v"}]
			low, high := math.Inf(1), math.Inf(-1)
			for i := range uint64(4_000) {
				n := (&xsd.Generator{Draw: sample.NewDraw(1, "ends", i), Schemas: s}).Element(e)
				require.Empty(t, s.Validate(n, e), "%q", n.Text)
				low, high = min(low, c.measure(n.Text)), max(high, c.measure(n.Text))
			}
			assert.Equal(t, [2]float64{c.low, c.high}, [2]float64{low, high})
		})
	}
}
