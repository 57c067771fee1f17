package match

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/call"
)

// Rule is what a mapping asks of a call, compiled. It is immutable.
type Rule struct {
	ID string
	// Layer comes before everything else: a higher one wins.
	Layer    int
	Rank     int
	Methods  []string // none means any
	Template Template
	// Operation is what a message must ask for, where several operations share
	// an address; "" for any.
	Operation string
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
		cmp.Compare(other.Layer, r.Layer),
		cmp.Compare(other.Rank, r.Rank),
		compareTemplates(r.Template, other.Template),
		cmp.Compare(min(len(other.Methods), 1), min(len(r.Methods), 1)),
		cmp.Compare(other.Conditions.Count(), r.Conditions.Count()),
		cmp.Compare(r.ID, other.ID),
	)
}

// Loss says why winner comes before r, which fits the call too.
func (r *Rule) Loss(winner *Rule) call.Finding {
	id := strconv.Quote(winner.ID)
	switch {
	case winner.Layer != r.Layer:
		return call.Find(call.LowerLayer, id)
	case winner.Rank != r.Rank:
		return call.Find(call.LowerRank, id, r.Rank, winner.Rank)
	case compareTemplates(winner.Template, r.Template) != 0:
		return call.Find(call.LessSpecific, winner.Template)
	case min(len(winner.Methods), 1) != min(len(r.Methods), 1):
		return call.Find(call.NamesNoMethod, id)
	case winner.Conditions.Count() != r.Conditions.Count():
		return call.Find(call.AsksForLess, id)
	default:
		return call.Find(call.LaterID, id)
	}
}
