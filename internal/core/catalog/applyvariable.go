package catalog

import (
	"maps"

	"rapidmimic.example/internal/core/folder"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

const (
	variableKind = folder.VariableKind
	inUseKind    = folder.InUseKind
)

// variables brings those of the environment to what the folder says, before its services,
// which use them. What the folder has no longer goes after them: see goneVariables.
func (a *application) variables(env folder.Environment) {
	if env.Faulty {
		return
	}
	next, changed := copiedVariables(a.edit.next), false
	have := folder.VariablesOf(next.VariableTable)
	for _, v := range folder.VariablesOf(env.VariableTable).Sorted() {
		here := ""
		if had, is := have[v.Place]; is {
			here = documentDigest(had)
		}
		switch a.decide(Outcome{Kind: variableKind, ID: v.ID(), File: spec.EnvironmentFile}, documentDigest(v.Variable), here, nobody) {
		case Created, Changed:
			v.Put(&next.VariableTable, v.Variable)
			changed = true
		}
	}
	if on := env.VariableSet; on != nil {
		switch a.decide(Outcome{Kind: inUseKind, File: spec.EnvironmentFile}, switchDigest(*on, ""), switchDigest(next.VariableSet, ""), nobody) {
		case Created, Changed, Removed:
			next.VariableSet, changed = *on, true
		}
	}
	if changed {
		next.VariableTable = next.Keeping(a.edit.next.variables.Variables.VariableTable)
		a.setVariables(next, env)
	}
}

// goneVariables removes those that came from this folder and are not in it any more.
func (a *application) goneVariables(env folder.Environment) {
	if env.Faulty {
		return
	}
	next, changed := copiedVariables(a.edit.next), false
	named := folder.VariablesOf(env.VariableTable)
	for _, v := range folder.VariablesOf(next.VariableTable).Sorted() {
		if _, is := named[v.Place]; is || !a.fromHere(variableKind, v.ID()) {
			continue
		}
		if a.decide(Outcome{Kind: variableKind, ID: v.ID()}, "", documentDigest(v.Variable), nobody) == Removed {
			v.Remove(&next.VariableTable)
			changed = true
		}
	}
	if changed {
		a.setVariables(next, env)
	}
}

// setVariables sets variables, unless something else could not be used then. A set that
// only a service of the folder has is not known yet: its name is taken on trust.
func (a *application) setVariables(v spec.Variables, env folder.Environment) {
	next, change := a.edit.next, a.edit.change.Variables
	var faults []problem.Item
	for _, fault := range a.edit.setVariables(v) {
		if fault.At == "/variableSet" && a.sets[v.VariableSet] {
			continue
		}
		fault.File = spec.EnvironmentFile
		faults = append(faults, fault)
	}
	if len(faults) > 0 {
		a.edit.next, a.edit.change.Variables = next, change
		a.report.Faults = append(a.report.Faults, faults...)
	}
}

// copiedVariables are those of the environment, to be changed.
func copiedVariables(s *Snapshot) spec.Variables {
	v := s.variables.Variables
	v.Variables, v.VariableSets = maps.Clone(v.Variables), maps.Clone(v.VariableSets)
	for name, set := range v.VariableSets {
		v.VariableSets[name] = maps.Clone(set)
	}
	return v
}
