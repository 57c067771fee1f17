package wsdl

import (
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec/problem"
)

// portNames are those of the ports that answer.
func (s *service) portNames() (names []string) {
	for _, p := range s.ports {
		names = append(names, p.name)
	}
	return names
}

// received is a message as it came in.
type received struct {
	of       int           // its version of SOAP, 11 or 12; 0 when it is not known
	envelope *xmltree.Node // nil when it is none
	header   *xmltree.Node
	body     *xmltree.Node
}

// version is the one to answer in.
func (m *received) version() int { return max(m.of, 11) }

// receivedOf is the message that was dispatched; an empty one, in the version of the
// operation, where none was.
func (s *service) receivedOf(asked *contract.Asked) *received {
	if m, ok := asked.Message.(*received); ok {
		return m
	}
	if op := s.own[asked.Operation]; op != nil {
		return &received{of: op.version}
	}
	return &received{}
}

// Dispatch implements contract.Protocol.
func (s *service) Dispatch(r *call.Request, segments []string) contract.Asked {
	if r.Method != "POST" {
		allow := "POST"
		if _, fault := s.portsAt(segments); fault != nil {
			allow = ""
		}
		return contract.Asked{Segments: segments, Fault: &contract.Fault{Foreign: true, Allow: allow,
			Text:    fmt.Sprintf("It is a SOAP service: it answers messages sent by POST to its own address or to a port (%s), and its contract at ?wsdl.", strings.Join(s.portNames(), ", ")),
			Finding: call.Finding{Code: call.NotPosted, Part: "method", Seen: r.Method, Expected: "POST"}}}
	}
	m := &received{of: versionByType(r)}
	asked := s.dispatch(m, r, segments)
	asked.Segments, asked.Message = segments, m
	if asked.Fault != nil {
		asked.Fault.Finding = call.Find(call.Undispatched, asked.Fault.Text)
	}
	return asked
}

func (s *service) dispatch(m *received, r *call.Request, segments []string) contract.Asked {
	ports, fault := s.portsAt(segments)
	switch {
	case fault != nil:
		return contract.Asked{Fault: fault}
	case r.Body.Truncated:
		return refused("Client", "The message is not known to its end.")
	}
	root, err := xmltree.Parse(match.Plain(r))
	if err != nil {
		return refused("Client", "The body is not XML: "+err.Error()+".", s.known()...)
	}
	m.envelope = root
	version := versionOf(root)
	if version == 0 {
		if root.Name.Local == "Envelope" {
			return refused("VersionMismatch", fmt.Sprintf("The envelope's namespace %q is neither that of SOAP 1.1 (%s) nor of 1.2 (%s).", root.Name.Space, space1, space2))
		}
		return refused("Client", fmt.Sprintf("<%s> is no SOAP envelope.", root.Name.Local), s.known()...)
	}
	m.of, m.header, m.body = version, root.Child(root.Name.Space, "Header"), bodyOf(root)
	if m.body == nil {
		return refused("Client", "The envelope has no Body.")
	}
	if !slices.ContainsFunc(ports, func(p *port) bool { return p.version == version }) {
		return refused("VersionMismatch", fmt.Sprintf("Port %s speaks SOAP %s, and the envelope is of SOAP %s.", ports[0].name, versionText(ports[0].version), versionText(version)))
	}
	action := actionOf(r, version)
	said := action
	if a := addressingOf(m); action == "" && a != nil {
		said = a.action
	}
	if m.encrypted() {
		return s.findEncrypted(ports, said)
	}
	asked := s.find(m, ports, action, said)
	if asked.Reason != "" {
		asked.Reason += m.passedOver()
	}
	return asked
}

func refused(code, text string, detail ...string) contract.Asked {
	return contract.Asked{Fault: &contract.Fault{Code: code, Text: text, Detail: detail}}
}

// versionByType guesses the version of a message that cannot be read.
func versionByType(r *call.Request) int {
	if call.BaseType(messageType(r.Header.Get("Content-Type"))) == "application/soap+xml" {
		return 12
	}
	return 11
}

// portsAt are the ports that answer at a path: all of them at the address of the service, and at that of
// a port also those which the contract has at the same location, so that the envelope chooses. A port has
// the path of its name, and that of its location, at which callers ask who take us for the real service.
func (s *service) portsAt(segments []string) ([]*port, *contract.Fault) {
	if len(segments) == 0 || len(segments) == 1 && segments[0] == "" {
		return s.ports, nil
	}
	for _, byName := range []bool{true, false} {
		for _, p := range s.ports {
			if byName && len(segments) == 1 && p.name == segments[0] || !byName && len(p.path) > 0 && slices.Equal(p.path, segments) {
				alike := slices.DeleteFunc(slices.Clone(s.ports), func(other *port) bool {
					return other == p || p.location == "" || other.location != p.location
				})
				return append([]*port{p}, alike...), nil
			}
		}
	}
	return nil, &contract.Fault{Code: "Client", Text: fmt.Sprintf("There is no port %q (%s).", strings.Join(segments, "/"), strings.Join(s.portNames(), ", "))}
}

