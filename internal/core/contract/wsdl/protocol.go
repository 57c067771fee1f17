package wsdl

import (
	"bytes"
	"net/url"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec"
)

var (
	_ contract.Protocol  = (*service)(nil)
	_ contract.Envelope  = (*service)(nil)
	_ contract.Publisher = (*service)(nil)
)

// Name implements contract.Protocol.
func (*service) Name() string { return "soap" }

// ByMessage implements contract.Protocol.
func (*service) ByMessage() bool { return true }

// Addresses implements contract.Protocol: every operation is answered at the address
// of the service, at each port, and where the contract has the ports.
func (s *service) Addresses(*contract.Operation) (templates []match.Template) {
	paths := []string{"/"}
	for _, p := range s.ports {
		paths = append(paths, "/"+url.PathEscape(p.name))
	}
	for _, p := range s.ports {
		escaped := ""
		for _, segment := range p.path {
			escaped += "/" + url.PathEscape(segment)
		}
		if escaped != "" && !slices.Contains(paths, escaped) {
			paths = append(paths, escaped)
		}
	}
	for _, path := range paths {
		if t, err := match.ParseTemplate(path); err == nil {
			templates = append(templates, t)
		}
	}
	return templates
}

// Answer implements contract.Protocol.
func (s *service) Answer(asked *contract.Asked, w contract.Wanted) (contract.Built, error) {
	fault := w.Example
	if fault == "" && w.Status >= 400 && len(w.MediaTypes) > 0 && len(w.MediaTypes[0].Examples) > 0 {
		fault = w.MediaTypes[0].Examples[0].Name
	}
	b := s.own[asked.Operation].answer(s.receivedOf(asked), fault, w.Echo != nil, w.Held, w.Draw())
	if fault == "" && len(w.MediaTypes) > 0 {
		in := *w.MediaTypes[0] // of the version that is spoken
		in.Name = mediaType(s.receivedOf(asked).version())
		b.MediaType = &in
	}
	return b, nil
}

// Pin implements contract.Protocol: it sets the text of the elements that pins name by
// their local names, from the first element of the body on.
func (*service) Pin(b contract.Built, pins []contract.Pin, scope *expr.Scope) (out contract.Built, pinned []string, err error) {
	root, err := xmltree.Parse(b.Answer.Body)
	if err != nil {
		return b, nil, nil // one-way operations answer nothing
	}
	message := bodyOf(root)
	if message == nil || len(message.Children) == 0 {
		return b, nil, nil
	}
	for _, pin := range pins {
		value, err := pin.Value(scope)
		if err != nil {
			return b, nil, err
		}
		found := below(message.Children[0], pin.Path())
		for _, n := range found {
			n.Text, n.Children, n.QName = contract.Plain(value), nil, nil
		}
		if len(found) > 0 {
			pinned = append(pinned, pin.Pointer)
		}
	}
	root.Carry() // prefixes that values use
	b.Answer.Body = root.Document()
	return b, pinned, nil
}

// below finds elements by the local names on the way to them; * stands for any.
func below(n *xmltree.Node, path []string) (found []*xmltree.Node) {
	if len(path) == 0 {
		return []*xmltree.Node{n}
	}
	for _, c := range n.Children {
		if path[0] == "*" || path[0] == c.Name.Local {
			found = append(found, below(c, path[1:])...)
		}
	}
	return found
}

// CheckRequest implements contract.Protocol.
func (s *service) CheckRequest(asked *contract.Asked, f *match.Facts) []call.Deviation {
	return s.own[asked.Operation].checkRequest(s.receivedOf(asked), f.Request, s.notUnderstood(asked))
}

// CheckAnswer implements contract.Protocol.
func (s *service) CheckAnswer(op *contract.Operation, a *call.Answer, whole bool, _ *budget.Budget) []call.Deviation {
	if !whole {
		return nil
	}
	return s.own[op].checkAnswer(a)
}

// Try implements contract.Protocol, in the version of the operation's first port.
func (s *service) Try(op *contract.Operation, draw *sample.Draw) call.Request {
	own := s.own[op]
	return own.try(own.version, draw)
}

// Dress implements contract.Envelope.
func (s *service) Dress(asked *contract.Asked, a call.Answer, written *spec.Answer) call.Answer {
	switch {
	case written.Fault != nil:
		return s.mappedFault(asked, written)
	case written.XML != nil:
		body, contentType := s.wrap(asked, a.Body)
		a.Body, a.Header, a.Wire = body, slices.Clone(a.Header), nil
		for i, f := range a.Header {
			if f.Name == "Content-Type" && f.Value == "application/xml" {
				a.Header[i].Value = contentType
			}
		}
	}
	if written.Recorded != nil {
		a = s.receivedOf(asked).related(a)
	}
	return a
}

