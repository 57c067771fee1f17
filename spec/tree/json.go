package tree

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"unicode/utf8"
)

// ParseJSON reads one JSON value (RFC 8259). Of keys that occur twice the last
// one counts. The error is a *SyntaxError.
func ParseJSON(text []byte) (*Node, error) {
	p := &jsonParser{text: text, dec: json.NewDecoder(bytes.NewReader(text)), line: 1, col: 1}
	p.dec.UseNumber()
	n, err := p.value(0)
	if err != nil {
		return nil, p.explain(err)
	}
	if _, err := p.dec.Token(); !errors.Is(err, io.EOF) {
		p.advance(p.tokenStart())
		return nil, &SyntaxError{p.line, p.col, "more text after the end of the JSON value"}
	}
	return n, nil
}

type jsonParser struct {
	text      []byte
	dec       *json.Decoder
	at        int // how far line and col have been counted
	line, col int
}

// tokenStart finds where the next token begins: the decoder tells only where
// the last one ended.
func (p *jsonParser) tokenStart() int {
	i := int(p.dec.InputOffset())
	for i < len(p.text) && bytes.IndexByte([]byte(" \t\r\n,:"), p.text[i]) >= 0 {
		i++
	}
	return i
}

func (p *jsonParser) advance(to int) {
	for _, b := range p.text[p.at:to] {
		switch {
		case b == '\n':
			p.line++
			p.col = 1
		case utf8.RuneStart(b):
			p.col++
		}
	}
	p.at = to
}

var errTooDeep = fmt.Errorf("nested deeper than %d levels", MaxDepth)

func (p *jsonParser) value(depth int) (*Node, error) {
	p.advance(p.tokenStart())
	n := &Node{Line: p.line, Col: p.col}
	token, err := p.dec.Token()
	if err != nil {
		return nil, err
	}
	if depth > MaxDepth {
		return nil, errTooDeep
	}
	switch t := token.(type) {
	case json.Delim:
		if t == '[' {
			return n, p.list(n, depth)
		}
		return n, p.object(n, depth)
	case string:
		n.Kind, n.Text = String, t
	case json.Number:
		n.Kind, n.Text = Number, t.String()
	case bool:
		n.Kind, n.Text = Bool, NewBool(t).Text
	}
	return n, nil
}

func (p *jsonParser) list(n *Node, depth int) error {
	n.Kind = List
	for p.dec.More() {
		item, err := p.value(depth + 1)
		if err != nil {
			return err
		}
		n.Items = append(n.Items, item)
	}
	_, err := p.dec.Token()
	return err
}

func (p *jsonParser) object(n *Node, depth int) error {
	n.Kind = Map
	var seen map[string]int
	for p.dec.More() {
		p.advance(p.tokenStart())
		m := Member{Line: p.line, Col: p.col}
		key, err := p.dec.Token()
		if err != nil {
			return err
		}
		m.Key, _ = key.(string)
		if m.Value, err = p.value(depth + 1); err != nil {
			return err
		}
		n.put(m, &seen)
	}
	n.seal()
	_, err := p.dec.Token()
	return err
}

// put adds m, or replaces the member of the same key. The caller's seen keeps
// this linear for objects with many keys.
func (n *Node) put(m Member, seen *map[string]int) {
	if *seen == nil {
		*seen = make(map[string]int)
	}
	if i, ok := (*seen)[m.Key]; ok {
		n.Members[i] = m
		return
	}
	(*seen)[m.Key] = len(n.Members)
	n.Members = append(n.Members, m)
}

func (p *jsonParser) explain(err error) error {
	detail := err.Error()
	offset := int(p.dec.InputOffset())
	var syntax *json.SyntaxError
	switch {
	case errors.As(err, &syntax):
		offset = max(int(syntax.Offset)-1, p.at)
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		offset, detail = len(p.text), "the text ends inside a value"
	}
	p.advance(max(p.at, min(offset, len(p.text))))
	return &SyntaxError{p.line, p.col, detail}
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
