package expr

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Template is a value in whose texts ${…} stands for what an expression gives.
// It is immutable and safe for concurrent use.
type Template struct {
	fixed    *tree.Node // of a template without expressions, and of keys
	parts    []part     // of a text
	children []*Template
	keys     []string
	// encoded is fixed as JSON, quoted are keys with their colons; of what stands beside expressions.
	encoded []byte
	quoted  [][]byte
	room    int // about how long it becomes, in bytes
}

// roomOfExpression is how long what an expression gives is taken to be, in bytes.
const roomOfExpression = 32

// part is a piece of a text: literal, or an expression.
type part struct {
	literal string
	program *Program
}

// CompileTemplate compiles a value. Faults name the place within it. names are those of
// Scope.Let that its expressions can use.
func CompileTemplate(n *tree.Node, names ...string) (*Template, []problem.Item) {
	c := &templateCompiler{names: names}
	t := c.compile(n, "")
	return t, c.items
}

type templateCompiler struct {
	names []string
	items []problem.Item
}

func (c *templateCompiler) compile(n *tree.Node, at string) *Template {
	t := &Template{fixed: n}
	dynamic := false
	switch n.Kind {
	case tree.String:
		parts, err := split(n.Text, c.names)
		if err != nil {
			c.items = append(c.items, problem.Item{At: at, Line: int(n.Line), Col: int(n.Col), Detail: err.Error()})
			return t
		}
		if len(parts) == 1 && parts[0].program == nil {
			t.fixed = tree.NewString(parts[0].literal)
		} else if len(parts) > 0 {
			t.parts, dynamic = parts, true
		}
	case tree.List:
		for i, item := range n.Items {
			t.children = append(t.children, c.compile(item, at+"/"+strconv.Itoa(i)))
		}
	case tree.Map:
		for _, m := range n.Members {
			t.keys = append(t.keys, m.Key)
			t.children = append(t.children, c.compile(m.Value, tree.Join(at, m.Key)))
		}
	}
	for _, child := range t.children {
		dynamic = dynamic || !child.Fixed()
	}
	if dynamic {
		t.fixed = nil
		t.encode()
	} else if t.children != nil {
		t.fixed = t.assemble(n.Kind, func(child *Template) *tree.Node { return child.fixed })
	}
	return t
}

// encode writes as JSON what stands beside expressions.
func (t *Template) encode() {
	for i, child := range t.children {
		if t.keys != nil {
			t.quoted = append(t.quoted, append(tree.AppendQuoted(nil, t.keys[i]), ':'))
		}
		if child.fixed != nil {
			child.encoded = child.fixed.AppendJSON(nil)
		}
		t.room += len(child.encoded) + child.room + 2
		if child.parts != nil {
			t.room += roomOfExpression
		}
	}
	for _, key := range t.quoted {
		t.room += len(key)
	}
}

// Fixed reports whether the template gives the same value for every call.
func (t *Template) Fixed() bool { return t.fixed != nil }

func (t *Template) assemble(kind tree.Kind, value func(*Template) *tree.Node) *tree.Node {
	if kind == tree.List {
		list := tree.NewList()
		for _, child := range t.children {
			list.Items = append(list.Items, value(child))
		}
		return list
	}
	members := make([]tree.Member, len(t.children))
	for i, child := range t.children {
		members[i] = tree.Member{Key: t.keys[i], Value: value(child)}
	}
	return tree.NewMap(members...)
}

// Render gives the value for one call: a text that is nothing but one ${…}
// becomes what the expression gives, of whatever kind; in others its text is
// put in.
func (t *Template) Render(s *Scope) (*tree.Node, error) {
	switch {
	case t.fixed != nil:
		return t.fixed, nil
	case t.parts != nil:
		return renderText(t.parts, s)
	}
	var failed error
	kind := tree.List
	if t.keys != nil {
		kind = tree.Map
	}
	n := t.assemble(kind, func(child *Template) *tree.Node {
		value, err := child.Render(s)
		if err != nil && failed == nil {
			failed = err
		}
		return value
	})
	return n, failed
}