// mappedFault writes the fault that a mapping asks for.
func (s *service) mappedFault(asked *contract.Asked, written *spec.Answer) call.Answer {
	m, asks := s.receivedOf(asked), written.Fault
	made := fault{code: asks.Code, reasons: append(spec.Translations{{Text: asks.Text}}, asks.Translations...), node: asks.Node, role: asks.Role}
	switch space, local, own := strings.Cut(strings.TrimPrefix(asks.Code, "{"), "}"); {
	case own:
		made.code, made.subcodes = "Server", []name{{Space: space, Local: local}}
	case asks.Code == "Sender":
		made.code = "Client"
	case !slices.Contains(spec.FaultCodes, asks.Code) || asks.Code == "Receiver":
		made.code = "Server"
	}
	for _, subcode := range asks.Subcode {
		space, local, _ := strings.Cut(strings.TrimPrefix(subcode, "{"), "}")
		made.subcodes = append(made.subcodes, name{Space: space, Local: local})
	}
	declares := ""
	if asks.Detail != "" {
		text, elements := fragment([]byte(asks.Detail))
		made.details = []*xmltree.Node{{Raw: text}}
		if len(elements) == 0 {
			made.details = []*xmltree.Node{note(asks.Detail)}
		}
		declares = s.own[asked.Operation].actionOfFault(elements)
	}
	envelope := made.envelope(m.version())
	m.address(envelope, declares, true)
	a := answer(m.version(), faultStatus(m.version(), made.code), envelope)
	if code := written.Status.Code; code != 0 && code != 500 { // which is what faults have unless said otherwise
		a.Status = code
	}
	return a
}

// fragment is XML as it can stand inside of an element, with the elements that it has; none where it
// cannot be read.
func fragment(text []byte) (inner []byte, elements []*xmltree.Node) {
	inner, err := xmltree.UTF8(text) // which takes the declaration off
	if err != nil {
		return text, nil
	}
	inner = bytes.TrimSpace(inner)
	root, err := xmltree.Parse(slices.Concat([]byte("<all>"), inner, []byte("</all>")))
	if err != nil {
		return text, nil
	}
	return inner, root.Children
}

// wrap puts XML as it stands into an envelope in the version of the call, unless it is one or cannot be
// read.
func (s *service) wrap(asked *contract.Asked, text []byte) (body []byte, contentType string) {
	m := s.receivedOf(asked)
	inner, elements := fragment(text)
	if len(elements) == 0 || versionOf(elements[0]) != 0 {
		return text, mediaType(m.version())
	}
	envelope := newEnvelope(m.version())
	bodyOf(envelope).Add(&xmltree.Node{Raw: inner})
	if op := s.own[asked.Operation]; op != nil && !op.oneWay() {
		m.address(envelope, op.output.action, false)
	}
	return envelope.Document(), mediaType(m.version())
}

// Refuse implements contract.Envelope, in the version of the message.
func (s *service) Refuse(asked *contract.Asked, f contract.Fault) (call.Answer, bool) {
	if asked.Fault != nil && asked.Fault.Foreign {
		return call.Answer{}, false
	}
	m, made := s.receivedOf(asked), plainFault(f.Code, f.Text)
	var missed []*xmltree.Node
	if made.code == "" && !f.Ours && !f.Unsigned {
		missed = s.notUnderstood(asked)
	}
	switch {
	case made.code != "":
	case len(missed) > 0:
		made.code = "MustUnderstand"
	case f.Ours:
		made.code = "Server"
	default:
		made.code = "Client"
	}
	if f.Unsigned {
		made.subcodes = []name{{Space: security, Local: "FailedAuthentication"}}
	}
	if len(missed) == 0 { // a detail is about the body
		for _, line := range f.Detail {
			made.details = append(made.details, note(line))
		}
	}
	envelope := made.envelope(m.version())
	if m.version() == 12 {
		tellNotUnderstood(envelope, missed)
		if made.code == "VersionMismatch" {
			s.tellVersions(envelope)
		}
	}
	m.address(envelope, "", true)
	return answer(m.version(), faultStatus(m.version(), made.code), envelope), true
}

// note is a line of our own in the detail of a fault.
func note(text string) *xmltree.Node {
	return &xmltree.Node{Name: name{Space: "urn:rapid-mimic", Local: "note"}, Text: text}
}

func faultStatus(version int, code string) int {
	if version == 12 && code == "Client" {
		return 400
	}
	return 500
}
