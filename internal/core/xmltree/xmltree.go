// Package xmltree reads XML into a tree of elements that know their
// namespaces and where they stood, and writes such trees.
//
// It exists because messages and contracts of SOAP are made of names with
// namespaces, also inside of values, which encoding/xml loses. Comments,
// processing instructions and the order of text among elements are not kept.
// Document type declarations are refused. Start with Parse.
package xmltree

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"runtime"
	"slices"
	"strings"

	"golang.org/x/net/html/charset"
)

// Limits of what is read; they bound the work of a hostile document.
const (
	MaxDepth = 200
	// MaxElements bounds elements and attributes together. One takes about 200
	// bytes.
	MaxElements = 500_000
)

// ErrTooLarge says that a document has more elements and attributes than its
// reader takes. It is a *SyntaxError.
var ErrTooLarge error = &SyntaxError{1, 1, "the document has too many elements and attributes"}

// Namespaces that documents of every kind use.
const (
	Instance = "http://www.w3.org/2001/XMLSchema-instance"
	xmlSpace = "http://www.w3.org/XML/1998/namespace"
)

// Name is a name in a namespace, which may be "".
type Name struct{ Space, Local string }

// String writes a name for people: {namespace}local.
func (n Name) String() string {
	if n.Space == "" {
		return n.Local
	}
	return "{" + n.Space + "}" + n.Local
}

// Attr is an attribute.
type Attr struct {
	Name  Name
	Value string
	// QName, when it is set, is written as the value, with a prefix in scope.
	QName *Name
}

// Node is one element.
type Node struct {
	Name     Name
	Attrs    []Attr // without declarations of namespaces
	Children []*Node
	// Text is the character data directly inside, put together.
	Text string
	// QName, when it is set, is written as the text, with a prefix in scope.
	QName *Name
	// Raw, when it is set, is written as it stands, instead of the element.
	Raw []byte

	Parent *Node
	// Index is the place among the children of Parent, from 0, of what was parsed.
	Index      int
	declared   declarations // on this element
	Line, Col  int
	Start, End int // byte offsets of the start tag in UTF-8
	// Close and After are those of the end tag; both are End where there is none of its own.
	Close, After int
}

// SyntaxError says where a text stops being XML that we read, and why.
type SyntaxError struct {
	Line, Col int
	Detail    string
}

func (e *SyntaxError) Error() string {
	return fmt.Sprintf("line %d, column %d: %s", e.Line, e.Col, e.Detail)
}

// UTF8 brings a document to UTF-8, by its byte-order mark or its declaration,
// and takes mark and declaration off.
func UTF8(text []byte) ([]byte, error) {
	label := ""
	switch {
	case bytes.HasPrefix(text, []byte("\xef\xbb\xbf")):
		text = text[3:]
	case bytes.HasPrefix(text, []byte("\xff\xfe")):
		text, label = text[2:], "utf-16le"
	case bytes.HasPrefix(text, []byte("\xfe\xff")):
		text, label = text[2:], "utf-16be"
	default:
		label = declaredEncoding(text)
	}
	if label != "" && !strings.EqualFold(label, "utf-8") {
		return InCharset(text, label)
	}
	return undeclared(text), nil
}

// InCharset brings a document to UTF-8 from the charset that it came in, whatever it declares itself; ""
// leaves it as it is.
func InCharset(text []byte, label string) ([]byte, error) {
	if label == "" || strings.EqualFold(label, "utf-8") {
		return text, nil
	}
	r, err := charset.NewReaderLabel(label, bytes.NewReader(text))
	if err != nil {
		return nil, &SyntaxError{1, 1, fmt.Sprintf("encoding %q is not known", label)}
	}
	if text, err = io.ReadAll(r); err != nil {
		return nil, &SyntaxError{1, 1, fmt.Sprintf("it is not %s: %v", label, err)}
	}
	return undeclared(bytes.TrimPrefix(text, []byte("\ufeff"))), nil
}

// undeclared is a document without its declaration.
func undeclared(text []byte) []byte {
	i := bytes.Index(text, []byte("<?xml "))
	if i < 0 || i >= 4096 {
		return text
	}
	end := bytes.Index(text[i:], []byte("?>"))
	if end < 0 {
		return text
	}
	text = bytes.Clone(text) // blanks keep every place
	for j := i; j < i+end+2; j++ {
		if text[j] != '\n' {
			text[j] = ' '
		}
	}
	return text
}

func declaredEncoding(text []byte) string {
	start := text[:min(len(text), 4096)]
	i := bytes.Index(start, []byte("<?xml "))
	if i < 0 {
		return ""
	}
	declaration, _, _ := bytes.Cut(start[i:], []byte("?>"))
	_, after, found := bytes.Cut(declaration, []byte("encoding="))
	if !found || len(after) < 2 {
		return ""
	}
	label, _, _ := bytes.Cut(after[1:], after[:1])
	return string(label)
}

// Parse reads a document. The error is a *SyntaxError.
func Parse(text []byte) (*Node, error) { return ParseWithin(text, MaxElements) }

