package wsdl

import (
	"slices"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/xmltree"
)

// understood are the namespaces of the headers that every service understands: those of WS-Addressing,
// of 2005 and of 2004, and of WS-Security.
var understood = []string{
	"http://www.w3.org/2005/08/addressing",
	"http://schemas.xmlsoap.org/ws/2004/08/addressing",
	"http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd",
	"http://docs.oasis-open.org/wss/oasis-wss-wssecurity-secext-1.1.xsd",
}

// roles are those that the receiver of a message plays, beside that without a name: the next node on
// the way in both versions, and the last one.
var roles = []string{
	"http://schemas.xmlsoap.org/soap/actor/next",
	space2 + "/role/next",
	space2 + "/role/ultimateReceiver",
}

// mandatory are the headers of a message that its receiver must understand.
func (m *received) mandatory() (all []*xmltree.Node) {
	if m.header == nil {
		return nil
	}
	role := name{Space: m.envelope.Name.Space, Local: map[int]string{11: "actor", 12: "role"}[m.of]}
	for _, h := range m.header.Children {
		must, _ := h.Lookup(name{Space: m.envelope.Name.Space, Local: "mustUnderstand"})
		whose, _ := h.Lookup(role)
		if (must == "1" || must == "true") && (whose == "" || slices.Contains(roles, whose)) {
			all = append(all, h)
		}
	}
	return all
}

// notUnderstood are the headers that the operation of a call must understand and knows nothing of.
func (s *service) notUnderstood(asked *contract.Asked) (all []*xmltree.Node) {
	op := s.own[asked.Operation]
	for _, h := range s.receivedOf(asked).mandatory() {
		declared := op != nil && op.input != nil && slices.ContainsFunc(op.input.headers, func(own header) bool { return own.element.Name == h.Name })
		if !declared && !slices.Contains(understood, h.Name.Space) && !slices.Contains(asked.Understood, h.Name.Space) && !slices.Contains(asked.Understood, "*") {
			all = append(all, h)
		}
	}
	return all
}

// tellNotUnderstood names the headers in a fault, as SOAP 1.2 does.
func tellNotUnderstood(fault *xmltree.Node, headers []*xmltree.Node) {
	for _, h := range headers {
		of := h.Name
		headerOf(fault).Add(&xmltree.Node{Name: name{Space: space2, Local: "NotUnderstood"}, Attrs: []xmltree.Attr{{Name: name{Local: "qname"}, QName: &of}}})
	}
}

// tellVersions says in a fault which versions of SOAP there are, as SOAP 1.2 does.
func (s *service) tellVersions(fault *xmltree.Node) {
	upgrade := headerOf(fault).Add(&xmltree.Node{Name: name{Space: space2, Local: "Upgrade"}})
	for _, version := range []int{12, 11} {
		if slices.ContainsFunc(s.ports, func(p *port) bool { return p.version == version }) {
			upgrade.Add(&xmltree.Node{Name: name{Space: space2, Local: "SupportedEnvelope"},
				Attrs: []xmltree.Attr{{Name: name{Local: "qname"}, QName: &name{Space: envelopeSpace(version), Local: "Envelope"}}}})
		}
	}
}
