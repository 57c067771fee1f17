package catalog

import (
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec"
)

// Problem says why a mapping can never answer, "" when nothing is known to keep
// it from that: it is shadowed by another one, or the operation that it names
// is gone.
func (s *Service) Problem(m *Mapping) string {
	s.problemsOnce.Do(func() { s.problems = s.findProblems() })
	return s.problems[m.Spec.ID]
}

func (s *Service) findProblems() map[string]string {
	found := make(map[string]string)
	for _, m := range s.Mappings {
		switch name := m.Spec.Call.Operation; {
		case !m.Spec.Enabled:
		case name != "" && s.Operation(name) == nil:
			found[m.Spec.ID] = fmt.Sprintf("operation %q is not in the contract, so it never answers", name)
		default:
			if reason := s.shadowed(m); reason != "" {
				found[m.Spec.ID] = reason
			}
		}
	}
	return found
}

// shadowed says which mapping takes every call that m could, "" when none is
// known to.
func (s *Service) shadowed(m *Mapping) string {
	segments := match.Split(nil, m.Rule.Template.String())
	for _, f := range s.mappings.rules.Some("", segments, nil, mostCompared) {
		b, rule := f.Value, f.Rule
		if b == m || b.Spec.Call.Operation != m.Spec.Call.Operation && b.Spec.Call.Operation != "" || rule.Compare(m.Rule) >= 0 ||
			b.Spec.Sequence != nil && b.Spec.Then == spec.Pass || !methodsCover(rule, m.Rule) || !sameAddresses(rule, m) {
			continue
		}
		same := asksTheSame(b, m)
		switch {
		case same && rule.Rank == m.Rule.Rank:
			return fmt.Sprintf("it asks for the same as mapping %q, which comes first by its id", b.Spec.ID)
		case same || rule.Conditions == nil:
			return fmt.Sprintf("mapping %q always comes first, so it never answers", b.Spec.ID)
		}
	}
	return ""
}

// mostCompared is with how many others of its path a mapping is compared.
const mostCompared = 1_000

// sameAddresses reports whether a rule has every path of a mapping. One that
// names an operation alone has those of the operation.
func sameAddresses(rule *match.Rule, m *Mapping) bool {
	return m.Spec.Call.Path == "" || rule.Template.Covers(m.Rule.Template)
}

func methodsCover(b, m *match.Rule) bool {
	return len(b.Methods) == 0 || len(m.Methods) > 0 && covers(b.Methods, m.Methods)
}

// asksTheSame reports whether two mappings have the same conditions.
func asksTheSame(a, b *Mapping) bool {
	if a.Rule.Conditions.Count() != b.Rule.Conditions.Count() {
		return false
	}
	mine, theirs := a.Spec.Call, b.Spec.Call
	mine.Method, theirs.Method, mine.Path, theirs.Path = nil, nil, "", ""
	return documentDigest(mine) == documentDigest(theirs)
}

func covers(wide, narrow []string) bool {
	return !slices.ContainsFunc(narrow, func(method string) bool {
		return !slices.ContainsFunc(wide, func(w string) bool { return strings.EqualFold(w, method) })
	})
}
