package boundary

import (
	"fmt"
	"math/big"
	"slices"
	"strings"

	"rapidmimic.example/spec/tree"
)

// Values are the boundary values of the field, in the order in which one tries them, without what
// it has already.
func (f *Field) Values() []Value {
	c := &collector{field: f}
	for _, kind := range f.kinds() {
		switch kind {
		case "integer":
			c.numbers(true)
		case "number":
			c.numbers(false)
		case "boolean":
			c.add("true", "true", tree.NewBool(true))
			c.add("false", "false", tree.NewBool(false))
		case "array":
			c.lists()
		case "object":
			c.objects()
		case "string":
			c.texts()
		}
	}
	c.enumeration()
	c.wrongTypes()
	c.add("null", "null", &tree.Node{Kind: tree.Null})
	if !f.element && f.Name != "" && f.Present != nil {
		c.values = append(c.values, Value{ID: "missing", Says: "the field is not there"})
	}
	f.judge(c.values)
	return c.values
}

// kinds are the types that the field can have: by its schema, else by what stands there.
func (f *Field) kinds() (kinds []string) {
	if f.Schema != nil {
		kinds = slices.DeleteFunc(slices.Clone(f.Schema.Types()), func(kind string) bool { return kind == "null" })
	}
	if len(kinds) > 0 || f.Present == nil {
		return kinds
	}
	switch f.Present.Kind {
	case tree.Number:
		if _, whole := f.Present.Int(); whole {
			return []string{"integer"}
		}
		return []string{"number"}
	case tree.String:
		return []string{"string"}
	case tree.Bool:
		return []string{"boolean"}
	case tree.List:
		return []string{"array"}
	case tree.Map:
		return []string{"object"}
	default:
		return nil
	}
}

// collector gathers values, each once.
type collector struct {
	field  *Field
	values []Value
}

func (c *collector) add(id, says string, n *tree.Node, follows ...Follow) {
	if c.field.Present != nil && tree.Equal(c.field.Present, n) {
		return
	}
	if slices.ContainsFunc(c.values, func(v Value) bool { return v.ID == id || v.Node != nil && tree.Equal(v.Node, n) }) {
		return
	}
	c.values = append(c.values, Value{ID: id, Says: says, Node: n, Follows: follows})
}

func (c *collector) text(id, says, text string) { c.add(id, says, tree.NewString(text)) }

func (c *collector) number(id, says, digits string) { c.add(id, says, tree.NewNumber(digits)) }

// keyword is what the schema says by a word; nil for nothing.
func (c *collector) keyword(word string) *tree.Node {
	if c.field.Schema == nil {
		return nil
	}
	return c.field.Schema.Keyword(word)
}

// count is a whole number that the schema gives, such as maxLength.
func (c *collector) count(word string) (n int, ok bool) {
	if n, ok = c.keyword(word).Int(); ok && (n < 0 || n > mostCharacters) {
		return 0, false
	}
	return n, ok
}

func (c *collector) numbers(whole bool) {
	c.number("zero", "0", "0")
	c.number("one", "1", "1")
	c.number("negative", "below zero", "-1")
	for _, limit := range []string{"minimum", "exclusiveMinimum", "maximum", "exclusiveMaximum"} {
		c.limit(limit, whole)
	}
	if whole {
		c.number("above-32-bits", "one more than 32 bits hold", "2147483648")
		c.number("below-32-bits", "one less than 32 bits hold", "-2147483649")
		c.number("inexact", "the first whole number that a double does not hold", "9007199254740993")
		c.number("above-64-bits", "one more than 64 bits hold", "9223372036854775808")
		c.number("fraction", "a fraction", "1.5")
		return
	}
	c.number("tiny", "very little above zero", "0.000001")
	c.number("many-decimals", "many decimals", "1.2345678901234567890")
	c.number("third-decimal", "half a cent", "0.005")
	c.number("exponent", "with an exponent", "1.5e3")
	c.number("huge", "very large", "1e308")
	c.number("inexact", "a sum that doubles get wrong", "0.30000000000000004")
}

