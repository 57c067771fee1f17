package wsdl

import (
	"fmt"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/contract/bundle"
	"rapidmimic/internal/core/contract/xsd"
	"rapidmimic/internal/core/match"
	"rapidmimic/internal/core/sample"
	"rapidmimic/internal/core/xmltree"
	"rapidmimic/spec/problem"
	"rapidmimic/spec/tree"
)

// service is a WSDL contract, ready to answer. It implements contract.SOAP and
// is immutable.
type service struct {
	bundle     *bundle.Bundle
	documents  map[string]*xmltree.Node
	schemas    *xsd.Schemas
	ports      []*port
	operations []*operation
	byNode     map[*xmltree.Node][]*operation
	contracted map[*operation]*contract.Operation
}

type port struct {
	name       string
	version    int
	template   match.Template
	operations []*operation
}

// shared returns the operation that another port has bound in the same way, or
// op itself.
func (s *service) shared(op *operation, abstract *xmltree.Node) *operation {
	if s.byNode == nil {
		s.byNode = make(map[*xmltree.Node][]*operation)
	}
	for _, have := range s.byNode[abstract] {
		if have.rpc == op.rpc && have.action == op.action && sameUse(have.input, op.input) && sameUse(have.output, op.output) {
			return have
		}
	}
	s.byNode[abstract] = append(s.byNode[abstract], op)
	s.operations = append(s.operations, op)
	op.service = s
	return op
}

func sameUse(a, b *message) bool {
	if a == nil || b == nil {
		return a == b
	}
	return a.encoded == b.encoded && len(a.body) == len(b.body) && len(a.headers) == len(b.headers)
}

// prepare makes the operations of the contract.
func (s *service) prepare(c *contract.Contract) {
	s.contracted = make(map[*operation]*contract.Operation, len(s.operations))
	ids := make(map[string]int)
	for _, p := range s.ports {
		for _, op := range p.operations {
			if s.contracted[op] != nil {
				continue
			}
			op.id, op.path = op.name, p.template.String()
			if ids[op.name]++; ids[op.name] > 1 {
				op.id += "-" + strconv.Itoa(ids[op.name])
			}
			made := &contract.Operation{ID: op.id, Method: "POST", Template: p.template, Summary: op.summary, SOAP: op}
			s.describe(made, op, p.version)
			s.contracted[op] = made
			c.Operations = append(c.Operations, made)
		}
	}
	sources := make(map[*contract.Operation]*tree.Node, len(s.operations))
	for op, made := range s.contracted {
		sources[made] = s.source(op)
	}
	c.SetSource(contract.NewDocument(s.schemas.Tree(), func(n *tree.Node) *tree.Node { return n }), sources)
}

// source describes an operation, so that it can be compared with that of
// another revision.
func (s *service) source(op *operation) *tree.Node {
	members := []tree.Member{{Key: "action", Value: tree.NewString(op.action)}}
	for _, side := range []struct {
		key string
		m   *message
	}{{"request", op.input}, {"response", op.output}} {
		if side.m == nil {
			continue
		}
		var elements []tree.Member
		for _, e := range side.m.body {
			elements = append(elements, tree.Member{Key: e.Name.Local, Value: s.schemas.Describe(e)})
		}
		for _, h := range side.m.headers {
			elements = append(elements, tree.Member{Key: "header " + h.element.Name.Local, Value: s.schemas.Describe(h.element)})
		}
		members = append(members, tree.Member{Key: side.key, Value: tree.NewMap(elements...)})
	}
	for _, f := range op.faults {
		members = append(members, tree.Member{Key: "fault " + f.name, Value: s.schemas.Describe(f.detail)})
	}
	return tree.NewMap(members...)
}

// describe gives an operation its responses, with a message drawn for each to
// look at.
func (s *service) describe(made *contract.Operation, op *operation, version int) {
	m := &contract.Message{Version: version}
	shown := func(key string, status int, fault string) *contract.Response {
		r := &contract.Response{Key: key, Status: status}
		a := op.Answer(m, fault, false, sample.NewDraw(0, op.id+fault, 0))
		if len(a.Answer.Body) > 0 {
			r.Offers = []*contract.Offer{{MediaType: mediaType(version), Written: mediaType(version), Drawn: true,
				Examples: []contract.Example{{Name: fault, Body: a.Answer.Body}}}}
		}
		return r
	}
	if op.input != nil {
		try := op.Try(version, sample.NewDraw(0, op.id, 0))
		made.Body = &contract.Body{Required: true, Offers: []*contract.Offer{{MediaType: mediaType(version), Written: mediaType(version), Drawn: true,
			Examples: []contract.Example{{Body: try.Body.Bytes}}}}}
	}
	made.Success = shown("200", 200, "")
	if op.OneWay() {
		made.Success.Key, made.Success.Status = "202", 202
	}
	made.Responses = []*contract.Response{made.Success}
	for _, f := range op.faults {
		r := shown("500", 500, f.name)
		r.Description = f.summary
		made.Responses = append(made.Responses, r)
	}
}

