package xmltree

import (
	"fmt"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// manyNamespaces is a document with so many, each of which has a child.
func manyNamespaces(count int) string {
	var declared, children strings.Builder
	for i := range count {
		fmt.Fprintf(&declared, ` xmlns:p%d="u%d"`, i, i)
		fmt.Fprintf(&children, `<p%d:x/>`, i)
	}
	return "<a" + declared.String() + ">" + children.String() + "</a>"
}

// documents are plain or not; what is not well-formed never is.
var documents = []struct {
	text  string
	plain bool
}{
	{`<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body><ask xmlns="urn:bench">7</ask></e:Body></e:Envelope>`, true},
	{"\n <!-- a - b -->\n<a xmlns:p='u' p:b = \"c\"d='>]]>'>\r\n\t<p:b\n/><p:b p:c=''></p:b >tail\rof it<b>x</b>&amp;</a>\n<!---->", true},
	{`<a b="&lt;&gt;&quot;&apos;&#x41;&#10;ü">&#233; é ]] > ]</a>`, true},
	{manyNamespaces(20), true},
	{`<a` + strings.Repeat(` xmlns:q="0" xmlns:p="1" xmlns:p="2"`, 5) + ` q:b="c"><p:d/><o:e/></a>`, true},
	{`<r><a>x<b/>y</a><a>z</a><a>v<b/>w</a></r>`, true},
	{`<a xmlns:p="1" xmlns:p="2" xmlns="3" xmlns=""><p:b/><q:c xml:lang="en"/></a>`, true},
	{`<a b="1" b="2">` + strings.Repeat("<b-1._ c='d'>"+strings.Repeat("e", 30)+"</b-1._>\n", 3_000) + `</a>`, true},
	{`<a>` + strings.Repeat("x ", 50_000) + `</a>`, true},
	{`<a><![CDATA[b]]></a>`, false},
	{`<?p q?><a/>`, false},
	{`<ä/>`, false}, {`<aä/>`, false}, {`<a ä="1"/>`, false},
	{`<!DOCTYPE a><a/>`, false}, {`<a/><a/>`, false}, {`<a/>x`, false}, {`x<a/>`, false}, {`<a/>` + "\u00a0", false},
	{``, false}, {`<`, false}, {`<a`, false}, {`<a/`, false}, {`<a /x>`, false}, {`<a>`, false}, {`</a>`, false}, {`<a></b>`, false}, {`<a></a`, false}, {`<a></a b>`, false},
	{`<1/>`, false}, {`<-a/>`, false}, {`<:a/>`, false}, {`<a:/>`, false}, {`<a:b:c/>`, false}, {`<a:1/>`, true},
	{`<a b/>`, false}, {`<a b=c/>`, false}, {`<a b="c/>`, false}, {`<a b="<"/>`, false}, {`<a b=`, false},
	{`<a>]]></a>`, false}, {`<a>&nope;</a>`, false}, {`<a>&amp</a>`, false}, {`<a>&#0;</a>`, false}, {`<a>&#xD800;</a>`, false}, {`<a>&#x110000;</a>`, false}, {`<a>&#xfffe;</a>`, false}, {`<a>&#;</a>`, false},
	{"<a>\x00</a>", false}, {"<a>\x1f</a>", false}, {"<a>\xff</a>", false}, {"<a>\uffff</a>", false}, {"<a>\x7f\u0080\U0010ffff</a>", true},
	{`<!-- -- --><a/>`, false}, {`<!-- --`, false}, {`<!- --><a/>`, false},
	{strings.Repeat("<a>", MaxDepth) + strings.Repeat("</a>", MaxDepth), true},
	{strings.Repeat("<a>", MaxDepth+1) + strings.Repeat("</a>", MaxDepth+1), false},
}

func TestPlainDocumentsAreReadAsTheDecoderReadsThem(t *testing.T) {
	for _, d := range documents {
		read := readPlain([]byte(d.text), MaxElements)
		assert.Equal(t, d.plain, read != nil, "%.80s", d.text)
		sameTree(t, d.text, MaxElements)
	}
	three := []byte(`<a b="1"><c/></a>`)
	assert.NotNil(t, readPlain(three, 3))
	assert.Nil(t, readPlain(three, 2))
	assert.Nil(t, readPlain([]byte(`<a b="1" c="2"/>`), 2))
}

// sameTree demands that a text which is plain has the tree that the decoder makes of it.
func sameTree(t *testing.T, text string, most int) {
	t.Helper()
	read := readPlain([]byte(text), most)
	if read == nil {
		return
	}
	decoded, err := decode([]byte(text), most)
	require.NoError(t, err, "%.200q", text)
	require.True(t, same(read, decoded), "%.200q", text)
}

func same(a, b *Node) bool {
	if len(a.Children) != len(b.Children) || len(a.Attrs) != len(b.Attrs) || len(a.declared) != len(b.declared) {
		return false
	}
	for i := range a.Children {
		if a.Children[i].Parent != a || !same(a.Children[i], b.Children[i]) {
			return false
		}
	}
	for i := range a.Attrs {
		if a.Attrs[i] != b.Attrs[i] {
			return false
		}
	}
	for i := range a.declared {
		if a.declared[i] != b.declared[i] {
			return false
		}
	}
	return a.Name == b.Name && a.Text == b.Text && a.Index == b.Index && a.Line == b.Line && a.Col == b.Col &&
		a.Start == b.Start && a.End == b.End && a.Close == b.Close && a.After == b.After
}

func FuzzPlain(f *testing.F) {
	for _, d := range documents {
		if len(d.text) < 1_000 {
			f.Add([]byte(d.text))
		}
	}
	f.Fuzz(func(t *testing.T, text []byte) { sameTree(t, string(text), 20) })
}

func BenchmarkParse(b *testing.B) {
	message := `<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Body><ask xmlns="urn:bench">7</ask></e:Body></e:Envelope>`
	large := `<a xmlns="urn:a">` + strings.Repeat("<b c='d'>"+strings.Repeat("e", 30)+"</b>\n", 20_000) + `</a>`
	for name, text := range map[string]string{"a message": message, "1 MB": large} {
		b.Run(name, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				_, _ = Parse([]byte(text))
			}
		})
		b.Run(name+", decoded", func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				_, _ = decode([]byte(text), MaxElements)
			}
		})
	}
}

// Of however many namespaces each is found at once, in what is read and in what is written.
func TestManyNamespaces(t *testing.T) {
	for _, count := range []int{7, 8, 9, 100} {
		root, err := Parse([]byte(manyNamespaces(count)))
		require.NoError(t, err)
		require.Len(t, root.Children, count)
		back, err := Parse(root.Document())
		require.NoError(t, err)
		for i := range count {
			want := Name{Space: fmt.Sprintf("u%d", i), Local: "x"}
			assert.Equal(t, want, root.Children[i].Name)
			assert.Equal(t, want, back.Children[i].Name)
		}
	}
}

func BenchmarkNamespaces(b *testing.B) {
	for _, count := range []int{100, 10_000} {
		text := []byte(manyNamespaces(count))
		b.Run(strconv.Itoa(count), func(b *testing.B) {
			for b.Loop() {
				root, err := Parse(text)
				require.NoError(b, err)
				_ = root.Document()
			}
		})
	}
}
