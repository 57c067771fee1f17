package xmltree

import (
	"bytes"
	"encoding/xml"
	"slices"
	"strconv"
)

// Declaration is what documents begin with.
const Declaration = `<?xml version="1.0" encoding="UTF-8"?>` + "\n"

// known are the prefixes that readers expect of some namespaces.
var known = map[string]string{
	Instance:                           "xsi",
	"http://www.w3.org/2001/XMLSchema": "xsd",
	"http://schemas.xmlsoap.org/soap/envelope/": "soap",
	"http://www.w3.org/2003/05/soap-envelope":   "soap",
	"http://schemas.xmlsoap.org/soap/encoding/": "enc",
	xmlSpace: "xml",
}

// Append writes the element with all that is in it. Every namespace is declared
// on it, under a prefix.
func (n *Node) Append(b []byte) []byte {
	w := &writer{prefixes: make(map[string]string)}
	w.collect(n)
	return w.element(slices.Grow(b, w.size), n, true)
}

type writer struct {
	prefixes map[string]string // namespace → prefix
	order    []string
	size     int // in bytes, roughly
	// space was asked for last, and has a prefix: most elements are in the same one.
	space, prefix string
}

func (w *writer) name(n Name) {
	w.size += len(n.Local) + len("n1:=''")
	if n.Space == "" || n.Space == w.space {
		return
	}
	if prefix, have := w.prefixes[n.Space]; have {
		w.space, w.prefix = n.Space, prefix
		return
	}
	w.size += len(n.Space) + len(" xmlns:soap=''")
	prefix := known[n.Space]
	if prefix == "" || w.taken(prefix) {
		prefix = "n" + strconv.Itoa(len(w.order)+1)
	}
	w.prefixes[n.Space] = prefix
	if n.Space != xmlSpace {
		w.order = append(w.order, n.Space)
	}
}

// taken reports whether a prefix stands for a namespace already; two versions of SOAP share theirs.
func (w *writer) taken(prefix string) bool {
	return slices.ContainsFunc(w.order, func(space string) bool { return w.prefixes[space] == prefix })
}

func (w *writer) collect(n *Node) {
	if n.Raw != nil { // which declares its own
		w.size += len(n.Raw)
		return
	}
	w.name(n.Name)
	w.size += len(n.Name.Local) + len("</n1:>") + len(n.Text)
	if n.QName != nil {
		w.name(*n.QName)
	}
	for _, a := range n.Attrs {
		w.name(a.Name)
		w.size += len(a.Value)
		if a.QName != nil {
			w.name(*a.QName)
		}
	}
	for _, c := range n.Children {
		w.collect(c)
	}
}

func (w *writer) appendName(b []byte, n Name) []byte {
	return append(w.appendPrefix(b, n.Space), n.Local...)
}

// appendValue writes a name that is a value.
func (w *writer) appendValue(b []byte, n Name) []byte {
	return escape(w.appendPrefix(b, n.Space), n.Local)
}

func (w *writer) appendPrefix(b []byte, space string) []byte {
	if space == "" {
		return b
	}
	if space != w.space {
		w.space, w.prefix = space, w.prefixes[space]
	}
	return append(append(b, w.prefix...), ':')
}

func (w *writer) element(b []byte, n *Node, root bool) []byte {
	if n.Raw != nil {
		return append(b, n.Raw...)
	}
	b = w.appendName(append(b, '<'), n.Name)
	if root {
		for _, space := range w.order {
			b = append(b, " xmlns:"+w.prefixes[space]+`="`...)
			b = append(escape(b, space), '"')
		}
	}
	for _, a := range n.Attrs {
		b = append(w.appendName(append(b, ' '), a.Name), `="`...)
		if a.QName != nil {
			b = w.appendValue(b, *a.QName)
		}
		b = append(escape(b, a.Value), '"') // beside a name such as an array's size
	}
	if len(n.Children) == 0 && n.Text == "" && n.QName == nil {
		return append(b, "/>"...)
	}
	b = append(b, '>')
	if n.QName != nil {
		b = w.appendValue(b, *n.QName)
	} else {
		b = escape(b, n.Text)
	}
	for _, c := range n.Children {
		b = w.element(b, c, false)
	}
	return append(w.appendName(append(b, "</"...), n.Name), '>')
}

// Escape is a text as it stands in XML.
func Escape(text string) []byte { return escape(nil, text) }

func escape(b []byte, text string) []byte {
	for i := range len(text) {
		if c := text[i]; c < ' ' || c == '<' || c == '&' || c == '>' || c == '"' || c > '~' {
			var buffer bytes.Buffer
			_ = xml.EscapeText(&buffer, []byte(text)) // a buffer takes everything
			return append(b, buffer.Bytes()...)
		}
	}
	return append(b, text...)
}
