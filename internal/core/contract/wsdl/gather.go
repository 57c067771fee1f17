package wsdl

import (
	"bytes"
	"slices"

	"rapidmimic.example/internal/core/contract/xsd"
	"rapidmimic.example/internal/core/xmltree"
)

// References are the locations of other documents that a contract or a schema names, each once, in their
// order; nil for what is no XML. Those of schemas that everybody knows are left out.
func References(text []byte) (locations []string) {
	root, err := parsed(text)
	if err != nil {
		return nil
	}
	references(root, func(_ *xmltree.Node, location string) {
		if !wellKnown(location) && !slices.Contains(locations, location) {
			locations = append(locations, location)
		}
	})
	return locations
}

// Relocate is a contract or a schema in which locations of other documents are those that to gives; ok is
// false for one that stays.
func Relocate(text []byte, to func(location string) (instead string, ok bool)) []byte {
	source, err := xmltree.UTF8(text)
	if err != nil {
		return text
	}
	root, err := xmltree.Parse(source)
	if err != nil {
		return text
	}
	var out []byte
	from := 0
	references(root, func(n *xmltree.Node, location string) {
		if instead, ok := to(location); ok {
			out = append(append(out, source[from:n.Start]...), withLocation(source[n.Start:n.End], instead)...)
			from = n.End
		}
	})
	if from == 0 {
		return text // also in its own encoding
	}
	return bytes.TrimLeft(append(out, source[from:]...), " \r\n\t")
}

func parsed(text []byte) (*xmltree.Node, error) {
	source, err := xmltree.UTF8(text)
	if err != nil {
		return nil, err
	}
	return xmltree.Parse(source)
}

// references visits the elements that name other documents, in the order of the document.
func references(n *xmltree.Node, visit func(n *xmltree.Node, location string)) {
	if location := locationOf(n); location != "" {
		visit(n, location)
	}
	for _, c := range n.Children {
		references(c, visit)
	}
}

// locationOf is the location of another document that an element names; "" for none.
func locationOf(n *xmltree.Node) string {
	switch local := n.Name.Local; {
	case local != "import" && local != "include" && local != "redefine":
		return ""
	case n.Name.Space == space:
		return n.Attr("location")
	case xsd.IsSchemaSpace(n.Name.Space):
		return n.Attr("schemaLocation")
	}
	return ""
}
