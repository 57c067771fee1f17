package wsdl

import (
	"bytes"
	"crypto/sha1" //nolint:gosec // names of RFC 9562 are made with it
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

var _ contract.Redirector = (*service)(nil)

// The namespaces of WS-Addressing: of 2005, which is version 1.0, and of 2004.
const (
	addressing10 = "http://www.w3.org/2005/08/addressing"
	addressing04 = "http://schemas.xmlsoap.org/ws/2004/08/addressing"
)

// actionSpaces are the namespaces in which contracts say the action of a message.
var actionSpaces = []string{
	"http://www.w3.org/2007/05/addressing/metadata", "http://www.w3.org/2006/05/addressing/wsdl",
	"http://www.w3.org/2006/02/addressing/wsdl", addressing10, addressing04,
}

// anonymous are the addresses that mean the way back, nowhere those that mean that nobody wants to know.
var (
	anonymous = []string{"", addressing10 + "/anonymous", addressing04 + "/role/anonymous"}
	nowhere   = []string{addressing10 + "/none"}
)

// addressing are the properties of a message by WS-Addressing.
type addressing struct {
	space            string // its version
	action, id       string
	replyTo, faultTo *endpoint // nil where it has none
}

// endpoint is where somebody can be told something.
type endpoint struct {
	address    string
	parameters []*xmltree.Node // to be given back as headers
}

// addressingOf reads the properties of a message; nil where it has none.
func addressingOf(m *received) *addressing {
	if m.header == nil {
		return nil
	}
	var a *addressing
	for _, h := range m.header.Children {
		if h.Name.Space != addressing10 && h.Name.Space != addressing04 || a != nil && a.space != h.Name.Space {
			continue
		}
		if a == nil {
			a = &addressing{space: h.Name.Space}
		}
		text := strings.TrimSpace(h.Text)
		switch h.Name.Local {
		case "Action":
			a.action = text
		case "MessageID":
			a.id = text
		case "ReplyTo":
			a.replyTo = endpointOf(h)
		case "FaultTo":
			a.faultTo = endpointOf(h)
		}
	}
	return a
}

func endpointOf(n *xmltree.Node) *endpoint {
	e := &endpoint{}
	for _, c := range n.Children {
		switch c.Name.Local {
		case "Address":
			e.address = strings.TrimSpace(c.Text)
		case "ReferenceParameters", "ReferenceProperties":
			e.parameters = append(e.parameters, c.Children...)
		}
	}
	return e
}

// to is where the answer goes; nil for the way back.
func (a *addressing) to(isFault bool) *endpoint {
	if isFault && a.faultTo != nil {
		return a.faultTo
	}
	return a.replyTo
}

// address gives an answer to a message the headers by which the caller knows it again, where the message
// has some. action is that of the answer, "" for a fault that the contract does not declare.
func (m *received) address(answer *xmltree.Node, action string, isFault bool) {
	a := addressingOf(m)
	if a == nil {
		return
	}
	header := headerOf(answer)
	add := func(local, text string) {
		header.Add(&xmltree.Node{Name: name{Space: a.space, Local: local}, Text: text})
	}
	if action == "" {
		action = map[string]string{addressing10: addressing10 + "/soap/fault", addressing04: addressing04 + "/fault"}[a.space]
	}
	add("Action", action)
	if a.id != "" {
		add("MessageID", "urn:uuid:"+namedUUID(a.id))
		add("RelatesTo", a.id)
	}
	to := a.to(isFault)
	if to == nil {
		to = &endpoint{}
	}
	if slices.Contains(anonymous, to.address) {
		to = &endpoint{address: map[string]string{addressing10: anonymous[1], addressing04: anonymous[2]}[a.space], parameters: to.parameters}
	}
	add("To", to.address)
	for _, p := range to.parameters {
		copied := *p
		if copied.Attrs = slices.Clone(p.Attrs); a.space == addressing10 {
			copied.Attrs = append(copied.Attrs, xmltree.Attr{Name: name{Space: addressing10, Local: "IsReferenceParameter"}, Value: "true"})
		}
		header.Add(&copied)
	}
}

// related is a recorded answer which says that it is for this message, not for the recorded one; as it
// is where it says nothing of the kind.
func (m *received) related(a call.Answer) call.Answer {
	asks := addressingOf(m)
	if asks == nil || asks.id == "" {
		return a
	}
	root, err := xmltree.Parse(a.Body)
	if err != nil {
		return a
	}
	header := root.Child(root.Name.Space, "Header")
	instead := map[*xmltree.Node]string{
		header.Child(asks.space, "RelatesTo"): asks.id,
		header.Child(asks.space, "MessageID"): "urn:uuid:" + namedUUID(asks.id),
	}
	if header.Child(asks.space, "RelatesTo") == nil {
		return a
	}
	plain, err := xmltree.UTF8(a.Body)
	if err != nil || len(plain) != len(a.Body) { // another encoding, whose places are others
		return a
	}
	body := slices.Clone(a.Body)
	for _, n := range slices.Backward(header.Children) {
		text, is := instead[n]
		end := bytes.IndexByte(body[n.End:], '<')
		if is && end > 0 {
			body = slices.Concat(body[:n.End], xmltree.Escape(text), body[n.End+end:])
		}
	}
	a.Body = body
	if a.Wire != nil {
		wire := *a.Wire
		wire.Coding, wire.Coded, wire.Pieces = "", nil, nil
		a.Wire = &wire
		a.Header = slices.DeleteFunc(slices.Clone(a.Header), func(f call.Field) bool {
			return slices.ContainsFunc(append(call.OfBytes, "Content-Encoding"), func(name string) bool { return strings.EqualFold(name, f.Name) })
		})
	}
	return a
}

func textOf(n *xmltree.Node) string {
	if n == nil {
		return ""
	}
	return n.Text
}

// namedUUID is a UUID that follows from the id of a message: that of its answer.
func namedUUID(id string) string {
	sum := sha1.Sum([]byte("answer to " + id)) //nolint:gosec // see above
	sum[6], sum[8] = sum[6]&0x0f|0x50, sum[8]&0x3f|0x80
	return fmt.Sprintf("%x-%x-%x-%x-%x", sum[:4], sum[4:6], sum[6:8], sum[8:10], sum[10:16])
}

// Elsewhere implements contract.Redirector.
func (s *service) Elsewhere(asked *contract.Asked, a *call.Answer) (to contract.Destination, ok bool) {
	m := s.receivedOf(asked)
	properties := addressingOf(m)
	if properties == nil {
		return to, false
	}
	isFault := a.Status >= 400
	end := properties.to(isFault)
	if end == nil || slices.Contains(anonymous, end.address) || a.Status == 202 {
		return to, false
	}
	to.Header = "ReplyTo"
	if isFault && properties.faultTo != nil {
		to.Header = "FaultTo"
	}
	if slices.Contains(nowhere, end.address) {
		return to, true
	}
	to.Address, to.Fields = end.address, call.Header{"Content-Type": {mediaType(m.version())}}
	if answered, err := xmltree.Parse(a.Body); err == nil && m.version() == 11 {
		action := answered.Child(answered.Name.Space, "Header").Child(properties.space, "Action")
		to.Fields["Soapaction"] = []string{`"` + textOf(action) + `"`}
	}
	return to, true
}

// addressingFaults lists in what a message breaks the rules of WS-Addressing, as far as the contract
// demands it.
func (o *operation) addressingFaults(m *received, add func(where, detail string)) {
	a := addressingOf(m)
	if a == nil {
		if o.addressed {
			add("header Action", "the contract demands WS-Addressing, and the call has no such header")
		}
		return
	}
	if a.action != o.input.action && a.action != o.action {
		add("header Action", fmt.Sprintf("%q is not the action of operation %s, %q", a.action, o.name, o.input.action))
	}
	if a.id == "" && !o.oneWay() && (o.addressed || a.replyTo != nil) {
		add("header MessageID", "it is missing, so that the answer cannot say what it is for")
	}
}

// addressedTry gives a request the headers that a contract with WS-Addressing demands, or declares
// itself, with what belongs there.
func (o *operation) addressedTry(envelope *xmltree.Node, draw *sample.Draw) {
	if o.input == nil {
		return
	}
	declared := envelope.Child(envelope.Name.Space, "Header")
	for _, own := range []struct{ local, text string }{{"Action", o.input.action}, {"MessageID", "urn:uuid:" + draw.Fake("uuid")}} {
		local, text := own.local, own.text
		if n := declared.Child(addressing10, local); n != nil {
			n.Text, n.Children = text, nil
		} else if n := declared.Child(addressing04, local); n != nil {
			n.Text, n.Children = text, nil
		} else if o.addressed {
			headerOf(envelope).Add(&xmltree.Node{Name: name{Space: addressing10, Local: local}, Text: text})
		}
	}
}

// actionOfMessage is the action of a message: as the contract says it, else soapAction, else by the
// pattern that WS-Addressing has for those who say nothing.
func actionOfMessage(portType, operation, message *xmltree.Node, soapAction, suffix string) string {
	for _, space := range actionSpaces {
		if action, ok := message.Lookup(name{Space: space, Local: "Action"}); ok {
			return action
		}
	}
	if soapAction != "" {
		return soapAction
	}
	target := portType.Parent.Attr("targetNamespace")
	glue := "/"
	if strings.HasPrefix(target, "urn:") {
		glue = ":"
	}
	own := message.Attr("name")
	if own == "" {
		own = operation.Attr("name") + suffix
	}
	parts := []string{strings.TrimSuffix(target, glue), portType.Attr("name"), own}
	if message.Name.Local == "fault" {
		parts = []string{parts[0], parts[1], operation.Attr("name"), "Fault", own}
	}
	return strings.Join(parts, glue)
}

// demandsAddressing reports whether a binding or a port holds its callers to WS-Addressing: by an
// element of its own, or by a policy.
func (r *reader) demandsAddressing(n *xmltree.Node) bool {
	for _, c := range n.Children {
		must, _ := c.Lookup(name{Space: space, Local: "required"})
		if c.Name.Local == "UsingAddressing" && (must == "true" || must == "1") {
			return true
		}
	}
	return r.demands(n, func(assertion name) bool {
		return assertion.Local == "Addressing" && slices.Contains(actionSpaces, assertion.Space) || assertion.Local == "UsingAddressing"
	})
}