// Ports implements contract.SOAP.
func (s *service) Ports() (names []string) {
	for _, p := range s.ports {
		names = append(names, p.name)
	}
	return names
}

// Dispatch implements contract.SOAP.
func (s *service) Dispatch(segments []string, r *call.Request) contract.Message {
	ports, fault := s.portsAt(segments)
	if fault != nil {
		return contract.Message{Version: versionByType(r), Fault: fault}
	}
	m := contract.Message{Version: versionByType(r)}
	contentType := r.Header.Get("Content-Type")
	if strings.HasPrefix(call.BaseType(contentType), "multipart/") {
		return refused(m, "Client", "Messages with attachments are not answered here.")
	}
	root, err := xmltree.Parse(r.Body.Bytes)
	if err != nil {
		return refused(m, "Client", "The body is not XML: "+err.Error()+".", s.known()...)
	}
	m.Envelope = root
	version := versionOf(root)
	if version == 0 {
		if root.Name.Local == "Envelope" {
			return refused(m, "VersionMismatch", fmt.Sprintf("The envelope's namespace %q is neither that of SOAP 1.1 (%s) nor of 1.2 (%s).", root.Name.Space, space1, space2))
		}
		return refused(m, "Client", fmt.Sprintf("<%s> is no SOAP envelope.", root.Name.Local), s.known()...)
	}
	m.Version, m.Header, m.Body = version, root.Child(root.Name.Space, "Header"), bodyOf(root)
	if m.Body == nil {
		return refused(m, "Client", "The envelope has no Body.")
	}
	return s.find(m, ports, actionOf(r, version))
}

func refused(m contract.Message, code, text string, detail ...string) contract.Message {
	m.Fault = &contract.SOAPFault{Code: code, Text: text, Detail: detail}
	return m
}

// versionByType guesses the version of a message that cannot be read.
func versionByType(r *call.Request) int {
	if call.BaseType(r.Header.Get("Content-Type")) == "application/soap+xml" {
		return 12
	}
	return 11
}

func (s *service) portsAt(segments []string) ([]*port, *contract.SOAPFault) {
	if len(segments) == 0 || len(segments) == 1 && segments[0] == "" {
		return s.ports, nil
	}
	if len(segments) == 1 {
		for _, p := range s.ports {
			if p.name == segments[0] {
				return []*port{p}, nil
			}
		}
	}
	return nil, &contract.SOAPFault{Code: "Client", Text: fmt.Sprintf("There is no port %q (%s).", strings.Join(segments, "/"), strings.Join(s.Ports(), ", "))}
}

// actionOf is the action that a caller names: a header in 1.1, a parameter of
// the media type in 1.2. Some send both.
func actionOf(r *call.Request, version int) string {
	action := strings.Trim(strings.TrimSpace(r.Header.Get("SOAPAction")), `"`)
	if version == 12 {
		if _, params, found := strings.Cut(r.Header.Get("Content-Type"), "action="); found {
			value, _, _ := strings.Cut(params, ";")
			return strings.Trim(strings.TrimSpace(value), `"`)
		}
	}
	return action
}

// find picks the operation by the body's element, the action deciding between
// several.
func (s *service) find(m contract.Message, ports []*port, action string) contract.Message {
	if len(ports) == 1 && ports[0].version != m.Version {
		return refused(m, "VersionMismatch", fmt.Sprintf("Port %s speaks SOAP %s, and the envelope is of SOAP %s.", ports[0].name, versionText(ports[0].version), versionText(m.Version)))
	}
	var fits []*operation
	for _, p := range ports {
		for _, op := range p.operations {
			if op.takes(m.Body) && !slices.Contains(fits, op) {
				fits = append(fits, op)
			}
		}
	}
	root := "nothing"
	if len(m.Body.Children) > 0 {
		root = "<" + m.Body.Children[0].Name.Local + ">"
	}
	switch {
	case len(fits) == 0:
		return s.unknown(m, root)
	case len(fits) > 1:
		for _, op := range fits {
			if op.action == action && action != "" {
				return s.found(m, op, fmt.Sprintf("its body is %s, and the action is %q", root, action))
			}
		}
	case action != "" && fits[0].action != "" && action != fits[0].action:
		return refused(m, "Client", fmt.Sprintf("The action is %q; operation %s, which takes %s, expects %q.", action, fits[0].name, root, fits[0].action))
	}
	return s.found(m, fits[0], "its body is "+root)
}

func versionText(version int) string { return map[int]string{11: "1.1", 12: "1.2"}[version] }

