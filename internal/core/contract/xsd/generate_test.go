package xsd_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

// told is how a document is built, without its values: a[@u](b b c).
func told(n *xmltree.Node) string {
	var b strings.Builder
	b.WriteString(n.Name.Local)
	for _, a := range n.Attrs {
		b.WriteString("@" + a.Name.Local)
		if a.QName != nil {
			b.WriteString("=" + a.QName.Local + a.Value)
		}
	}
	if len(n.Children) > 0 {
		parts := make([]string, len(n.Children))
		for i, c := range n.Children {
			parts[i] = told(c)
		}
		b.WriteString("(" + strings.Join(parts, " ") + ")")
	}
	return b.String()
}

// drawn gives the ways in which documents of an element are built, in 600 draws. Each
// draw must obey its schema.
func drawn(t *testing.T, definitions string, encoded bool) []string {
	s, warned := schemas(t, definitions)
	require.Empty(t, warned)
	e := s.Elements[xsd.Name{Space: "urn:t", Local: "v"}]
	require.NotNil(t, e, definitions)
	shapes, schema := make(map[string]bool), jsonSchema(s, e)
	for i := range uint64(300) {
		generator := func() *xsd.Generator {
			return &xsd.Generator{Draw: sample.NewDraw(3, "x", i), Schemas: s, Encoded: encoded}
		}
		n := generator().Element(e)
		require.Equal(t, string(n.Document()), string(xmltree.Write(func(w *xmltree.Writer) { generator().Write(w, e) })))
		if !encoded {
			require.Empty(t, s.Validate(n, e), "%s", told(n))
			if !shapes[told(n)] {
				asDocument(t, s, n, e, schema)
			}
		}
		shapes[told(n)] = true
	}
	return slices.Sorted(maps.Keys(shapes))
}

