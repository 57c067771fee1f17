// Package wsdl reads WSDL 1.1 documents, with their schemas, into contracts
// whose operations answer SOAP 1.1 and 1.2.
//
// It serves what can be served: bindings of other kinds are named as not
// answered, what a document refers to and is not there becomes a warning.
// Start with Read.
package wsdl

import (
	"bytes"
	"errors"
	"fmt"
	"net/url"
	"path"
	"strings"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec/problem"
)

// The namespaces of WSDL.
const (
	space   = "http://schemas.xmlsoap.org/wsdl/"
	space11 = "http://schemas.xmlsoap.org/wsdl/soap/"
	space12 = "http://schemas.xmlsoap.org/wsdl/soap12/"
	space20 = "http://www.w3.org/ns/wsdl"
)

// IsContract reports whether a document looks like a WSDL contract.
func IsContract(text []byte) bool {
	start := text[:min(len(text), 8192)]
	if utf8, err := xmltree.UTF8(start); err == nil {
		start = utf8
	}
	return bytes.Contains(start, []byte("definitions")) && bytes.Contains(start, []byte("schemas.xmlsoap.org/wsdl")) ||
		bytes.Contains(start, []byte("description")) && bytes.Contains(start, []byte(space20+`"`)) // to say so
}

type name = xmltree.Name

// Read makes a contract of a WSDL document and the files that it refers to.
// The error is a *problem.Error with the places of all faults.
func Read(b *bundle.Bundle) (*contract.Contract, error) {
	r := &reader{
		bundle: b, documents: make(map[string]*xmltree.Node), schemas: make(map[string]bool),
		messages: make(map[name]*xmltree.Node), portTypes: make(map[name]*xmltree.Node), bindings: make(map[name]*xmltree.Node), policies: make(map[string]*xmltree.Node),
		files: make(map[*xmltree.Node]string),
	}
	r.xsd = xsd.NewReader(func(at *xmltree.Node, format string, args ...any) { r.warn(at, format, args...) })
	root, err := r.document(b.Main)
	if err != nil {
		return nil, refuse(*err)
	}
	if root.Name.Space == space20 {
		return nil, refuse(r.item(root, "it is WSDL 2.0, which is not read: a WSDL 1.1 contract of the same service is"))
	}
	if root.Name.Local != "definitions" {
		return nil, refuse(r.item(root, "a WSDL contract is <definitions>, not <%s>", root.Name.Local))
	}
	r.definitions(root, b.Main)
	s := &service{documents: r.documents, bundle: b}
	r.readServices(s)
	s.schemas = r.xsd.Finish()
	s.refers = s.schemas.Types[xsd.Reference] != nil
	r.contract.Title, r.contract.Format, r.contract.Files = titleOf(root), "WSDL 1.1", b.Names()
	r.contract.Protocol = s
	if len(s.operations) == 0 {
		items := append(r.contract.Warnings, r.item(root, "no port of it speaks SOAP 1.1 or 1.2 over HTTP, so there is nothing to answer"))
		return nil, refuse(items...)
	}
	s.prepare(&r.contract)
	return &r.contract, nil
}

func titleOf(root *xmltree.Node) string {
	for _, n := range root.All(space, "service") {
		if title := n.Attr("name"); title != "" {
			return title
		}
	}
	return root.Attr("name")
}

func refuse(items ...problem.Item) error {
	return problem.FromItems("the contract cannot be used", items)
}

type reader struct {
	bundle    *bundle.Bundle
	contract  contract.Contract
	documents map[string]*xmltree.Node // by file name
	files     map[*xmltree.Node]string // root → file name
	schemas   map[string]bool          // schema files that were read, with their target
	xsd       *xsd.Reader

	messages, portTypes, bindings map[name]*xmltree.Node
	services                      []*xmltree.Node
	inOrder                       []*xmltree.Node          // the bindings
	policies                      map[string]*xmltree.Node // by their ids
}

