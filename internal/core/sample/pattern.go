package sample

import (
	"errors"
	"regexp"
	"regexp/syntax"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/dlclark/regexp2"
)

// Matcher tells whether a text has a part that fits a pattern of ECMAScript.
// It is safe for concurrent use.
type Matcher interface {
	MatchString(text string) bool
	// String is the pattern as it was written.
	String() string
}

// matchFor bounds how long one text is held against a pattern that RE2 cannot
// take: such patterns can take time without an end.
const matchFor = 50 * time.Millisecond

// maxPattern bounds the length of a pattern, in bytes.
const maxPattern = 20_000

// CompilePattern compiles a pattern of a schema. RE2 matches it where it can;
// look-around and back references take a slower engine with a time limit, and
// a text that exceeds it does not fit.
func CompilePattern(pattern string) (Matcher, error) {
	if len(pattern) > maxPattern {
		return nil, errors.New("the pattern is too long")
	}
	pattern = posix(pattern)
	if re, err := regexp.Compile(forRE2(pattern)); err == nil {
		return plainMatcher{re, pattern}, nil
	}
	re, err := regexp2.Compile(pattern, regexp2.ECMAScript|regexp2.Unicode)
	if err != nil {
		if re, err = regexp2.Compile(pattern, regexp2.ECMAScript); err != nil {
			return nil, err
		}
	}
	re.MatchTimeout = matchFor
	return slowMatcher{re}, nil
}

// classes are names of POSIX, which many write as properties of Unicode.
var classes = map[string]string{
	"Alnum": `0-9A-Za-z`, "Alpha": `A-Za-z`, "Digit": `0-9`, "XDigit": `0-9A-Fa-f`, "Lower": `a-z`, "Upper": `A-Z`, "Space": `\s`, "ASCII": `\x00-\x7f`,
}

// posix writes such names as what they stand for, with brackets where there are none around them.
func posix(pattern string) string {
	if !strings.Contains(pattern, `\p{`) {
		return pattern
	}
	var b strings.Builder
	inside := false
	for i := 0; i < len(pattern); i++ {
		switch c := pattern[i]; {
		case c == '\\' && strings.HasPrefix(pattern[i:], `\p{`):
			name, _, closed := strings.Cut(pattern[i+3:], "}")
			if own, known := classes[name]; closed && known {
				if !inside {
					own = "[" + own + "]"
				}
				b.WriteString(own)
				i += len(name) + 3
				continue
			}
			b.WriteByte(c)
		case c == '\\' && i+1 < len(pattern):
			b.WriteString(pattern[i : i+2])
			i++
		default:
			inside = c == '[' || inside && c != ']'
			b.WriteByte(c)
		}
	}
	return b.String()
}

type plainMatcher struct {
	*regexp.Regexp
	written string
}

func (m plainMatcher) String() string { return m.written }

type slowMatcher struct{ re *regexp2.Regexp }

func (m slowMatcher) MatchString(text string) bool {
	ok, err := m.re.MatchString(text)
	return ok && err == nil
}

func (m slowMatcher) String() string { return m.re.String() }

// Backtracks reports whether a matcher can take long for a short text.
func Backtracks(m Matcher) bool {
	_, slow := m.(slowMatcher)
	return slow
}

var unicodeEscape = regexp.MustCompile(`\\u([0-9A-Fa-f]{4})`)

// forRE2 writes what ECMAScript spells otherwise in RE2's way.
func forRE2(pattern string) string {
	pattern = unicodeEscape.ReplaceAllString(pattern, `\x{$1}`)
	return strings.ReplaceAll(pattern, "[^]", `[\s\S]`)
}

// drawing makes texts that fit one pattern or several at once.
type drawing struct {
	trees    []*syntax.Regexp
	needs    []*syntax.Regexp // what look-aheads demand somewhere in the text
	matchers []Matcher
	// sure is set when what the tree gives always fits.
	sure bool
}

// newDrawing returns nil when nothing can be drawn from one of the patterns.
func newDrawing(patterns ...string) *drawing {
	d := &drawing{}
	for _, pattern := range patterns {
		matcher, err := CompilePattern(pattern)
		if err != nil {
			return nil
		}
		pattern = posix(pattern)
		bare, ahead := withoutLookAround(forRE2(pattern))
		parsed, err := syntax.Parse(fewer(bare), syntax.Perl)
		if err != nil {
			return nil
		}
		d.matchers, d.trees = append(d.matchers, matcher), append(d.trees, parsed)
		for _, text := range ahead {
			if need, err := syntax.Parse(strings.TrimPrefix(text, ".*"), syntax.Perl); err == nil {
				d.needs = append(d.needs, need)
			}
		}
		d.sure = bare == forRE2(pattern) && !asserts(parsed, true) && len(patterns) == 1
	}
	return d
}

