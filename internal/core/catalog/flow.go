package catalog

import (
	"cmp"
	"slices"

	"rapidmimic.example/spec"
)

// Flow is a state machine, put together from the mappings that are its moves.
type Flow struct {
	Name string
	// States are all that a mapping names, in the order in which they can be reached.
	States []string
	Moves  []Move
}

// Move is what a mapping does in a flow: it answers in the states of From, none standing for
// any, and moves the thing that the call is about to To; "" where it only answers.
type Move struct {
	Mapping string
	From    []string
	To      string
}

// Flows are those of all enabled mappings of the service, by their names.
func (s *Service) Flows() (flows []Flow) {
	byName := make(map[string]*Flow)
	over := make(map[string]bool)
	for _, m := range slices.Concat(s.OwnMappings(), s.Mappings) {
		f := m.Spec.Flow
		if f == nil || !m.Spec.Enabled || over[m.Spec.ID] || s.over != nil && s.over.gone[m.Spec.ID] != "" {
			continue
		}
		over[m.Spec.ID] = true // of the highest layer
		if byName[f.Name] == nil {
			byName[f.Name] = &Flow{Name: f.Name}
		}
		byName[f.Name].Moves = append(byName[f.Name].Moves, Move{m.Spec.ID, f.When, f.Then})
	}
	for _, flow := range byName {
		slices.SortFunc(flow.Moves, func(a, b Move) int { return cmp.Compare(a.Mapping, b.Mapping) })
		flow.States = statesOf(flow.Moves)
		flows = append(flows, *flow)
	}
	slices.SortFunc(flows, func(a, b Flow) int { return cmp.Compare(a.Name, b.Name) })
	return flows
}

// statesOf are the states of moves: start, then what can be reached from it, step by step, then
// those that cannot.
func statesOf(moves []Move) []string {
	states := []string{spec.FlowStart}
	add := func(state string) {
		if state != "" && !slices.Contains(states, state) {
			states = append(states, state)
		}
	}
	for i := 0; i < len(states); i++ {
		for _, m := range moves {
			if len(m.From) == 0 || slices.Contains(m.From, states[i]) {
				add(m.To)
			}
		}
	}
	for _, m := range moves {
		for _, from := range m.From {
			add(from)
		}
		add(m.To)
	}
	return states
}