func (r *reader) item(n *xmltree.Node, format string, args ...any) problem.Item {
	item := problem.Item{Detail: fmt.Sprintf(format, args...)}
	if n != nil {
		item.Line, item.Col = n.Line, n.Col
		root := n
		for root.Parent != nil {
			root = root.Parent
		}
		item.File = r.files[root]
	}
	return item
}

func (r *reader) warn(n *xmltree.Node, format string, args ...any) {
	if len(r.contract.Warnings) < problem.MaxItems {
		r.contract.Warnings = append(r.contract.Warnings, r.item(n, format, args...))
	}
}

// document reads a file of the bundle once.
func (r *reader) document(file string) (*xmltree.Node, *problem.Item) {
	if n := r.documents[file]; n != nil {
		return n, nil
	}
	text := r.bundle.Contract()
	if file != r.bundle.Main {
		text, _ = r.bundle.File(file)
	}
	n, err := xmltree.Parse(text)
	if err != nil {
		item := problem.Item{File: file, Detail: err.Error()}
		var syntax *xmltree.SyntaxError
		if errors.As(err, &syntax) {
			item.Line, item.Col, item.Detail = syntax.Line, syntax.Col, syntax.Detail
		}
		return nil, &item
	}
	r.documents[file], r.files[n] = n, file
	return n, nil
}

// open finds the document that a location in another one names; nil, with a
// warning, when it is not among the files.
func (r *reader) open(n *xmltree.Node, location, from string) (*xmltree.Node, string) {
	file, ok := resolve(r.bundle, location, from)
	if !ok {
		if !wellKnown(location) {
			r.warn(n, "%s refers to %q, which is not among the imported files", n.Name.Local, location)
		}
		return nil, ""
	}
	document, fault := r.document(file)
	if fault != nil {
		r.contract.Warnings = append(r.contract.Warnings, *fault)
		return nil, ""
	}
	return document, file
}

// resolve finds the file that a location in another file means.
func resolve(b *bundle.Bundle, location, from string) (file string, ok bool) {
	if b.Single() {
		return "", false
	}
	if strings.Contains(location, "://") {
		return sameName(b, location)
	}
	if unescaped, err := url.PathUnescape(location); err == nil {
		location = unescaped
	}
	file = path.Join(path.Dir(from), location)
	_, ok = b.File(file)
	return file, ok
}

// sameName finds the one file that is called as the end of an address; of several, none is meant.
func sameName(b *bundle.Bundle, address string) (file string, ok bool) {
	u, err := url.Parse(address)
	if err != nil {
		return "", false
	}
	for _, f := range b.Files {
		if path.Base(f.Name) != path.Base(u.Path) {
			continue
		}
		if ok {
			return "", false
		}
		file, ok = f.Name, true
	}
	return file, ok
}

// wellKnown are schemas that everybody names and nobody delivers.
func wellKnown(location string) bool {
	for _, prefix := range []string{"http://schemas.xmlsoap.org/", "http://www.w3.org/"} {
		if strings.HasPrefix(location, prefix) {
			return true
		}
	}
	return false
}

func (r *reader) definitions(root *xmltree.Node, file string) {
	target := root.Attr("targetNamespace")
	for _, c := range root.Children {
		if c.Name.Local == "Policy" {
			r.policies[idOf(c)] = c
		}
		if c.Name.Space != space {
			continue
		}
		own := name{Space: target, Local: c.Attr("name")}
		switch c.Name.Local {
		case "import":
			r.imported(c, file)
		case "types":
			for _, s := range c.Children {
				if xsd.IsSchemaSpace(s.Name.Space) {
					r.schema(s, file, "")
				}
			}
		case "message":
			r.messages[own] = c
		case "portType":
			r.portTypes[own] = c
		case "binding":
			r.bindings[own] = c
			r.inOrder = append(r.inOrder, c)
		case "service":
			r.services = append(r.services, c)
		}
	}
}