// repeats are bounds of how often something is repeated.
var repeats = regexp.MustCompile(`\{(\d{1,6}),(\d{4,9})\}`)

// fewer bounds repeats by what the parser takes: nothing longer is drawn anyway.
func fewer(pattern string) string {
	return repeats.ReplaceAllStringFunc(pattern, func(bounds string) string {
		part := repeats.FindStringSubmatch(bounds)
		low, _ := strconv.Atoi(part[1])
		if high, _ := strconv.Atoi(part[2]); high > 1000 && low <= 1000 {
			return "{" + part[1] + ",1000}"
		}
		return bounds
	})
}

// Patterns are patterns that texts are drawn from; a text fits all of them. They
// are immutable.
type Patterns struct{ drawing *drawing }

// CompilePatterns compiles patterns for drawing; nil when nothing can be drawn
// from them.
func CompilePatterns(patterns []string) *Patterns {
	d := newDrawing(patterns...)
	if d == nil {
		return nil
	}
	return &Patterns{d}
}

// Draw draws a text whose length, in characters, lies between low and high; high
// is -1 when there is no limit. ok is false when none was found.
func (p *Patterns) Draw(d *Draw, low, high int) (text string, ok bool) {
	text = p.drawing.text(d, low, high)
	n := len([]rune(text))
	return text, p.drawing.fits(text) && n >= low && (high < 0 || n <= high)
}

func (p *drawing) fits(text string) bool {
	for _, m := range p.matchers {
		if !m.MatchString(text) {
			return false
		}
	}
	return true
}

// asserts reports whether a pattern says something about the neighbours of a
// place, other than that the text begins and ends: whole is set at the top,
// where ^ and $ do just that.
func asserts(re *syntax.Regexp, whole bool) bool {
	switch re.Op {
	case syntax.OpWordBoundary, syntax.OpNoWordBoundary:
		return true
	case syntax.OpBeginText, syntax.OpEndText, syntax.OpBeginLine, syntax.OpEndLine:
		return !whole
	case syntax.OpConcat:
		for i, sub := range re.Sub {
			begins, ends := sub.Op == syntax.OpBeginText || sub.Op == syntax.OpBeginLine, sub.Op == syntax.OpEndText || sub.Op == syntax.OpEndLine
			if whole && (begins && i == 0 || ends && i == len(re.Sub)-1) {
				continue
			}
			if asserts(sub, false) {
				return true
			}
		}
		return false
	}
	for _, sub := range re.Sub {
		if asserts(sub, whole && (re.Op == syntax.OpCapture || re.Op == syntax.OpAlternate)) {
			return true
		}
	}
	return false
}

// withoutLookAround takes the look-around groups out of a pattern, and puts the
// groups that are referred back to in the place of the references. ahead are
// the insides of those that demand something.
func withoutLookAround(pattern string) (bare string, ahead []string) {
	var b strings.Builder
	var groups []string
	for i := 0; i < len(pattern); {
		switch {
		case pattern[i] == '\\' && i+1 < len(pattern):
			if n := int(pattern[i+1] - '1'); n >= 0 && n < len(groups) {
				b.WriteString("(?:" + groups[n] + ")")
			} else {
				b.WriteString(pattern[i : i+2])
			}
			i += 2
		case pattern[i] == '[':
			end := closing(pattern, i)
			b.WriteString(pattern[i:end])
			i = end
		case hasAnyPrefix(pattern[i:], "(?=", "(?!", "(?<=", "(?<!"):
			end := closing(pattern, i)
			if inside, positive := strings.CutPrefix(pattern[i:end], "(?="); positive {
				ahead = append(ahead, strings.TrimSuffix(inside, ")"))
			}
			i = end
		default:
			if pattern[i] == '(' && !strings.HasPrefix(pattern[i:], "(?") {
				groups = append(groups, strings.TrimSuffix(pattern[i+1:closing(pattern, i)], ")"))
			}
			b.WriteByte(pattern[i])
			i++
		}
	}
	return b.String(), ahead
}

func hasAnyPrefix(s string, prefixes ...string) bool {
	for _, prefix := range prefixes {
		if strings.HasPrefix(s, prefix) {
			return true
		}
	}
	return false
}

