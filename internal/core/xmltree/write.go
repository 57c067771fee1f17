package xmltree

import (
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"
)

// Declaration is what documents begin with.
const Declaration = `<?xml version="1.0" encoding="UTF-8"?>` + "\n"

// expected are the prefixes that readers expect of some namespaces.
var expected = map[string]string{
	Instance:                           "xsi",
	"http://www.w3.org/2001/XMLSchema": "xsd",
	"http://schemas.xmlsoap.org/soap/envelope/": "soap",
	"http://www.w3.org/2003/05/soap-envelope":   "soap",
	"http://schemas.xmlsoap.org/soap/encoding/": "enc",
}

// Sink takes a document piece by piece, in the order in which it is written: of an element its
// attributes come before its text, and that before its children.
type Sink interface {
	Open(Name)
	Attribute(name Name, value string)
	// NameAttribute is an attribute whose value is a name, and what follows that.
	NameAttribute(name, value Name, rest string)
	Text(string)
	// NameText is a text which is a name.
	NameText(Name)
	// Raw is XML as it stands, which declares its own namespaces.
	Raw([]byte)
	// Close ends the element opened last that is still open.
	Close()
}

// Writer writes what comes as a document whose root declares every namespace, under a prefix. The zero
// value is an empty one.
type Writer struct {
	b []byte
	// root is the place behind the name of the root, where declarations go when all are known.
	root     int
	open     []Name
	inTag    bool // the start tag of the element opened last is not closed yet
	prefixes []declaration
	// known are the prefixes by their namespaces, where there are more than a few.
	known map[string]string
	// last is the one of prefixes that was asked for last: most elements are in the same namespace.
	last declaration
}

var writers = sync.Pool{New: func() any { return new(Writer) }}

// Write is the document, with its declaration, that write gives to a Writer.
func Write(write func(*Writer)) []byte {
	w := writers.Get().(*Writer)
	write(w)
	document := w.document()
	if cap(w.b) <= longText { // what is seldom needed does not stay
		*w = Writer{b: w.b[:0], open: w.open[:0], prefixes: w.prefixes[:0]}
		writers.Put(w)
	}
	return document
}

// document is what was written, whole.
func (w *Writer) document() []byte {
	size := len(Declaration) + len(w.b) + 1
	for _, d := range w.prefixes {
		size += len(` xmlns:=""`) + len(d.prefix) + len(d.space)
	}
	b := append(append(make([]byte, 0, size), Declaration...), w.b[:w.root]...)
	for _, d := range w.prefixes {
		b = append(append(append(b, " xmlns:"...), d.prefix...), `="`...)
		b = append(escape(b, d.space), '"')
	}
	return append(append(b, w.b[w.root:]...), '\n')
}

// Open implements Sink.
func (w *Writer) Open(n Name) {
	w.endTag()
	w.b = append(w.b, '<')
	w.name(n)
	if len(w.open) == 0 {
		w.root = len(w.b)
	}
	w.open, w.inTag = append(w.open, n), true
}

// Attribute implements Sink.
func (w *Writer) Attribute(n Name, value string) {
	w.attribute(n)
	w.b = append(escape(w.b, value), '"')
}

// NameAttribute implements Sink.
func (w *Writer) NameAttribute(n, value Name, rest string) {
	w.attribute(n)
	w.nameValue(value)
	w.b = append(escape(w.b, rest), '"')
}

func (w *Writer) attribute(n Name) {
	w.b = append(w.b, ' ')
	w.name(n)
	w.b = append(w.b, `="`...)
}

// Text implements Sink.
func (w *Writer) Text(text string) {
	if text != "" {
		w.endTag()
		w.b = escape(w.b, text)
	}
}

// NameText implements Sink.
func (w *Writer) NameText(n Name) {
	w.endTag()
	w.nameValue(n)
}

// Raw implements Sink.
func (w *Writer) Raw(text []byte) {
	w.endTag()
	w.b = append(w.b, text...)
}

// Close implements Sink.
func (w *Writer) Close() {
	last := len(w.open) - 1
	n := w.open[last]
	w.open = w.open[:last]
	if w.inTag {
		w.b, w.inTag = append(w.b, "/>"...), false
		return
	}
	w.b = append(w.b, "</"...)
	w.name(n)
	w.b = append(w.b, '>')
}

func (w *Writer) endTag() {
	if w.inTag {
		w.b, w.inTag = append(w.b, '>'), false
	}
}

func (w *Writer) name(n Name) {
	w.prefix(n.Space)
	w.b = append(w.b, n.Local...)
}

// nameValue writes a name that is a value.
func (w *Writer) nameValue(n Name) {
	w.prefix(n.Space)
	w.b = escape(w.b, n.Local)
}

func (w *Writer) prefix(space string) {
	if space == "" {
		return
	}
	if space != w.last.space {
		w.last = declaration{w.prefixOf(space), space}
	}
	w.b = append(append(w.b, w.last.prefix...), ':')
}

