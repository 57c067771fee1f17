package wsdl

import (
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/xmltree"
)

// The namespaces of envelopes: SOAP 1.1 and 1.2.
const (
	space1 = "http://schemas.xmlsoap.org/soap/envelope/"
	space2 = "http://www.w3.org/2003/05/soap-envelope"
)

func envelopeSpace(version int) string {
	if version == 12 {
		return space2
	}
	return space1
}

// versionOf is the version of SOAP by the root of a message, 0 for none.
func versionOf(root *xmltree.Node) int {
	switch {
	case root.Name.Local != "Envelope":
		return 0
	case root.Name.Space == space1:
		return 11
	case root.Name.Space == space2:
		return 12
	}
	return 0
}

func mediaType(version int) string {
	if version == 12 {
		return "application/soap+xml; charset=utf-8"
	}
	return "text/xml; charset=utf-8"
}

func newEnvelope(version int) *xmltree.Node {
	space := envelopeSpace(version)
	envelope := &xmltree.Node{Name: name{Space: space, Local: "Envelope"}}
	envelope.Add(&xmltree.Node{Name: name{Space: space, Local: "Body"}})
	return envelope
}

func bodyOf(envelope *xmltree.Node) *xmltree.Node { return envelope.Child(envelope.Name.Space, "Body") }

// headerOf is the header of an envelope, made when there is none.
func headerOf(envelope *xmltree.Node) *xmltree.Node {
	if h := envelope.Child(envelope.Name.Space, "Header"); h != nil {
		return h
	}
	h := envelope.Add(&xmltree.Node{Name: name{Space: envelope.Name.Space, Local: "Header"}})
	last := len(envelope.Children) - 1
	copy(envelope.Children[1:], envelope.Children[:last])
	envelope.Children[0] = h
	return h
}

// codes are the fault codes of version 1.2 for those of 1.1.
var codes = map[string]string{"Client": "Sender", "Server": "Receiver", "MustUnderstand": "MustUnderstand", "VersionMismatch": "VersionMismatch"}

// faultEnvelope writes a fault, its code in the words of 1.1.
func faultEnvelope(version int, code, text string, details ...*xmltree.Node) *xmltree.Node {
	envelope := newEnvelope(version)
	space := envelopeSpace(version)
	fault := bodyOf(envelope).Add(&xmltree.Node{Name: name{Space: space, Local: "Fault"}})
	if version == 12 {
		value := &xmltree.Node{Name: name{Space: space, Local: "Value"}, QName: &name{Space: space, Local: codes[code]}}
		fault.Add(&xmltree.Node{Name: name{Space: space, Local: "Code"}}).Add(value)
		reason := fault.Add(&xmltree.Node{Name: name{Space: space, Local: "Reason"}})
		reason.Add(&xmltree.Node{Name: name{Space: space, Local: "Text"}, Text: text,
			Attrs: []xmltree.Attr{{Name: name{Space: "http://www.w3.org/XML/1998/namespace", Local: "lang"}, Value: "en"}}})
		addDetail(fault, name{Space: space, Local: "Detail"}, details)
		return envelope
	}
	fault.Add(&xmltree.Node{Name: name{Local: "faultcode"}, QName: &name{Space: space, Local: code}})
	fault.Add(&xmltree.Node{Name: name{Local: "faultstring"}, Text: text})
	addDetail(fault, name{Local: "detail"}, details)
	return envelope
}

func addDetail(fault *xmltree.Node, as name, details []*xmltree.Node) {
	if len(details) == 0 {
		return
	}
	detail := fault.Add(&xmltree.Node{Name: as})
	for _, d := range details {
		detail.Add(d)
	}
}

func document(envelope *xmltree.Node) []byte {
	return append(envelope.Append([]byte(xmltree.Declaration)), '\n')
}

func answer(version, status int, envelope *xmltree.Node) call.Answer {
	return call.Answer{Status: status, Header: []call.Field{{Name: "Content-Type", Value: mediaType(version)}}, Body: document(envelope)}
}
