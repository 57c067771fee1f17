package catalog

import (
	"maps"

	"rapidmimic.example/internal/core/match"
)

// mappingIndex finds the mappings of a service. It is immutable. An edit of a few
// mappings costs by the number of edits since all were indexed, not by the number of
// mappings.
type mappingIndex struct {
	rules match.Edited[*Mapping]
	// ids are those of the last time when all were indexed; edited those that changed
	// since, with nil for what is gone.
	ids, edited map[string]*Mapping
	// looking is how many mappings ask for more than method and path, or have
	// expressions.
	looking int
}

func (x *mappingIndex) byID(id string) *Mapping {
	if m, ok := x.edited[id]; ok {
		return m
	}
	return x.ids[id]
}

// indexMappings indexes mappings over the contract of the service.
func (s *Service) indexMappings(mappings []*Mapping) mappingIndex {
	x := mappingIndex{ids: make(map[string]*Mapping, len(mappings))}
	for _, m := range mappings {
		x.ids[m.Spec.ID] = m
		x.looking += m.looks()
	}
	x.rules = match.NewEdited(s.entriesOf(mappings))
	return x
}

// with is the index of the same service without some mappings and with others. It
// reports false when all had better be indexed anew.
func (x mappingIndex) with(s *Service, gone, added []*Mapping) (mappingIndex, bool) {
	rules, ok := x.rules.With(s.entriesOf(gone), s.entriesOf(added))
	if !ok {
		return x, false
	}
	next := mappingIndex{rules: rules, ids: x.ids, edited: maps.Clone(x.edited), looking: x.looking}
	if next.edited == nil {
		next.edited = make(map[string]*Mapping, len(gone)+len(added))
	}
	for _, m := range gone {
		next.edited[m.Spec.ID] = nil
		next.looking -= m.looks()
	}
	for _, m := range added {
		next.edited[m.Spec.ID] = m
		next.looking += m.looks()
	}
	return next, true
}

// looks is 1 for a mapping whose answer can depend on the body of a call, else 0.
func (m *Mapping) looks() int {
	if m.Spec.Enabled && (m.Rule.Conditions != nil || !m.Fixed()) {
		return 1
	}
	return 0
}

// entriesOf are the rules of those mappings that are enabled.
func (s *Service) entriesOf(mappings []*Mapping) []match.Entry[*Mapping] {
	entries := make([]match.Entry[*Mapping], 0, len(mappings))
	for _, m := range mappings {
		switch {
		case !m.Spec.Enabled:
		case m.Spec.Call.Operation == "":
			entries = append(entries, match.Entry[*Mapping]{Rule: m.Rule, Value: m})
		default:
			entries = s.appendOnOperation(entries, m)
		}
	}
	return entries
}

// appendOnOperation lets a mapping that names an operation stand wherever its
// calls arrive. One whose operation is gone answers nothing.
func (s *Service) appendOnOperation(entries []match.Entry[*Mapping], m *Mapping) []match.Entry[*Mapping] {
	op := s.Operation(m.Spec.Call.Operation)
	if op == nil {
		return entries
	}
	templates := s.Protocol().Addresses(op)
	if m.Spec.Call.Path != "" {
		templates = []match.Template{m.Rule.Template}
	}
	for _, t := range templates {
		rule := *m.Rule
		if rule.Template = t; len(rule.Methods) == 0 {
			rule.Methods = []string{op.Method}
		}
		if op.ByMessage {
			rule.Operation = op.ID
		}
		entries = append(entries, match.Entry[*Mapping]{Rule: &rule, Value: m})
	}
	return entries
}
