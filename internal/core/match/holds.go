package match

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"

	"rapidmimic/spec"
	"rapidmimic/spec/tree"
)

// testOf compiles the test of a condition.
func (k Compiler) testOf(s spec.Condition) (func([]*tree.Node) (bool, string), error) {
	one := func(expected string, holds func(*tree.Node) bool) func([]*tree.Node) (bool, string) {
		return func(values []*tree.Node) (bool, string) {
			for _, v := range values {
				if holds(v) {
					return true, ""
				}
			}
			return false, expected
		}
	}
	text := func(word string, want *string, holds func(have, want string) bool) func([]*tree.Node) (bool, string) {
		return one(word+" "+strconv.Quote(*want), func(v *tree.Node) bool { return holds(plainText(v), *want) })
	}
	switch {
	case s.Equals != nil:
		return one(shown(s.Equals), func(v *tree.Node) bool { return same(v, s.Equals) }), nil
	case s.Not != nil:
		return func(values []*tree.Node) (bool, string) {
			for _, v := range values {
				if same(v, s.Not) {
					return false, "anything but " + shown(s.Not)
				}
			}
			return true, ""
		}, nil
	case s.Contains != nil:
		return text("containing", s.Contains, strings.Contains), nil
	case s.Starts != nil:
		return text("starting with", s.Starts, strings.HasPrefix), nil
	case s.Ends != nil:
		return text("ending with", s.Ends, strings.HasSuffix), nil
	case s.Pattern != nil:
		re, err := regexp.Compile(*s.Pattern)
		if err != nil {
			return nil, fmt.Errorf("pattern %q: %w", *s.Pattern, err)
		}
		return one("fitting "+*s.Pattern, func(v *tree.Node) bool { return re.MatchString(plainText(v)) }), nil
	case s.Above != nil, s.Below != nil:
		return limitOf(s, one)
	case s.OneOf != nil:
		var names []string
		for _, n := range s.OneOf {
			names = append(names, shown(n))
		}
		return one("one of "+strings.Join(names, ", "), func(v *tree.Node) bool {
			for _, n := range s.OneOf {
				if same(v, n) {
					return true
				}
			}
			return false
		}), nil
	case s.Includes != nil:
		return one("including "+shown(s.Includes), func(v *tree.Node) bool { return includes(v, s.Includes) }), nil
	case s.Schema != nil:
		return k.schemaTest(s.Schema)
	case s.Present != nil && !*s.Present:
		return func(values []*tree.Node) (bool, string) { return len(values) == 0, "not to be there" }, nil
	default:
		return func(values []*tree.Node) (bool, string) { return len(values) > 0, "to be there" }, nil
	}
}

// schemaTest holds values against a JSON Schema: a text that is JSON by what it
// says, any other as a text.
func (k Compiler) schemaTest(n *tree.Node) (func([]*tree.Node) (bool, string), error) {
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

func limitOf(s spec.Condition, one func(string, func(*tree.Node) bool) func([]*tree.Node) (bool, string)) (func([]*tree.Node) (bool, string), error) {
	limit, word := s.Above, "above"
	if s.Below != nil {
		limit, word = s.Below, "below"
	}
	if limit.Kind != tree.Number {
		return nil, fmt.Errorf("%s must be a number, not %s", word, limit.Kind)
	}
	return one(word+" "+limit.Text, func(v *tree.Node) bool {
		text, ok := numberIn(v)
		return ok && (word == "above") == (tree.CompareNumbers(text, limit.Text) > 0) && tree.CompareNumbers(text, limit.Text) != 0
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