// actionOf is the action that a caller names: a header in 1.1, a parameter of
// the media type in 1.2. Some send both.
func actionOf(r *call.Request, version int) string {
	action := strings.Trim(strings.TrimSpace(r.Header.Get("SOAPAction")), `"`)
	if version == 12 {
		if _, params, found := strings.Cut(messageType(r.Header.Get("Content-Type")), "action="); found {
			value, _, _ := strings.Cut(params, ";")
			return strings.Trim(strings.TrimSpace(value), `"`)
		}
	}
	return action
}

// find picks the operation by the body's element, the action deciding between several: that of the
// transport, or of the message itself.
func (s *service) find(m *received, ports []*port, action, said string) contract.Asked {
	fits := taking(ports, m, (*operation).takes)
	if len(fits) == 0 {
		for _, lenient := range lenients {
			nearly := taking(ports, m, lenient.takes)
			if len(nearly) > 1 {
				nearly = slices.DeleteFunc(nearly, func(op *operation) bool { return !op.hasAction(said) })
			}
			if len(nearly) == 1 {
				return s.found(nearly[0], fmt.Sprintf("its body is <%s>, although %s", m.body.Children[0].Name.Local, lenient.although))
			}
		}
	}
	root := "nothing"
	if len(m.body.Children) > 0 {
		root = "<" + m.body.Children[0].Name.Local + ">"
	}
	switch {
	case len(fits) == 0:
		return s.unknown(m, root)
	case len(fits) > 1:
		for _, op := range fits {
			if op.hasAction(said) {
				return s.found(op, fmt.Sprintf("its body is %s, and the action is %q", root, said))
			}
		}
	case action != "" && fits[0].action != "" && action != fits[0].action:
		return refused("Client", fmt.Sprintf("The action is %q; operation %s, which takes %s, expects %q.", action, fits[0].name, root, fits[0].action))
	}
	return s.found(fits[0], "its body is "+root)
}

// lenients are the ways in which clients that read contracts carelessly send messages.
var lenients = []struct {
	takes    func(*operation, *xmltree.Node) bool
	although string
}{
	{(*operation).takesAlike, "in another namespace"},
	{(*operation).takesNothing, "it should be empty"},
}

// hasAction reports whether an action that a caller names is that of the operation.
func (o *operation) hasAction(said string) bool {
	return said != "" && (o.action == said || o.input.action == said)
}

// taking are the operations that take a message, those of ports that speak its version before others.
func taking(ports []*port, m *received, takes func(*operation, *xmltree.Node) bool) (fits []*operation) {
	for _, same := range []bool{true, false} {
		for _, p := range ports {
			if (p.version == m.of) != same {
				continue
			}
			for _, op := range p.operations {
				if takes(op, m.body) && !slices.Contains(fits, op) {
					fits = append(fits, op)
				}
			}
		}
	}
	return fits
}

func versionText(version int) string { return map[int]string{11: "1.1", 12: "1.2"}[version] }

func (s *service) found(op *operation, reason string) contract.Asked {
	return contract.Asked{Operation: s.contracted[op], Reason: reason}
}

// takes reports whether a body begins with what the operation expects.
func (o *operation) takes(body *xmltree.Node) bool {
	if o.input == nil {
		return false
	}
	if len(o.input.body) == 0 || len(body.Children) == 0 {
		return len(o.input.body) == 0 && len(body.Children) == 0
	}
	return body.Children[0].Name == o.input.body[0].Name
}

// takesAlike is takes for a body whose element has the expected name in another namespace.
func (o *operation) takesAlike(body *xmltree.Node) bool {
	return o.input != nil && len(o.input.body) > 0 && len(body.Children) > 0 && body.Children[0].Name.Local == o.input.body[0].Name.Local
}

// takesNothing is takes for an operation whose body is empty: some clients send an element all the same,
// which is called as the operation or its message is.
func (o *operation) takesNothing(body *xmltree.Node) bool {
	if o.input == nil || len(o.input.body) > 0 || len(body.Children) == 0 {
		return false
	}
	called := body.Children[0].Name.Local
	return called == o.name || called == o.input.name
}

// unknown says which operation comes closest to a body that none takes.
func (s *service) unknown(m *received, root string) contract.Asked {
	text := fmt.Sprintf("No operation takes %s.", root)
	if len(m.body.Children) == 0 {
		return refused("Client", text, s.known()...)
	}
	seen := m.body.Children[0].Name
	best, bestDistance := name{}, 1000
	var of *operation
	for _, op := range s.operations {
		if op.input == nil || len(op.input.body) == 0 {
			continue
		}
		expected := op.input.body[0].Name
		if d := problem.Distance(strings.ToLower(seen.Local), strings.ToLower(expected.Local), 1000); d < bestDistance {
			best, bestDistance, of = expected, d, op
		}
	}
	if of != nil {
		expected := "<" + best.Local + ">"
		if best.Local == seen.Local {
			expected = fmt.Sprintf("<%s> in the namespace %q, not in %q", best.Local, best.Space, seen.Space)
		}
		text += fmt.Sprintf(" Closest is operation %s, which takes %s.", of.id, expected)
	}
	return refused("Client", text, s.known()...)
}

// known lists what the operations take.
func (s *service) known() (lines []string) {
	for _, op := range s.operations {
		if op.input != nil && len(op.input.body) > 0 && len(lines) < 20 {
			lines = append(lines, fmt.Sprintf("%s takes <%s>", op.id, op.input.body[0].Name.Local))
		}
	}
	return lines
}
