package wsdl

import (
	"cmp"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec"
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
var codes = map[string]string{"Client": "Sender", "Server": "Receiver", "MustUnderstand": "MustUnderstand", "VersionMismatch": "VersionMismatch", "DataEncodingUnknown": "DataEncodingUnknown"}

// fault is what a fault says, in either version.
type fault struct {
	code     string             // in the words of 1.1
	subcodes []name             // from the outside in
	reasons  []spec.Translation // at least one
	node     string
	role     string
	details  []*xmltree.Node
}

// plainFault is a fault with a text of ours.
func plainFault(code, text string, details ...*xmltree.Node) fault {
	return fault{code: code, reasons: []spec.Translation{{Text: text}}, details: details}
}

// envelope writes the fault.
func (f fault) envelope(version int) *xmltree.Node {
	envelope := newEnvelope(version)
	space := envelopeSpace(version)
	n := bodyOf(envelope).Add(&xmltree.Node{Name: name{Space: space, Local: "Fault"}})
	add := func(to *xmltree.Node, as name, text string) *xmltree.Node {
		return to.Add(&xmltree.Node{Name: as, Text: text})
	}
	if version != 12 {
		code := name{Space: space, Local: f.code}
		if len(f.subcodes) > 0 { // the one code that there is says most
			code = f.subcodes[len(f.subcodes)-1]
		}
		add(n, name{Local: "faultcode"}, "").QName = &code
		text := add(n, name{Local: "faultstring"}, f.reasons[0].Text)
		if language := f.reasons[0].Language; language != "" {
			text.Attrs = inLanguage(language)
		}
		if f.role != "" {
			add(n, name{Local: "faultactor"}, f.role)
		}
		addDetail(n, name{Local: "detail"}, f.details)
		return envelope
	}
	of := func(local string) name { return name{Space: space, Local: local} }
	code := add(n, of("Code"), "")
	add(code, of("Value"), "").QName = &name{Space: space, Local: codes[f.code]}
	for _, subcode := range f.subcodes {
		code = add(code, of("Subcode"), "")
		add(code, of("Value"), "").QName = &subcode
	}
	reason := add(n, of("Reason"), "")
	for _, one := range f.reasons {
		add(reason, of("Text"), one.Text).Attrs = inLanguage(cmp.Or(one.Language, "en"))
	}
	if f.node != "" {
		add(n, of("Node"), f.node)
	}
	if f.role != "" {
		add(n, of("Role"), f.role)
	}
	addDetail(n, of("Detail"), f.details)
	return envelope
}

func inLanguage(language string) []xmltree.Attr {
	return []xmltree.Attr{{Name: name{Space: "http://www.w3.org/XML/1998/namespace", Local: "lang"}, Value: language}}
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

func answer(version, status int, envelope *xmltree.Node) call.Answer {
	return answerOf(version, status, envelope.Document())
}

func answerOf(version, status int, body []byte) call.Answer {
	return call.Answer{Status: status, Header: []call.Field{{Name: "Content-Type", Value: mediaType(version)}}, Body: body}
}
