package xsd_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

// schemas reads one schema and gives it with what was warned of.
func schemas(t *testing.T, inside string) (*xsd.Schemas, []string) {
	root, err := xmltree.Parse([]byte(`<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:t" targetNamespace="urn:t" elementFormDefault="qualified">` + inside + `</xs:schema>`))
	require.NoError(t, err)
	var warned []string
	r := xsd.NewReader(func(_ *xmltree.Node, format string, args ...any) {
		warned = append(warned, fmt.Sprintf(format, args...))
	})
	r.Add(root, "")
	return r.Finish(), warned
}

func faults(t *testing.T, s *xsd.Schemas, document string) []string {
	root, err := xmltree.Parse([]byte(strings.Replace(document, ">", ` xmlns="urn:t" xmlns:t="urn:t" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance">`, 1)))
	require.NoError(t, err, document)
	e := s.Elements[root.Name]
	require.NotNil(t, e)
	var lines []string
	for _, f := range s.Validate(root, e) {
		lines = append(lines, f.Node.Path()+": "+f.Detail)
	}
	return lines
}

func TestSimpleTypes(t *testing.T) {
	for _, c := range []struct {
		definition string
		good, bad  []string
	}{
		{`<xs:restriction base="xs:boolean"/>`, []string{"true", "0", " 1 "}, []string{"yes", ""}},
		{`<xs:restriction base="xs:int"/>`, []string{"2147483647", "-2147483648", "+3"}, []string{"2147483648", "1.0", "x"}},
		{`<xs:restriction base="xs:unsignedByte"><xs:maxExclusive value="9"/></xs:restriction>`, []string{"0", "8"}, []string{"9", "-1"}},
		{`<xs:restriction base="xs:decimal"><xs:totalDigits value="4"/><xs:fractionDigits value="2"/></xs:restriction>`, []string{"12.34", "-1.5", "12.300"}, []string{"123.45", "1.234", "1e3"}},
		{`<xs:restriction base="xs:long"/>`, []string{"9223372036854775807", "-9223372036854775808"}, []string{"9223372036854775808", "-9223372036854775809", "1e3"}},
		{`<xs:restriction base="xs:decimal"><xs:minExclusive value="0.1"/><xs:maxInclusive value="0.3"/></xs:restriction>`, []string{"0.10000000000000000001", "0.3", " 0.30 "}, []string{"0.1", "0.10", "0.30000000000000000001", "0.09999999999999999999"}},
		{`<xs:restriction base="xs:double"><xs:maxInclusive value="5"/></xs:restriction>`, []string{"-1e400", "INF"}, []string{"1e400", "5.1"}},
		{`<xs:restriction base="xs:double"/>`, []string{"1e3", "INF", "NaN", "-.5"}, []string{"one", "1e"}},
		{`<xs:restriction base="xs:date"/>`, []string{"2026-02-28", "2026-02-28Z", "2026-02-28+01:00", "12026-01-31", "-0044-03-15"}, []string{"2026-02-30", "2026-13-01", "2026-01-32", "28.02.2026"}},
		{`<xs:restriction base="xs:dateTime"><xs:minInclusive value="2026-01-01T00:00:00Z"/></xs:restriction>`, []string{"2026-05-01T10:00:00Z", "2026-05-01T24:00:00Z"}, []string{"2025-12-31T23:59:59Z", "2026-05-01T24:00:01Z", "2026-02-30T10:00:00Z", "2026-05-01", "2026-05-01T25:00:00Z"}},
		{`<xs:restriction base="xs:duration"/>`, []string{"P1Y", "PT5M", "-P3DT2H"}, []string{"P", "PT", "1D"}},
		{`<xs:restriction base="xs:hexBinary"><xs:length value="2"/></xs:restriction>`, []string{"0aFF"}, []string{"0a", "0aF", "zzzz"}},
		{`<xs:restriction base="xs:base64Binary"><xs:maxLength value="3"/></xs:restriction>`, []string{"YWJj", ""}, []string{"YWJjZA==", "a"}},
		{`<xs:restriction base="xs:string"><xs:enumeration value="a b"/></xs:restriction>`, []string{"a b"}, []string{"a  b", "ab"}},
		{`<xs:restriction base="xs:token"><xs:enumeration value="a b"/></xs:restriction>`, []string{"a b", " a  b "}, []string{"ab"}},
		{`<xs:restriction base="xs:string"><xs:minLength value="2"/><xs:pattern value="[a-z]*"/></xs:restriction>`, []string{"ab", "abc"}, []string{"a", "AB"}},
		{`<xs:list itemType="xs:int"/>`, []string{"1 2 3", ""}, []string{"1 x"}},
		{`<xs:union memberTypes="xs:int xs:date"/>`, []string{"7", "2026-01-01"}, []string{"soon"}},
		{`<xs:restriction base="xs:NCName"/>`, []string{"a-b"}, []string{"1a", "a:b", ""}},
		{`<xs:restriction base="xs:time"/>`, []string{"10:00:00", "10:00:00Z"}, []string{"10:00", "25:00:00"}},
		{`<xs:restriction base="xs:gYearMonth"><xs:minInclusive value="2026-03"/></xs:restriction>`, []string{"2026-03"}, []string{"2026", "2026-13", "2026-02"}},
		{`<xs:restriction base="xs:gDay"/>`, []string{"---07"}, []string{"07", "--07"}},
		{`<xs:restriction base="xs:gMonth"/>`, []string{"--07"}, []string{"07", "---07"}},
		{`<xs:restriction base="xs:token"><xs:minLength value="200"/><xs:maxLength value="201"/></xs:restriction>`, []string{strings.Repeat("ab ", 66) + "abc"}, []string{"a", strings.Repeat("a", 202)}},
		{`<xs:restriction base="xs:NCName"><xs:length value="3"/></xs:restriction>`, []string{"a-b"}, []string{"ab", "abcd"}},
		{`<xs:restriction base="xs:gMonthDay"/>`, []string{"--02-28"}, []string{"02-28"}},
		{`<xs:restriction base="xs:anyURI"/>`, []string{"https://a.example/b", "c/d"}, []string{"http://[::1"}},
	} {
		s, warned := schemas(t, `<xs:element name="v"><xs:simpleType>`+c.definition+`</xs:simpleType></xs:element>`)
		require.Empty(t, warned)
		for _, text := range c.good {
			assert.Empty(t, faults(t, s, "<v>"+text+"</v>"), "%s takes %q", c.definition, text)
		}
		for _, text := range c.bad {
			assert.NotEmpty(t, faults(t, s, "<v>"+text+"</v>"), "%s does not take %q", c.definition, text)
		}
		e := s.Elements[xsd.Name{Space: "urn:t", Local: "v"}]
		schema := jsonSchema(s, e)
		for _, text := range c.good {
			assert.NoError(t, schema.Check(s.Document(&xmltree.Node{Name: e.Name, Text: text}, e)), "%s takes %q as a document", c.definition, text)
		}
		for i := range uint64(50) {
			value, _ := schema.GenerateNamed(sample.NewDraw(1, c.definition, i), "v")
			assert.Empty(t, s.Validate(s.Written(value, e), e), "%s drew %q", c.definition, value.Text)
		}
		for i := range uint64(200) {
			n := (&xsd.Generator{Draw: sample.NewDraw(1, c.definition, i), Schemas: s}).Element(s.Elements[xsd.Name{Space: "urn:t", Local: "v"}])
			assert.Empty(t, s.Validate(n, s.Elements[n.Name]), "%s drew %q", c.definition, n.Text)
		}
	}
}

