package jsonpath

import (
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"rapidmimic.example/spec/tree"
)

// Limits of a path; what people write is far below.
const (
	maxLength = 4_000
	maxDepth  = 20 // of filters and parentheses within one another
	// maxWhole is the largest index that RFC 9535 allows.
	maxWhole = 1<<53 - 1
)

// Compile reads a JSONPath. The error says what is wrong at which character.
func Compile(text string) (path *Path, err error) {
	if len(text) > maxLength {
		return nil, fmt.Errorf("the path has more than %d characters", maxLength)
	}
	p := &parser{text: text}
	defer func() {
		if fault, ok := recover().(syntaxError); ok {
			path, err = nil, fmt.Errorf("character %d: %s", utf8.RuneCountInString(text[:fault.at])+1, fault.detail)
		}
	}()
	path = p.query()
	if p.at < len(text) {
		p.fail("%s is not expected here", p.next())
	}
	path.text = text
	return path, nil
}

// parser reads by recursive descent. It ends by a panic with a syntaxError, which
// Compile turns into an error.
type parser struct {
	text  string
	at    int
	depth int
}

type syntaxError struct {
	at     int
	detail string
}

func (p *parser) fail(format string, args ...any) {
	panic(syntaxError{p.at, fmt.Sprintf(format, args...)})
}

// next shows what stands next, for messages.
func (p *parser) next() string {
	if p.at >= len(p.text) {
		return "the end"
	}
	r, _ := utf8.DecodeRuneInString(p.text[p.at:])
	return strconv.QuoteRune(r)
}

func (p *parser) peek() byte {
	if p.at < len(p.text) {
		return p.text[p.at]
	}
	return 0
}

func (p *parser) skip(word string) bool {
	if strings.HasPrefix(p.text[p.at:], word) {
		p.at += len(word)
		return true
	}
	return false
}

func (p *parser) want(word string) {
	if !p.skip(word) {
		p.fail("%q is expected, not %s", word, p.next())
	}
}

func (p *parser) blanks() {
	for p.at < len(p.text) && strings.IndexByte(" \t\n\r", p.text[p.at]) >= 0 {
		p.at++
	}
}

// deeper notes one more level of nesting until the result is called.
func (p *parser) deeper() (leave func()) {
	if p.depth++; p.depth > maxDepth {
		p.fail("filters are nested deeper than %d levels", maxDepth)
	}
	return func() { p.depth-- }
}

// query reads a path that begins with $ or, within a filter, with @.
func (p *parser) query() *Path {
	q := &Path{}
	switch {
	case p.skip("$"):
	case p.depth > 0 && p.skip("@"):
		q.relative = true
	default:
		p.fail("a path begins with $, not %s", p.next())
	}
	for {
		before := p.at
		p.blanks()
		switch {
		case p.skip(".."):
			q.segments = append(q.segments, segment{true, p.afterDots()})
		case p.skip("."):
			q.segments = append(q.segments, segment{false, p.shorthand()})
		case p.peek() == '[':
			q.segments = append(q.segments, segment{false, p.brackets()})
		default:
			p.at = before
			q.single = q.singular()
			return q
		}
	}
}

func (p *parser) afterDots() []selector {
	if p.peek() == '[' {
		return p.brackets()
	}
	return p.shorthand()
}

// shorthand reads a name, or *, that stands behind a dot.
func (p *parser) shorthand() []selector {
	if p.skip("*") {
		return []selector{everyChild{}}
	}
	start := p.at
	for p.at < len(p.text) {
		r, size := utf8.DecodeRuneInString(p.text[p.at:])
		letter := r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r == '_' || r >= 0x80 && (r != utf8.RuneError || size > 1)
		if !letter && (p.at == start || r < '0' || r > '9') {
			break
		}
		p.at += size
	}
	if p.at == start {
		p.fail("a name or * is expected behind the dot, not %s", p.next())
	}
	return []selector{byName(p.text[start:p.at])}
}

func (p *parser) brackets() (selectors []selector) {
	p.want("[")
	for {
		p.blanks()
		selectors = append(selectors, p.selector())
		p.blanks()
		if p.skip("]") {
			return selectors
		}
		p.want(",")
	}
}

