package wsdl_test

import (
	"bytes"
	"fmt"
	"image/png"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec"
)

// attached sends a photo, a note and a manifest beside the messages of a contract, bound in a style.
func attached(style, use string) string {
	bound := func(parts string) string {
		return `<mime:multipartRelated><mime:part><soap:body use="` + use + `" namespace="urn:harbour"` + parts + `/></mime:part>` +
			`<mime:part><mime:content part="photo" type="image/png"/><mime:content part="photo" type="image/jpeg"/></mime:part>` +
			`<mime:part><mime:content part="remark" type="text/plain"/></mime:part>` +
			`<mime:part><mime:content part="manifest" type="text/xml"/></mime:part>` +
			`<mime:part><mime:content part="gone" type="text/xml"/></mime:part></mime:multipartRelated>`
	}
	first, also := `element="h:ask"`, ` parts="p"`
	if style == "rpc" {
		first, also = `type="xs:string"`, ""
	}
	return strings.NewReplacer(
		`xmlns:soap12=`, `xmlns:mime="http://schemas.xmlsoap.org/wsdl/mime/" xmlns:soap12=`,
		`<part name="p" element="h:ask"/>`, `<part name="p" `+first+`/>`+beside, `<part name="p" element="h:told"/>`, `<part name="p" `+strings.Replace(first, "ask", "told", 1)+`/>`+beside,
		`<soap:binding transport`, `<soap:binding style="`+style+`" transport`,
		`<input><soap:body use="literal"/></input>`, `<input>`+bound(also)+`</input>`, `<output><soap:body use="literal"/></output>`, `<output>`+bound("")+`</output>`,
		`<xs:element name="closed"`, `<xs:element name="manifest"><xs:complexType><xs:sequence><xs:element name="crates" type="xs:int"/></xs:sequence></xs:complexType></xs:element><xs:element name="closed"`,
	).Replace(dual)
}

const beside = `<part name="photo" type="xs:base64Binary"/><part name="remark" type="xs:string"/><part name="manifest" element="h:manifest"/>`

// Answers go out with the attachments that the contract declares: drawn, or as a mapping has them; faults
// have none.
func TestAttachmentsOfAnswers(t *testing.T) {
	told := `<told xmlns="urn:harbour"/>`
	for name, k := range map[string]struct {
		style, use, mapped string
		root               string
		photo, remark      string // as they are sent; "" where they are drawn
	}{
		"drawn":            {"document", "literal", "", "told", "", ""},
		"drawn, rpc":       {"rpc", "literal", "", "askResponse", "", ""},
		"drawn, encoded":   {"rpc", "encoded", "", "askResponse", "", ""},
		"mapped":           {"document", "literal", told + `<remark> high tide </remark><photo xmlns:m="http://www.w3.org/2005/05/xmlmime" m:contentType="image/jpeg">Q U I=</photo>`, "told", "AB", " high tide "},
		"mapped in part":   {"document", "literal", told + `<remark/>`, "told", "", ""},
		"mapped otherwise": {"document", "literal", told + `<photo>no base64!</photo>`, "told", "no base64!", ""},
	} {
		t.Run(name, func(t *testing.T) {
			c := readText(t, attached(k.style, k.use))
			require.Len(t, c.Warnings, 4, "of the attachment that is no part, in each direction, and of the port without operations: %v", c.Warnings)
			op := operation(t, c, "ask")
			asked := contract.Asked{Operation: op}
			var answer call.Answer
			if k.mapped == "" {
				built, err := c.Protocol.Answer(&asked, contract.Wanted{Status: 200, Draw: draw})
				require.NoError(t, err)
				require.Empty(t, built.Invalid)
				answer = built.Answer
			} else {
				answer = c.Protocol.(contract.Envelope).Dress(&asked, call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: "application/xml"}}, Body: []byte(k.mapped)}, &spec.Answer{XML: &k.mapped})
			}
			sent, parts, ok := c.Protocol.(contract.Packager).Package(&asked, &call.Request{}, answer)
			require.True(t, ok)
			assert.Equal(t, 3, parts)
			root, others, err := call.Related(sent.Get("Content-Type"), sent.Body)
			require.NoError(t, err)
			assert.Contains(t, sent.Get("Content-Type"), `type="text/xml"`)
			assert.Contains(t, string(root.Content), ":"+k.root)
			assert.NotContains(t, string(root.Content), "<remark>")
			assert.Equal(t, k.use == "encoded", strings.Contains(string(root.Content), `<photo href="cid:photo=part-1@rapid-mimic"/>`), "%s", root.Content)
			assert.Equal(t, []string{"photo=part-1@rapid-mimic", "remark=part-2@rapid-mimic", "manifest=part-3@rapid-mimic"}, []string{others[0].ID, others[1].ID, others[2].ID})
			if k.photo == "" {
				_, err = png.Decode(bytes.NewReader(others[0].Content))
				require.NoError(t, err)
				assert.Equal(t, "image/png", others[0].ContentType)
			} else {
				assert.Equal(t, k.photo, string(others[0].Content))
			}
			if k.mapped == "" || k.remark != "" {
				assert.Equal(t, []any{"text/plain", true}, []any{others[1].ContentType, k.remark == "" && len(others[1].Content) > 0 || k.remark == string(others[1].Content)})
			}
			assert.Contains(t, string(others[2].Content), ":crates>")
			assert.Empty(t, c.Protocol.CheckAnswer(op, &sent, true, nil), "%s", sent.Body)
			sent.Body = bytes.ReplaceAll(sent.Body, []byte("Content-Type: text/xml\r\n"), []byte("Content-Type: text/csv\r\n"))
			assert.Equal(t, []call.Deviation{{Side: call.OfAnswer, Where: "attachment manifest", Detail: "it is text/csv, not text/xml"}}, c.Protocol.CheckAnswer(op, &sent, true, nil))
		})
	}
	c := readText(t, attached("document", "literal"))
	asked := contract.Asked{Operation: operation(t, c, "ask")}
	fault, ok := c.Protocol.(contract.Envelope).Refuse(&asked, contract.Fault{Text: "closed"})
	require.True(t, ok)
	_, _, ok = c.Protocol.(contract.Packager).Package(&asked, &call.Request{}, fault)
	assert.False(t, ok, "a fault has no attachments")
	optimised, parts, ok := c.Protocol.(contract.Packager).Package(&asked, &call.Request{Header: call.Header{"Accept": {"application/xop+xml"}}}, call.Answer{Status: 200, Body: []byte(envelope("1.1", told))})
	assert.Equal(t, []any{3, true}, []any{parts, ok})
	assert.NotContains(t, string(optimised.Body), "xop", "there is nothing to optimise")
}

