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

// sketchDesk declares attachments: of one operation in both directions, of one in its answer, and an element
// that names one.
const sketchDesk = `<definitions name="SketchDesk" targetNamespace="urn:sketches" xmlns:s="urn:sketches" xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:mime="http://schemas.xmlsoap.org/wsdl/mime/" xmlns:xs="http://www.w3.org/2001/XMLSchema">
<types><xs:schema targetNamespace="urn:sketches" elementFormDefault="qualified" xmlns:ref="http://ws-i.org/profiles/basic/1.1/xsd"><xs:import namespace="http://ws-i.org/profiles/basic/1.1/xsd" schemaLocation="http://ws-i.org/profiles/basic/1.1/swaref.xsd"/>
  <xs:element name="draw"><xs:complexType><xs:sequence><xs:element name="berth" type="xs:string"/></xs:sequence></xs:complexType></xs:element>
  <xs:element name="drawn"><xs:complexType><xs:sequence><xs:element name="depth" type="xs:string"/></xs:sequence></xs:complexType></xs:element>
  <xs:element name="list"><xs:complexType><xs:sequence><xs:element name="berth" type="xs:string"/></xs:sequence></xs:complexType></xs:element>
  <xs:element name="listed"><xs:complexType><xs:sequence/></xs:complexType></xs:element>
  <xs:element name="keep"><xs:complexType><xs:sequence><xs:element name="file" type="ref:swaRef"/></xs:sequence></xs:complexType></xs:element>
  <xs:element name="keepResponse"><xs:complexType><xs:sequence><xs:element name="file" type="ref:swaRef"/></xs:sequence></xs:complexType></xs:element>
</xs:schema></types>
<message name="draw"><part name="body" element="s:draw"/><part name="photo" type="xs:base64Binary"/></message>
<message name="drawn"><part name="body" element="s:drawn"/><part name="chart" type="xs:base64Binary"/><part name="remark" type="xs:string"/></message>
<message name="list"><part name="body" element="s:list"/></message>
<message name="listed"><part name="body" element="s:listed"/><part name="chart" type="xs:base64Binary"/><part name="remark" type="xs:string"/></message>
<message name="keep"><part name="body" element="s:keep"/></message><message name="kept"><part name="body" element="s:keepResponse"/></message>
<portType name="Sketches"><operation name="draw"><input message="s:draw"/><output message="s:drawn"/></operation><operation name="list"><input message="s:list"/><output message="s:listed"/></operation><operation name="keep"><input message="s:keep"/><output message="s:kept"/></operation></portType>
<binding name="Sketches" type="s:Sketches"><jaxws:bindings xmlns:jaxws="http://java.sun.com/xml/ns/jaxws"><jaxws:enableMIMEContent>true</jaxws:enableMIMEContent></jaxws:bindings><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/>
<operation name="draw"><soap:operation soapAction="urn:draw"/><input><mime:multipartRelated><mime:part><soap:body parts="body" use="literal"/></mime:part><mime:part><mime:content part="photo" type="image/png"/></mime:part></mime:multipartRelated></input><output>` + sketches + `</output></operation>
<operation name="list"><soap:operation soapAction="urn:list"/><input><soap:body use="literal"/></input><output>` + sketches + `</output></operation>
<operation name="keep"><soap:operation soapAction="urn:keep"/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation></binding>
<service name="SketchDesk"><port name="Sketches" binding="s:Sketches"><soap:address location="http://sketches.example/desk"/></port></service></definitions>`

const sketches = `<mime:multipartRelated><mime:part><soap:body parts="body" use="literal"/></mime:part><mime:part><mime:content part="chart" type="image/png"/></mime:part><mime:part><mime:content part="remark" type="text/plain"/></mime:part></mime:multipartRelated>`

// A client reads the attachments that the contract declares. A mapping gives its own, a recording keeps
// them, and a condition looks at those of a request, by the names of the contract.
func TestDeclaredAttachments(t *testing.T) {
	t.Parallel()
	s := start(t, config.Config{})
	report, err := s.api.Import(t.Context(), client.Import{Text: []byte(sketchDesk), File: "sketches.wsdl", Name: "sketches"})
	require.NoError(t, err)
	assert.Empty(t, report.Warnings)
	out, err := exec.Command("/usr/bin/python3", "judges/zeep_attachment.py", s.traffic+"/sketches").CombinedOutput()
	require.NoError(t, err, "%s", out)
	assert.Equal(t, "<message@rapid-mimic> text/xml; charset=utf-8 True\n<chart=part-1@rapid-mimic> image/png True\n<remark=part-2@rapid-mimic> text/plain True\n", string(out))

	_, err = s.api.PutMappings(t.Context(), "sketches", []byte("id: north\ncall: {operation: draw, where: [{part: photo, present: true}]}\nanswer: {xml: '<drawn xmlns=\"urn:sketches\"><depth>7</depth></drawn><remark>berth ${call.body.draw.berth}</remark>'}"))
	require.NoError(t, err)
	tried, err := s.api.Operation(t.Context(), "sketches", "draw")
	require.NoError(t, err)
	send := func(edits ...string) (string, string) {
		resp, text := s.send("POST /sketches/Sketches", strings.NewReplacer(edits...).Replace(tried.Try.Body), "Content-Type: "+tried.Try.Headers[0][1])
		return resp.Header.Get("Rapid-Mimic"), text
	}
	by, text := send()
	assert.Contains(t, by, `by="north"`)
	assert.Contains(t, text, "\r\nberth ")
	assert.Contains(t, text, "Content-Id: <chart=part-1@rapid-mimic>", "what the mapping does not have is drawn")
	assert.Empty(t, s.lastCall().DeviationList)
	// a picture of the mapping's own lies in a payload
	chart := append([]byte("\x89PNG\r\n\x1a\n"), 0xff, 0xfe, 0)
	_, err = s.api.PutPayload(t.Context(), "sketches", "chart.png", chart)
	require.NoError(t, err)
	_, err = s.api.PutMappings(t.Context(), "sketches", []byte(`{id: north, call: {operation: draw, where: [{part: photo, present: true}]}, answer: {xml: '<drawn xmlns="urn:sketches"><depth>7</depth></drawn><chart>${payloadBase64("chart.png")}</chart>'}}`))
	require.NoError(t, err)
	_, text = send()
	assert.Contains(t, text, "\r\n\r\n"+string(chart)+"\r\n")
	assert.ErrorContains(t, s.api.RemovePayload(t.Context(), "sketches", "chart.png"), "north", "it is sent")
	by, _ = send("photo=part-1@rapid-mimic", "sketch", "Type: image/png\r\n\r\niVBOR", "Type: image/gif\r\n\r\niVBOR")
	assert.Contains(t, by, `by="draw"`)
	require.Len(t, s.lastCall().DeviationList, 1)
	assert.Equal(t, "attachment photo", s.lastCall().DeviationList[0].Where)
}
