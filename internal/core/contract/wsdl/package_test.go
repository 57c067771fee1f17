package wsdl_test

import (
	"encoding/base64"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec"
)

// photos is dual with a photo in its messages.
var photos = []string{`<xs:element name="berth" type="xs:string" minOccurs="0"/>`, `<xs:element name="berth" type="xs:string" minOccurs="0"/><xs:element name="photo" minOccurs="0" maxOccurs="unbounded"><xs:simpleType><xs:restriction base="xs:base64Binary"/></xs:simpleType></xs:element>`}

// packed is a message by MTOM, as clients write it.
func packed(envelope string, parts ...string) (contentType, body string) {
	lines := []string{"--mark", `Content-Type: application/xop+xml; charset=UTF-8; type="text/xml"`, "Content-Id: <root@a>", "", envelope}
	for i := 0; i < len(parts); i += 2 {
		lines = append(lines, "--mark", "Content-Id: <"+parts[i]+">", "Content-Type: image/png", "Content-Transfer-Encoding: binary", "", parts[i+1])
	}
	return `multipart/related; start="<root@a>"; type="application/xop+xml"; boundary=mark; start-info="text/xml"`, strings.Join(append(lines, "--mark--", ""), "\r\n")
}

func include(id string) string {
	return `<x:Include xmlns:x="http://www.w3.org/2004/08/xop/include" href="cid:` + id + `"/>`
}

// Messages by MTOM are read as if their parts stood in them: by the schema, and by conditions; a part that
// is missing is told.
func TestPackedMessages(t *testing.T) {
	c := readText(t, dual, photos...)
	for name, k := range map[string]struct {
		photo, found string
		parts        []string
		deviates     string
	}{
		"as a part":            {include("a%40b"), "AAEC/w==", []string{"a@b", "\x00\x01\x02\xff"}, ""},
		"with a closing tag":   {strings.Replace(include("a@b"), "/>", "></x:Include>", 1), "AAEC/w==", []string{"a@b", "\x00\x01\x02\xff"}, ""},
		"the right one of two": {include("b@b"), "Qg==", []string{"a@b", "A", "b@b", "B"}, ""},
		"in its place":         {"QQ==", "QQ==", []string{"a@b", "A"}, ""},
		"one that is missing":  {include("c@b"), "", []string{"a@b", "A"}, "<Include> is not expected"},
	} {
		contentType, body := packed(envelope("1.1", `<ask xmlns="urn:harbour"><photo>`+k.photo+`</photo></ask>`), k.parts...)
		asked := send(c, "/Desk", contentType, "", body)
		require.Nil(t, asked.Fault, name)
		require.Equal(t, "ask", asked.ID(), name)
		r := &call.Request{Header: call.Header{"Content-Type": {contentType}}, Body: call.Body{Bytes: []byte(body)}}
		facts := &match.Facts{Request: r}
		found := c.Protocol.CheckRequest(&asked, facts)
		if k.deviates != "" {
			require.NotEmpty(t, found, name)
			assert.Contains(t, found[0].Detail, k.deviates, name)
			continue
		}
		assert.Empty(t, found, name)
		assert.Equal(t, k.found, facts.Body().Get("ask").Get("photo").Str(), name)
	}
	contentType, body := packed(envelope("1.2", ask))
	contentType = strings.Replace(contentType, `start-info="text/xml"`, `start-info="application/soap+xml; action=\"urn:other\""`, 1)
	asked := send(readText(t, dual, `soapAction=""`, `soapAction="urn:ask"`), "/Desk12", contentType, "", body)
	require.NotNil(t, asked.Fault)
	assert.Contains(t, asked.Fault.Text, `The action is "urn:other"`)
}

// Answers have their bytes in parts where the call wants them so, or the contract; else in their places.
func TestPackedAnswers(t *testing.T) {
	policy := []string{`<binding name="One" type="h:Desk">`, `<binding name="One" type="h:Desk"><p:Policy xmlns:p="http://www.w3.org/ns/ws-policy"><o:OptimizedMimeSerialization xmlns:o="http://schemas.xmlsoap.org/ws/2004/09/policy/optimizedmimeserialization"/></p:Policy>`}
	written := `<told xmlns="urn:harbour"><photo xmlns:m="http://www.w3.org/2005/05/xmlmime" m:contentType="image/png">` + base64.StdEncoding.EncodeToString([]byte("\x00--part\xff")) + `</photo><photo> Q Q== </photo><photo/></told>`
	for name, k := range map[string]struct {
		edits, headers []string
		parts          int
	}{
		"a plain call":              {photos, nil, -1},
		"one that came so":          {photos, []string{"Content-Type", `multipart/related; type="application/xop+xml"; boundary=a`}, 2},
		"one that accepts it":       {photos, []string{"Accept", "text/xml, application/xop+xml"}, 2},
		"one with attachments":      {photos, []string{"Content-Type", `multipart/related; type="text/xml"; boundary=a`}, -1},
		"a contract that demands":   {append(policy, photos...), nil, 2},
		"which has nothing to pack": {append(policy, `<xs:element name="x"/>`, ""), nil, 0},
	} {
		c := readText(t, dual, k.edits...)
		asked := send(c, "/Desk", "", "", envelope("1.1", ask))
		r := &call.Request{Header: call.Header{}}
		for i := 0; i < len(k.headers); i += 2 {
			r.Header[k.headers[i]] = []string{k.headers[i+1]}
		}
		body := written
		if k.parts == 0 {
			body = `<told xmlns="urn:harbour"/>`
		}
		answer := c.Protocol.(contract.Envelope).Dress(&asked, call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: "application/xml"}}, Body: []byte(body)}, &spec.Answer{XML: &body})
		sent, parts, ok := c.Protocol.(contract.Packager).Package(&asked, r, answer)
		assert.Equal(t, k.parts >= 0, ok, name)
		if !ok {
			assert.Equal(t, answer, sent, name)
			continue
		}
		assert.Equal(t, k.parts, parts, name)
		root, others, err := call.Related(sent.Get("Content-Type"), sent.Body)
		require.NoError(t, err, name)
		assert.Equal(t, `application/xop+xml; charset=utf-8; type="text/xml"`, root.ContentType)
		assert.Empty(t, c.Protocol.CheckAnswer(asked.Operation, &sent, true, nil), "%s", sent.Body)
		if k.parts == 0 {
			continue
		}
		assert.Equal(t, []call.RelatedPart{{ID: "part-1@rapid-mimic", ContentType: "image/png", Content: []byte("\x00--part\xff")}, {ID: "part-2@rapid-mimic", ContentType: "application/octet-stream", Content: []byte("A")}}, others)
		whole, err := xmltree.Parse(match.PlainAnswer(&sent))
		require.NoError(t, err)
		assert.Equal(t, "QQ==", whole.Child(whole.Name.Space, "Body").Children[0].Children[1].Text)
	}
}