// Attachments of a request are known by their Content-IDs, or else by their media types.
func TestAttachmentsOfRequests(t *testing.T) {
	c := readText(t, attached("document", "literal"))
	op := operation(t, c, "ask")
	part := func(id, mediaType, content string) string {
		return fmt.Sprintf("--m\r\nContent-ID: <%s>\r\nContent-Type: %s\r\n\r\n%s\r\n", id, mediaType, content)
	}
	photo, remark, manifest := part("photo=4711@pier", "image/jpeg", "A"), part("remark=4711@pier", "text/plain; charset=utf-8", "B"), part("c", "text/xml", `<manifest xmlns="urn:harbour"><crates>7</crates></manifest>`)
	for name, k := range map[string]struct {
		parts string
		found []call.Deviation
	}{
		"all":              {photo + remark + manifest, nil},
		"in another order": {part("x", "text/html", "") + manifest + remark + photo, nil},
		"one is missing": {remark + manifest, []call.Deviation{{Side: call.OfRequest, Where: "attachment photo",
			Detail: "it is missing: no part has a Content-ID that begins with photo=, or is image/png or image/jpeg"}}},
		"of another type": {part("photo=1@pier", "image/gif", "A") + remark + manifest, []call.Deviation{{Side: call.OfRequest, Where: "attachment photo", Detail: "it is image/gif, not image/png or image/jpeg"}}},
		"one that breaks its schema": {photo + remark + strings.Replace(manifest, "7", "many", 1), []call.Deviation{{Side: call.OfRequest, Where: "attachment manifest /manifest/crates",
			Detail: `"many" is not a valid integer`}}},
		"one that is not XML": {photo + remark + part("c", "text/xml", "<a>"), []call.Deviation{{Side: call.OfRequest, Where: "attachment manifest", Detail: "it is not XML: "}}},
	} {
		body := part("root@pier", "text/xml", envelope("1.1", ask)) + k.parts + "--m--\r\n"
		r := &call.Request{Method: "POST", Header: call.Header{"Content-Type": {`multipart/related; boundary=m; type="text/xml"; start="<root@pier>"`}}, Body: call.Body{Bytes: []byte(body)}}
		asked := c.Protocol.Dispatch(r, []string{"Desk"})
		require.Equal(t, "ask", asked.ID(), name)
		found := c.Protocol.CheckRequest(&asked, &match.Facts{Request: r})
		require.Len(t, found, len(k.found), "%s: %v", name, found)
		for i := range found {
			assert.Equal(t, k.found[i].Where, found[i].Where, name)
			assert.Contains(t, found[i].Detail, k.found[i].Detail, name)
		}
		r.Body.Truncated = true
		assert.Empty(t, c.Protocol.CheckRequest(&asked, &match.Facts{Request: r}), "what was not held cannot be missing")
	}
	tried := c.Protocol.Try(op, sample.NewDraw(1, "a", 0))
	asked := c.Protocol.Dispatch(&tried, []string{"Desk"})
	require.Equal(t, "ask", asked.ID())
	assert.Empty(t, c.Protocol.CheckRequest(&asked, &match.Facts{Request: &tried}))
	assert.True(t, utf8.Valid(tried.Body.Bytes), "a command line can have it")
	plain := &call.Request{Method: "POST", Header: call.Header{"Content-Type": {"text/xml"}}, Body: call.Body{Bytes: []byte(envelope("1.1", ask))}}
	asked = c.Protocol.Dispatch(plain, []string{"Desk"})
	assert.Len(t, c.Protocol.CheckRequest(&asked, &match.Facts{Request: plain}), 3)
	assert.Contains(t, fmt.Sprint(op.Facts), "photo (image/png or image/jpeg), remark (text/plain), manifest (text/xml)")
}

