package xmltree_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/xmltree"
)

func TestNamesKnowTheirNamespaces(t *testing.T) {
	n, err := xmltree.Parse([]byte(`<!-- first --><?xml version="1.0"?><a:x xmlns:a="urn:a" xmlns="urn:d" one="1" a:two="2">
 <y type="a:T" odd:q="w"><z xmlns=""/></y>text<y/>
</a:x>`))
	require.NoError(t, err)
	assert.Equal(t, xmltree.Name{Space: "urn:a", Local: "x"}, n.Name)
	assert.Equal(t, "1", n.Attr("one"))
	two, ok := n.Lookup(xmltree.Name{Space: "urn:a", Local: "two"})
	assert.True(t, ok)
	assert.Equal(t, "2", two)
	y := n.Child("urn:d", "y")
	require.NotNil(t, y)
	assert.Equal(t, [2]int{2, 2}, [2]int{y.Line, y.Col})
	assert.Equal(t, xmltree.Name{Space: "urn:a", Local: "T"}, y.Resolve(y.Attr("type")))
	assert.Equal(t, xmltree.Name{Space: "urn:d", Local: "T"}, y.Resolve("T"))
	assert.NotNil(t, y.Child("", "z"))
	assert.Equal(t, "/x/y[1]/z", y.Children[0].Path())
	assert.Equal(t, "text", strings.TrimSpace(n.Text))
	assert.Contains(t, string(n.Document()), `<n1:x xmlns:n1="urn:a" xmlns:n2="urn:d" xmlns:n3="odd" one="1" n1:two="2">`)
}

func TestWhatIsWrittenIsReadBack(t *testing.T) {
	n := &xmltree.Node{Name: xmltree.Name{Space: "urn:a", Local: "a"}, Attrs: []xmltree.Attr{{Name: xmltree.Name{Local: "q"}, Value: `<">&ü`}}}
	n.Add(&xmltree.Node{Name: xmltree.Name{Local: "b"}, Text: "1 < 2 & ü\n"})
	n.Add(&xmltree.Node{Name: xmltree.Name{Space: xmltree.Instance, Local: "c"}, QName: &xmltree.Name{Space: "urn:t", Local: "T"}})
	text := n.Document()
	back, err := xmltree.Parse(text)
	require.NoError(t, err, "%s", text)
	assert.Equal(t, n.Attrs[0].Value, back.Attr("q"))
	assert.Equal(t, n.Children[0].Text, back.Children[0].Text)
	assert.Equal(t, xmltree.Name{Space: "urn:t", Local: "T"}, back.Children[1].Resolve(back.Children[1].Text))
}

func TestDocumentsAreWritten(t *testing.T) {
	const soap11, soap12 = "http://schemas.xmlsoap.org/soap/envelope/", "http://www.w3.org/2003/05/soap-envelope"
	of := func(space, local string) xmltree.Name { return xmltree.Name{Space: space, Local: local} }
	write := func() string {
		return string(xmltree.Write(func(w *xmltree.Writer) {
			w.Open(of(soap11, "a"))
			w.Attribute(of("http://www.w3.org/XML/1998/namespace", "lang"), "en")
			w.NameAttribute(of("", "kind"), of("urn:<k>", "K"), "[2]")
			w.Text("it's 1 < 2 > \"0\" & é\t\r\n\x01\xff\uffff\ufffe\ufffd\U0001f6a2.")
			w.Open(of(soap12, "b"))
			w.Text("")
			w.Close()
			w.Open(of("urn:<k>", "c"))
			w.NameText(of(soap12, "C"))
			w.Raw([]byte("<raw/>"))
			w.Close()
			w.Close()
		}))
	}
	const want = `<?xml version="1.0" encoding="UTF-8"?>` + "\n" +
		`<soap:a xmlns:soap="http://schemas.xmlsoap.org/soap/envelope/" xmlns:n2="urn:&lt;k&gt;" xmlns:n3="http://www.w3.org/2003/05/soap-envelope" xml:lang="en" kind="n2:K[2]">` +
		`it's 1 &lt; 2 &gt; &#34;0&#34; &amp; é&#x9;&#xD;&#xA;` + "\ufffd\ufffd\ufffd\ufffd\ufffd\U0001f6a2" + `.<n3:b/><n2:c>n3:C<raw/></n2:c></soap:a>` + "\n"
	assert.Equal(t, want, write())
	assert.Equal(t, want, write(), "nothing stays of the one before")
	assert.Equal(t, xmltree.Declaration+"<raw/>\n", string((&xmltree.Node{Raw: []byte("<raw/>")}).Document()))
}

func TestEncodings(t *testing.T) {
	for name, text := range map[string]string{
		"utf-8":        `<?xml version="1.0" encoding="utf-8"?><a>ü</a>`,
		"a mark":       "\xef\xbb\xbf<a>ü</a>",
		"latin-1":      "<?xml version='1.0' encoding='ISO-8859-1'?><a>\xfc</a>",
		"windows-1252": `<?xml version="1.0" encoding="windows-1252"?>` + "<a>\xfc</a>",
		"utf-16":       "\xff\xfe<\x00a\x00>\x00\xfc\x00<\x00/\x00a\x00>\x00",
	} {
		n, err := xmltree.Parse([]byte(text))
		require.NoError(t, err, name)
		assert.Equal(t, "ü", n.Text, name)
	}
}

func TestWhatIsNoXMLIsRefused(t *testing.T) {
	for text, want := range map[string]string{
		"":                                   "there is no element",
		"<a><b></a>":                         "</a> closes nothing that is open",
		"<a>":                                "<a> is not closed",
		"<a/><b/>":                           "a second root element, <b>",
		"<a/>x":                              "text outside of the root element",
		`<!DOCTYPE a [<!ENTITY b "c">]><a/>`: "document type declarations are refused",
		"<a>\n<b c></b></a>":                 "line 2, column 6: attribute name without = in element",
		"<a>&nope;</a>":                      "invalid character entity &nope;",
		`<?xml version="1.0" encoding="klingon"?><a/>`: `encoding "klingon" is not known`,
		strings.Repeat("<a>", 300):                     "nested deeper",
	} {
		_, err := xmltree.Parse([]byte(text))
		assert.ErrorContains(t, err, want, text)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(`<?xml version="1.0"?><a:b xmlns:a="u" c="d">e<f/></a:b>`))
	f.Fuzz(func(t *testing.T, text []byte) {
		n, err := xmltree.Parse(text)
		if err != nil {
			return
		}
		written := n.Document()
		if back, err := xmltree.Parse(written); err == nil { // odd names are read, and cannot all be written
			assert.Equal(t, n.Name.Local, back.Name.Local)
		}
	})
}
