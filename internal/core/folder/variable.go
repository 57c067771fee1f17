package folder

import (
	"cmp"
	"maps"
	"slices"

	"rapidmimic.example/spec"
)

// What variables, and the set of them that is in use, are called where folders are
// compared.
const (
	VariableKind = "variable"
	InUseKind    = "variables in use"
)

// Place is where a variable is set: in a set, or with "" in none.
type Place struct{ Set, Name string }

// ID names the place in words.
func (p Place) ID() string {
	if p.Set == "" {
		return p.Name
	}
	return p.Name + " in set " + p.Set
}

// Put puts a variable there, in maps that nobody else has.
func (p Place) Put(t *spec.VariableTable, v spec.Variable) {
	into := &t.Variables
	if p.Set != "" {
		if t.VariableSets == nil {
			t.VariableSets = make(map[string]map[string]spec.Variable)
		}
		set := t.VariableSets[p.Set]
		defer func() { t.VariableSets[p.Set] = set }()
		into = &set
	}
	if *into == nil {
		*into = make(map[string]spec.Variable)
	}
	(*into)[p.Name] = v
}

// Remove takes the variable there away, and a set that is empty then.
func (p Place) Remove(t *spec.VariableTable) {
	if p.Set == "" {
		delete(t.Variables, p.Name)
		return
	}
	if delete(t.VariableSets[p.Set], p.Name); len(t.VariableSets[p.Set]) == 0 {
		delete(t.VariableSets, p.Set)
	}
}

// Variables are those of a table by their places.
type Variables map[Place]spec.Variable

// Variable is a variable at its place.
type Variable struct {
	Place
	spec.Variable
}

// VariablesOf lists the variables of a table.
func VariablesOf(t spec.VariableTable) Variables {
	all := make(Variables, len(t.Variables))
	for name, v := range t.Variables {
		all[Place{"", name}] = v
	}
	for set, variables := range t.VariableSets {
		for name, v := range variables {
			all[Place{set, name}] = v
		}
	}
	return all
}

// Sorted lists them by their places.
func (v Variables) Sorted() (all []Variable) {
	places := slices.SortedFunc(maps.Keys(v), func(a, b Place) int { return cmp.Or(cmp.Compare(a.Set, b.Set), cmp.Compare(a.Name, b.Name)) })
	for _, place := range places {
		all = append(all, Variable{place, v[place]})
	}
	return all
}

// mergedVariables is what the environment has, and what the folder has otherwise and keeps.
func mergedVariables(local, state spec.VariableTable, keep Keep) (table spec.VariableTable) {
	key := func(v Variable) string { return v.ID() }
	kept := func(service, kind, id string, local any) bool {
		return keep(service, kind, id, local.(Variable).Variable)
	}
	for _, v := range merged(VariablesOf(local).Sorted(), VariablesOf(state).Sorted(), key, VariableKind, kept) {
		v.Put(&table, v.Variable)
	}
	return table
}