func TestContentModels(t *testing.T) {
	s, warned := schemas(t, `
		<xs:element name="seq"><xs:complexType><xs:sequence maxOccurs="2"><xs:element name="a" type="xs:int"/><xs:element name="b" type="xs:int" minOccurs="0" maxOccurs="2"/></xs:sequence></xs:complexType></xs:element>
		<xs:element name="pick"><xs:complexType><xs:choice minOccurs="0" maxOccurs="unbounded"><xs:element name="a" type="xs:int"/><xs:element name="b" type="xs:int"/></xs:choice></xs:complexType></xs:element>
		<xs:element name="every"><xs:complexType><xs:all><xs:element name="a" type="xs:int"/><xs:element name="b" type="xs:int" minOccurs="0"/></xs:all></xs:complexType></xs:element>
		<xs:element name="open"><xs:complexType><xs:sequence><xs:any processContents="lax" minOccurs="0" maxOccurs="2"/></xs:sequence></xs:complexType></xs:element>
		<xs:element name="other"><xs:complexType><xs:sequence><xs:any namespace="##other" processContents="lax"/></xs:sequence></xs:complexType></xs:element>
		<xs:element name="listed"><xs:complexType><xs:sequence><xs:any namespace="##targetNamespace urn:b" processContents="lax"/></xs:sequence></xs:complexType></xs:element>
		<xs:element name="nothing"><xs:complexType/></xs:element>
		<xs:element name="marked"><xs:complexType><xs:attribute name="r" use="required" type="xs:int"/><xs:attribute name="f" fixed="x"/><xs:attribute name="q" form="qualified" type="xs:int"/></xs:complexType></xs:element>
		<xs:element name="int" type="xs:int" nillable="true" default="7"/>
		<xs:element name="fixed" type="xs:string" fixed="x"/>
		<xs:complexType name="Base" abstract="true"><xs:sequence><xs:element name="a" type="xs:int"/></xs:sequence></xs:complexType>
		<xs:complexType name="More"><xs:complexContent><xs:extension base="t:Base"><xs:sequence><xs:element name="b" type="xs:int"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType>
		<xs:element name="base" type="t:Base"/>
		<xs:complexType name="Talk" mixed="true"><xs:sequence><xs:element name="a" minOccurs="0" type="xs:int"/></xs:sequence></xs:complexType>
		<xs:element name="talk"><xs:complexType><xs:complexContent><xs:extension base="t:Talk"/></xs:complexContent></xs:complexType></xs:element>
		<xs:element name="turned"><xs:complexType><xs:sequence><xs:element name="a" minOccurs="2" maxOccurs="1" type="xs:int"/></xs:sequence></xs:complexType></xs:element>
		<xs:element name="few"><xs:complexType><xs:attribute name="k"><xs:simpleType><xs:restriction base="xs:string"><xs:enumeration value="x"/></xs:restriction></xs:simpleType></xs:attribute></xs:complexType></xs:element>`)
	require.Empty(t, warned)
	for document, want := range map[string]string{
		"<seq><a>1</a><b>2</b><b>3</b><a>4</a></seq>":     "",
		"<seq><a>1</a><b>2</b><b>3</b><b>4</b></seq>":     "/seq/b[3]: <b> is not expected here; expected is <a>",
		"<seq><b>1</b></seq>":                             "/seq/b: <b> is not expected here; expected is <a>",
		`<seq><a xmlns="urn:o">1</a></seq>`:               `/seq/a: <a> is in the namespace "urn:o", not in "urn:t"`,
		"<seq></seq>":                                     "/seq: <seq> is not complete; expected is <a>",
		"<seq><a>1</a><a>1</a><a>1</a></seq>":             "/seq/a[3]: <a> is not expected here",
		"<seq><a>x</a></seq>":                             `/seq/a: "x" is not a valid integer`,
		"<pick></pick>":                                   "",
		"<pick><b>1</b><a>1</a><b>1</b></pick>":           "",
		"<pick><c>1</c></pick>":                           "/pick/c: <c> is not expected here; expected is <a> or <b>",
		"<every><b>1</b><a>1</a></every>":                 "",
		"<every><b>1</b></every>":                         "<every> is not complete; expected is <a>",
		"<every><a>1</a><a>1</a></every>":                 "/every/a[2]: <a> is not expected here",
		"<open><x/><int>7</int></open>":                   "",
		"<open><int>x</int></open>":                       `/open/int: "x" is not a valid integer`,
		`<other><x xmlns="urn:b"/></other>`:               "",
		"<other><x/></other>":                             "<x> is not expected here; expected is any element",
		`<other><x xmlns=""/></other>`:                    "<x> is not expected here; expected is any element",
		`<listed><x xmlns="urn:b"/></listed>`:             "",
		"<listed><x/></listed>":                           "",
		`<listed><x xmlns="urn:c"/></listed>`:             "<x> is not expected here; expected is any element",
		"<nothing></nothing>":                             "",
		"<nothing>text</nothing>":                         `text "text" is not expected`,
		`<marked r="1" f="x" t:q="2"></marked>`:           "",
		`<marked r="x"></marked>`:                         `attribute r: "x" is not a valid integer`,
		`<marked></marked>`:                               "attribute r is required and missing",
		`<marked r="1" f="y"></marked>`:                   `attribute f must be "x", not "y"`,
		`<marked r="1" t:q="x"></marked>`:                 `attribute q: "x" is not a valid integer`,
		`<marked r="1" s="1"></marked>`:                   "attribute s is not expected",
		"<int></int>":                                     "",
		`<int xsi:nil="true"></int>`:                      "",
		`<int xsi:nil="true">7</int>`:                     "is nil and must be empty",
		"<talk>words <a>1</a></talk>":                     "",
		"<talk>words <b>1</b></talk>":                     "/talk/b: <b> is not expected here; expected is <a>",
		"<turned><a>1</a><a>1</a></turned>":               "",
		"<turned><a>1</a></turned>":                       "/turned: <turned> is not complete; expected is <a>",
		`<few k="x"></few>`:                               "",
		`<few k="y"></few>`:                               "attribute k: ",
		"<fixed>x</fixed>":                                "",
		"<fixed>y</fixed>":                                `its value must be "x", not "y"`,
		"<base><a>1</a></base>":                           "type Base is abstract",
		`<base xsi:type="t:More"><a>1</a><b>2</b></base>`: "",
		`<base xsi:type="t:More"><a>1</a></base>`:         "<base> is not complete; expected is <b>",
		`<base xsi:type="xsi:int">1</base>`:               "is not a type of the contract",
	} {
		got := faults(t, s, document)
		if want == "" {
			assert.Empty(t, got, document)
		} else if assert.NotEmpty(t, got, document) {
			assert.Contains(t, got[0], want)
		}
	}
}