// prefixOf finds the prefix of a namespace, or gives it one.
func (w *Writer) prefixOf(space string) string {
	if space == xmlSpace { // which is declared everywhere
		return "xml"
	}
	if prefix, have := w.given(space); have {
		return prefix
	}
	prefix := expected[space]
	if prefix == "" || slices.ContainsFunc(w.prefixes, func(d declaration) bool { return d.prefix == prefix }) { // two versions of SOAP share theirs
		prefix = "n" + strconv.Itoa(len(w.prefixes)+1)
	}
	if w.prefixes = append(w.prefixes, declaration{prefix, space}); len(w.prefixes) > fewDeclarations {
		w.index()
	}
	return prefix
}

// given is the prefix that a namespace has already.
func (w *Writer) given(space string) (prefix string, have bool) {
	if w.known != nil {
		prefix, have = w.known[space]
		return prefix, have
	}
	for _, d := range w.prefixes {
		if d.space == space {
			return d.prefix, true
		}
	}
	return "", false
}

// index notes the namespace that came last; all of them, when they have just become many.
func (w *Writer) index() {
	if w.known == nil {
		w.known = make(map[string]string)
		for _, d := range w.prefixes {
			w.known[d.space] = d.prefix
		}
	}
	last := w.prefixes[len(w.prefixes)-1]
	w.known[last.space] = last.prefix
}

// Document is the element as a document of its own, which declares every namespace on it, under a prefix.
func (n *Node) Document() []byte { return Write(func(w *Writer) { n.Send(w) }) }

// Send gives the element to a sink, with all that is in it.
func (n *Node) Send(to Sink) {
	if n.Raw != nil {
		to.Raw(n.Raw)
		return
	}
	to.Open(n.Name)
	for _, a := range n.Attrs {
		if a.QName != nil {
			to.NameAttribute(a.Name, *a.QName, a.Value)
		} else {
			to.Attribute(a.Name, a.Value)
		}
	}
	if n.QName != nil {
		to.NameText(*n.QName)
	} else {
		to.Text(n.Text)
	}
	for _, c := range n.Children {
		c.Send(to)
	}
	to.Close()
}

// Builder makes a tree of what comes. The zero value is an empty one.
type Builder struct {
	root, at *Node
	nodes    []Node // not used yet: made many at once, since a document has many
	made     int
}

// Root is the tree, once its root is closed.
func (b *Builder) Root() *Node { return b.root }

// Open implements Sink.
func (b *Builder) Open(n Name) {
	if len(b.nodes) == 0 {
		b.nodes = make([]Node, min(b.made+4, 32))
		b.made += len(b.nodes)
	}
	made := &b.nodes[0]
	b.nodes = b.nodes[1:]
	made.Name = n
	if b.at == nil {
		b.root = made
	} else {
		b.at.Add(made)
	}
	b.at = made
}

// Attribute implements Sink.
func (b *Builder) Attribute(n Name, value string) {
	b.at.Attrs = append(b.at.Attrs, Attr{Name: n, Value: value})
}

// NameAttribute implements Sink.
func (b *Builder) NameAttribute(n, value Name, rest string) {
	b.at.Attrs = append(b.at.Attrs, Attr{Name: n, Value: rest, QName: &value})
}

// Text implements Sink.
func (b *Builder) Text(text string) { b.at.Text = text }

// NameText implements Sink.
func (b *Builder) NameText(n Name) { b.at.QName = &n }

// Raw implements Sink.
func (b *Builder) Raw(text []byte) { b.at.Add(&Node{Raw: text}) }

// Close implements Sink.
func (b *Builder) Close() { b.at = b.at.Parent }

// Escape is a text as it stands in XML.
func Escape(text string) []byte { return escape(nil, text) }

// escape appends a text as it stands in XML, characters that it cannot have as U+FFFD.
func escape(b []byte, text string) []byte {
	done := 0
	for i := 0; i < len(text); {
		if asItIs[text[i]] {
			i++
			continue
		}
		written, size := reference(text[i:])
		b = append(append(b, text[done:i]...), written...)
		i += size
		done = i
	}
	return append(b, text[done:]...)
}

// asItIs are the bytes of characters that need no reference.
var asItIs = func() (plain [256]bool) {
	for c := ' '; c < utf8.RuneSelf; c++ {
		plain[c] = !strings.ContainsRune(`<>&"`, c)
	}
	return plain
}()

// reference is the first character of a text, of so many bytes, as it is written.
func reference(text string) (written string, size int) {
	r, size := utf8.DecodeRuneInString(text)
	switch r {
	case '<':
		return "&lt;", size
	case '>':
		return "&gt;", size
	case '&':
		return "&amp;", size
	case '"':
		return "&#34;", size
	case '\t':
		return "&#x9;", size
	case '\n':
		return "&#xA;", size
	case '\r':
		return "&#xD;", size
	case utf8.RuneError, '\ufffe', '\uffff':
		return "\ufffd", size
	}
	if r < ' ' {
		return "\ufffd", size
	}
	return text[:size], size
}
