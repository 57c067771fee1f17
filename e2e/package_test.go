package e2e

import (
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/client"
	"rapidmimic.example/internal/config"
)

const photoDesk = `<definitions name="PhotoDesk" targetNamespace="urn:photos" xmlns:p="urn:photos" xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema">
<types><xs:schema targetNamespace="urn:photos" elementFormDefault="qualified">
  <xs:element name="picture"><xs:complexType><xs:sequence><xs:element name="berth" type="xs:string"/><xs:element name="sketch" type="xs:base64Binary" minOccurs="0"/></xs:sequence></xs:complexType></xs:element>
  <xs:element name="pictureResponse"><xs:complexType><xs:sequence><xs:element name="photo" type="xs:base64Binary"/></xs:sequence></xs:complexType></xs:element>
</xs:schema></types>
<message name="in"><part name="parameters" element="p:picture"/></message><message name="out"><part name="parameters" element="p:pictureResponse"/></message>
<portType name="Photos"><operation name="picture"><input message="p:in"/><output message="p:out"/></operation></portType>
<binding name="Photos" type="p:Photos"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><operation name="picture"><soap:operation soapAction=""/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation></binding>
<service name="PhotoDesk"><port name="Photos" binding="p:Photos"><soap:address location="http://photos.example/desk"/></port></service></definitions>`

// Messages with attachments are taken apart, shown, and masked; a client reads answers by MTOM.
func TestMessagesWithAttachments(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{})
	_, err := s.api.Import(t.Context(), client.Import{Text: []byte(photoDesk), File: "photos.wsdl", Name: "photos"})
	require.NoError(t, err)
	_, err = s.api.PutMappings(t.Context(), "photos", []byte("id: n7\ncall: {operation: picture, where: [{xml: //picture/berth, equals: N7}]}\nanswer: {xml: \"<pictureResponse xmlns='urn:photos'><photo>iVBORw0KGgoA/w==</photo></pictureResponse>\"}\n"))
	require.NoError(t, err)
	out, err := exec.Command("/usr/bin/python3", "judges/zeep_package.py", s.traffic+"/photos?wsdl").CombinedOutput()
	require.NoError(t, err, "%s", out)
	assert.Equal(t, "multipart/related\ntext/xml\n", string(out))

	_, err = s.api.PutMappings(t.Context(), "photos", []byte("id: sketched\nrank: 1\ncall: {operation: picture, where: [{xml: //picture/sketch, equals: AAH/}, {part: sketch@pier, present: true}]}\nanswer: {xml: \"<pictureResponse xmlns='urn:photos'><photo>QQ==</photo></pictureResponse>\"}\n"))
	require.NoError(t, err)
	body := strings.ReplaceAll("--m\nContent-Type: application/xop+xml; type=\"text/xml\"\nContent-ID: <root>\n\n"+
		`<e:Envelope xmlns:e="http://schemas.xmlsoap.org/soap/envelope/"><e:Header><s:Security xmlns:s="http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd"><s:Password>high-tide-7</s:Password></s:Security></e:Header>`+
		`<e:Body><picture xmlns="urn:photos"><berth>N8</berth><sketch><x:Include xmlns:x="http://www.w3.org/2004/08/xop/include" href="cid:sketch@pier"/></sketch></picture></e:Body></e:Envelope>`+
		"\n--m\nContent-Type: image/png\nContent-ID: <sketch@pier>\n\n\x00\x01\xff\n--m--\n", "\n", "\r\n")
	resp, text := s.send("POST /photos/Photos", body, `Content-Type: multipart/related; boundary=m; type="application/xop+xml"; start="<root>"; start-info="text/xml"`)
	require.Equal(t, 200, resp.StatusCode, text)
	assert.Contains(t, resp.Header.Get("Rapid-Mimic"), `by="sketched"`)
	assert.Contains(t, resp.Header.Get("Content-Type"), "multipart/related", "it answers as it was asked")
	detail := s.lastCall()
	require.Len(t, detail.Request.Parts, 2)
	assert.Equal(t, []any{"root", "sketch@pier", "image/png", 3, ""}, []any{detail.Request.Parts[0].ID, detail.Request.Parts[1].ID, detail.Request.Parts[1].ContentType, detail.Request.Parts[1].Size, detail.Request.Parts[1].Text})
	assert.Contains(t, detail.Request.Parts[0].Text, "<s:Password>masked-")
	assert.Empty(t, detail.DeviationList)
	shown := s.run(t, "calls", "show", detail.ID)
	assert.Contains(t, shown, "part sketch@pier, image/png, 3 bytes")
	assert.Contains(t, shown, "bytes are sent as parts beside the message: 1")
	assert.NotContains(t, shown, "high-tide-7")
}