func (s *service) found(m contract.Message, op *operation, reason string) contract.Message {
	m.Operation, m.Reason = s.contracted[op], reason
	if m.Header == nil {
		return m
	}
	for _, h := range m.Header.Children {
		must, _ := h.Lookup(name{Space: m.Envelope.Name.Space, Local: "mustUnderstand"})
		if must != "1" && must != "true" {
			continue
		}
		known := op.input != nil && slices.ContainsFunc(op.input.headers, func(own header) bool { return own.element.Name == h.Name })
		if !known {
			return refused(m, "MustUnderstand", fmt.Sprintf("Header <%s> must be understood, and operation %s knows nothing of it.", h.Name.Local, op.name))
		}
	}
	return m
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

// unknown says which operation comes closest to a body that none takes.
func (s *service) unknown(m contract.Message, root string) contract.Message {
	text := fmt.Sprintf("No operation takes %s.", root)
	if len(m.Body.Children) == 0 {
		return refused(m, "Client", text, s.known()...)
	}
	seen := m.Body.Children[0].Name
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
	return refused(m, "Client", text, s.known()...)
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

// Fault implements contract.SOAP.
func (s *service) Fault(m *contract.Message, f contract.SOAPFault) call.Answer {
	version := m.Version
	if version == 0 {
		version = 11
	}
	status := 500
	if version == 12 && f.Code == "Client" {
		status = 400
	}
	var details []*xmltree.Node
	for _, line := range f.Detail {
		details = append(details, &xmltree.Node{Name: name{Space: "urn:rapid-mimic", Local: "note"}, Text: line})
	}
	return answer(version, status, faultEnvelope(version, f.Code, f.Text, details...))
}

// FaultWith implements contract.SOAP.
func (s *service) FaultWith(m *contract.Message, code, text, detail string) call.Answer {
	version := max(m.Version, 11)
	n, err := xmltree.Parse([]byte(detail))
	if err != nil {
		n = &xmltree.Node{Name: name{Space: "urn:rapid-mimic", Local: "note"}, Text: detail}
	}
	status := 500
	if version == 12 && code == "Client" {
		status = 400
	}
	return answer(version, status, faultEnvelope(version, code, text, n))
}

// Wrap implements contract.SOAP.
func (s *service) Wrap(m *contract.Message, xml string) (body []byte, contentType string) {
	version := max(m.Version, 11)
	root, err := xmltree.Parse([]byte(xml))
	if err != nil || versionOf(root) != 0 {
		return []byte(xml), mediaType(version)
	}
	envelope := newEnvelope(version)
	bodyOf(envelope).Add(root)
	return document(envelope), mediaType(version)
}

var location = regexp.MustCompile(`((?:schemaL|l)ocation\s*=\s*)("[^"]*"|'[^']*')`)

// Served implements contract.SOAP. References between documents and the
// addresses of ports lead to base.
func (s *service) Served(query, base string) (text []byte, ok bool) {
	file, ok := s.asked(query)
	if !ok {
		return nil, false
	}
	document := s.documents[file]
	source := s.bundle.Contract()
	if file != s.bundle.Main {
		if source, ok = s.bundle.File(file); !ok || document == nil {
			return nil, false
		}
	}
	source, err := xmltree.UTF8(source)
	if err != nil {
		return nil, false
	}
	out := []byte(xmltree.Declaration)
	from := 0
	s.rewrites(document, file, base, func(n *xmltree.Node, address string) {
		var escaped strings.Builder
		for _, r := range address {
			escaped.WriteString(map[rune]string{'&': "&amp;", '<': "&lt;", '"': "&quot;"}[r])
			if !strings.ContainsRune(`&<"`, r) {
				escaped.WriteRune(r)
			}
		}
		tag := location.ReplaceAll(source[n.Start:n.End], []byte(`${1}"`+strings.ReplaceAll(escaped.String(), "$", "$$")+`"`))
		out = append(append(out, source[from:n.Start]...), tag...)
		from = n.End
	})
	return append(out, []byte(strings.TrimLeft(string(source[from:]), " \r\n\t"))...), true
}

// asked finds the file that a query names: wsdl alone is the contract itself.
func (s *service) asked(query string) (file string, ok bool) {
	key, value, _ := strings.Cut(query, "=")
	if key = strings.ToLower(key); key != "wsdl" && key != "xsd" {
		return "", false
	}
	value, err := url.QueryUnescape(value)
	if err != nil {
		return "", false
	}
	if value == "" || value == s.bundle.Main {
		return s.bundle.Main, key == "wsdl"
	}
	return path.Clean(value), true
}

// rewrites tells in the order of the document which tags get another location.
func (s *service) rewrites(n *xmltree.Node, file, base string, change func(n *xmltree.Node, address string)) {
	switch local := n.Name.Local; {
	case local == "address" && (n.Name.Space == space11 || n.Name.Space == space12):
		change(n, base+"/"+url.PathEscape(n.Parent.Attr("name")))
	case (local == "import" || local == "include" || local == "redefine") && (n.Name.Space == space || xsd.IsSchemaSpace(n.Name.Space)):
		at, kind := n.Attr("schemaLocation"), "xsd"
		if n.Name.Space == space {
			at = n.Attr("location")
		}
		if target, ok := resolve(s.bundle, at, file); ok && at != "" {
			if d := s.documents[target]; d != nil && d.Name.Local == "definitions" {
				kind = "wsdl"
			}
			change(n, base+"?"+kind+"="+url.QueryEscape(target))
		}
	}
	for _, c := range n.Children {
		s.rewrites(c, file, base, change)
	}
}
