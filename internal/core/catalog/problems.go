package catalog

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// Problem says why a mapping can never answer, "" when nothing is known to keep
// it from that: it is shadowed by another one, or the operation that it names
// is gone.
func (s *Service) Problem(m *Mapping) string {
	s.problemsOnce.Do(func() { s.problems = s.findProblems() })
	return s.problems[m.Spec.ID]
}

// paramNames fits the names in a template: /berths/{number} and /berths/{id}
// take the same calls.
var paramNames = regexp.MustCompile(`\{[A-Za-z_][\w.-]*`)

func (s *Service) findProblems() map[string]string {
	found := make(map[string]string)
	byCalls := make(map[string][]*Mapping)
	for _, m := range s.Mappings {
		name := m.Spec.Call.Operation
		switch {
		case !m.Spec.Enabled:
		case name != "" && s.Operation(name) == nil:
			found[m.Spec.ID] = fmt.Sprintf("operation %q is not in the contract, so it never answers", name)
		default:
			key := name + " " + paramNames.ReplaceAllString(m.Rule.Template.String(), "{")
			byCalls[key] = append(byCalls[key], m)
		}
	}
	for _, same := range byCalls {
		slices.SortFunc(same, func(a, b *Mapping) int { return a.Rule.Compare(b.Rule) })
		for i, m := range same {
			if by := shadow(same[:i], m); by != nil {
				found[m.Spec.ID] = fmt.Sprintf("mapping %q always comes first, so it never answers", by.Spec.ID)
				if m.Rule.Rank == by.Rule.Rank && m.Rule.Conditions == nil && slices.Equal(m.Rule.Methods, by.Rule.Methods) {
					found[m.Spec.ID] = fmt.Sprintf("it asks for the same as mapping %q, which comes first by its id", by.Spec.ID)
				}
			}
		}
	}
	return found
}

// shadow is the first of the mappings that takes every call that m could.
func shadow(before []*Mapping, m *Mapping) *Mapping {
	for _, b := range before {
		if b.Rule.Conditions == nil && (len(b.Rule.Methods) == 0 || len(m.Rule.Methods) > 0 && covers(b.Rule.Methods, m.Rule.Methods)) {
			return b
		}
	}
	return nil
}

func covers(wide, narrow []string) bool {
	return !slices.ContainsFunc(narrow, func(method string) bool {
		return !slices.ContainsFunc(wide, func(w string) bool { return strings.EqualFold(w, method) })
	})
}
