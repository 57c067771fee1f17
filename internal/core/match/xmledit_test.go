package match_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/match"
)

// An edit changes what its XPaths find, and not another byte.
func TestEditXML(t *testing.T) {
	const document = "<?xml version='1.0' encoding='UTF-8'?>\n<!-- as it came -->\n<c:holds xmlns:c='urn:c'  kind = \"a\">\n  <c:hold c:id='1'><State>open</State><c:note/></c:hold><hold id=\"2\"><State><![CDATA[o]]>pen</State></hold>\n</c:holds>"
	step := func(op, path, value string) match.XMLStep { return match.XMLStep{Op: op, Path: path, Value: value} }
	replaced := func(was, is string) string {
		require.Contains(t, document, was)
		return document[:strings.Index(document, was)] + is + document[strings.Index(document, was)+len(was):]
	}
	for name, k := range map[string]struct {
		steps []match.XMLStep
		want  string
		fails string
	}{
		"a text":                    {[]match.XMLStep{step("replace", "//hold[@id='1']/State", "a < b")}, replaced("open", "a &lt; b"), ""},
		"by another prefix":         {[]match.XMLStep{step("replace", "/x:holds/x:hold[2]/x:State", "held")}, replaced("<![CDATA[o]]>pen", "held"), ""},
		"what is empty":             {[]match.XMLStep{step("replace", "//note", "seen")}, replaced("<c:note/>", "<c:note>seen</c:note>"), ""},
		"all that is found":         {[]match.XMLStep{step("remove", "//State", "")}, "<?xml version='1.0' encoding='UTF-8'?>\n<!-- as it came -->\n<c:holds xmlns:c='urn:c'  kind = \"a\">\n  <c:hold c:id='1'><c:note/></c:hold><hold id=\"2\"></hold>\n</c:holds>", ""},
		"what is within is gone":    {[]match.XMLStep{step("remove", "//hold[1] | //State", "")}, "<?xml version='1.0' encoding='UTF-8'?>\n<!-- as it came -->\n<c:holds xmlns:c='urn:c'  kind = \"a\">\n  <hold id=\"2\"></hold>\n</c:holds>", ""},
		"an attribute":              {[]match.XMLStep{step("replace", "/holds/@kind", `"b"`)}, replaced(`"a"`, `"&#34;b&#34;"`), ""},
		"one with a prefix":         {[]match.XMLStep{step("remove", "//hold[1]/@id", "")}, replaced(" c:id='1'", ""), ""},
		"at the end":                {[]match.XMLStep{step("add", "//hold[2]", "<n>x</n>")}, replaced("pen</State></hold>", "pen</State><n>x</n></hold>"), ""},
		"in what is empty":          {[]match.XMLStep{step("add", "//note", "<n/>")}, replaced("<c:note/>", "<c:note><n/></c:note>"), ""},
		"one after the other":       {[]match.XMLStep{step("replace", "//hold[1]/State", "held"), step("test", "//hold[1]/State", "held")}, replaced("open", "held"), ""},
		"a test that holds":         {[]match.XMLStep{step("test", "//hold[2]/State", "open"), step("test", "//hold[1]/@id", "1")}, document, ""},
		"one that does not":         {[]match.XMLStep{step("test", "//hold[2]/State", "shut")}, "", `the test does not hold: //hold[2]/State is "open"`},
		"of an attribute":           {[]match.XMLStep{step("test", "//hold[2]/@id", "1")}, "", `the test does not hold: //hold[2]/@id is "2"`},
		"of what is not there":      {[]match.XMLStep{step("test", "//crane", "")}, "", "the test does not hold: //crane finds nothing"},
		"what is not there":         {[]match.XMLStep{step("replace", "//crane", "")}, "", "//crane finds nothing"},
		"no XPath":                  {[]match.XMLStep{step("replace", "//hold[", "")}, "", "is not an XPath"},
		"what finds no place":       {[]match.XMLStep{step("replace", "/count(//hold)", "")}, "", "finds nothing"},
		"the root":                  {[]match.XMLStep{step("remove", "/holds", "")}, "", "the root of a document cannot be removed"},
		"no XML to add":             {[]match.XMLStep{step("add", "//hold[2]", "<n>")}, "", "what is added is no XML"},
		"to an attribute":           {[]match.XMLStep{step("add", "//hold[2]/@id", "1")}, "", "nothing is added to an attribute"},
		"by the namespace of names": {[]match.XMLStep{step("replace", "//hold[namespace-uri()='urn:c']/State", "held")}, replaced("open", "held"), ""},
	} {
		out, err := match.EditXML([]byte(document), k.steps, nil)
		if k.fails != "" {
			assert.ErrorContains(t, err, k.fails, name)
			continue
		}
		require.NoError(t, err, name)
		assert.Equal(t, k.want, string(out), name)
	}
	_, err := match.EditXML([]byte("<a"), []match.XMLStep{step("replace", "/a", "")}, nil)
	assert.Error(t, err)
}

// Ten thousand places cost ten thousand times one, not their square.
func BenchmarkEditXML(b *testing.B) {
	var text strings.Builder
	text.WriteString("<quay>")
	for range 10_000 {
		text.WriteString(`<berth id="a"><state>free</state></berth>`)
	}
	text.WriteString("</quay>")
	steps := []match.XMLStep{{Op: "replace", Path: "//state", Value: "taken"}, {Op: "replace", Path: "//berth/@id", Value: "b"}}
	b.SetBytes(int64(text.Len()))
	for b.Loop() {
		if _, err := match.EditXML([]byte(text.String()), steps, nil); err != nil {
			b.Fatal(err)
		}
	}
}

// A message by MTOM with a part of 1 MB, as conditions and contracts read it.
func BenchmarkPlainOfAttachments(b *testing.B) {
	contentType, body, err := call.AppendRelated(call.RelatedPart{ID: "root", ContentType: `application/xop+xml; type="text/xml"`,
		Content: []byte(`<a><x:Include xmlns:x="http://www.w3.org/2004/08/xop/include" href="cid:photo"/></a>`)}, []call.RelatedPart{{ID: "photo", Content: make([]byte, 1<<20)}}, nil)
	if err != nil {
		b.Fatal(err)
	}
	r := &call.Request{Header: call.Header{"Content-Type": {contentType}}, Body: call.Body{Bytes: body}}
	b.SetBytes(int64(len(body)))
	for b.Loop() {
		match.Plain(r)
	}
}