// Elements may name attachments: an answer has what they name beside it, and a request must. The schema of
// that type need not be delivered.
func TestElementsThatNameAttachments(t *testing.T) {
	const reference = `<r:ask xmlns:r="urn:harbour"><r:sketch>%s</r:sketch></r:ask>`
	c := readText(t, dual, `<types><xs:schema targetNamespace="urn:harbour" elementFormDefault="qualified">`,
		`<types><xs:schema targetNamespace="urn:harbour" elementFormDefault="qualified" xmlns:r="http://ws-i.org/profiles/basic/1.1/xsd"><xs:import namespace="http://ws-i.org/profiles/basic/1.1/xsd" schemaLocation="http://ws-i.org/profiles/basic/1.1/swaref.xsd"/>`,
		`<xs:element name="berth" type="xs:string" minOccurs="0"/>`, `<xs:element name="sketch" type="r:swaRef"/>`)
	assert.Len(t, c.Warnings, 2, "of the port without operations: %v", c.Warnings)
	published := func(query string) string {
		a, ok := c.Protocol.(contract.Publisher).Publish(query, "http://here")
		require.True(t, ok, query)
		return string(a.Body)
	}
	assert.Contains(t, published("wsdl"), `schemaLocation="http://here?xsd=swaref.xsd"`)
	assert.Contains(t, published("xsd=swaref.xsd"), `name="swaRef"`)
	_, ok := readText(t, dual).Protocol.(contract.Publisher).Publish("xsd=swaref.xsd", "http://here")
	assert.False(t, ok, "where nothing names it")

	op := operation(t, c, "ask")
	tried := c.Protocol.Try(op, draw())
	asked := c.Protocol.Dispatch(&tried, []string{"Desk"})
	require.Equal(t, "ask", asked.ID(), "%s", tried.Body.Bytes)
	assert.Empty(t, c.Protocol.CheckRequest(&asked, &match.Facts{Request: &tried}), "%s", tried.Body.Bytes)
	lost := &call.Request{Method: "POST", Header: call.Header{"Content-Type": {"text/xml"}}, Body: call.Body{Bytes: fmt.Appendf(nil, envelope("1.1", reference), "cid:sketch-2@rapid-mimic")}}
	again := c.Protocol.Dispatch(lost, []string{"Desk"})
	assert.Equal(t, []call.Deviation{{Side: call.OfRequest, Where: "body /ask/sketch", Detail: "no part beside the message has the Content-ID of cid:sketch-2@rapid-mimic"}}, c.Protocol.CheckRequest(&again, &match.Facts{Request: lost}))

	_, theirs, err := call.Related(tried.Header.Get("Content-Type"), tried.Body.Bytes)
	require.NoError(t, err)
	for name, k := range map[string]struct{ text, sent string }{
		"drawn":                      {"https://pier.example", ""},
		"as a mapping has it":        {"QUJD", "ABC"},
		"what came":                  {"cid:" + theirs[0].ID, string(theirs[0].Content)},
		"what did not come":          {"cid:gone", ""},
		"of a mapping that has none": {"", ""},
	} {
		answer := call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: "text/xml"}}, Body: fmt.Appendf(nil, strings.ReplaceAll(envelope("1.1", reference), "r:ask", "r:told"), k.text)}
		sent, parts, ok := c.Protocol.(contract.Packager).Package(&asked, &tried, answer)
		require.Equal(t, []any{1, true}, []any{parts, ok}, name)
		_, others, err := call.Related(sent.Get("Content-Type"), sent.Body)
		require.NoError(t, err)
		assert.Contains(t, string(sent.Body), ">cid:"+others[0].ID+"<", name)
		assert.Empty(t, c.Protocol.CheckAnswer(op, &sent, true, nil), "%s: %s", name, sent.Body)
		if k.sent == "" {
			assert.Len(t, others[0].Content, 64, name)
		} else {
			assert.Equal(t, k.sent, string(others[0].Content), name)
		}
	}
	answer := call.Answer{Status: 200, Header: []call.Field{{Name: "Content-Type", Value: "text/xml"}}, Body: []byte(envelope("1.1", `<told xmlns="urn:harbour"/>`))}
	_, _, ok = c.Protocol.(contract.Packager).Package(&asked, &tried, answer)
	assert.False(t, ok, "it names nothing")
}
