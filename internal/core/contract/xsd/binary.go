package xsd

import "rapidmimic.example/internal/core/xmltree"

// Reference is the type of elements that name an attachment beside the message, by an address of the
// scheme cid (WS-I Attachments Profile 1.0, section 4.4).
var Reference = Name{Space: "http://ws-i.org/profiles/basic/1.1/xsd", Local: "swaRef"}

// Binaries are the elements in an element of a declaration that hold bytes as base64.
func (s *Schemas) Binaries(n *xmltree.Node, e *Element) []*xmltree.Node {
	return s.texts(n, e, func(t *Type) bool { return t.Simple.Kind == "base64Binary" && t.Simple.List == nil })
}

// References are the elements in an element of a declaration that name an attachment.
func (s *Schemas) References(n *xmltree.Node, e *Element) []*xmltree.Node {
	return s.texts(n, e, func(t *Type) bool {
		for t != nil && t.Name != Reference {
			t = t.Base
		}
		return t != nil
	})
}

// texts are the elements in an element of a declaration that hold text of a type.
func (s *Schemas) texts(n *xmltree.Node, e *Element, of func(*Type) bool) (found []*xmltree.Node) {
	v := &validator{schemas: s}
	t := v.typeOf(n, e)
	switch {
	case t == nil:
	case t.Simple != nil:
		if len(n.Children) == 0 && of(t) {
			found = append(found, n)
		}
	case t.Anything:
	default:
		known := t.children()
		for _, c := range n.Children {
			inner := known[c.Name]
			if inner == nil {
				inner = s.Elements[c.Name]
			}
			if inner != nil {
				found = append(found, s.texts(c, inner, of)...)
			}
		}
	}
	return found
}