// ParseWithin is Parse for a document that may have so many elements and
// attributes at most; else the error is ErrTooLarge.
func ParseWithin(text []byte, most int) (*Node, error) {
	text, err := UTF8(text)
	if err != nil {
		return nil, err
	}
	if root := readPlain(text, most); root != nil {
		return root, nil
	}
	return decode(text, most)
}

// decode reads any document that is UTF-8.
func decode(text []byte, most int) (*Node, error) {
	p := &parser{left: most, decoder: xml.NewDecoder(&source{Reader: *bytes.NewReader(text)})}
	p.decoder.CharsetReader = func(_ string, r io.Reader) (io.Reader, error) { return r, nil }
	for {
		start := int(p.decoder.InputOffset())
		line, col := p.decoder.InputPos()
		token, err := p.decoder.RawToken()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			var syntax *xml.SyntaxError // which counts lines, too
			if errors.As(err, &syntax) {
				return nil, p.fault("%s", syntax.Msg)
			}
			return nil, p.fault("%v", err)
		}
		if err := p.take(token, start, line, col); err != nil {
			return nil, err
		}
	}
	switch {
	case p.open != nil:
		return nil, p.fault("<%s> is not closed", p.open.Name.Local)
	case p.root == nil:
		return nil, p.fault("there is no element")
	}
	return p.root, nil
}

// source gives a text to the decoder, and now and then the processor to others: one
// token may be as long as the text.
type source struct {
	bytes.Reader
	given int // bytes
}

// yieldEvery is after how many bytes others are offered the processor.
const yieldEvery = 8 << 10

// ReadByte implements io.ByteReader.
func (s *source) ReadByte() (byte, error) {
	if s.given++; s.given%yieldEvery == 0 {
		runtime.Gosched()
	}
	return s.Reader.ReadByte()
}

type parser struct {
	decoder    *xml.Decoder
	root, open *Node
	tags       []string // as written, of the open elements
	texts      [][]byte // of the open elements, as far as they were read
	left       int      // elements and attributes that may still come
}

func (p *parser) fault(format string, args ...any) error {
	line, col := p.decoder.InputPos()
	return &SyntaxError{line, col, fmt.Sprintf(format, args...)}
}

func (p *parser) take(token xml.Token, start, line, col int) error {
	switch t := token.(type) {
	case xml.StartElement:
		if p.open == nil && p.root != nil {
			return p.fault("there is a second root element, <%s>", t.Name.Local)
		}
		return p.push(t, start, line, col)
	case xml.EndElement:
		tag := written(t.Name)
		if p.open == nil || p.tags[len(p.tags)-1] != tag {
			return p.fault("</%s> closes nothing that is open", tag)
		}
		last := len(p.tags) - 1
		p.open.Close, p.open.After = start, int(p.decoder.InputOffset())
		p.open.Text = string(p.texts[last])
		p.open, p.tags, p.texts = p.open.Parent, p.tags[:last], p.texts[:last]
	case xml.CharData:
		if p.open != nil { // put together once: appending to a string is quadratic
			last := len(p.texts) - 1
			p.texts[last] = append(p.texts[last], t...)
		} else if len(bytes.TrimSpace(t)) > 0 {
			return p.fault("there is text outside of the root element")
		}
	case xml.Directive:
		return p.fault("document type declarations are refused")
	}
	return nil
}

func written(n xml.Name) string {
	if n.Space == "" {
		return n.Local
	}
	return n.Space + ":" + n.Local
}

func (p *parser) push(t xml.StartElement, start, line, col int) error {
	if p.left -= 1 + len(t.Attr); p.left < 0 {
		return ErrTooLarge
	}
	if len(p.tags) >= MaxDepth {
		return p.fault("elements are nested deeper than %d levels", MaxDepth)
	}
	n := &Node{Parent: p.open, Line: line, Col: col, Start: start, End: int(p.decoder.InputOffset())}
	n.begin(t.Name, t.Attr)
	if p.open == nil {
		p.root = n
	}
	p.open, p.tags, p.texts = n, append(p.tags, written(t.Name)), append(p.texts, nil)
	return nil
}

// begin makes an element of its start tag, and a child of its parent.
func (n *Node) begin(called xml.Name, attrs []xml.Attr) {
	declared := 0
	for _, a := range attrs {
		if prefix, is := declares(a.Name); is {
			n.declared = append(n.declared, declaration{prefix, a.Value})
			declared++
		}
	}
	n.declared.settle()
	n.Name = n.resolve(called.Space, called.Local)
	if declared < len(attrs) {
		n.Attrs = make([]Attr, 0, len(attrs)-declared)
	}
	for _, a := range attrs {
		if _, is := declares(a.Name); is {
			continue
		}
		name := Name{Local: a.Name.Local}
		if a.Name.Space != "" {
			name = n.resolve(a.Name.Space, a.Name.Local)
		}
		n.Attrs = append(n.Attrs, Attr{Name: name, Value: a.Value})
	}
	if n.Parent != nil {
		n.Index = len(n.Parent.Children)
		n.Parent.Children = append(n.Parent.Children, n)
	}
}

