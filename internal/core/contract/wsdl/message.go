package wsdl

import (
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/xmltree"
)

// part is one part of a message.
type part struct {
	name string
	node *xmltree.Node
}

func (r *reader) parts(n *xmltree.Node) (parts []part) {
	if n == nil {
		return nil
	}
	m := r.messages[n.Resolve(n.Attr("message"))]
	if m == nil {
		r.warn(n, "message %q is not in the contract", n.Attr("message"))
		return nil
	}
	for _, p := range m.All(space, "part") {
		parts = append(parts, part{p.Attr("name"), p})
	}
	return parts
}

// partElement is the element that a part becomes. In rpc style it is named after
// the part.
func (r *reader) partElement(p part, rpc bool) *xsd.Element {
	if ref := p.node.Attr("element"); ref != "" {
		if e := r.xsd.ElementOf(p.node.Resolve(ref), p.node); e != nil {
			if !rpc {
				return e
			}
			return &xsd.Element{Name: name{Local: p.name}, Type: e.Type, Nillable: e.Nillable}
		}
		r.warn(p.node, "the messages with part %s are answered without its schema: anything may stand there", p.name)
		called := p.node.Resolve(ref)
		if rpc {
			called = name{Local: p.name}
		}
		return &xsd.Element{Name: called, Type: r.xsd.TypeOf(name{Space: xsd.Space, Local: "anyType"}, p.node)}
	}
	if of := p.node.Attr("type"); of != "" {
		return &xsd.Element{Name: name{Local: p.name}, Type: r.xsd.TypeOf(p.node.Resolve(of), p.node)}
	}
	r.warn(p.node, "part %s has neither an element nor a type", p.name)
	return &xsd.Element{Name: name{Local: p.name}, Type: r.xsd.TypeOf(name{Space: xsd.Space, Local: "anyType"}, p.node)}
}

// message reads what one direction of an operation carries; nil when there is
// none.
func (r *reader) message(op *operation, bound, abstract *xmltree.Node, suffix string) *message {
	if abstract == nil {
		return nil
	}
	m := &message{name: abstract.Resolve(abstract.Attr("message")).Local}
	parts := r.parts(abstract)
	body := soapChild(bound, "body")
	m.headers = r.headers(bound)
	if multipart := bound.Child(mimeSpace, "multipartRelated"); multipart != nil {
		for _, p := range multipart.All(mimeSpace, "part") {
			if found := soapChild(p, "body"); found != nil {
				body = found
				m.headers = append(m.headers, r.headers(p)...)
			}
		}
		m.attachments = r.attachments(multipart, parts)
	}
	m.encoded = body.Attr("use") == "encoded"
	if wanted, ok := body.Lookup(name{Local: "parts"}); ok {
		parts = chosenParts(parts, strings.Fields(wanted))
	} else {
		parts = withoutAttachments(withoutHeaders(parts, m.headers, abstract), m.attachments)
	}
	var elements []*xsd.Element
	for _, p := range parts {
		elements = append(elements, r.partElement(p, op.rpc))
	}
	if op.rpc {
		wrapper := &xsd.Type{Content: &xsd.Particle{Kind: xsd.Sequence, Min: 1, Max: 1}}
		for _, e := range elements {
			wrapper.Content.Items = append(wrapper.Content.Items, &xsd.Particle{Kind: xsd.One, Min: 1, Max: 1, Element: e})
		}
		elements = []*xsd.Element{{Name: name{Space: body.Attr("namespace"), Local: op.name + suffix}, Type: wrapper}}
	}
	m.body = elements
	return m
}

func soapChild(n *xmltree.Node, local string) *xmltree.Node {
	if c := n.Child(space11, local); c != nil {
		return c
	}
	return n.Child(space12, local)
}

// chosenParts are those that a binding names, in the order of the message, which counts.
func chosenParts(parts []part, names []string) (chosen []part) {
	for _, p := range parts {
		if slices.Contains(names, p.name) {
			chosen = append(chosen, p)
		}
	}
	return chosen
}

// withoutHeaders leaves out the parts of the same message that are sent as
// headers.
func withoutHeaders(parts []part, headers []header, abstract *xmltree.Node) (rest []part) {
	message := abstract.Resolve(abstract.Attr("message"))
	for _, p := range parts {
		isHeader := false
		for _, h := range headers {
			isHeader = isHeader || h.message == message && h.part == p.name
		}
		if !isHeader {
			rest = append(rest, p)
		}
	}
	return rest
}

func (r *reader) headers(bound *xmltree.Node) (headers []header) {
	if bound == nil {
		return nil
	}
	for _, c := range bound.Children {
		if c.Name.Local != "header" || c.Name.Space != space11 && c.Name.Space != space12 {
			continue
		}
		for _, p := range r.parts(c) {
			if p.name == c.Attr("part") {
				headers = append(headers, header{c.Resolve(c.Attr("message")), p.name, r.partElement(p, false)})
			}
		}
	}
	return headers
}