// What may differ from one document to the next does, and nothing else.
func TestEveryShapeIsDrawn(t *testing.T) {
	element := func(inside string) string {
		return `<xs:element name="v"><xs:complexType>` + inside + `</xs:complexType></xs:element>`
	}
	const a, b = `<xs:element name="a" type="xs:int"/>`, `<xs:element name="b" type="xs:int"/>`
	for name, c := range map[string]struct {
		definitions string
		want        []string
	}{
		"what must be there is":       {element(`<xs:sequence>` + a + b + `</xs:sequence>`), []string{"v(a b)"}},
		"what may be left out":        {element(`<xs:sequence>` + a + `<xs:element name="o" minOccurs="0" type="xs:int"/></xs:sequence>`), []string{"v(a o)", "v(a)"}},
		"one to three of many":        {element(`<xs:sequence><xs:element name="m" maxOccurs="unbounded" type="xs:int"/></xs:sequence>`), []string{"v(m m m)", "v(m m)", "v(m)"}},
		"none of many, too":           {element(`<xs:sequence><xs:element name="m" minOccurs="0" maxOccurs="2" type="xs:int"/></xs:sequence>`), []string{"v", "v(m m)", "v(m)"}},
		"at least so many":            {element(`<xs:sequence><xs:element name="m" minOccurs="4" maxOccurs="9" type="xs:int"/></xs:sequence>`), []string{"v(m m m m m m m)", "v(m m m m m m)", "v(m m m m m)", "v(m m m m)"}},
		"never one that is forbidden": {element(`<xs:sequence>` + a + `<xs:element name="m" minOccurs="0" maxOccurs="0" type="xs:int"/></xs:sequence>`), []string{"v(a)"}},
		"each choice":                 {element(`<xs:choice>` + a + b + `</xs:choice>`), []string{"v(a)", "v(b)"}},
		"all of them":                 {element(`<xs:all>` + a + b + `</xs:all>`), []string{"v(a b)"}},
		"a group":                     {`<xs:group name="g"><xs:sequence>` + a + b + `</xs:sequence></xs:group>` + element(`<xs:group ref="t:g"/>`), []string{"v(a b)"}},
		"a group several times":       {`<xs:group name="g"><xs:choice>` + a + b + `</xs:choice></xs:group>` + element(`<xs:sequence><xs:group ref="t:g" minOccurs="2" maxOccurs="2"/></xs:sequence>`), []string{"v(a a)", "v(a b)", "v(b a)", "v(b b)"}},
		"attributes":                  {element(`<xs:attribute name="r" use="required" type="xs:int"/><xs:attribute name="o" type="xs:int"/>`), []string{"v@r", "v@r@o"}},
		"no forbidden attribute":      {element(`<xs:attribute name="p" use="prohibited" type="xs:int"/>`), []string{"v"}},
		"fixed attributes":            {element(`<xs:attribute name="f" fixed="x"/><xs:attribute name="g" use="required" fixed="y"/>`), []string{"v@f@g", "v@g"}},
		"attributes of a group":       {`<xs:attributeGroup name="g"><xs:attribute name="r" use="required" type="xs:int"/></xs:attributeGroup>` + element(`<xs:attributeGroup ref="t:g"/>`), []string{"v@r"}},
		"attributes with their type":  {element(`<xs:attribute name="r" use="required"><xs:simpleType><xs:restriction base="xs:int"><xs:minInclusive value="5"/></xs:restriction></xs:simpleType></xs:attribute>`), []string{"v@r"}},
		"attributes beside text":      {element(`<xs:simpleContent><xs:extension base="xs:int"><xs:attribute name="r" use="required" type="xs:int"/></xs:extension></xs:simpleContent>`), []string{"v@r"}},
		"nil now and then":            {`<xs:element name="v" nillable="true"><xs:complexType><xs:sequence>` + a + `</xs:sequence></xs:complexType></xs:element>`, []string{"v(a)", "v@nil"}},
		"a derived type now and then": {`<xs:complexType name="T"><xs:sequence>` + a + `</xs:sequence></xs:complexType><xs:complexType name="D"><xs:complexContent><xs:extension base="t:T"><xs:sequence>` + b + `</xs:sequence></xs:extension></xs:complexContent></xs:complexType><xs:element name="v" type="t:T"/>`,
			[]string{"v(a)", "v@type=D(a b)"}},
		"only a derived type": {`<xs:complexType name="T" abstract="true"><xs:sequence>` + a + `</xs:sequence></xs:complexType><xs:complexType name="D"><xs:complexContent><xs:extension base="t:T"><xs:choice>` + b + `</xs:choice></xs:extension></xs:complexContent></xs:complexType><xs:element name="v" type="t:T"/>`,
			[]string{"v@type=D(a b)"}},
		"a restricted type": {`<xs:complexType name="T"><xs:sequence>` + a + `<xs:element name="o" minOccurs="0" type="xs:int"/></xs:sequence></xs:complexType><xs:complexType name="R"><xs:complexContent><xs:restriction base="t:T"><xs:sequence>` + a + `</xs:sequence></xs:restriction></xs:complexContent></xs:complexType><xs:element name="v" type="t:R"/>`,
			[]string{"v(a)"}},
		"what stands in": {`<xs:element name="head" type="xs:int"/><xs:element name="other" type="xs:int" substitutionGroup="t:head"/>` + element(`<xs:sequence><xs:element ref="t:head"/></xs:sequence>`), []string{"v(head)", "v(other)"}},
		"what stands in for an abstract one": {`<xs:element name="head" type="xs:int" abstract="true"/><xs:element name="one" type="xs:int" substitutionGroup="t:head"/><xs:element name="two" type="xs:int" substitutionGroup="t:one"/>` + element(`<xs:sequence><xs:element ref="t:head"/></xs:sequence>`),
			[]string{"v(one)", "v(two)"}},
		"anything lax":          {element(`<xs:sequence><xs:any processContents="lax"/></xs:sequence>`), []string{"v(extra)"}},
		"a data set":            {element(`<xs:sequence><xs:element ref="xs:schema"/><xs:any/></xs:sequence>`), []string{"v(schema@id(element@name@IsDataSet(complexType(choice@minOccurs@maxOccurs(element@name(complexType(sequence(element@name@type=int@minOccurs element@name@type=string@minOccurs element@name@type=dateTime@minOccurs))))))) diffgram(Data(Table@id@rowOrder(number name since) Table@id@rowOrder(number name since))))"}},
		"a data set and more":   {element(`<xs:sequence><xs:element ref="xs:schema"/><xs:any/><xs:any/></xs:sequence>`), []string{"v(schema@id(element@name@IsDataSet(complexType(choice@minOccurs@maxOccurs(element@name(complexType(sequence(element@name@type=int@minOccurs element@name@type=string@minOccurs element@name@type=dateTime@minOccurs))))))) diffgram(Data(Table@id@rowOrder(number name since) Table@id@rowOrder(number name since))) extra)"}},
		"anything known":        {`<xs:element name="known" type="xs:int"/>` + element(`<xs:sequence><xs:any/></xs:sequence>`), []string{"v(known)"}},
		"anything of its own":   {`<xs:element name="known" type="xs:int"/>` + element(`<xs:sequence><xs:any namespace="##targetNamespace"/></xs:sequence>`), []string{"v(known)"}},
		"anything of no space":  {`<xs:element name="known" type="xs:int"/>` + element(`<xs:sequence><xs:any namespace="##local"/></xs:sequence>`), []string{"v(extra)"}},
		"nothing of its own":    {`<xs:element name="known" type="xs:int"/>` + element(`<xs:sequence><xs:any namespace="##other"/></xs:sequence>`), []string{"v(extra)"}},
		"the simplest known":    {`<xs:element name="a" type="t:T"/><xs:complexType name="T"><xs:sequence>` + b + `</xs:sequence></xs:complexType><xs:element name="z" type="xs:int"/>` + element(`<xs:sequence><xs:any/></xs:sequence>`), []string{"v(z)"}},
		"the first of two":      {`<xs:element name="n" type="xs:int"/><xs:element name="m" type="xs:int"/>` + element(`<xs:sequence><xs:any/></xs:sequence>`), []string{"v(m)"}},
		"as many as are wanted": {element(`<xs:sequence><xs:any processContents="lax" minOccurs="2" maxOccurs="5"/></xs:sequence>`), []string{"v(extra extra)"}},
		"a choice with an end":  {`<xs:complexType name="T"><xs:sequence><xs:element name="n" type="t:T"/></xs:sequence></xs:complexType>` + element(`<xs:choice>`+a+`<xs:element name="e" type="t:T"/></xs:choice>`), []string{"v(a)"}},
		"an attribute's space":  {element(`<xs:attribute name="r" use="required" form="qualified" type="xs:int"/>`), []string{"v@r"}},
		"anything of one space": {`<xs:element name="known" type="xs:int"/>` + element(`<xs:sequence><xs:any namespace="urn:a urn:b"/></xs:sequence>`), []string{"v(extra)"}},
		"not what leads back":   {`<xs:element name="known"><xs:complexType><xs:sequence><xs:any/><xs:any/></xs:sequence></xs:complexType></xs:element>` + element(`<xs:sequence><xs:any/><xs:any minOccurs="0"/></xs:sequence>`), []string{"v(extra)"}},
		"anything else's":       {`<xs:element name="known" type="xs:int"/>` + element(`<xs:sequence><xs:any namespace="##other" processContents="lax"/></xs:sequence>`), []string{"v(extra)"}},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, c.want, drawn(t, c.definitions, false))
		})
	}
}

