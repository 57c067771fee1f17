package xmltree

import (
	"bytes"
	"encoding/xml"
	"runtime"
	"strconv"
	"strings"
	"unicode/utf8"
)

// plain reads documents made of elements, attributes, text and comments alone, their names in ASCII, as
// nearly all messages are, several times as fast as the decoder of encoding/xml. It gives up at anything
// else, and at every mistake: the decoder then reads the document, and says what is wrong.
type plain struct {
	text []byte
	// copied is a copy of a short text, of which names and values are parts. Those of a long text are
	// copied one by one, so that whoever keeps one does not keep all of it; names has each name once.
	copied string
	names  map[string]string

	at, yielded int // bytes
	line, begun int // the line counted last, and where it begins
	counted     int // how far lines are counted
	left        int // elements and attributes that may still come
	nodes       []Node
	attrs       []xml.Attr // of the element being read
	root, open  *Node
	path        []level // of the open elements
	depth       int
}

// level is what is known of an open element.
type level struct {
	tag  []byte // as written
	text []byte // where it has several pieces
}

const (
	longText    = 64 << 10 // bytes
	nodesAtOnce = 16       // whoever keeps one keeps these
)

// readPlain returns nil for a text that is not plain.
func readPlain(text []byte, most int) *Node {
	p := &plain{text: text, left: most, line: 1, path: make([]level, 0, 8)}
	if len(text) <= longText {
		p.copied = string(text)
	} else {
		p.names = make(map[string]string)
	}
	for p.at < len(text) {
		if p.at-p.yielded > yieldEvery {
			p.yielded = p.at
			runtime.Gosched()
		}
		if !p.next() {
			return nil
		}
	}
	if p.open != nil {
		return nil
	}
	return p.root
}

// next reads a tag, a comment or the text before one.
func (p *plain) next() bool {
	if p.text[p.at] != '<' {
		return p.characters()
	}
	switch p.peek(1) {
	case '/':
		return p.endTag()
	case '!':
		return p.comment()
	default:
		return p.startTag()
	}
}

// peek is the byte so many ahead, 0 at the end, which no document may have.
func (p *plain) peek(ahead int) byte {
	if p.at+ahead < len(p.text) {
		return p.text[p.at+ahead]
	}
	return 0
}

func (p *plain) space() {
	for p.at < len(p.text) && isSpace(p.text[p.at]) {
		p.at++
	}
}

func isSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\r' }

func (p *plain) comment() bool {
	if !bytes.HasPrefix(p.text[p.at:], []byte("<!--")) {
		return false
	}
	inner := p.text[p.at+len("<!--"):]
	end := bytes.Index(inner, []byte("--"))
	if end < 0 || !bytes.HasPrefix(inner[end:], []byte("-->")) {
		return false
	}
	p.at += len("<!--") + end + len("-->")
	return true
}

func (p *plain) characters() bool {
	start, end := p.at, len(p.text)
	if length := bytes.IndexByte(p.text[start:], '<'); length >= 0 {
		end = start + length
	}
	p.at = end
	if p.open == nil {
		for _, c := range p.text[start:end] {
			if !isSpace(c) {
				return false
			}
		}
		return true
	}
	piece, ok := p.value(start, end, false)
	of := &p.path[p.depth-1]
	switch {
	case len(of.text) > 0: // put together once: appending to a string is quadratic
		of.text = append(of.text, piece...)
	case p.open.Text != "":
		of.text = append(append(of.text, p.open.Text...), piece...)
	default:
		p.open.Text = piece
	}
	return ok
}

func (p *plain) endTag() bool {
	start := p.at
	p.at += len("</")
	from, _, ok := p.name()
	if !ok || p.open == nil || !bytes.Equal(p.text[from:p.at], p.path[p.depth-1].tag) {
		return false
	}
	if p.space(); p.peek(0) != '>' {
		return false
	}
	p.at++
	p.leave(start)
	return true
}

// leave closes the open element, whose end tag begins at a place.
func (p *plain) leave(start int) {
	p.depth--
	if of := &p.path[p.depth]; len(of.text) > 0 {
		p.open.Text, of.text = string(of.text), of.text[:0]
	}
	p.open.Close, p.open.After = start, p.at
	p.open = p.open.Parent
}

func (p *plain) startTag() bool {
	start := p.at
	p.at++
	from, colon, ok := p.name()
	if !ok || p.open == nil && p.root != nil || p.depth >= MaxDepth {
		return false
	}
	tag, called := p.text[from:p.at], p.qualified(from, colon)
	empty, ok := p.attributes()
	if p.left -= 1 + len(p.attrs); !ok || p.left < 0 {
		return false
	}
	n := p.node()
	n.Start, n.End, n.Parent = start, p.at, p.open
	n.Line, n.Col = p.place(start)
	n.begin(called, p.attrs)
	if p.root == nil {
		p.root = n
	}
	p.open = n
	if p.depth == len(p.path) {
		p.path = append(p.path, level{})
	}
	p.path[p.depth].tag = tag
	p.depth++
	if empty {
		p.leave(p.at)
	}
	return true
}

