package jsonpath

import (
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"

	"rapidmimic.example/spec/tree"
)

// test is a logical expression of a filter, held against one node.
type test interface {
	holds(r *run, current *tree.Node) bool
}

type anyOf []test

func (t anyOf) holds(r *run, current *tree.Node) bool {
	for _, one := range t {
		if one.holds(r, current) {
			return true
		}
	}
	return false
}

type allOf []test

func (t allOf) holds(r *run, current *tree.Node) bool {
	for _, one := range t {
		if !one.holds(r, current) {
			return false
		}
	}
	return true
}

type not struct{ test }

func (t not) holds(r *run, current *tree.Node) bool { return !t.test.holds(r, current) }

// exists holds where a query selects anything.
type exists struct{ query *Path }

func (t exists) holds(r *run, current *tree.Node) bool { return len(t.query.nodes(r, current)) > 0 }

// comparison compares two values, of which either may be nothing.
type comparison struct {
	operator    string
	left, right operand
}

func (t comparison) holds(r *run, current *tree.Node) bool {
	a, b := t.left.value(r, current), t.right.value(r, current)
	switch t.operator {
	case "==":
		return equal(r, a, b)
	case "!=":
		return !equal(r, a, b)
	case "<":
		return less(a, b)
	case ">":
		return less(b, a)
	case "<=":
		return less(a, b) || equal(r, a, b)
	default:
		return less(b, a) || equal(r, a, b)
	}
}

// equal compares two values; comparing large ones is paid for.
func equal(r *run, a, b *tree.Node) bool {
	if a == nil || b == nil {
		return a == b
	}
	if a.Kind != b.Kind {
		return false
	}
	if !r.spend(1) {
		return false
	}
	switch a.Kind {
	case tree.List:
		if len(a.Items) != len(b.Items) {
			return false
		}
		for i := range a.Items {
			if !equal(r, a.Items[i], b.Items[i]) {
				return false
			}
		}
		return true
	case tree.Map:
		if len(a.Members) != len(b.Members) {
			return false
		}
		for _, m := range a.Members {
			if other := b.Get(m.Key); other == nil || !equal(r, m.Value, other) {
				return false
			}
		}
		return true
	default:
		return tree.Equal(a, b)
	}
}

func less(a, b *tree.Node) bool {
	if a == nil || b == nil || a.Kind != b.Kind {
		return false
	}
	switch a.Kind {
	case tree.Number:
		return tree.CompareNumbers(a.Text, b.Text) < 0
	case tree.String:
		return a.Text < b.Text // UTF-8 sorts as its characters do
	default:
		return false
	}
}

// operand gives a value, nil for nothing.
type operand interface {
	value(r *run, current *tree.Node) *tree.Node
}

type literal struct{ node *tree.Node }

func (o literal) value(*run, *tree.Node) *tree.Node { return o.node }

// one is the value of a singular query, or of the function value.
type one struct{ query *Path }

func (o one) value(r *run, current *tree.Node) *tree.Node {
	if found := o.query.nodes(r, current); len(found) == 1 {
		return found[0]
	}
	return nil
}

// length is the function length: of characters, elements or members.
type length struct{ of operand }

func (o length) value(r *run, current *tree.Node) *tree.Node {
	v := o.of.value(r, current)
	if v == nil {
		return nil
	}
	switch v.Kind {
	case tree.String:
		return number(utf8.RuneCountInString(v.Text))
	case tree.List:
		return number(len(v.Items))
	case tree.Map:
		return number(len(v.Members))
	default:
		return nil
	}
}

func number(i int) *tree.Node { return tree.NewNumber(strconv.Itoa(i)) }

// count is the function count.
type count struct{ query *Path }

func (o count) value(r *run, current *tree.Node) *tree.Node {
	return number(len(o.query.nodes(r, current)))
}

// fits is the function match, or with part the function search. A pattern that is
// a literal is compiled once.
type fits struct {
	text, pattern operand
	part          bool
	compiled      *regexp.Regexp
}

func (t fits) holds(r *run, current *tree.Node) bool {
	text := t.text.value(r, current)
	if text == nil || text.Kind != tree.String {
		return false
	}
	re := t.compiled
	if re == nil {
		pattern := t.pattern.value(r, current)
		if pattern == nil || pattern.Kind != tree.String || !r.spend(20+len(pattern.Text)) {
			return false
		}
		if re = compilePattern(pattern.Text, t.part); re == nil {
			return false
		}
	}
	return r.spend(1+len(text.Text)/50) && re.MatchString(text.Text)
}

// compilePattern compiles a pattern of RFC 9485 (I-Regexp); nil where it is none.
func compilePattern(pattern string, part bool) *regexp.Regexp {
	var b strings.Builder
	class := false
	for i := 0; i < len(pattern); i++ {
		switch c := pattern[i]; {
		case c == '\\' && i+1 < len(pattern):
			b.WriteString(pattern[i : i+2])
			i++
		case c == '[':
			class = true
			b.WriteByte(c)
		case c == ']':
			class = false
			b.WriteByte(c)
		case c == '.' && !class:
			b.WriteString(`[^\n\r]`)
		case (c == '^' || c == '$') && !class:
			b.WriteString(`\` + string(c)) // there are no anchors
		default:
			b.WriteByte(c)
		}
	}
	text := b.String()
	if !part {
		text = `^(?:` + text + `)$`
	}
	re, err := regexp.Compile(text)
	if err != nil {
		return nil
	}
	return re
}