// depthOf is how deep the brackets of a shape go.
func depthOf(shape string) (depth int) {
	now := 0
	for _, r := range shape {
		switch r {
		case '(':
			now++
		case ')':
			now--
		}
		depth = max(depth, now)
	}
	return depth
}

// A schema cannot ask for a document without an end: it is cut off where it would be
// larger than any message.
func TestTheSizeOfADocumentIsBounded(t *testing.T) {
	s, warned := schemas(t, `<xs:complexType name="C"><xs:sequence><xs:element name="c" minOccurs="60" maxOccurs="60" type="xs:int"/></xs:sequence></xs:complexType>
		<xs:complexType name="B"><xs:sequence><xs:element name="b" minOccurs="60" maxOccurs="60" type="t:C"/></xs:sequence></xs:complexType>
		<xs:element name="v"><xs:complexType><xs:sequence><xs:element name="a" minOccurs="60" maxOccurs="60" type="t:B"/></xs:sequence></xs:complexType></xs:element>`)
	require.Empty(t, warned)
	n := (&xsd.Generator{Draw: sample.NewDraw(3, "x", 1), Schemas: s}).Element(s.Elements[xsd.Name{Space: "urn:t", Local: "v"}])
	var count func(*xmltree.Node) int
	count = func(n *xmltree.Node) int {
		sum := 1
		for _, c := range n.Children {
			sum += count(c)
		}
		return sum
	}
	assert.InDelta(t, 20_000, count(n), 100)
}

