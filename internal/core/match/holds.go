package match

import (
	"errors"
	"fmt"
	"math"
	"math/big"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// test is a compiled test: whether it holds of the values that a condition found, and
// what was expected where it does not.
type test func(values []*tree.Node) (ok bool, expected string)

// tests compile each test of conditions, by its name; that of "" stands for none.
var tests = map[string]func(k Compiler, s *spec.Condition) (test, error){
	"":        func(Compiler, *spec.Condition) (test, error) { return presence(true), nil },
	"present": func(_ Compiler, s *spec.Condition) (test, error) { return presence(*s.Present), nil },
	"equals": func(_ Compiler, s *spec.Condition) (test, error) {
		return oneHolds(shown(s.Equals), func(v *tree.Node) bool { return same(v, s.Equals) }), nil
	},
	"not": func(_ Compiler, s *spec.Condition) (test, error) { // a value; see negated
		return func(values []*tree.Node) (bool, string) {
			for _, v := range values {
				if same(v, s.Not) {
					return false, "anything but " + shown(s.Not)
				}
			}
			return true, ""
		}, nil
	},
	"contains": func(_ Compiler, s *spec.Condition) (test, error) {
		return textTest("containing", *s.Contains, strings.Contains), nil
	},
	"starts": func(_ Compiler, s *spec.Condition) (test, error) {
		return textTest("starting with", *s.Starts, strings.HasPrefix), nil
	},
	"ends": func(_ Compiler, s *spec.Condition) (test, error) {
		return textTest("ending with", *s.Ends, strings.HasSuffix), nil
	},
	"pattern": func(_ Compiler, s *spec.Condition) (test, error) {
		re, err := regexp.Compile(*s.Pattern)
		if err != nil {
			return nil, fmt.Errorf("pattern %q: %w", *s.Pattern, err)
		}
		return oneHolds("fitting "+*s.Pattern, func(v *tree.Node) bool { return re.MatchString(plainText(v)) }), nil
	},
	"above": func(_ Compiler, s *spec.Condition) (test, error) { return limitTest("above", s.Above, 1) },
	"below": func(_ Compiler, s *spec.Condition) (test, error) { return limitTest("below", s.Below, -1) },
	"oneOf": func(_ Compiler, s *spec.Condition) (test, error) {
		names := make([]string, len(s.OneOf))
		for i, n := range s.OneOf {
			names[i] = shown(n)
		}
		return oneHolds("one of "+strings.Join(names, ", "), func(v *tree.Node) bool {
			return slices.ContainsFunc(s.OneOf, func(n *tree.Node) bool { return same(v, n) })
		}), nil
	},
	"includes": func(_ Compiler, s *spec.Condition) (test, error) {
		return oneHolds("including "+shown(s.Includes), func(v *tree.Node) bool { return includes(v, s.Includes) }), nil
	},
	"digest": func(_ Compiler, s *spec.Condition) (test, error) {
		return oneHolds(expectedDigest(*s.Digest), func(v *tree.Node) bool { return v.Text == *s.Digest }), nil
	},
	"length": func(_ Compiler, s *spec.Condition) (test, error) {
		wanted, err := strconv.Atoi(s.Length.Text)
		if err != nil || s.Length.Kind != tree.Number || wanted < 0 {
			return nil, fmt.Errorf("length must be a whole number from 0, not %s", shown(s.Length))
		}
		return oneHolds("length "+s.Length.Text, func(v *tree.Node) bool { return lengthOf(v) == wanted }), nil
	},
	"type": func(_ Compiler, s *spec.Condition) (test, error) {
		if !slices.Contains(jsonTypes, *s.Type) {
			return nil, fmt.Errorf("type must be one of %s, not %q", strings.Join(jsonTypes, ", "), *s.Type)
		}
		return oneHolds("of type "+*s.Type, func(v *tree.Node) bool { return isType(v, *s.Type) }), nil
	},
	"before": func(_ Compiler, s *spec.Condition) (test, error) { return timeTest("before", *s.Before, -1) },
	"after":  func(_ Compiler, s *spec.Condition) (test, error) { return timeTest("after", *s.After, 1) },
	"near":   func(_ Compiler, s *spec.Condition) (test, error) { return nearTest(s.Near) },
	"count":  func(_ Compiler, s *spec.Condition) (test, error) { return countTest(s.Count) },
	"schema": func(k Compiler, s *spec.Condition) (test, error) { return k.schemaTest(s.Schema) },
}

// jsonTypes are what type can be.
var jsonTypes = []string{"string", "number", "integer", "boolean", "object", "array", "null"}

func isType(v *tree.Node, name string) bool {
	switch name {
	case "number":
		return v.Kind == tree.Number
	case "integer":
		return v.Kind == tree.Number && isWhole(v.Text)
	default:
		return v.Kind == map[string]tree.Kind{"string": tree.String, "boolean": tree.Bool, "object": tree.Map, "array": tree.List, "null": tree.Null}[name]
	}
}

// isWhole reports whether a number has no fraction: 3 and 3.0 have none.
func isWhole(text string) bool {
	r := exactly(text)
	return r != nil && r.IsInt()
}

// mostExponent is the size of the powers of ten up to which numbers are compared exactly.
const mostExponent = 400

// exactly is a number as a fraction; nil for one that is too large or small for that.
func exactly(text string) *big.Rat {
	f, err := strconv.ParseFloat(text, 64)
	if err != nil || len(text) > mostExponent || f != 0 && (math.Abs(f) > 1e300 || math.Abs(f) < 1e-300) {
		return nil
	}
	if r, ok := new(big.Rat).SetString(text); ok {
		return r
	}
	return nil
}

// negated is the test that not is around; nil where it is a value.
func negated(n *tree.Node) *spec.Condition {
	if n.Kind != tree.Map || len(n.Members) != 1 || n.Members[0].Key == "not" {
		return nil
	}
	known := slices.ContainsFunc(spec.Tests, func(t spec.Test) bool { return t.Name == n.Members[0].Key })
	var inner spec.Condition
	if !known || len(tree.Decode(n, &inner, "condition")) > 0 {
		return nil
	}
	return &inner
}

// notTest holds where another test does not.
func (k Compiler) notTest(inner *spec.Condition) (test, error) {
	holds, err := k.testOf(inner)
	if err != nil {
		return nil, fmt.Errorf("not: %w", err)
	}
	return func(values []*tree.Node) (bool, string) {
		if len(values) == 0 && inner.Test() != "present" && inner.Test() != "count" {
			return true, ""
		}
		ok, expected := holds(values)
		if inner.Test() == "not" || !ok {
			return !ok, ""
		}
		return false, "not " + expected
	}, nil
}

// timeLayouts are how dates and times are written.
var timeLayouts = []string{time.RFC3339Nano, "2006-01-02T15:04:05", "2006-01-02 15:04:05", time.DateOnly, call.HTTPDate, time.RFC850, time.ANSIC}

func timeIn(text string) (time.Time, bool) {
	for _, layout := range timeLayouts {
		if t, err := time.Parse(layout, strings.TrimSpace(text)); err == nil {
			return t, true
		}
	}
	return time.Time{}, false
}

// timeTest compares times: side is -1 for those before a moment, 1 for those after.
func timeTest(word, text string, side int) (test, error) {
	moment, ok := timeIn(text)
	if !ok {
		return nil, fmt.Errorf("%s must be a date such as 2026-12-01, or a time such as 2026-12-01T10:00:00Z, not %q", word, text)
	}
	return oneHolds(word+" "+text, func(v *tree.Node) bool {
		t, ok := timeIn(v.Text)
		return ok && v.Kind == tree.String && t.Compare(moment) == side
	}), nil
}

// nearTest holds of numbers that are no further from another than said.
func nearTest(n *tree.Node) (test, error) {
	value, within := n.Get("value"), n.Get("within")
	if value == nil || within == nil || len(n.Members) != 2 || value.Kind != tree.Number || within.Kind != tree.Number {
		return nil, fmt.Errorf("near must be a number and how far from it, such as { value: 12.5, within: 0.1 }, not %s", shown(n))
	}
	middle, most := exactly(value.Text), exactly(within.Text)
	if middle == nil || most == nil || most.Sign() < 0 {
		return nil, fmt.Errorf("near takes numbers of a usual size, and a distance from 0, not %s", shown(n))
	}
	return oneHolds(value.Text+" ± "+within.Text, func(v *tree.Node) bool {
		text, ok := numberIn(v)
		number := exactly(text)
		if !ok || number == nil {
			return false
		}
		distance := new(big.Rat).Sub(number, middle)
		return distance.Abs(distance).Cmp(most) <= 0
	}), nil
}

// countTest holds when the part has so many values.
func countTest(n *tree.Node) (test, error) {
	low, high, expected := 0, math.MaxInt, ""
	switch above, below := n.Get("above"), n.Get("below"); {
	case n.Kind == tree.Number:
		wanted, ok := n.Int()
		if !ok || wanted < 0 {
			return nil, fmt.Errorf("count must be a whole number from 0, not %s", n.Text)
		}
		low, high, expected = wanted, wanted, n.Text
	case n.Kind == tree.Map && len(n.Members) > 0:
		for _, m := range n.Members {
			limit, ok := m.Value.Int()
			if !ok || m.Value.Kind != tree.Number || m.Key != "above" && m.Key != "below" {
				return nil, fmt.Errorf("count must be a number, or { above: 0, below: 5 }, not %s", shown(n))
			}
			expected = strings.TrimSpace(expected + " " + m.Key + " " + strconv.Itoa(limit))
		}
		if above != nil {
			limit, _ := above.Int() // looked at above
			low = limit + 1
		}
		if below != nil {
			limit, _ := below.Int()
			high = limit - 1
		}
	default:
		return nil, fmt.Errorf("count must be a number, or { above: 0, below: 5 }, not %s", shown(n))
	}
	return func(values []*tree.Node) (bool, string) {
		return low <= len(values) && len(values) <= high, fmt.Sprintf("%s of them, not %d", expected, len(values))
	}, nil
}

// testOf compiles the test of a condition.
func (k Compiler) testOf(s *spec.Condition) (test, error) {
	name := s.Test()
	if name == "not" {
		if inner := negated(s.Not); inner != nil {
			return k.notTest(inner)
		}
	}
	compile := tests[name]
	if compile == nil {
		return nil, fmt.Errorf("the test %q is not known", name)
	}
	return compile(k, s)
}

// oneHolds is a test that holds when it does of one of the values.
func oneHolds(expected string, holds func(*tree.Node) bool) test {
	return func(values []*tree.Node) (bool, string) { return slices.ContainsFunc(values, holds), expected }
}

func textTest(word, want string, holds func(have, want string) bool) test {
	return oneHolds(word+" "+strconv.Quote(want), func(v *tree.Node) bool { return holds(plainText(v), want) })
}

func presence(wanted bool) test {
	expected := "to be there"
	if !wanted {
		expected = "not to be there"
	}
	return func(values []*tree.Node) (bool, string) { return len(values) > 0 == wanted, expected }
}

// schemaTest holds values against a JSON Schema: a text that is JSON by what it
// says, any other as a text.
func (k Compiler) schemaTest(n *tree.Node) (test, error) {
	schema, err := k.Schema(n)
	if err != nil {
		return nil, fmt.Errorf("schema: %w", err)
	}
	return func(values []*tree.Node) (bool, string) {
		breach := ""
		for _, v := range values {
			if v.Kind == tree.String {
				if parsed, err := tree.ParseJSON([]byte(v.Text)); err == nil {
					v = parsed
				}
			}
			if breach = schema.Breach(v); breach == "" {
				return true, ""
			}
		}
		return false, "what the schema allows (" + breach + ")"
	}, nil
}

// lengthOf is how many characters a text has, elements a list or members an object; -1
// for what has no length.
func lengthOf(v *tree.Node) int {
	switch v.Kind {
	case tree.String:
		return utf8.RuneCountInString(v.Text)
	case tree.List:
		return len(v.Items)
	case tree.Map:
		return len(v.Members)
	default:
		return -1
	}
}

// limitTest compares numbers: side is 1 for those above the limit, -1 for those below.
func limitTest(word string, limit *tree.Node, side int) (test, error) {
	if limit.Kind != tree.Number {
		return nil, fmt.Errorf("%s must be a number, not %s", word, limit.Kind)
	}
	return oneHolds(word+" "+limit.Text, func(v *tree.Node) bool {
		text, ok := numberIn(v)
		return ok && tree.CompareNumbers(text, limit.Text) == side
	}), nil
}

// numberIn is the number that a value is, or that is written in a text.
func numberIn(v *tree.Node) (text string, ok bool) {
	if v.Kind == tree.Number {
		return v.Text, true
	}
	if v.Kind != tree.String {
		return "", false
	}
	text = strings.TrimSpace(v.Text)
	f, err := strconv.ParseFloat(text, 64)
	if err != nil && !errors.Is(err, strconv.ErrRange) || math.IsNaN(f) || strings.ContainsAny(text, "xX_pPiI") {
		return "", false
	}
	return text, true
}

// same compares a value of a call with one of a document. Queries and headers
// are texts, so a number there is compared by what is written.
func same(v, want *tree.Node) bool {
	if v.Kind == tree.String && want.Kind != tree.String && want.Kind != tree.List && want.Kind != tree.Map {
		return v.Text == want.Text
	}
	return tree.Equal(v, want)
}

// includes reports whether v has everything that want has: members of objects,
// elements of lists in any place.
func includes(v, want *tree.Node) bool {
	switch {
	case want.Kind == tree.Map && v.Kind == tree.Map:
		for _, m := range want.Members {
			if have := v.Get(m.Key); have == nil || !includes(have, m.Value) {
				return false
			}
		}
		return true
	case want.Kind == tree.List && v.Kind == tree.List:
		for _, w := range want.Items {
			found := false
			for _, have := range v.Items {
				found = found || includes(have, w)
			}
			if !found {
				return false
			}
		}
		return true
	default:
		return same(v, want)
	}
}

func plainText(n *tree.Node) string {
	if n.Kind == tree.List || n.Kind == tree.Map {
		return string(n.AppendJSON(nil))
	}
	return n.Text
}

// shown is a value in a sentence.
func shown(n *tree.Node) string {
	text := string(n.AppendJSON(nil))
	if len(text) > 80 {
		return text[:80] + "…"
	}
	return text
}
