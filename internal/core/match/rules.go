package match

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// Rule is what a mapping asks of a call, compiled. It is immutable.
type Rule struct {
	ID       string
	Rank     int
	Methods  []string // none means any
	Template Template
	// Conditions are nil when method and path are all that is asked.
	Conditions *Conditions
}

// AllowsMethod reports whether the rule admits the method.
func (r *Rule) AllowsMethod(method string) bool {
	return len(r.Methods) == 0 || slices.Contains(r.Methods, method)
}

// String names what the rule asks: "GET /berths/{number}".
func (r *Rule) String() string { return MethodsText(r.Methods) + " " + r.Template.String() }

// MethodsText writes methods as they are shown: "GET", "GET|PUT", "any".
func MethodsText(methods []string) string {
	if len(methods) == 0 {
		return "any"
	}
	return strings.Join(methods, "|")
}

// Compare orders rules that fit the same call, the winner first: higher rank,
// then the more specific path, then a named method before any, then more
// conditions, then the id.
func (r *Rule) Compare(other *Rule) int {
	return cmp.Or(
		cmp.Compare(other.Rank, r.Rank),
		compareTemplates(r.Template, other.Template),
		cmp.Compare(min(len(other.Methods), 1), min(len(r.Methods), 1)),
		cmp.Compare(other.Conditions.Count(), r.Conditions.Count()),
		cmp.Compare(r.ID, other.ID),
	)
}

// Loss says why winner comes before r, which fits the call too.
func (r *Rule) Loss(winner *Rule) string {
	switch {
	case winner.Rank != r.Rank:
		return fmt.Sprintf("fits too, but rank %d is below rank %d of %q", r.Rank, winner.Rank, winner.ID)
	case compareTemplates(winner.Template, r.Template) != 0:
		return fmt.Sprintf("fits too, but its path is less specific than %s", winner.Template)
	case min(len(winner.Methods), 1) != min(len(r.Methods), 1):
		return fmt.Sprintf("fits too, but %q names the method", winner.ID)
	case winner.Conditions.Count() != r.Conditions.Count():
		return fmt.Sprintf("fits too, but %q asks for more", winner.ID)
	default:
		return fmt.Sprintf("fits too, but comes after %q in the order of ids", winner.ID)
	}
}

// Rules is an index over the rules of one service, each with a value of the
// caller's. It is immutable once built.
type Rules[T any] struct{ router Router[ruleValue[T]] }

type ruleValue[T any] struct {
	rule  *Rule
	value T
}

// Add puts a rule into the index. All rules are added before the first Find.
func (rs *Rules[T]) Add(rule *Rule, value T) {
	rs.router.Add(rule.Template, ruleValue[T]{rule, value})
}

// Fit is a rule that was looked at for a call because its path fits.
type Fit[T any] struct {
	Rule  *Rule
	Value T
	// Method is false when the call's method is not the rule's.
	Method bool
}

// Find returns every rule whose path fits, the winner first if its Method is
// true, those with another method last.
func (rs *Rules[T]) Find(method string, segments []string) []Fit[T] {
	var buffer [4]ruleValue[T]
	found := rs.router.Find(buffer[:0], segments)
	if len(found) == 0 {
		return nil
	}
	fits := make([]Fit[T], len(found))
	for i, f := range found {
		fits[i] = Fit[T]{f.rule, f.value, f.rule.AllowsMethod(method)}
	}
	if len(fits) > 1 {
		slices.SortFunc(fits, func(a, b Fit[T]) int {
			if a.Method != b.Method {
				if a.Method {
					return -1
				}
				return 1
			}
			return a.Rule.Compare(b.Rule)
		})
	}
	return fits
}