// Declarations that lead back to themselves are read, drawn and checked to an end.
func TestCirclesOfDeclarationsEnd(t *testing.T) {
	s, _ := schemas(t, `<xs:complexType name="A"><xs:complexContent><xs:extension base="t:B"/></xs:complexContent></xs:complexType>
		<xs:complexType name="B"><xs:complexContent><xs:extension base="t:A"/></xs:complexContent></xs:complexType>
		<xs:element name="one" type="xs:int" substitutionGroup="t:two"/><xs:element name="two" type="xs:int" substitutionGroup="t:one"/>
		<xs:element name="v"><xs:complexType><xs:sequence><xs:element ref="t:one"/><xs:element name="a" type="t:A"/></xs:sequence></xs:complexType></xs:element>`)
	e := s.Elements[xsd.Name{Space: "urn:t", Local: "v"}]
	shapes := make(map[string]bool)
	for i := range uint64(300) {
		n := (&xsd.Generator{Draw: sample.NewDraw(3, "x", i), Schemas: s}).Element(e)
		require.Empty(t, s.Validate(n, e), told(n))
		shapes[told(n.Children[0])] = true
	}
	assert.Equal(t, map[string]bool{"one": true, "two": true}, shapes)
}

// A type that contains itself ends, and a message in SOAP's own encoding names its
// types and counts its arrays.
func TestRecursionAndArrays(t *testing.T) {
	const a = `<xs:element name="a" type="xs:int"/>`
	for name, definitions := range map[string]string{
		"a choice":         `<xs:complexType name="T"><xs:choice><xs:sequence><xs:element name="n" type="t:T"/><xs:element name="n" type="t:T"/></xs:sequence>` + a + `</xs:choice></xs:complexType>`,
		"an optional one":  `<xs:complexType name="T"><xs:choice><xs:element name="n" type="t:T"/><xs:element name="o" minOccurs="0" type="t:T"/></xs:choice></xs:complexType>`,
		"all":              `<xs:complexType name="T"><xs:all><xs:element name="n" minOccurs="0" type="t:T"/><xs:element name="o" minOccurs="0" type="t:T"/></xs:all></xs:complexType>`,
		"a derived type":   `<xs:complexType name="T" abstract="true"><xs:sequence/></xs:complexType><xs:complexType name="R"><xs:complexContent><xs:extension base="t:T"><xs:sequence><xs:element name="n" type="t:T"/><xs:element name="o" type="t:T"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType><xs:complexType name="S"><xs:complexContent><xs:extension base="t:T"/></xs:complexContent></xs:complexType>`,
		"what stands in":   `<xs:complexType name="T"><xs:sequence><xs:element ref="t:head"/><xs:element ref="t:head"/></xs:sequence></xs:complexType><xs:element name="head" abstract="true" type="xs:anyType"/><xs:element name="again" type="t:T" substitutionGroup="t:head"/><xs:element name="end" type="xs:int" substitutionGroup="t:head"/>`,
		"nil":              `<xs:complexType name="T"><xs:sequence><xs:element name="n" nillable="true" type="t:T"/><xs:element name="o" nillable="true" type="t:T"/></xs:sequence></xs:complexType>`,
		"a group's choice": `<xs:complexType name="T"><xs:group ref="t:g" maxOccurs="2"/></xs:complexType><xs:group name="g"><xs:choice><xs:element name="n" type="t:T"/>` + a + `</xs:choice></xs:group>`,
	} {
		deepest := 0
		for _, shape := range drawn(t, definitions+`<xs:element name="v" type="t:T"/>`, false) {
			deepest = max(deepest, depthOf(shape))
		}
		assert.Greater(t, deepest, 2, "%s does contain itself", name)
		assert.LessOrEqual(t, deepest, 10, name)
	}
	deepest := 0
	for _, shape := range drawn(t, `<xs:complexType name="T"><xs:sequence><xs:element name="a" type="xs:int"/><xs:element name="n" type="t:T" minOccurs="0" maxOccurs="unbounded"/></xs:sequence></xs:complexType><xs:element name="v" type="t:T"/>`, false) {
		deepest = max(deepest, depthOf(shape))
	}
	assert.Greater(t, deepest, 2, "it does contain itself")
	assert.LessOrEqual(t, deepest, 10)
	array := `<xs:complexType name="A"><xs:complexContent><xs:restriction base="enc:Array" xmlns:enc="` + xsd.Encoding + `"><xs:attribute ref="enc:arrayType" wsdl:arrayType="xs:int[]" xmlns:wsdl="http://schemas.xmlsoap.org/wsdl/"/></xs:restriction></xs:complexContent></xs:complexType><xs:element name="v" type="t:A"/>`
	assert.Equal(t, []string{"v@type=A@arrayType=int[2](item@type=int item@type=int)"}, drawn(t, array, true))
	nested := strings.Replace(array, `"xs:int[]"`, `"t:N[]"`, 1) + `<xs:complexType name="N"><xs:sequence><xs:element name="w" type="t:A"/></xs:sequence></xs:complexType>`
	shape := drawn(t, nested, true)[0]
	assert.Contains(t, shape, "w@type=A@arrayType=N[0]", "arrays deep down are empty")
	assert.Contains(t, shape, "w@type=A@arrayType=N[2]")
}

