package catalog

import (
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract"
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
		case s.withoutOriginal(m) != "":
			found[m.Spec.ID] = fmt.Sprintf("mapping %q, whose answer it starts from, is gone, so it fails", s.withoutOriginal(m))
		case s.withoutVariable(m) != "":
			found[m.Spec.ID] = fmt.Sprintf("variable %s has no value here, so it fails", s.withoutVariable(m))
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
	by, same := s.shadowOf(m)
	switch {
	case by == nil:
		return ""
	case same && by.Rule.Rank == m.Rule.Rank:
		return fmt.Sprintf("it asks for the same as mapping %q, which comes first by its id", by.Spec.ID)
	default:
		return fmt.Sprintf("mapping %q always comes first, so it never answers", by.Spec.ID)
	}
}

// shadowOf is the mapping that takes every call that m could, nil when none is known to;
// same tells that it asks for the same.
func (s *Service) shadowOf(m *Mapping) (by *Mapping, same bool) {
	segments := match.Split(nil, m.Rule.Template.String())
	for _, f := range s.mappings.rules.Some("", segments, nil, mostCompared) {
		b, rule := f.Value, f.Rule
		if b == m || b.Spec.Call.Operation != m.Spec.Call.Operation && b.Spec.Call.Operation != "" || rule.Compare(m.Rule) >= 0 ||
			b.Spec.Sequence != nil && b.Spec.Then == spec.Pass || !methodsCover(rule, m.Rule) || !sameAddresses(rule, m) {
			continue
		}
		if same = asksTheSame(b, m); same || rule.Conditions == nil {
			return b, same
		}
	}
	return nil, false
}

// Obstacle says what keeps a mapping from answering the next call that it fits, and what
// can be done about it; "" when nothing is known to. Unlike Problem it looks at one mapping
// alone.
func (s *Service) Obstacle(m *Mapping) string {
	name := m.Spec.Call.Operation
	switch {
	case !m.Spec.Enabled:
		return ""
	case name != "" && s.Operation(name) == nil:
		return fmt.Sprintf("operation %q is not in the contract", name)
	case s.withoutOriginal(m) != "":
		return fmt.Sprintf("mapping %q, whose answer it starts from, is gone", s.withoutOriginal(m))
	case s.withoutVariable(m) != "":
		return fmt.Sprintf("variable %s has no value here", s.withoutVariable(m))
	case s.Spec.Relays():
		return "the service relays all its calls to its upstream: set its mode to answer"
	}
	by, same := s.shadowOf(m)
	switch {
	case by == nil:
		return ""
	case same && by.Rule.Rank == m.Rule.Rank:
		return fmt.Sprintf("mapping %q asks for the same and comes first: remove or disable it, give this one a rank above %d, or another condition", by.Spec.ID, by.Spec.Rank)
	default:
		return fmt.Sprintf("mapping %q takes every call that this one fits: give this one a rank above %d, or remove or disable the other", by.Spec.ID, by.Spec.Rank)
	}
}

// Suspicion says what of a mapping is probably not meant; "" for nothing.
func (s *Service) Suspicion(m *Mapping) string {
	path := strings.TrimPrefix(m.Spec.Call.Path, "/")
	first := path[:min(len(path), len(s.Spec.Name))]
	if !strings.EqualFold(first, s.Spec.Name) || len(path) > len(first) && path[len(first)] != '/' {
		return ""
	}
	if s.Contract != nil && slices.ContainsFunc(s.Contract.Operations, func(op *contract.Operation) bool {
		return strings.HasPrefix(op.Template.String(), "/"+first)
	}) {
		return ""
	}
	return fmt.Sprintf("the path begins with the name of the service, so calls to /%s%s are meant: paths are relative to the service", s.Spec.Name, m.Spec.Call.Path)
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