// limit adds a limit of the schema and the numbers next to it.
func (c *collector) limit(word string, whole bool) {
	said := c.keyword(word)
	if said == nil || said.Kind != tree.Number {
		return
	}
	limit, ok := new(big.Rat).SetString(said.Text)
	if !ok || len(said.Text) > 40 || strings.ContainsAny(said.Text, "eE") {
		return
	}
	step, digits := big.NewRat(1, 1), 0
	if !whole {
		digits = 2
		if _, after, fraction := strings.Cut(said.Text, "."); fraction {
			digits = max(digits, len(after))
		}
		step.SetString("1e-" + fmt.Sprint(digits))
	}
	if multiple := c.keyword("multipleOf"); multiple != nil && len(multiple.Text) <= 40 && !strings.ContainsAny(multiple.Text, "eE") {
		if of, ok := new(big.Rat).SetString(multiple.Text); ok && of.Sign() > 0 {
			step = of
			if _, after, fraction := strings.Cut(multiple.Text, "."); fraction {
				digits = max(digits, len(after))
			}
		}
	}
	name := strings.ToLower(strings.TrimPrefix(word, "exclusive"))
	says := map[string]string{"minimum": "least", "maximum": "greatest"}[name]
	write := func(r *big.Rat) string { return r.FloatString(digits) }
	c.number(name, "the "+says+" that is named", said.Text)
	c.number("just-below-"+name, "a step below the "+says, write(new(big.Rat).Sub(limit, step)))
	c.number("just-above-"+name, "a step above the "+says, write(new(big.Rat).Add(limit, step)))
}

// mostCharacters bounds the texts that are made for a limit of the schema; veryLong is how long a
// text is where there is none.
const (
	mostCharacters = 200_000
	veryLong       = 10_000
)

func (c *collector) texts() {
	format := c.keyword("format").Str()
	c.text("empty", "no character", "")
	c.text("blank", "spaces alone", "   ")
	if c.keyword("enum") != nil { // see enumeration
		return
	}
	c.lengths()
	for _, v := range formatted[format] {
		c.text(v.id, v.says, v.text)
	}
	if format != "" && formatted[format] != nil {
		c.text("not-"+format, "no "+format, "quay")
		return
	}
	for _, v := range plainTexts {
		c.text(v.id, v.says, v.text)
	}
}

// lengths adds texts about as long as the schema allows, and a very long one.
func (c *collector) lengths() {
	of := func(n int) string {
		unit := []rune("x")
		if p := c.field.Present; p != nil && p.Kind == tree.String && p.Text != "" {
			unit = []rune(p.Text)
		}
		text := make([]rune, n)
		for i := range text {
			text[i] = unit[i%len(unit)]
		}
		return string(text)
	}
	if n, ok := c.count("minLength"); ok && n > 0 {
		c.text("shortest", fmt.Sprintf("%d characters, the least", n), of(n))
		c.text("too-short", fmt.Sprintf("%d characters, one too few", n-1), of(n-1))
	}
	if n, ok := c.count("maxLength"); ok {
		c.text("longest", fmt.Sprintf("%d characters, the most", n), of(n))
		c.text("too-long", fmt.Sprintf("%d characters, one too many", n+1), of(n+1))
	}
	c.text("very-long", fmt.Sprintf("%d characters", veryLong), of(veryLong))
}

type textValue struct{ id, says, text string }

// plainTexts are tried where a text has no form of its own.
var plainTexts = []textValue{
	{"one-character", "one character", "x"},
	{"space-around", "spaces around it", " quay "},
	{"right-to-left", "written from right to left", "רציף צפוני"},
	{"emoji", "emoji, one of them put together of several", "⚓ 👩‍✈️ 🏳️‍🌈"},
	{"combining", "letters with marks of their own", "e\u0301\u0323 n\u0303 A\u030a"},
	{"wide", "letters outside of ASCII", "Ærøskøbing, 北埠頭, Ωμέγα"},
	{"lines", "several lines and a tab", "first\nsecond\tthird\r\nfourth"},
	{"markup", "HTML with a script", `<script>alert("quay")</script><b>quay</b>`},
	{"query", "a quotation mark and SQL", `'; DROP TABLE berths; --`},
	{"template", "marks of templates", "${7*7} {{7*7}} %s %n"},
	{"path", "a path that leads upwards", "../../../etc/passwd"},
	{"quoting", "quotation marks and backslashes", `"quoted" \ 'single' ` + "`back`"},
	{"null-text", "the word null", "null"},
	{"digits", "a number as a text", "00123"},
	{"control", "a control character", "quay\u0000\u001b[31m"},
}

