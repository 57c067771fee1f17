package tree

import (
	"fmt"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// ErrTooLarge says that a text has more values than its reader takes. It is a
// *SyntaxError.
var ErrTooLarge error = &SyntaxError{1, 1, "it has too many values for its length"}

// leastValues is how many values any document may have; larger ones may have
// one for every ten bytes. A value takes about 100 bytes, so a document takes at
// most ten times its length, or 100 MB.
const leastValues = 1_000_000

// ParseJSON reads one JSON value (RFC 8259). Of keys that occur twice the last
// one counts. Its texts share the memory of the whole. The error is a
// *SyntaxError.
func ParseJSON(text []byte) (*Node, error) {
	return parseJSON(string(text), mostValues(text))
}

func mostValues(text []byte) int { return max(leastValues, len(text)/10) }

// ParseJSONWithin is ParseJSON for a text that may have so many values at most;
// else the error is ErrTooLarge.
func ParseJSONWithin(text []byte, most int) (*Node, error) { return parseJSON(string(text), most) }

func parseJSON(text string, most int) (*Node, error) {
	p := &jsonParser{text: text, line: 1, left: most}
	n, err := p.document()
	if err != nil {
		return nil, err
	}
	return n, nil
}

type jsonParser struct {
	text string
	at   int // offset of what is read next
	// line counts from 1; it begins at lineStart, and hidden bytes since then are
	// no characters of their own.
	line, lineStart, hidden int

	left    int    // values that may still come
	free    []Node // made ahead, so that values are not allocated one by one
	chunk   int    // how many were made ahead last
	items   []*Node
	members []Member
}

func (p *jsonParser) document() (*Node, error) {
	n, err := p.value(0)
	if err != nil {
		return nil, err
	}
	if p.blanks(); p.at < len(p.text) {
		return nil, p.fault("more text after the end of the JSON value")
	}
	return n, nil
}

// blanks skips white space.
func (p *jsonParser) blanks() {
	for p.at < len(p.text) {
		switch p.text[p.at] {
		case '\n':
			p.line++
			p.lineStart, p.hidden = p.at+1, 0
		case ' ', '\t', '\r':
		default:
			return
		}
		p.at++
	}
}

func (p *jsonParser) column() int { return p.at - p.lineStart - p.hidden + 1 }

func (p *jsonParser) fault(format string, args ...any) error {
	return &SyntaxError{p.line, p.column(), fmt.Sprintf(format, args...)}
}

// unexpected says what stands where something else should.
func (p *jsonParser) unexpected(where string) error {
	if p.at >= len(p.text) {
		return p.fault("the text ends inside a value")
	}
	r, _ := utf8.DecodeRuneInString(p.text[p.at:])
	return p.fault("invalid character %s %s", strconv.QuoteRune(r), where)
}

// mostAhead is how many nodes are made ahead at most.
const mostAhead = 512

// node makes a value that begins here.
func (p *jsonParser) node(kind Kind) (*Node, error) {
	if p.left--; p.left < 0 {
		return nil, ErrTooLarge
	}
	if len(p.free) == 0 {
		if p.chunk == mostAhead {
			runtime.Gosched() // a large text keeps nobody from a processor for long
		}
		p.chunk = min(max(2*p.chunk, 8), mostAhead)
		p.free = make([]Node, p.chunk)
	}
	n := &p.free[0]
	p.free = p.free[1:]
	n.Kind, n.Line, n.Col = kind, int32(p.line), int32(p.column())
	return n, nil
}

func (p *jsonParser) value(depth int) (*Node, error) {
	p.blanks()
	if p.at >= len(p.text) {
		return nil, p.unexpected("")
	}
	if depth > MaxDepth {
		return nil, p.fault("nested deeper than %d levels", MaxDepth)
	}
	switch c := p.text[p.at]; {
	case c == '{':
		return p.object(depth)
	case c == '[':
		return p.list(depth)
	case c == '"':
		n, err := p.node(String)
		if err == nil {
			n.Text, err = p.quoted()
		}
		return n, err
	case c == '-' || c >= '0' && c <= '9':
		n, err := p.node(Number)
		if err == nil {
			n.Text, err = p.number()
		}
		return n, err
	default:
		return p.word()
	}
}

func (p *jsonParser) word() (*Node, error) {
	for _, w := range [...]struct {
		text string
		kind Kind
	}{{"true", Bool}, {"false", Bool}, {"null", Null}} {
		if !strings.HasPrefix(p.text[p.at:], w.text) {
			continue
		}
		n, err := p.node(w.kind)
		if err == nil && w.kind == Bool {
			n.Text = w.text
		}
		p.at += len(w.text)
		return n, err
	}
	return nil, p.unexpected("looking for beginning of value")
}

// number reads a number by the grammar of JSON.
func (p *jsonParser) number() (string, error) {
	start := p.at
	p.skip('-')
	switch {
	case p.skip('0'):
	case p.digits() == 0:
		return "", p.unexpected("in numeric literal")
	}
	if p.skip('.') && p.digits() == 0 {
		return "", p.unexpected("after decimal point in numeric literal")
	}
	if p.skip('e') || p.skip('E') {
		if !p.skip('-') {
			p.skip('+')
		}
		if p.digits() == 0 {
			return "", p.unexpected("in exponent of numeric literal")
		}
	}
	return p.text[start:p.at], nil
}

func (p *jsonParser) skip(c byte) bool {
	if p.at < len(p.text) && p.text[p.at] == c {
		p.at++
		return true
	}
	return false
}

func (p *jsonParser) digits() (count int) {
	for p.at < len(p.text) && p.text[p.at] >= '0' && p.text[p.at] <= '9' {
		p.at++
		count++
	}
	return count
}

// quoted reads a string.
func (p *jsonParser) quoted() (string, error) {
	start := p.at + 1
	for i := start; i < len(p.text); i++ {
		switch c := p.text[i]; {
		case c == '"':
			p.at = i + 1
			return p.text[start:i], nil
		case c == '\\' || c < ' ' || c >= utf8.RuneSelf:
			return p.unquoted(start, i)
		}
	}
	p.at = len(p.text)
	return "", p.unexpected("")
}

// unquoted reads a string that is not its own value; up to i it is.
func (p *jsonParser) unquoted(start, i int) (string, error) {
	b := make([]byte, 0, 2*(i-start)+16)
	b = append(b, p.text[start:i]...)
	for i < len(p.text) {
		switch c := p.text[i]; {
		case c == '"':
			p.at = i + 1
			return string(b), nil
		case c < ' ':
			p.at = i
			return "", p.unexpected("in string literal")
		case c == '\\':
			decoded, size := escaped(p.text[i:])
			if size == 0 {
				p.at = min(i+1, len(p.text))
				return "", p.unexpected("in string escape code")
			}
			b = utf8.AppendRune(b, decoded)
			i += size
		case c < utf8.RuneSelf:
			b = append(b, c)
			i++
		default:
			r, size := utf8.DecodeRuneInString(p.text[i:])
			b = utf8.AppendRune(b, r) // what is no UTF-8 becomes U+FFFD
			p.hidden += size - 1
			i += size
		}
	}
	p.at = len(p.text)
	return "", p.unexpected("")
}

// escapes are the characters behind a backslash that stand for others.
var escapes = map[byte]rune{'"': '"', '\\': '\\', '/': '/', 'b': '\b', 'f': '\f', 'n': '\n', 'r': '\r', 't': '\t'}

// escaped decodes the escape that a text begins with; size is 0 when it is none.
func escaped(text string) (r rune, size int) {
	if len(text) < 2 {
		return 0, 0
	}
	if text[1] != 'u' {
		if r, ok := escapes[text[1]]; ok {
			return r, 2
		}
		return 0, 0
	}
	r, ok := fourDigits(text[2:])
	if !ok {
		return 0, 0
	}
	if !utf16.IsSurrogate(r) {
		return r, 6
	}
	if strings.HasPrefix(text[6:], `\u`) {
		if low, ok := fourDigits(text[8:]); ok {
			if both := utf16.DecodeRune(r, low); both != utf8.RuneError {
				return both, 12
			}
		}
	}
	return utf8.RuneError, 6
}

func fourDigits(text string) (r rune, ok bool) {
	if len(text) < 4 {
		return 0, false
	}
	n, err := strconv.ParseUint(text[:4], 16, 32)
	return rune(n), err == nil
}

func (p *jsonParser) list(depth int) (*Node, error) {
	n, err := p.node(List)
	if err != nil {
		return nil, err
	}
	p.at++
	first := len(p.items)
	for p.blanks(); !p.skip(']'); p.blanks() {
		if len(p.items) > first && !p.skip(',') {
			return nil, p.unexpected("after array element")
		}
		item, err := p.value(depth + 1)
		if err != nil {
			return nil, err
		}
		p.items = append(p.items, item)
	}
	if len(p.items) > first {
		n.Items = slices.Clone(p.items[first:])
		p.items = p.items[:first]
	}
	return n, nil
}

func (p *jsonParser) object(depth int) (*Node, error) {
	n, err := p.node(Map)
	if err != nil {
		return nil, err
	}
	p.at++
	first := len(p.members)
	for p.blanks(); !p.skip('}'); p.blanks() {
		if len(p.members) > first && !p.skip(',') {
			return nil, p.unexpected("after object key:value pair")
		}
		if err := p.member(depth); err != nil {
			return nil, err
		}
	}
	if len(p.members) > first {
		n.Members = lastOfEach(slices.Clone(p.members[first:]))
		n.seal()
		p.members = p.members[:first]
	}
	return n, nil
}

func (p *jsonParser) member(depth int) (err error) {
	if p.blanks(); p.at >= len(p.text) || p.text[p.at] != '"' {
		return p.unexpected("looking for beginning of object key string")
	}
	m := Member{Line: int32(p.line), Col: int32(p.column())}
	if m.Key, err = p.quoted(); err != nil {
		return err
	}
	if p.blanks(); !p.skip(':') {
		return p.unexpected("after object key")
	}
	if m.Value, err = p.value(depth + 1); err != nil {
		return err
	}
	p.members = append(p.members, m)
	return nil
}

// lastOfEach drops all but the last of members with the same key, which takes the
// place of the first.
func lastOfEach(members []Member) []Member {
	var seen map[string]int
	if len(members) >= indexFrom {
		seen = make(map[string]int, len(members))
	}
	kept := members[:0]
	for _, m := range members {
		at := -1
		if seen == nil {
			at = slices.IndexFunc(kept, func(k Member) bool { return k.Key == m.Key })
		} else if i, ok := seen[m.Key]; ok {
			at = i
		}
		if at >= 0 {
			kept[at] = m
			continue
		}
		if seen != nil {
			seen[m.Key] = len(kept)
		}
		kept = append(kept, m)
	}
	return kept
}

// MarshalJSON writes n as compact JSON with its keys in order and its numbers
// as they were written.
func (n *Node) MarshalJSON() ([]byte, error) { return n.AppendJSON(nil), nil }

// UnmarshalJSON reads n from JSON.
func (n *Node) UnmarshalJSON(text []byte) error {
	parsed, err := ParseJSON(text)
	if err != nil {
		return err
	}
	*n = *parsed
	return nil
}

// AppendJSON appends n as compact JSON.
func (n *Node) AppendJSON(b []byte) []byte {
	if n == nil {
		return append(b, "null"...)
	}
	switch n.Kind {
	case Null:
		return append(b, "null"...)
	case String:
		return AppendQuoted(b, n.Text)
	case List:
		b = append(b, '[')
		for i, item := range n.Items {
			if i > 0 {
				b = append(b, ',')
			}
			b = item.AppendJSON(b)
		}
		return append(b, ']')
	case Map:
		b = append(b, '{')
		for i, m := range n.Members {
			if i > 0 {
				b = append(b, ',')
			}
			b = AppendQuoted(b, m.Key)
			b = append(b, ':')
			b = m.Value.AppendJSON(b)
		}
		return append(b, '}')
	default:
		return append(b, n.Text...)
	}
}

const hexDigits = "0123456789abcdef"

// AppendQuoted appends s as a JSON string. Unlike encoding/json it leaves <, >
// and & alone: what was written in an example is what is sent.
func AppendQuoted(b []byte, s string) []byte {
	b = append(b, '"')
	start := 0
	for i := 0; i < len(s); {
		c := s[i]
		if c >= ' ' && c != '"' && c != '\\' && c < utf8.RuneSelf {
			i++
			continue
		}
		if c >= utf8.RuneSelf {
			r, size := utf8.DecodeRuneInString(s[i:])
			if r == utf8.RuneError && size == 1 {
				b = append(append(b, s[start:i]...), "\ufffd"...)
				start = i + 1
			}
			i += size
			continue
		}
		b = append(b, s[start:i]...)
		b = appendEscape(b, c)
		i++
		start = i
	}
	return append(append(b, s[start:]...), '"')
}

func appendEscape(b []byte, c byte) []byte {
	switch c {
	case '"', '\\':
		return append(b, '\\', c)
	case '\n':
		return append(b, '\\', 'n')
	case '\r':
		return append(b, '\\', 'r')
	case '\t':
		return append(b, '\\', 't')
	default:
		return append(b, '\\', 'u', '0', '0', hexDigits[c>>4], hexDigits[c&15])
	}
}
