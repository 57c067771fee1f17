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
	assert.Equal(t, `<n1:x xmlns:n1="urn:a" xmlns:n2="urn:d" xmlns:n3="odd" one="1" n1:two="2">`, string(n.Append(nil))[:74])
}

func TestWhatIsWrittenIsReadBack(t *testing.T) {
	n := &xmltree.Node{Name: xmltree.Name{Space: "urn:a", Local: "a"}, Attrs: []xmltree.Attr{{Name: xmltree.Name{Local: "q"}, Value: `<">&ü`}}}
	n.Add(&xmltree.Node{Name: xmltree.Name{Local: "b"}, Text: "1 < 2 & ü\n"})
	n.Add(&xmltree.Node{Name: xmltree.Name{Space: xmltree.Instance, Local: "c"}, QName: &xmltree.Name{Space: "urn:t", Local: "T"}})
	text := n.Append(nil)
	back, err := xmltree.Parse(text)
	require.NoError(t, err, "%s", text)
	assert.Equal(t, n.Attrs[0].Value, back.Attr("q"))
	assert.Equal(t, n.Children[0].Text, back.Children[0].Text)
	assert.Equal(t, xmltree.Name{Space: "urn:t", Local: "T"}, back.Children[1].Resolve(back.Children[1].Text))
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
		written := n.Append(nil)
		if back, err := xmltree.Parse(written); err == nil { // odd names are read, and cannot all be written
			assert.Equal(t, n.Name.Local, back.Name.Local)
		}
	})
}