// closing is the index after the bracket that closes the one at start.
func closing(pattern string, start int) int {
	inClass, depth := false, 0
	for i := start; i < len(pattern); i++ {
		switch c := pattern[i]; {
		case c == '\\':
			i++
		case inClass:
			if c == ']' {
				inClass = false
				if depth == 0 {
					return i + 1
				}
			}
		case c == '[':
			inClass = true
		case c == '(':
			depth++
		case c == ')':
			if depth--; depth == 0 {
				return i + 1
			}
		}
	}
	return len(pattern)
}

// slowSteps is what one try with a pattern that backtracks takes of the budget.
const slowSteps = 5_000

// drawTries bounds how often a text is drawn until it fits.
const drawTries = 40

// text draws a text whose length, in characters, lies between low and high
// where the pattern allows; high is -1 when there is no limit. The last try is
// returned when none fits.
func (p *drawing) text(d *Draw, low, high int) string {
	var text string
	long := false // the last one was too long
	for try := range drawTries {
		steps := 10 + len(text)/10
		if slices.ContainsFunc(p.matchers, Backtracks) {
			steps = slowSteps
		}
		if d.Budget.Spend(steps) != nil {
			break
		}
		b := make([]byte, 0, 24)
		more := usualRepeats
		if try > 4 && low > 0 {
			more = max(more, min(low, maxPattern))
		}
		if long && try%2 == 1 {
			more = 0
		}
		b = appendDrawn(b, d, p.trees[try%len(p.trees)], more)
		if p.needs != nil {
			b = p.overlay(b, d)
		}
		for try > 2 && utf8.RuneCount(b) < low && len(b) <= maxPattern { // what is not tied to the ends may go on
			before := len(b)
			if b = appendDrawn(b, d, p.trees[try%len(p.trees)], more); len(b) == before {
				break
			}
		}
		text = string(b)
		if runes := []rune(text); high >= 0 && len(runes) > high {
			long = true
			if cut := string(runes[:high]); try > 2 && p.fits(cut) {
				text = cut
			}
		}
		n := utf8.RuneCountInString(text)
		if n >= low && (high < 0 || n <= high) && (p.sure || p.fits(text)) {
			break
		}
	}
	return text
}

// overlay writes what look-aheads demand over parts of a text.
func (p *drawing) overlay(b []byte, d *Draw) []byte {
	for _, need := range p.needs {
		part := appendDrawn(nil, d, need, 1)
		if len(part) == 0 || len(part) > len(b) {
			continue
		}
		copy(b[d.between(0, len(b)-len(part)):], part)
	}
	return b
}

// usualRepeats is how often something that may be repeated without a limit is
// repeated at most.
const usualRepeats = 8

// appendDrawn appends a text that fits re, save for its assertions.
func appendDrawn(b []byte, d *Draw, re *syntax.Regexp, more int) []byte {
	if len(b) > maxPattern {
		return b
	}
	repeat := func(low, high int) []byte {
		if high < 0 {
			high = low + more
		}
		for range min(d.between(low, high), maxPattern) {
			if len(b) > maxPattern {
				break
			}
			b = appendDrawn(b, d, re.Sub[0], more)
		}
		return b
	}
	switch re.Op {
	case syntax.OpLiteral:
		return append(b, string(re.Rune)...)
	case syntax.OpCharClass:
		return appendRune(b, d, re.Rune)
	case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		return append(b, "abcdefghijklmnopqrstuvwxyz0123456789"[d.rand.IntN(36)])
	case syntax.OpStar:
		return repeat(0, -1)
	case syntax.OpPlus:
		return repeat(1, -1)
	case syntax.OpQuest:
		return repeat(0, 1)
	case syntax.OpRepeat:
		return repeat(re.Min, re.Max)
	case syntax.OpAlternate:
		return appendDrawn(b, d, pick(d, re.Sub), more)
	case syntax.OpConcat, syntax.OpCapture:
		for _, sub := range re.Sub {
			b = appendDrawn(b, d, sub, more)
		}
	}
	return b
}

// appendRune draws from the ranges of a class, of its readable characters
// where it has some.
func appendRune(b []byte, d *Draw, ranges []rune) []byte {
	var total rune
	low, high := rune(' '), rune('~')
	for try := 0; total == 0 && try < 2; try++ {
		for i := 0; i < len(ranges); i += 2 {
			total += max(0, min(ranges[i+1], high)-max(ranges[i], low)+1)
		}
		if total == 0 {
			low, high = 0, 0x10FFFF
		}
	}
	if total == 0 {
		return b
	}
	n := rune(d.rand.IntN(int(total)))
	for i := 0; i < len(ranges); i += 2 {
		from := max(ranges[i], low)
		size := max(0, min(ranges[i+1], high)-from+1)
		if n < size {
			return append(b, string(from+n)...)
		}
		n -= size
	}
	return b
}