// attributes reads them to the end of the tag; empty says that it closes its element, too.
func (p *plain) attributes() (empty, ok bool) {
	for p.attrs = p.attrs[:0]; ; {
		p.space()
		switch p.peek(0) {
		case '>':
			p.at++
			return false, true
		case '/':
			p.at += 2
			return true, p.at <= len(p.text) && p.text[p.at-1] == '>'
		}
		from, colon, ok := p.name()
		if !ok {
			return false, false
		}
		called := p.qualified(from, colon)
		if p.space(); p.peek(0) != '=' {
			return false, false
		}
		p.at++
		p.space()
		quote := p.peek(0)
		if quote != '"' && quote != '\'' {
			return false, false
		}
		start := p.at + 1
		length := bytes.IndexByte(p.text[start:], quote)
		if length < 0 {
			return false, false
		}
		p.at = start + length + 1
		value, ok := p.value(start, start+length, true)
		if !ok {
			return false, false
		}
		p.attrs = append(p.attrs, xml.Attr{Name: called, Value: value})
	}
}

// name goes past a name, which begins at from and has a colon at a place inside, or none.
func (p *plain) name() (from, colon int, ok bool) {
	from = p.at
	for ; p.at < len(p.text); p.at++ {
		switch c := p.text[p.at]; {
		case 'a' <= c && c <= 'z', 'A' <= c && c <= 'Z', c == '_':
		case '0' <= c && c <= '9', c == '-', c == '.':
			if p.at == from {
				return 0, 0, false
			}
		case c == ':':
			if p.at == from || colon > 0 {
				return 0, 0, false
			}
			colon = p.at
		default:
			return from, colon, p.at > from && colon != p.at-1 && c < utf8.RuneSelf
		}
	}
	return 0, 0, false
}

// qualified is the name that begins at from and ends here.
func (p *plain) qualified(from, colon int) xml.Name {
	if colon == 0 {
		return xml.Name{Local: p.called(from, p.at)}
	}
	return xml.Name{Space: p.called(from, colon), Local: p.called(colon+1, p.at)}
}

func (p *plain) called(from, to int) string {
	if p.names == nil {
		return p.copied[from:to]
	}
	if name, have := p.names[string(p.text[from:to])]; have {
		return name
	}
	name := string(p.text[from:to])
	p.names[name] = name
	return name
}

// value is what a text between two places means; ok is false where it is not plain.
func (p *plain) value(from, to int, quoted bool) (value string, ok bool) {
	written, literal, ascii := p.text[from:to], true, true
	for i, c := range written {
		switch {
		case c >= utf8.RuneSelf:
			ascii = false
		case c == '&' || c == '\r':
			literal = false
		case c < ' ' && c != '\t' && c != '\n', c == '<', c == '>' && !quoted && bytes.HasSuffix(written[:i], []byte("]]")):
			return "", false
		}
	}
	if !ascii && !isText(written) {
		return "", false
	}
	switch {
	case !literal:
		return unescaped(written)
	case p.names == nil:
		return p.copied[from:to], true
	}
	return string(written), true
}

// isText reports whether all is UTF-8 of characters that a document may have, control characters aside.
func isText(b []byte) bool {
	for len(b) > 0 {
		r, size := utf8.DecodeRune(b)
		if r == utf8.RuneError && size == 1 || r == '\ufffe' || r == '\uffff' {
			return false
		}
		b = b[size:]
	}
	return true
}

// unescaped resolves references to characters, and makes each end of a line a newline.
func unescaped(written []byte) (string, bool) {
	b := make([]byte, 0, len(written))
	for i := 0; i < len(written); i++ {
		switch c := written[i]; c {
		case '\r':
			b = append(b, '\n')
			if i+1 < len(written) && written[i+1] == '\n' {
				i++
			}
		case '&':
			length := bytes.IndexByte(written[i:min(len(written), i+12)], ';')
			if length < 0 {
				return "", false
			}
			r := character(string(written[i+1 : i+length]))
			if r == 0 {
				return "", false
			}
			b = utf8.AppendRune(b, r)
			i += length
		default:
			b = append(b, c)
		}
	}
	return string(b), true
}

// character is the one that a reference means, 0 for none that a document may have.
func character(reference string) rune {
	switch reference {
	case "amp":
		return '&'
	case "lt":
		return '<'
	case "gt":
		return '>'
	case "quot":
		return '"'
	case "apos":
		return '\''
	}
	digits, numeric := strings.CutPrefix(reference, "#")
	if !numeric {
		return 0
	}
	base := 10
	if hex, ok := strings.CutPrefix(digits, "x"); ok {
		digits, base = hex, 16
	}
	code, err := strconv.ParseUint(digits, base, 32)
	r := rune(code)
	if err != nil || code > utf8.MaxRune || !utf8.ValidRune(r) || r < ' ' && r != '\t' && r != '\n' && r != '\r' || r == '\ufffe' || r == '\uffff' {
		return 0
	}
	return r
}

// place is the line and the column of a byte, from 1; it does not go back.
func (p *plain) place(at int) (line, col int) {
	passed := p.text[p.counted:at]
	if last := bytes.LastIndexByte(passed, '\n'); last >= 0 {
		p.line += bytes.Count(passed, []byte{'\n'})
		p.begun = p.counted + last + 1
	}
	p.counted = at
	return p.line, at - p.begun + 1
}

// node makes many at once, since a document has many.
func (p *plain) node() *Node {
	if len(p.nodes) == 0 {
		p.nodes = make([]Node, min(nodesAtOnce, bytes.Count(p.text[p.at:min(len(p.text), p.at+2_000)], []byte{'<'})/2+1))
	}
	n := &p.nodes[0]
	p.nodes = p.nodes[1:]
	return n
}