// What is said to be certain is: all that is drawn of it obeys.
func TestCertain(t *testing.T) {
	inside := func(content, more string) string {
		return `<xs:element name="v"><xs:complexType>` + content + `</xs:complexType></xs:element>` + more
	}
	all := ""
	for i, kind := range []string{"string", "normalizedString", "token", "boolean", "decimal", "integer", "int", "unsignedByte", "negativeInteger", "float", "double", "dateTime", "date", "time", "anyURI", "base64Binary", "hexBinary",
		"gYear", "gYearMonth", "gMonthDay", "gDay", "gMonth", "duration", "language", "NMTOKEN", "Name", "NCName", "anyType"} {
		all += fmt.Sprintf(`<xs:element name="e%d" type="xs:%s" minOccurs="%d" nillable="%t"/>`, i, kind, i%2, i%3 == 0)
	}
	restricted := func(facet string) string {
		return inside(`<xs:attribute name="a" use="required" type="t:R"/>`, `<xs:simpleType name="R"><xs:restriction base="xs:string">`+facet+`</xs:restriction></xs:simpleType>`)
	}
	for _, k := range []struct {
		name, definitions string
		want              bool
	}{
		{"built-in types", inside(`<xs:sequence>`+all+`</xs:sequence><xs:attribute name="a" type="xs:int"/>`, ""), true},
		{"an enumeration", restricted(`<xs:enumeration value="x"/><xs:enumeration value="y"/>`), true},
		{"a choice in a sequence", inside(`<xs:sequence maxOccurs="3"><xs:choice><xs:element name="a" type="xs:int"/><xs:element name="b" type="xs:int" maxOccurs="2"/></xs:choice></xs:sequence>`, ""), true},
		{"in any order", inside(`<xs:all><xs:element name="a" type="xs:int"/><xs:element name="b" type="xs:int" minOccurs="0"/></xs:all>`, ""), true},
		{"types within types, one of them derived", inside(`<xs:sequence><xs:element name="a" type="t:B"/><xs:element name="b" type="t:B"/></xs:sequence>`,
			`<xs:complexType name="B"><xs:sequence><xs:element name="x" type="xs:int"/></xs:sequence></xs:complexType><xs:complexType name="D"><xs:complexContent><xs:extension base="t:B"><xs:sequence><xs:element name="y" type="xs:int"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType>`), true},
		{"a pattern", restricted(`<xs:pattern value="[a-z]{3}"/>`), false},
		{"at most so long", restricted(`<xs:maxLength value="3"/>`), true},
		{"at least so long", restricted(`<xs:minLength value="100"/><xs:maxLength value="101"/>`), true},
		{"exactly so long", strings.Replace(restricted(`<xs:length value="9"/>`), "xs:string", "xs:token", 1), true},
		{"no text at all", restricted(`<xs:maxLength value="0"/>`), false},
		{"no length at all", restricted(`<xs:minLength value="4"/><xs:maxLength value="3"/>`), false},
		{"longer than is drawn", restricted(`<xs:minLength value="300000"/>`), false},
		{"so many bytes", strings.Replace(restricted(`<xs:length value="9"/>`), "xs:string", "xs:hexBinary", 1), false},
		{"an enumeration of lengths", restricted(`<xs:enumeration value="x"/><xs:length value="9"/>`), false},
		{"a pattern in a derived type", inside(`<xs:sequence><xs:element name="a" type="t:B"/></xs:sequence>`,
			`<xs:complexType name="B"/><xs:complexType name="D"><xs:complexContent><xs:extension base="t:B"><xs:attribute name="p" type="t:P" use="required"/></xs:extension></xs:complexContent></xs:complexType><xs:simpleType name="P"><xs:restriction base="xs:string"><xs:pattern value="a"/></xs:restriction></xs:simpleType>`), false},
		{"one that contains itself", `<xs:element name="v" type="t:V"/><xs:complexType name="V"><xs:sequence><xs:element name="v" type="t:V" minOccurs="0"/></xs:sequence></xs:complexType>`, false},
		{"anything", inside(`<xs:sequence><xs:any minOccurs="0" processContents="lax"/></xs:sequence>`, ""), false},
		{"a fixed value", inside(`<xs:sequence><xs:element name="a" type="xs:int" fixed="7" nillable="true"/></xs:sequence>`, ""), true},
		{"a fixed value that a derived type has not", inside(`<xs:sequence><xs:element name="a" type="t:B" fixed="x"/></xs:sequence>`,
			`<xs:complexType name="B"><xs:simpleContent><xs:extension base="xs:string"/></xs:simpleContent></xs:complexType><xs:complexType name="D"><xs:simpleContent><xs:restriction base="t:B"><xs:enumeration value="y"/></xs:restriction></xs:simpleContent></xs:complexType>`), false},
		{"a fixed value that does not obey", inside(`<xs:sequence><xs:element name="a" type="xs:int" fixed="x"/></xs:sequence>`, ""), false},
		{"a fixed value of no text", inside(`<xs:sequence><xs:element name="a" type="t:B" fixed="x"/></xs:sequence>`, `<xs:complexType name="B"/>`), false},
		{"one name in two places", inside(`<xs:sequence><xs:element name="a" type="xs:int" minOccurs="0"/><xs:element name="b" type="xs:int"/><xs:element name="a" type="xs:int"/></xs:sequence>`, ""), false},
		{"a limit", inside(`<xs:attribute name="a" type="t:R"/>`, `<xs:simpleType name="R"><xs:restriction base="xs:decimal"><xs:minExclusive value="3"/></xs:restriction></xs:simpleType>`), false},
		{"digits", inside(`<xs:attribute name="a" type="t:R"/>`, `<xs:simpleType name="R"><xs:restriction base="xs:decimal"><xs:fractionDigits value="2"/></xs:restriction></xs:simpleType>`), false},
		{"no number at all", inside(`<xs:attribute name="a" type="t:R"/>`, `<xs:simpleType name="R"><xs:restriction base="xs:int"><xs:minInclusive value="5"/><xs:maxInclusive value="3"/></xs:restriction></xs:simpleType>`), false},
		{"numbers from one to another", inside(`<xs:attribute name="a" type="t:R"/>`, `<xs:simpleType name="R"><xs:restriction base="xs:int"><xs:minInclusive value="3"/><xs:maxInclusive value="5"/></xs:restriction></xs:simpleType>`), true},
		{"a list", inside(`<xs:attribute name="a" type="t:R"/>`, `<xs:simpleType name="R"><xs:list itemType="xs:int"/></xs:simpleType>`), false},
	} {
		s, _ := schemas(t, k.definitions)
		e := s.Elements[xsd.Name{Space: "urn:t", Local: "v"}]
		assert.Equal(t, k.want, s.Certain(e), k.name)
		assert.Equal(t, k.want, s.Certain(e), k.name)
		if k.want {
			drawn(t, k.definitions, false) // all of which obey
		}
	}
}