func (p *parser) selector() selector {
	switch c := p.peek(); {
	case c == '\'' || c == '"':
		return byName(p.quoted())
	case c == '*':
		p.at++
		return everyChild{}
	case c == '?':
		p.at++
		defer p.deeper()()
		p.blanks()
		return byFilter{p.or()}
	case c == ':' || c == '-' || c >= '0' && c <= '9':
		return p.indexOrSlice()
	default:
		p.fail("a name in quotes, an index, a slice, * or ? is expected, not %s", p.next())
		return nil
	}
}

func (p *parser) indexOrSlice() selector {
	start := p.optionalWhole()
	p.blanks()
	if start != nil && p.peek() != ':' {
		return byIndex(*start)
	}
	p.want(":")
	s := bySlice{start: start, step: 1}
	p.blanks()
	s.end = p.optionalWhole()
	p.blanks()
	if p.skip(":") {
		p.blanks()
		if step := p.optionalWhole(); step != nil {
			s.step = *step
		}
	}
	return s
}

// optionalWhole reads a whole number, nil where none stands.
func (p *parser) optionalWhole() *int {
	start := p.at
	p.skip("-")
	digits := p.digits()
	switch {
	case digits == "" && p.at == start:
		return nil
	case digits == "" || len(digits) > 1 && digits[0] == '0' || p.text[start:p.at] == "-0":
		p.at = start
		p.fail("%q is not a whole number such as 0 or -1", p.text[start:min(len(p.text), start+8)])
	}
	i, err := strconv.ParseInt(p.text[start:p.at], 10, 64)
	if err != nil || i > maxWhole || i < -maxWhole {
		p.at = start
		p.fail("the number is too large")
	}
	whole := int(i)
	return &whole
}

func (p *parser) digits() string {
	start := p.at
	for p.at < len(p.text) && p.text[p.at] >= '0' && p.text[p.at] <= '9' {
		p.at++
	}
	return p.text[start:p.at]
}

// quoted reads a string in either kind of quotes.
func (p *parser) quoted() string {
	quote := p.text[p.at]
	start := p.at
	p.at++
	var b strings.Builder
	for p.at < len(p.text) {
		switch c := p.text[p.at]; {
		case c == quote:
			p.at++
			return b.String()
		case c < ' ':
			p.fail("%s cannot stand in a string; write it with a backslash", p.next())
		case c == '\\':
			p.escape(&b, quote)
		default:
			r, size := utf8.DecodeRuneInString(p.text[p.at:])
			b.WriteRune(r)
			p.at += size
		}
	}
	p.at = start
	p.fail("the string is not closed")
	return ""
}