// imported reads a document that a WSDL imports: another one, or a schema.
func (r *reader) imported(n *xmltree.Node, file string) {
	document, from := r.open(n, n.Attr("location"), file)
	switch {
	case document == nil || r.schemas[from]:
	case xsd.IsSchemaSpace(document.Name.Space):
		r.schema(document, from, "")
	default:
		r.schemas[from] = true
		r.definitions(document, from)
	}
}

// schema takes a schema with all that it includes and imports.
func (r *reader) schema(n *xmltree.Node, file, target string) {
	r.xsd.Add(n, target)
	if own := n.Attr("targetNamespace"); own != "" {
		target = own
	}
	for _, c := range n.Children {
		location := locationOf(c)
		if c.Name.Local == "import" && c.Attr("namespace") == xsd.Reference.Space && !r.has(location, file) {
			r.ownSchema(xsd.Reference.Space, referenceSchema)
			continue
		}
		if location == "" {
			continue
		}
		document, from := r.open(c, location, file)
		if document == nil {
			continue
		}
		inner := ""
		if c.Name.Local != "import" { // what is included belongs to whoever includes it
			inner = target
		}
		if key := from + "\x00" + inner; !r.schemas[key] {
			r.schemas[key] = true
			r.schema(document, from, inner)
		}
	}
}

// has reports whether a location in a file is one of the files.
func (r *reader) has(location, file string) bool {
	_, ok := resolve(r.bundle, location, file)
	return ok && location != ""
}

// ownSchema takes a schema that the contract need not bring.
func (r *reader) ownSchema(space, text string) {
	if document, err := xmltree.Parse([]byte(text)); err == nil && !r.schemas[space] {
		r.schemas[space] = true
		r.xsd.Add(document, "")
	}
}

// readServices reads the ports that we can answer at, and their operations.
func (r *reader) readServices(s *service) {
	for _, n := range r.services {
		for _, p := range n.All(space, "port") {
			b := r.bindings[p.Resolve(p.Attr("binding"))]
			if b == nil {
				r.warn(p, "port %s has the binding %q, which is not in the contract", p.Attr("name"), p.Attr("binding"))
				continue
			}
			r.port(s, p, b)
		}
	}
	if len(r.services) > 0 || len(r.bindings) == 0 {
		return
	}
	for _, b := range r.inOrder {
		if r.port(s, b, b); len(s.ports) > 0 {
			s.unserved = true
		}
	}
	if s.unserved {
		r.warn(r.inOrder[0], "the contract has no service: each of its bindings answers as a port of its name")
	}
}

// port takes a port, or a binding in the place of one.
func (r *reader) port(s *service, n, b *xmltree.Node) {
	version, soap := 11, b.Child(space11, "binding")
	if soap == nil {
		version, soap = 12, b.Child(space12, "binding")
	}
	if soap == nil {
		r.warn(b, "port %s is not answered: its binding is not one of SOAP", n.Attr("name"))
		return
	}
	if transport := soap.Attr("transport"); transport != "" && !strings.HasSuffix(strings.ToLower(strings.TrimSuffix(transport, "/")), "/http") {
		r.warn(soap, "port %s is not answered: its transport is %s, not HTTP", n.Attr("name"), transport)
		return
	}
	template, err := match.ParseTemplate("/" + url.PathEscape(n.Attr("name")))
	if err != nil {
		r.warn(n, "port %q is not answered: %v", n.Attr("name"), err)
		return
	}
	p := &port{name: n.Attr("name"), version: version, template: template, location: soapChild(n, "address").Attr("location"), addressed: r.demandsAddressing(n), packaged: r.demands(n, isPackaging)}
	if at, err := url.Parse(p.location); err == nil {
		p.path = match.Split(nil, at.EscapedPath())
	}
	if r.bindingOperations(s, p, b, soap); len(p.operations) == 0 {
		r.warn(n, "port %s is not answered: its binding has no operations", p.name)
		return
	}
	s.ports = append(s.ports, p)
}