// Texts that are given take the places of drawn ones, where they obey.
func TestGiven(t *testing.T) {
	s, _ := schemas(t, `<xs:element name="v"><xs:complexType><xs:sequence><xs:element name="a" type="xs:int" maxOccurs="3" minOccurs="3"/>`+
		`<xs:element name="b"><xs:complexType/></xs:element><xs:element name="b" type="xs:string"/><xs:element name="c" type="xs:int" nillable="true"/><xs:element name="c" type="xs:int"/>`+
		`<xs:element name="d" type="xs:anyType"/><xs:element name="e" type="xs:string" fixed="x"/></xs:sequence></xs:complexType></xs:element>`)
	e := s.Elements[xsd.Name{Space: "urn:t", Local: "v"}]
	draw := func(number uint64, given map[string]string) (texts []string, taken []string, nilled bool) {
		g := &xsd.Generator{Draw: sample.NewDraw(3, "x", number), Schemas: s, Given: given}
		for _, c := range g.Element(e).Children {
			texts = append(texts, c.Text)
		}
		return texts, g.Taken, texts[5] == ""
	}
	both := 0
	for number := range uint64(300) {
		plain, none, _ := draw(number, nil)
		assert.Empty(t, none)
		want := slices.Clone(plain)
		want[0], want[7] = "-12345678", "anything"
		taken := []string{"a", "c", "d"}
		given := map[string]string{"a": "-12345678", "b": "for text alone", "c": "-7", "d": "anything", "e": "y", "f": "nowhere", "v": "no text"}
		texts, told, nilled := draw(number, given)
		if nilled { // which is the first of its name
			taken, both = []string{"a", "d"}, both|1
		} else {
			want[5], both = "-7", both|2
		}
		require.Equal(t, want, texts)
		require.Equal(t, taken, told)
		texts, told, _ = draw(number, map[string]string{"a": "x", "d": plain[7]})
		require.Equal(t, plain, texts, "what does not obey, and what is the same")
		require.Empty(t, told)
	}
	assert.Equal(t, 3, both)
}