// formatted are tried where a text has a format.
var formatted = map[string][]textValue{
	"date": {
		{"leap-day", "a leap day", "2028-02-29"},
		{"no-leap-day", "a leap day of another year", "2027-02-29"},
		{"end-of-month", "the last day of a month", "2027-01-31"},
		{"end-of-year", "the last day of a year", "2027-12-31"},
		{"epoch", "the day where computers begin to count", "1970-01-01"},
		{"before-epoch", "long ago", "1899-12-31"},
		{"far-future", "the last day with four digits", "9999-12-31"},
		{"above-32-bits", "after 32 bits of seconds", "2038-01-20"},
		{"day-first", "the day first", "31.12.2027"},
	},
	"date-time": {
		{"leap-day", "a leap day", "2028-02-29T12:00:00Z"},
		{"no-leap-day", "a leap day of another year", "2027-02-29T12:00:00Z"},
		{"end-of-year", "the last second of a year", "2027-12-31T23:59:59Z"},
		{"midnight", "midnight", "2027-06-01T00:00:00Z"},
		{"other-zone", "a zone far east", "2027-06-01T00:30:00+14:00"},
		{"half-hour-zone", "a zone off the hour", "2027-06-01T00:30:00-03:30"},
		{"clock-gap", "a time that clocks in Europe leap over", "2027-03-28T02:30:00+01:00"},
		{"clock-twice", "a time that clocks in Europe show twice", "2027-10-31T02:30:00+02:00"},
		{"nanoseconds", "nine decimals", "2027-06-01T12:00:00.123456789Z"},
		{"epoch", "where computers begin to count", "1970-01-01T00:00:00Z"},
		{"before-epoch", "long ago", "1899-12-31T23:59:59Z"},
		{"far-future", "the last second with four digits", "9999-12-31T23:59:59Z"},
		{"above-32-bits", "after 32 bits of seconds", "2038-01-19T03:14:08Z"},
		{"no-zone", "without a zone", "2027-06-01T12:00:00"},
		{"date-only", "without a time", "2027-06-01"},
	},
	"time": {
		{"midnight", "midnight", "00:00:00Z"},
		{"last-second", "the last second", "23:59:59Z"},
		{"other-zone", "a zone far east", "00:30:00+14:00"},
		{"hour-24", "the hour 24", "24:00:00Z"},
	},
	"uuid": {
		{"all-zero", "zeros alone", "00000000-0000-0000-0000-000000000000"},
		{"capitals", "in capitals", "F47AC10B-58CC-4372-A567-0E02B2C3D479"},
		{"braces", "in braces", "{f47ac10b-58cc-4372-a567-0e02b2c3d479}"},
	},
	"email": {
		{"plus", "with a plus and points", "first.last+quay@skerry-sound.example"},
		{"short", "as short as can be", "a@b.example"},
		{"two-ats", "with two @", "harbour@office@skerry-sound.example"},
	},
	"uri": {
		{"query", "with a query and a fragment", "https://skerry-sound.example/berths?pier=north&a=%20#top"},
		{"script", "a script", "javascript:alert(1)"},
		{"relative", "without a host", "/berths/N7"},
		{"spaces", "with spaces", "https://skerry-sound.example/north pier"},
	},
	"ipv4": {
		{"loopback", "this machine", "127.0.0.1"},
		{"all-ones", "everybody", "255.255.255.255"},
		{"above-255", "a number above 255", "256.0.0.1"},
	},
}

// enumeration adds the other values that the schema lists, and such as it does not.
func (c *collector) enumeration() {
	listed := c.keyword("enum").Elements()
	if len(listed) == 0 {
		return
	}
	for i, n := range listed[:min(len(listed), mostListed)] {
		c.add(fmt.Sprintf("listed-%d", i+1), "another value that is listed", n)
	}
	if listed[0].Kind == tree.String {
		c.text("not-listed", "a value that is not listed", "a-value-that-is-not-listed")
		if upper := strings.ToUpper(listed[0].Text); upper != listed[0].Text {
			c.text("listed-in-capitals", "a listed value in capitals", upper)
		}
	} else {
		c.number("not-listed", "a value that is not listed", "987654")
	}
}

// mostListed bounds how many values of an enumeration are offered.
const mostListed = 30

// wrongTypes adds a value of each other type.
func (c *collector) wrongTypes() {
	kinds := c.field.kinds()
	other := func(kind string) bool { return !slices.Contains(kinds, kind) }
	if other("string") {
		text := "quay"
		if p := c.field.Present; p != nil && (p.Kind == tree.Number || p.Kind == tree.Bool) {
			text = p.Text
		}
		c.text("as-text", "as a text", text)
	}
	if other("number") && other("integer") {
		c.number("as-number", "as a number", "12")
	}
	if other("boolean") {
		c.add("as-truth-value", "as a truth value", tree.NewBool(true))
	}
	if other("array") {
		item := c.field.Present
		if item == nil {
			item = tree.NewString("quay")
		}
		c.add("as-list", "as a list", tree.NewList(item))
	}
	if other("object") {
		c.add("as-object", "as an object", tree.NewMap(tree.Member{Key: "value", Value: tree.NewString("quay")}))
	}
}