// declaration is what a prefix stands for, "" being that of names without one.
type declaration struct{ prefix, space string }

// declarations are those of one element: few as they come, more than that by their prefixes, so that each is
// found at once among however many.
type declarations []declaration

const fewDeclarations = 8

func (all declarations) settle() {
	if len(all) > fewDeclarations {
		slices.SortStableFunc(all, func(a, b declaration) int { return strings.Compare(a.prefix, b.prefix) })
	}
}

// of is what a prefix stands for; of two declarations of it the last counts.
func (all declarations) of(prefix string) (space string, ok bool) {
	if len(all) > fewDeclarations {
		after, _ := slices.BinarySearchFunc(all, prefix, func(d declaration, prefix string) int {
			if d.prefix <= prefix {
				return -1
			}
			return 1
		})
		all = all[max(0, after-1):after]
	}
	for _, d := range slices.Backward(all) {
		if d.prefix == prefix {
			return d.space, true
		}
	}
	return "", false
}

// declares is the prefix that an attribute declares, if it does.
func declares(attribute xml.Name) (prefix string, is bool) {
	switch {
	case attribute.Space == "xmlns":
		return attribute.Local, true
	case attribute.Space == "" && attribute.Local == "xmlns":
		return "", true
	}
	return "", false
}

// resolve finds the namespace of a prefix. An undeclared one stands for itself:
// real documents have them where nothing depends on them.
func (n *Node) resolve(prefix, local string) Name {
	if space, ok := n.Namespace(prefix); ok || prefix == "" {
		return Name{space, local}
	}
	return Name{prefix, local}
}

// Namespace is what a prefix stands for at this element.
func (n *Node) Namespace(prefix string) (space string, ok bool) {
	if prefix == "xml" {
		return xmlSpace, true
	}
	for e := n; e != nil; e = e.Parent {
		if space, ok := e.declared.of(prefix); ok {
			return space, true
		}
	}
	return "", false
}

// Resolve turns a value such as "tns:Berth" into the name it means here; a name
// without a prefix is in the default namespace.
func (n *Node) Resolve(value string) Name {
	prefix, local, found := strings.Cut(strings.TrimSpace(value), ":")
	if !found {
		prefix, local = "", prefix
	}
	return n.resolve(prefix, local)
}

// Attr is the value of an attribute without a namespace, "" when there is none
// or no element.
func (n *Node) Attr(local string) string {
	value, _ := n.Lookup(Name{Local: local})
	return value
}

// Lookup returns the value of an attribute.
func (n *Node) Lookup(name Name) (value string, ok bool) {
	if n == nil {
		return "", false
	}
	for _, a := range n.Attrs {
		if a.Name == name {
			return a.Value, true
		}
	}
	return "", false
}

// LookupName returns the name that an attribute has as its value.
func (n *Node) LookupName(attribute Name) (name Name, ok bool) {
	for _, a := range n.Attrs {
		if a.Name == attribute {
			if a.QName != nil {
				return *a.QName, true
			}
			return n.Resolve(a.Value), true
		}
	}
	return Name{}, false
}

// Child is the first child with this name, nil when there is none.
func (n *Node) Child(space, local string) *Node {
	if n != nil {
		for _, c := range n.Children {
			if c.Name.Local == local && c.Name.Space == space {
				return c
			}
		}
	}
	return nil
}

// All are the children with this name.
func (n *Node) All(space, local string) (found []*Node) {
	if n != nil {
		for _, c := range n.Children {
			if c.Name.Local == local && c.Name.Space == space {
				found = append(found, c)
			}
		}
	}
	return found
}

// Path names the place of an element for people: /Envelope/Body/submit.
func (n *Node) Path() string {
	if n == nil {
		return ""
	}
	same, index := 0, 0
	if n.Parent != nil {
		for _, c := range n.Parent.Children {
			if c.Name == n.Name {
				same++
				if c == n {
					index = same
				}
			}
		}
	}
	step := "/" + n.Name.Local
	if same > 1 {
		step += fmt.Sprintf("[%d]", index)
	}
	return n.Parent.Path() + step
}

// Add appends a child.
func (n *Node) Add(child *Node) *Node {
	child.Parent = n
	n.Children = append(n.Children, child)
	return child
}

// Carry makes values that are names keep their meaning when the tree is written
// anew, under other prefixes: xsi:type, and what else is a name by its
// attribute.
func (n *Node) Carry() {
	for i, a := range n.Attrs {
		if a.QName == nil && (a.Name == Name{Instance, "type"} || a.Name.Local == "arrayType") {
			value, rest, bracket := strings.Cut(a.Value, "[")
			name := n.Resolve(value)
			if n.Attrs[i].QName, n.Attrs[i].Value = &name, ""; bracket {
				n.Attrs[i].Value = "[" + rest
			}
		}
	}
	if n.Name.Local == "faultcode" || n.Name.Local == "Value" {
		if strings.Contains(n.Text, ":") {
			name := n.Resolve(n.Text)
			n.QName, n.Text = &name, ""
		}
	}
	for _, c := range n.Children {
		c.Carry()
	}
}