// What is too deep is not whole, however certain its parts are.
func TestWhole(t *testing.T) {
	definitions := ""
	for i := range 70 {
		definitions += fmt.Sprintf(`<xs:complexType name="T%d"><xs:sequence><xs:element name="e" type="t:T%d"/></xs:sequence></xs:complexType>`, i, i+1)
	}
	s, _ := schemas(t, definitions+`<xs:complexType name="T70"><xs:attribute name="a" use="required" type="xs:int"/></xs:complexType><xs:element name="v" type="t:T0"/><xs:element name="w" type="t:T40"/>`)
	for name, want := range map[string]bool{"v": false, "w": true} {
		e := s.Elements[xsd.Name{Space: "urn:t", Local: name}]
		g := &xsd.Generator{Draw: sample.NewDraw(3, "x", 1), Schemas: s}
		n := g.Element(e)
		assert.True(t, s.Certain(e), name)
		assert.Equal(t, want, g.Whole(), name)
		assert.Equal(t, want, len(s.Validate(n, e)) == 0, name)
	}
}

// Values that name something keep their namespace; a prefix in the name of an element is no part of it.
func TestNamesAreDrawnAsNames(t *testing.T) {
	s, warned := schemas(t, `<xs:simpleType name="Usage"><xs:restriction base="xs:QName"><xs:enumeration xmlns:p="urn:policy" value="p:Required"/></xs:restriction></xs:simpleType>
		<xs:element name="v"><xs:complexType><xs:sequence><xs:element name="area:code" type="t:Usage"/></xs:sequence><xs:attribute name="area:kind" use="required" type="t:Usage"/></xs:complexType></xs:element>`)
	require.Empty(t, warned)
	n := (&xsd.Generator{Draw: sample.NewDraw(3, "x", 1), Schemas: s}).Element(s.Elements[xsd.Name{Space: "urn:t", Local: "v"}])
	require.Len(t, n.Children, 1)
	required := &xsd.Name{Space: "urn:policy", Local: "Required"}
	assert.Equal(t, []xmltree.Attr{{Name: xsd.Name{Local: "kind"}, QName: required}}, n.Attrs)
	assert.Equal(t, "code", n.Children[0].Name.Local)
	assert.Equal(t, required, n.Children[0].QName)
}