func (p *parser) escape(b *strings.Builder, quote byte) {
	const plain = `bfnrt/\`
	rest := p.text[p.at+1:]
	switch {
	case rest == "":
		p.fail("the string is not closed")
	case rest[0] == quote:
		b.WriteByte(quote)
		p.at += 2
	case strings.IndexByte(plain, rest[0]) >= 0:
		b.WriteByte("\b\f\n\r\t/\\"[strings.IndexByte(plain, rest[0])])
		p.at += 2
	default:
		n, err := tree.ParseJSON([]byte(`"` + p.hex() + `"`))
		if rest[0] != 'u' || err != nil || strings.ContainsRune(n.Text, utf8.RuneError) {
			p.fail("the escape is none that a string can have")
		}
		b.WriteString(n.Text)
		p.at += len(p.hex())
	}
}

// hex is a \uXXXX that stands next, with the other half of a pair behind it.
func (p *parser) hex() string {
	rest := p.text[p.at:]
	size := 6
	if len(rest) >= 12 && strings.HasPrefix(rest, `\u`) && strings.EqualFold(rest[2:3], "d") && strings.IndexByte("89abAB", rest[3]) >= 0 && strings.HasPrefix(rest[6:], `\u`) {
		size = 12
	}
	return rest[:min(size, len(rest))]
}

func (p *parser) or() test {
	tests := anyOf{p.and()}
	for {
		p.blanks()
		if !p.skip("||") {
			break
		}
		p.blanks()
		tests = append(tests, p.and())
	}
	if len(tests) == 1 {
		return tests[0]
	}
	return tests
}

func (p *parser) and() test {
	tests := allOf{p.basic()}
	for {
		before := p.at
		p.blanks()
		if !p.skip("&&") {
			p.at = before
			break
		}
		p.blanks()
		tests = append(tests, p.basic())
	}
	if len(tests) == 1 {
		return tests[0]
	}
	return tests
}

// basic reads a test in parentheses, a comparison, an existence or a function.
func (p *parser) basic() test {
	if p.skip("!") {
		p.blanks()
		if p.peek() == '(' {
			return not{p.parenthesis()}
		}
		return not{p.bare()}
	}
	if p.peek() == '(' {
		return p.parenthesis()
	}
	term := p.term()
	before := p.at
	p.blanks()
	for _, operator := range []string{"==", "!=", "<=", ">=", "<", ">"} {
		if p.skip(operator) {
			p.blanks()
			return comparison{operator, p.comparable(term), p.comparable(p.term())}
		}
	}
	p.at = before
	return p.testOf(term)
}

func (p *parser) parenthesis() test {
	defer p.deeper()()
	p.want("(")
	p.blanks()
	inner := p.or()
	p.blanks()
	p.want(")")
	return inner
}

func (p *parser) bare() test { return p.testOf(p.term()) }

// testOf takes what was read for a test by itself.
func (p *parser) testOf(term any) test {
	switch t := term.(type) {
	case *Path:
		return exists{t}
	case test:
		return t
	default:
		p.fail("a value is no test by itself: compare it")
		return nil
	}
}

// comparable takes what was read for a side of a comparison.
func (p *parser) comparable(term any) operand {
	switch t := term.(type) {
	case *Path:
		if !t.single {
			p.fail("a path in a comparison must lead to one value: names and indexes only")
		}
		return one{t}
	case operand:
		return t
	default:
		p.fail("match and search are tests and cannot be compared")
		return nil
	}
}

// term reads a query (*Path), a function (operand or test) or a literal (operand).
func (p *parser) term() any {
	switch c := p.peek(); {
	case c == '$' || c == '@':
		return p.query()
	case c == '\'' || c == '"':
		return literal{tree.NewString(p.quoted())}
	case c == '-' || c >= '0' && c <= '9':
		return literal{p.number()}
	}
	for word, node := range map[string]*tree.Node{"true": tree.NewBool(true), "false": tree.NewBool(false), "null": {}} {
		if p.skip(word) {
			return literal{node}
		}
	}
	return p.function()
}

func (p *parser) number() *tree.Node {
	start := p.at
	p.skip("-")
	whole := p.digits()
	if whole == "" || len(whole) > 1 && whole[0] == '0' {
		p.fail("the number is not written as JSON does")
	}
	if p.skip(".") && p.digits() == "" {
		p.fail("digits are expected behind the point")
	}
	if p.skip("e") || p.skip("E") {
		if !p.skip("-") {
			p.skip("+")
		}
		if p.digits() == "" {
			p.fail("digits are expected in the exponent")
		}
	}
	return tree.NewNumber(p.text[start:p.at])
}

func (p *parser) function() any {
	start := p.at
	for p.at < len(p.text) && (p.text[p.at] >= 'a' && p.text[p.at] <= 'z' || p.at > start && (p.text[p.at] == '_' || p.text[p.at] >= '0' && p.text[p.at] <= '9')) {
		p.at++
	}
	name := p.text[start:p.at]
	if name == "" {
		p.fail("a path, a value or a function is expected, not %s", p.next())
	}
	defer p.deeper()()
	p.want("(")
	p.blanks()
	var args []any
	for p.peek() != ')' {
		args = append(args, p.term())
		p.blanks()
		if p.peek() != ')' {
			p.want(",")
			p.blanks()
			if p.peek() == ')' {
				p.fail("an argument is expected")
			}
		}
	}
	made := p.functionOf(name, args)
	p.want(")")
	return made
}

func (p *parser) functionOf(name string, args []any) any {
	counts := map[string]int{"length": 1, "count": 1, "value": 1, "match": 2, "search": 2}
	want, known := counts[name]
	switch {
	case !known:
		p.fail("%s is none of the functions length, count, value, match and search", name)
	case len(args) != want:
		p.fail("%s takes %d arguments, not %d", name, want, len(args))
	}
	switch name {
	case "length":
		return length{p.comparable(args[0])}
	case "count", "value":
		query, ok := args[0].(*Path)
		if !ok {
			p.fail("%s takes a path", name)
		}
		if name == "count" {
			return count{query}
		}
		return one{query}
	default:
		made := fits{text: p.comparable(args[0]), pattern: p.comparable(args[1]), part: name == "search"}
		if l, ok := made.pattern.(literal); ok {
			if l.node.Kind == tree.String {
				made.compiled = compilePattern(l.node.Text, made.part)
			}
			if made.compiled == nil {
				return anyOf{} // it never fits
			}
		}
		return made
	}
}
