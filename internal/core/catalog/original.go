package catalog

import (
	"fmt"
	"slices"
	"strconv"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// MaxOriginals is how many answers may stand behind one, each starting from the next.
const MaxOriginals = 8

// Original is the mapping with an id whose answer a mapping of this view starts from, nil
// for none. One that names its own id starts from the one it stands above.
func (s *Service) Original(m *Mapping, id string) *Mapping {
	if id != m.Spec.ID {
		return s.Mapping(id)
	}
	over := s.OwnMappings()
	over = over[slices.Index(over, m)+1:]
	if i := slices.IndexFunc(over, func(other *Mapping) bool { return other.Spec.ID == id && !other.Chosen }); i >= 0 {
		return over[i]
	}
	if below := s.mappings.byID(id); below != m {
		return below
	}
	return nil
}

// withoutOriginal is the id of a mapping that another starts from, and that is gone; ""
// where none is.
func (s *Service) withoutOriginal(m *Mapping) string {
	for i := range m.Replies {
		if id := m.Replies[i].Spec.Original(); id != "" && s.Original(m, id) == nil {
			return id
		}
	}
	return ""
}

// originFaults say which mappings of a document start from an answer that there is not, or
// in the end from themselves. stored finds those that are there already.
func originFaults(mappings []spec.Mapping, stored func(id string) *Mapping) (items []problem.Item) {
	given := make(map[string]spec.Mapping, len(mappings))
	for _, m := range mappings {
		given[m.ID] = m
	}
	find := func(id string) (m spec.Mapping, ok bool) {
		if m, ok = given[id]; ok {
			return m, true
		}
		if have := stored(id); have != nil {
			return have.Spec, true
		}
		return m, false
	}
	for i, m := range mappings {
		for j, a := range m.Answers() {
			if detail := originFault(m.ID, a, find); detail != "" {
				at := m.AnswerPlace(j) + "/from"
				if len(mappings) > 1 {
					at, detail = "/"+strconv.Itoa(i)+at, fmt.Sprintf("mapping %q: %s", m.ID, detail)
				}
				items = append(items, problem.Item{At: at, Detail: detail})
			}
		}
	}
	return items
}

// originFaultsAbove say which answers of a mapping of a scenario or a lane start from one
// that there is not: beside it, below it, or in a scenario.
func (s *Snapshot) originFaultsAbove(service *Service, m spec.Mapping, beside []spec.Mapping, origin string) (items []problem.Item) {
	find := func(id string) (found spec.Mapping, ok bool) {
		if i := slices.IndexFunc(beside, func(other spec.Mapping) bool { return other.ID == id }); i >= 0 && id != m.ID {
			return beside[i], true
		}
		if have := service.Mapping(id); have != nil {
			return have.Spec, true
		}
		for _, scenario := range s.scenarios {
			other := scenario.Spec.Services[service.Spec.Name].Mappings
			if i := slices.IndexFunc(other, func(other spec.Mapping) bool { return other.ID == id }); i >= 0 && scenario.Origin() != origin {
				return other[i], true
			}
		}
		return found, false
	}
	for i, a := range m.Answers() {
		name := m.ID
		if a.Original() == name { // the one that it stands above
			name = ""
		}
		if detail := originFault(name, a, find); detail != "" {
			items = append(items, problem.Item{At: m.AnswerPlace(i) + "/from", Detail: detail})
		}
	}
	return items
}

// originFault says why an answer of a mapping cannot start from the one that it names; ""
// where it can.
func originFault(id string, a spec.Answer, find func(id string) (spec.Mapping, bool)) string {
	first := a.Original()
	if first == "" {
		return ""
	}
	if _, known := find(first); !known {
		return fmt.Sprintf("no mapping %q is there to start from: put that first, or both in one document", first)
	}
	for reached, depth := []string{first}, 1; len(reached) > 0; depth++ {
		var next []string
		for _, name := range reached {
			if name == id {
				return fmt.Sprintf("the answer starts from mapping %q, and that in the end from this one", first)
			}
			m, _ := find(name)
			for _, a := range m.Answers() {
				if behind := a.Original(); behind != "" && behind != name && !slices.Contains(next, behind) {
					next = append(next, behind)
				}
			}
		}
		if depth > MaxOriginals {
			return fmt.Sprintf("more than %d answers stand behind this one, each starting from the next", MaxOriginals)
		}
		reached = next
	}
	return ""
}

// renameOriginal has the mappings of a service that start from another find it under its
// new id.
func (e *edit) renameOriginal(s *Service, id, renamed string) (*Service, error) {
	var changed []*Mapping
	for _, m := range s.Mappings {
		next, starts := m.Spec.StartingFrom(id, renamed)
		if !starts {
			continue
		}
		made, faults := compileMapping(StoredMapping{s.Spec.ID, next, e.catalog.nextLocked(), m.Position}, s.Payloads)
		if err := problem.FromItems("the mapping cannot be renamed", faults); err != nil {
			return nil, err
		}
		changed = append(changed, made)
	}
	if len(changed) == 0 {
		return s, nil
	}
	return e.putCompiled(s, changed), nil
}