func (r *reader) bindingOperations(s *service, p *port, b, soap *xmltree.Node) {
	portType := r.portTypes[b.Resolve(b.Attr("type"))]
	if portType == nil {
		r.warn(b, "binding %s has the port type %q, which is not in the contract", b.Attr("name"), b.Attr("type"))
		return
	}
	taken := make(map[*xmltree.Node]bool)
	for _, n := range b.All(space, "operation") {
		abstract := overloaded(portType, n, taken)
		if abstract == nil {
			r.warn(n, "operation %s of binding %s is not in its port type", n.Attr("name"), b.Attr("name"))
			continue
		}
		taken[abstract] = true
		op := r.operation(n, abstract, soap, p)
		op.addressed = p.addressed || r.demandsAddressing(b)
		op.packaged = p.packaged || r.demands(b, isPackaging)
		p.operations = append(p.operations, s.shared(op, abstract))
	}
}

// overloaded finds the operation of a port type for one of a binding: by name,
// of several by the name of the input, else the first that is left.
func overloaded(portType, n *xmltree.Node, taken map[*xmltree.Node]bool) *xmltree.Node {
	var found *xmltree.Node
	for _, o := range portType.All(space, "operation") {
		if o.Attr("name") != n.Attr("name") || taken[o] {
			continue
		}
		if input := n.Child(space, "input"); input != nil && input.Attr("name") != "" && input.Attr("name") == o.Child(space, "input").Attr("name") {
			return o
		}
		if found == nil {
			found = o
		}
	}
	return found
}

func (r *reader) operation(n, abstract, soap *xmltree.Node, p *port) *operation {
	own := n.Child(space11, "operation")
	if own == nil {
		own = n.Child(space12, "operation")
	}
	style := own.Attr("style")
	if style == "" {
		style = soap.Attr("style")
	}
	op := &operation{name: n.Attr("name"), rpc: style == "rpc", action: own.Attr("soapAction"), summary: documentation(abstract)}
	op.input = r.message(op, n.Child(space, "input"), abstract.Child(space, "input"), "")
	op.output = r.message(op, n.Child(space, "output"), abstract.Child(space, "output"), "Response")
	if op.input != nil {
		op.input.action = actionOfMessage(abstract.Parent, abstract, abstract.Child(space, "input"), op.action, map[bool]string{true: "Request"}[op.output != nil])
	}
	if op.output != nil {
		op.output.action = actionOfMessage(abstract.Parent, abstract, abstract.Child(space, "output"), "", "Response")
	}
	for _, f := range abstract.All(space, "fault") {
		parts := r.parts(f)
		if len(parts) == 0 {
			continue
		}
		called := f.Attr("name")
		if called == "" { // which some contracts leave out
			called = f.Resolve(f.Attr("message")).Local
		}
		op.faults = append(op.faults, declaredFault{name: called, detail: r.partElement(parts[0], false), summary: documentation(f), action: actionOfMessage(abstract.Parent, abstract, f, "", "")})
	}
	r.headerFaults(op, n.Child(space, "input"))
	return op
}

// headerFaults reads the faults that headers of a request may cause. They are
// sent in a header, beside a fault without a detail.
func (r *reader) headerFaults(op *operation, bound *xmltree.Node) {
	if bound == nil {
		return
	}
	for _, h := range bound.Children {
		for _, f := range h.Children {
			if f.Name.Local != "headerfault" || f.Name.Space != space11 && f.Name.Space != space12 {
				continue
			}
			for _, p := range r.parts(f) {
				if p.name == f.Attr("part") {
					op.faults = append(op.faults, declaredFault{name: p.name, detail: r.partElement(p, false), inHeader: true})
				}
			}
		}
	}
}

func documentation(n *xmltree.Node) string {
	if d := n.Child(space, "documentation"); d != nil {
		return strings.Join(strings.Fields(d.Text), " ")
	}
	return ""
}
