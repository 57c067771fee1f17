package folder

import (
	"bytes"
	"slices"
	"strings"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// environmentFile has what belongs to no single service.
const environmentFile = spec.EnvironmentFile

// Environment is what environment.yaml says. Its lists have places of the same
// order.
type Environment struct {
	spec.Environment
	ImpairmentPlaces, ScenarioPlaces []problem.Item // without words
	// Faulty is set when the file cannot be used: what is not there may stand in it.
	Faulty bool
}

func (r *reader) environment(file File) {
	read, impairments, scenarios, err := spec.ReadEnvironment(file.Text)
	if err != nil {
		for _, item := range itemsOf(err) {
			item.File = file.Name
			r.folder.Faults = append(r.folder.Faults, item)
		}
		r.folder.Environment.Faulty = true
		return
	}
	places := func(nodes []*tree.Node) (items []problem.Item) {
		for _, n := range nodes {
			items = append(items, problem.Item{File: file.Name, Line: int(n.Line), Col: int(n.Col)})
		}
		return items
	}
	r.folder.Environment = Environment{Environment: read, ImpairmentPlaces: places(impairments), ScenarioPlaces: places(scenarios)}
}

// UpdateEnvironment is Update for what belongs to no single service. The file stays
// as it is, with its comments, when it says the same already.
func UpdateEnvironment(files []File, state spec.Environment, keep Keep) ([]Change, error) {
	local := Read(files).Environment
	state.Impairments = seededAs(state.Impairments, local.Impairments)
	there := slices.ContainsFunc(files, func(f File) bool { return f.Name == environmentFile })
	next := spec.Environment{
		ImpairmentsOff: switched(local.ImpairmentsOff, state.ImpairmentsOff, false, "impairmentsOff", keep),
		Scenario:       switched(local.Scenario, state.Scenario, "", "scenario on", keep),
		VariableTable:  mergedVariables(local.VariableTable, state.VariableTable, keep),
		VariableSet:    switched(local.VariableSet, state.VariableSet, "", InUseKind, keep),
		Ignored:        ignored(local.Ignored, state.Ignored, keep),
		Impairments:    merged(local.Impairments, state.Impairments, func(i spec.TargetImpairment) string { return i.Target.String() }, "impairment", keep),
		Scenarios:      merged(local.Scenarios, state.Scenarios, func(s spec.Scenario) string { return s.Name }, "scenario", keep),
	}
	switch {
	case local.Faulty, bytes.Equal(canonical(next), canonical(local.Environment)):
		return nil, nil
	case next.Empty() && there:
		return []Change{{Name: environmentFile, Remove: true}}, nil
	}
	n, err := tree.From(next)
	if err != nil {
		return nil, err
	}
	text, err := n.YAML()
	return []Change{{Name: environmentFile, Text: text}}, err
}

// seededAs leaves out the seeds of impairments that have none in the folder: which
// one they were given is no edit.
func seededAs(state, local []spec.TargetImpairment) []spec.TargetImpairment {
	state = slices.Clone(state)
	for i := range state {
		if slices.ContainsFunc(local, func(l spec.TargetImpairment) bool { return l.Target == state[i].Target && l.Impairment.Seed == nil }) {
			state[i].Impairment.Seed = nil
		}
	}
	return state
}

// merged is what the environment has, and what the folder has otherwise and keeps,
// in the order of the folder, then of their keys.
func merged[T any](local, state []T, key func(T) string, kind string, keep Keep) (out []T) {
	wanted := make(map[string]T, len(state))
	for _, one := range state {
		wanted[key(one)] = one
	}
	for _, one := range local {
		want, there := wanted[key(one)]
		delete(wanted, key(one))
		switch {
		case there && bytes.Equal(canonical(want), canonical(one)), keep("", kind, key(one), one):
			out = append(out, one)
		case there:
			out = append(out, want)
		}
	}
	var fresh []T
	for _, one := range wanted {
		fresh = append(fresh, one)
	}
	slices.SortFunc(fresh, func(a, b T) int { return strings.Compare(key(a), key(b)) })
	return append(out, fresh...)
}

// ignored is which calls are ignored as the environment has it, unless the folder has an
// edit of its own. That none are stands in the folder only where it stood already.
func ignored(local, state *spec.Ignored, keep Keep) *spec.Ignored {
	switch {
	case local == nil && (state == nil || len(state.Calls) == 0 && !state.Off):
		return nil
	case local != nil && (state == nil || local.Same(*state) || keep("", "ignored calls", "", *local)):
		return local
	default:
		return state
	}
}

// switched is a switch as the environment has it, unless the folder has an edit of its own.
// One that is as it usually is stands in the folder only where it stood already.
func switched[T comparable](local, state *T, usual T, kind string, keep Keep) *T {
	switch {
	case local == nil && (state == nil || *state == usual):
		return nil
	case local != nil && (state == nil || *local == *state || keep("", kind, "", *local)):
		return local
	default:
		return state
	}
}
