package xsd

import "rapidmimic.example/internal/core/xmltree"

// Binaries are the elements in an element of a declaration that hold bytes as base64.
func (s *Schemas) Binaries(n *xmltree.Node, e *Element) (found []*xmltree.Node) {
	v := &validator{schemas: s}
	t := v.typeOf(n, e)
	switch {
	case t == nil:
	case t.Simple != nil:
		if t.Simple.Kind == "base64Binary" && t.Simple.List == nil && len(n.Children) == 0 {
			found = append(found, n)
		}
	case t.Anything:
	default:
		known := t.Content.elements(nil)
		for _, c := range n.Children {
			inner := known[c.Name]
			if inner == nil {
				inner = s.Elements[c.Name]
			}
			if inner != nil {
				found = append(found, s.Binaries(c, inner)...)
			}
		}
	}
	return found
}
