package match

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

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
	"not": func(_ Compiler, s *spec.Condition) (test, error) {
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
	"schema": func(k Compiler, s *spec.Condition) (test, error) { return k.schemaTest(s.Schema) },
}

// testOf compiles the test of a condition.
func (k Compiler) testOf(s *spec.Condition) (test, error) {
	name := s.Test()
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