func TestWhatIsMissingIsWarnedOf(t *testing.T) {
	_, warned := schemas(t, `
		<xs:element name="a" type="t:None"/>
		<xs:element name="b"><xs:complexType><xs:sequence><xs:element ref="t:gone"/><xs:group ref="t:lost"/></xs:sequence><xs:attribute ref="t:away"/><xs:attributeGroup ref="t:nope"/></xs:complexType></xs:element>
		<xs:group name="round"><xs:sequence><xs:group ref="t:round"/></xs:sequence></xs:group>
		<xs:element name="c"><xs:complexType><xs:group ref="t:round"/></xs:complexType></xs:element>
		<xs:element name="d"><xs:complexType><xs:sequence><xs:element name="x" minOccurs="some"/></xs:sequence></xs:complexType></xs:element>
		<xs:element name="e"><xs:complexType><xs:sequence><xs:element name="x" minOccurs="20001" maxOccurs="unbounded"/><xs:element name="y" minOccurs="20000" maxOccurs="unbounded"/></xs:sequence></xs:complexType></xs:element>`)
	assert.Len(t, warned, 8)
	for i, want := range []string{"type {urn:t}None is not in any", "element {urn:t}gone", "group {urn:t}lost", "attribute {urn:t}away", "attributeGroup {urn:t}nope", "contains itself", `minOccurs must be a number, not "some"`, "minOccurs 20001 is more than is ever drawn"} {
		assert.Contains(t, warned[min(i, len(warned)-1)], want)
	}
}
