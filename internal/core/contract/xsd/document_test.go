package xsd_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec/tree"
)

// asDocument reads an element as a document and writes it again: it must obey and hold the same,
// and the document must obey the JSON Schema of the element.
func asDocument(t *testing.T, s *xsd.Schemas, n *xmltree.Node, e *xsd.Element, schema *contract.Schema) {
	t.Helper()
	document := s.Document(n, e)
	text := string(document.AppendJSON(nil))
	again := s.Written(document, e)
	require.Empty(t, s.Validate(again, e), "%s as %s", told(n), text)
	require.True(t, tree.Equal(document, s.Document(again, e)), "%s: %s becomes %s", told(n), text, again.Document())
	require.NoError(t, schema.Check(document), text)
}

// jsonSchema is the schema of the documents of an element.
func jsonSchema(s *xsd.Schemas, e *xsd.Element) *contract.Schema {
	root := tree.NewMap(s.JSONSchemas(), tree.Member{Key: "e", Value: s.JSONSchema(e)})
	return contract.NewDocument(root, func(n *tree.Node) *tree.Node { return n }).DrawnBy(func(pointer []string, d *sample.Draw) *tree.Node {
		return (&xsd.Generator{Draw: d, Schemas: s}).Drawn(e, pointer[1:])
	}).Schema("/e")
}

// What stands in elements and in documents, both ways.
func TestDocuments(t *testing.T) {
	for name, k := range map[string]struct {
		schema, xml, document string
		written               string // "" for what came
	}{
		"kinds":        {`<xs:element name="v"><xs:complexType><xs:sequence><xs:element name="i" type="xs:int"/><xs:element name="d" type="xs:decimal"/><xs:element name="f" type="xs:double"/><xs:element name="b" type="xs:boolean"/><xs:element name="s" type="xs:string"/><xs:element name="t" type="xs:token"/></xs:sequence></xs:complexType></xs:element>`, `<v><i>+007</i><d>24.50</d><f>INF</f><b>1</b><s> a </s><t> a  b </t></v>`, `{"i":7,"d":24.50,"f":"INF","b":true,"s":" a ","t":"a b"}`, `<v><i>7</i><d>24.50</d><f>INF</f><b>true</b><s> a </s><t>a b</t></v>`},
		"numbers":      {`<xs:element name="v"><xs:complexType><xs:sequence><xs:element name="d" type="xs:double" maxOccurs="9"/></xs:sequence></xs:complexType></xs:element>`, `<v><d>.5</d><d>-0.25</d><d>5.</d><d>0</d><d>-00</d><d>1.5E3</d><d>NaN</d><d>10</d></v>`, `{"d":[0.5,-0.25,5,0,-0,1.5E3,"NaN",10]}`, `<v><d>0.5</d><d>-0.25</d><d>5</d><d>0</d><d>-0</d><d>1.5E3</d><d>NaN</d><d>10</d></v>`},
		"attributes":   {`<xs:element name="v"><xs:complexType><xs:simpleContent><xs:extension base="xs:int"><xs:attribute name="unit"/></xs:extension></xs:simpleContent></xs:complexType></xs:element>`, `<v unit="m">7</v>`, `{"@unit":"m","#text":7}`, ""},
		"lists of one": {`<xs:element name="v"><xs:complexType><xs:sequence maxOccurs="2"><xs:element name="a" type="xs:int"/><xs:element name="b" type="xs:int" minOccurs="0"/></xs:sequence></xs:complexType></xs:element>`, `<v><a>1</a><b>2</b></v>`, `{"a":[1],"b":[2]}`, ""},
		"in turn":      {`<xs:element name="v"><xs:complexType><xs:sequence maxOccurs="9"><xs:element name="a" type="xs:int"/><xs:element name="b" type="xs:int"/></xs:sequence></xs:complexType></xs:element>`, `<v><a>1</a><b>2</b><a>3</a><b>4</b></v>`, `{"a":[1,3],"b":[2,4]}`, ""},
		"nil":          {`<xs:element name="v"><xs:complexType><xs:sequence><xs:element name="a" type="xs:int" nillable="true"/></xs:sequence></xs:complexType></xs:element>`, `<v><a xmlns:i="http://www.w3.org/2001/XMLSchema-instance" i:nil="true"/></v>`, `{"a":null}`, `<v><a xsi:nil="true"/></v>`},
		"its own type": {`<xs:complexType name="T"><xs:sequence><xs:element name="a" type="xs:int"/></xs:sequence></xs:complexType><xs:complexType name="D"><xs:complexContent><xs:extension base="t:T"><xs:sequence><xs:element name="b" type="xs:int"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType><xs:element name="v" type="t:T"/>`, `<v xmlns:i="http://www.w3.org/2001/XMLSchema-instance" xmlns:t="urn:t" i:type="t:D"><a>1</a><b>2</b></v>`, `{"@xsi:type":"{urn:t}D","a":1,"b":2}`, `<v xsi:type="D"><a>1</a><b>2</b></v>`},
		"unknown":      {`<xs:element name="v"><xs:complexType><xs:sequence><xs:any processContents="lax"/></xs:sequence></xs:complexType></xs:element>`, `<v><o xmlns="urn:o" x="1"><p>q</p></o></v>`, `{"{urn:o}o":{"@x":"1","{urn:o}p":"q"}}`, `<v><o x="1"><p>q</p></o></v>`},
		"too many":     {`<xs:element name="v"><xs:complexType><xs:sequence><xs:element name="a" type="xs:int"/></xs:sequence></xs:complexType></xs:element>`, `<v><a>1</a><a>2</a><a>3</a></v>`, `{"a":[1,2,3]}`, ""},
		"mixed":        {`<xs:element name="v"><xs:complexType mixed="true"><xs:sequence><xs:element name="a" type="xs:int"/></xs:sequence></xs:complexType></xs:element>`, `<v>fog<a>1</a></v>`, `{"#text":"fog","a":1}`, ""},
	} {
		t.Run(name, func(t *testing.T) {
			s, warned := schemas(t, k.schema)
			require.Empty(t, warned)
			e := s.Elements[xsd.Name{Space: "urn:t", Local: "v"}]
			n, err := xmltree.Parse([]byte(strings.Replace(k.xml, "<v", `<v xmlns="urn:t"`, 1)))
			require.NoError(t, err)
			document := s.Document(n, e)
			assert.Equal(t, k.document, string(document.AppendJSON(nil)))
			want := k.written
			if want == "" {
				want = k.xml
			}
			assert.Equal(t, want, bare(s.Written(document, e)))
		})
	}
}

// bare is an element as text, without namespaces.
func bare(n *xmltree.Node) string {
	var b strings.Builder
	b.WriteString("<" + n.Name.Local)
	for _, a := range n.Attrs {
		value := a.Value
		if a.QName != nil {
			value = a.QName.Local
		}
		if a.Name.Space == xmltree.Instance {
			b.WriteString(" xsi:" + a.Name.Local + `="` + value + `"`)
		} else {
			b.WriteString(" " + a.Name.Local + `="` + value + `"`)
		}
	}
	if n.Text == "" && len(n.Children) == 0 {
		return b.String() + "/>"
	}
	b.WriteString(">" + n.Text)
	for _, c := range n.Children {
		b.WriteString(bare(c))
	}
	return b.String() + "</" + n.Name.Local + ">"
}