// AppendJSON appends what Render gives, as JSON.
func (t *Template) AppendJSON(b []byte, s *Scope) ([]byte, error) {
	if b == nil {
		b = make([]byte, 0, t.room)
	}
	switch {
	case t.encoded != nil:
		return append(b, t.encoded...), nil
	case t.fixed != nil:
		return t.fixed.AppendJSON(b), nil
	case len(t.parts) == 1:
		n, err := t.parts[0].program.Run(s)
		if err != nil {
			return b, err
		}
		return n.AppendJSON(b), nil
	case t.parts != nil:
		text, err := joined(t.parts, s, nil)
		return tree.AppendQuoted(b, text), err
	}
	brackets := "[]"
	if t.keys != nil {
		brackets = "{}"
	}
	b = append(b, brackets[0])
	var failed error
	for i, child := range t.children {
		if i > 0 {
			b = append(b, ',')
		}
		if t.keys != nil {
			b = append(b, t.quoted[i]...)
		}
		var err error
		if b, err = child.AppendJSON(b, s); err != nil && failed == nil {
			failed = err // those that follow take their turns all the same
		}
	}
	return append(b, brackets[1]), failed
}

// Named gives the value for one call as other expressions take it, by a name: what is
// nothing but one expression stays what that gives, such as a time or an exact number.
func (t *Template) Named(s *Scope) (any, error) {
	if len(t.parts) == 1 && t.parts[0].program != nil {
		value, err := t.parts[0].program.value(s)
		if left := mostParts; err == nil && tooLarge(value, &left) {
			err = errTooLarge
		}
		return value, err
	}
	n, err := t.Render(s)
	return Value(n), err
}

// Text gives the text of a template that is one, with escape, unless it is nil,
// applied to what expressions give.
func (t *Template) Text(s *Scope, escape func(string) string) (string, error) {
	if t.fixed != nil {
		return t.fixed.Text, nil
	}
	return joined(t.parts, s, escape)
}

func renderText(parts []part, s *Scope) (*tree.Node, error) {
	if len(parts) == 1 {
		return parts[0].program.Run(s)
	}
	text, err := joined(parts, s, nil)
	return tree.NewString(text), err
}

func joined(parts []part, s *Scope, escape func(string) string) (string, error) {
	var b strings.Builder
	for _, p := range parts {
		if p.program == nil {
			b.WriteString(p.literal)
			continue
		}
		n, err := p.program.Run(s)
		if err != nil {
			return "", err
		}
		text := n.Text
		if n.Kind == tree.List || n.Kind == tree.Map {
			text = string(n.AppendJSON(nil))
		}
		if escape != nil {
			text = escape(text)
		}
		b.WriteString(text)
	}
	return b.String(), nil
}

// split cuts a text into literal pieces and compiled expressions.
func split(text string, names []string) (parts []part, err error) {
	pieces, err := cut(text)
	if err != nil {
		return nil, err
	}
	for _, piece := range pieces {
		if !piece.isExpression {
			parts = append(parts, part{literal: piece.text})
			continue
		}
		program, err := Compile(piece.text, names...)
		if err != nil {
			return nil, err
		}
		parts = append(parts, part{program: program})
	}
	return parts, nil
}

// piece is a part of a text as it is written: literal, or an expression.
type piece struct {
	text         string
	isExpression bool
}

// cut cuts a text into literal pieces and expressions. $${ stands for a literal ${.
func cut(text string) (pieces []piece, err error) {
	var literal strings.Builder
	flush := func() {
		if literal.Len() > 0 {
			pieces = append(pieces, piece{text: literal.String()})
			literal.Reset()
		}
	}
	for text != "" {
		i := strings.Index(text, "${")
		if i < 0 {
			literal.WriteString(text)
			break
		}
		if i > 0 && text[i-1] == '$' {
			literal.WriteString(text[:i-1] + "${")
			text = text[i+2:]
			continue
		}
		literal.WriteString(text[:i])
		end := endOf(text[i+2:])
		if end < 0 {
			return nil, fmt.Errorf("%q opens ${ and does not close it (a literal ${ is written $${)", text)
		}
		flush()
		source := strings.TrimSpace(text[i+2 : i+2+end])
		if source == "" {
			return nil, errors.New("${} holds no expression")
		}
		pieces = append(pieces, piece{source, true})
		text = text[i+2+end+1:]
	}
	flush()
	return pieces, nil
}

// endOf is where the brace that closes an expression stands, -1 when none
// does: braces inside of it and in its strings do not count.
func endOf(text string) int {
	depth, quote := 0, byte(0)
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case quote != 0:
			if c == '\\' {
				i++
			} else if c == quote {
				quote = 0
			}
		case c == '\'' || c == '"':
			quote = c
		case c == '{':
			depth++
		case c == '}':
			if depth == 0 {
				return i
			}
			depth--
		}
	}
	return -1
}