// What somebody reads of a schema, and what two revisions are compared by.
func TestDescriptions(t *testing.T) {
	s, warned := schemas(t, `<xs:simpleType name="Kind"><xs:restriction base="xs:string"><xs:enumeration value="fish"/><xs:enumeration value="mail"/><xs:maxLength value="9"/></xs:restriction></xs:simpleType>
		<xs:simpleType name="Sign"><xs:restriction base="xs:string"><xs:pattern value="SK[0-9]+"/><xs:minLength value="3"/></xs:restriction></xs:simpleType>
		<xs:element name="v"><xs:complexType><xs:sequence><xs:element name="kind" type="t:Kind"/><xs:element name="sign" type="t:Sign" minOccurs="0" maxOccurs="unbounded"/><xs:choice minOccurs="0"><xs:element name="m" maxOccurs="3" type="xs:int"/></xs:choice></xs:sequence><xs:attribute name="r" use="required" type="xs:int"/></xs:complexType></xs:element>`)
	require.Empty(t, warned)
	assert.JSONEq(t, `{"content": {"$ref": "#/types/<{urn:t}v>"}}`, string(s.Describe(s.Elements[xsd.Name{Space: "urn:t", Local: "v"}]).AppendJSON(nil)))
	assert.JSONEq(t, `{"types": {
		"<{urn:t}v>": {
			"properties": {"kind": {"content": {"$ref": "#/types/{urn:t}Kind"}}, "sign": {"occurs": "0 or more", "content": {"$ref": "#/types/{urn:t}Sign"}}, "m": {"occurs": "1 to 3", "type": "int"}},
			"attributes": {"@r": {"type": "integer", "minimum": "-2147483648", "maximum": "2147483647", "use": "required"}}},
		"{urn:t}Kind": {"type": "string", "enum": ["fish", "mail"], "maxLength": 9},
		"{urn:t}Sign": {"type": "string", "minLength": 3, "pattern": "SK[0-9]+"}}}`, string(s.Tree().AppendJSON(nil)))
}

// What an element holds is told place by place, with how often, what else may stand there, and what the
// schema says of it.
func TestFields(t *testing.T) {
	s, warned := schemas(t, `
		<xs:complexType name="Vessel"><xs:annotation><xs:documentation>A vessel
			at the quay</xs:documentation></xs:annotation><xs:sequence>
			<xs:element name="sign" type="t:Sign"><xs:annotation><xs:documentation>painted on it</xs:documentation></xs:annotation></xs:element>
			<xs:element name="tender" type="t:Vessel" minOccurs="0" maxOccurs="2"/></xs:sequence><xs:attribute name="flag" use="required" fixed="SK"/></xs:complexType>
		<xs:complexType name="Ferry"><xs:complexContent><xs:extension base="t:Vessel"/></xs:complexContent></xs:complexType>
		<xs:simpleType name="Sign"><xs:restriction base="xs:string"><xs:pattern value="SK\d"/></xs:restriction></xs:simpleType>
		<xs:element name="other" type="xs:int" substitutionGroup="t:head"/><xs:element name="head" type="xs:int"/>
		<xs:element name="v"><xs:complexType><xs:sequence>
			<xs:element name="vessel" type="t:Vessel"/>
			<xs:choice><xs:element name="a" type="xs:int" nillable="true"/><xs:sequence minOccurs="0"><xs:element name="b" type="xs:date" default="2026-12-01"/></xs:sequence></xs:choice>
			<xs:sequence minOccurs="0" maxOccurs="unbounded"><xs:element name="many" type="xs:string" fixed="x"/></xs:sequence>
			<xs:element name="three" minOccurs="3" maxOccurs="3"><xs:simpleType><xs:list itemType="xs:int"/></xs:simpleType></xs:element>
			<xs:element ref="t:head"/><xs:any minOccurs="0"/></xs:sequence></xs:complexType></xs:element>`)
	require.Empty(t, warned)
	var told []string
	for _, f := range s.Fields(s.Elements[xsd.Name{Space: "urn:t", Local: "v"}]) {
		line := f.Path + " " + f.Type
		if f.Required {
			line += "!"
		}
		if f.Schema != nil && f.Schema.Get("pattern") != nil {
			f.Rules = append(f.Rules, "fits "+f.Schema.Get("pattern").Str())
		}
		told = append(told, strings.Join(append([]string{line}, append(f.Rules, f.Documentation)...), "; "))
	}
	assert.Equal(t, []string{
		"vessel Vessel!; by xsi:type also Ferry; A vessel at the quay",
		"vessel/@flag string!; always SK; ",
		`vessel/sign string!; fits SK\d; painted on it`,
		"vessel/tender Vessel; up to 2 times; by xsi:type also Ferry; as above; A vessel at the quay",
		"a integer; or b; may be nil; ",
		"b date; or a; default 2026-12-01; ",
		"many string; any number of times; always x; ",
		"three list of integer!; 3 times; ",
		"head integer!; or in its place other; ",
		"* any element; ",
	}, told)
}
