package catalog

import (
	"time"

	"rapidmimic.example/internal/core/folder"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

const (
	scenarioKind   = "scenario"
	impairmentKind = "impairment"
	offKind        = "impairmentsOff"
	onKind         = "scenario on"
	ignoredKind    = "ignored calls"
)

// environment brings what belongs to no single service to what the folder says,
// after its services.
func (a *application) environment(f *folder.Folder) {
	env := f.Environment
	if env.Faulty {
		return
	}
	named := make(map[string]bool)
	usable := a.usable(env)
	for i, s := range env.Scenarios {
		if named[s.Name] = true; usable[s.Name] {
			a.scenario(s, env.ScenarioPlaces[i])
		}
	}
	for _, s := range a.edit.next.Scenarios() {
		if !named[s.Spec.Name] && a.fromHere(scenarioKind, s.Spec.Name) {
			a.goneScenario(s)
		}
	}
	impaired := make(map[string]bool)
	for i, own := range env.Impairments {
		impaired[own.Target.String()] = true
		a.impairment(own, env.ImpairmentPlaces[i])
	}
	for _, i := range a.edit.next.Impairments() {
		target := a.edit.next.TargetOf(i.StoredImpairment)
		switch {
		case impaired[target.String()]:
			continue
		case a.how.Prune && env.Impairments != nil: // the folder says which are on, and that no other is
			a.report.Outcomes = append(a.report.Outcomes, Outcome{Kind: impairmentKind, ID: target.String(), Outcome: Removed})
			a.edit.change.Forgotten = append(a.edit.change.Forgotten, Applied{Kind: impairmentKind, ID: target.String()})
			a.edit.removeImpairments(func(other *Impairment) bool { return other.Key() == i.Key() })
			continue
		case !a.fromHere(impairmentKind, target.String()):
			continue
		}
		if a.decide(Outcome{Kind: impairmentKind, ID: target.String()}, "", impairmentDigest(target, i.Impairment), nobody) == Removed {
			a.edit.removeImpairments(func(other *Impairment) bool { return other.Key() == i.Key() })
		}
	}
	a.switches(env.Environment)
	a.ignored(env.Environment)
}

// ignored says which calls are ignored, where the folder does.
func (a *application) ignored(env spec.Environment) {
	if env.Ignored == nil {
		return
	}
	compiled, faults := compileIgnored(*env.Ignored, a.edit.catalog.labelsOf)
	for _, fault := range faults {
		a.report.Faults = append(a.report.Faults, problem.Item{File: spec.EnvironmentFile, At: "/ignored" + fault.At, Detail: fault.Detail})
	}
	if len(faults) > 0 {
		return
	}
	switch a.decide(Outcome{Kind: ignoredKind, File: spec.EnvironmentFile}, ignoredDigest(*env.Ignored), ignoredDigest(a.edit.next.Ignored().Spec), nobody) {
	case Created, Changed, Removed:
		a.edit.setIgnored(compiled)
	}
}

// ignoredDigest is what is compared of which calls are ignored; that none are is usual.
func ignoredDigest(i spec.Ignored) string {
	if len(i.Calls) == 0 && !i.Off {
		return "usual"
	}
	return documentDigest(i)
}

// switches sets the switches that the folder names.
func (a *application) switches(env spec.Environment) {
	if off := env.ImpairmentsOff; off != nil {
		here := a.edit.next.impairments.off
		switch a.decide(Outcome{Kind: offKind, File: spec.EnvironmentFile}, switchDigest(*off, false), switchDigest(here, false), nobody) {
		case Created, Changed, Removed:
			next := *a.edit.next
			next.impairments.off = *off
			a.edit.next, a.edit.change.ImpairmentsOff = &next, off
		}
	}
	if on := env.Scenario; on != nil {
		here := ""
		if active := a.edit.next.active.at(a.how.At); active != nil {
			here = active.Scenario
		}
		if *on != "" && a.edit.next.Scenario(*on) == nil {
			a.report.Faults = append(a.report.Faults, problem.Item{File: spec.EnvironmentFile, At: "/scenario", Detail: notFound("scenario", *on, a.edit.next.ScenarioNames()).Error()})
			return
		}
		switch a.decide(Outcome{Kind: onKind, File: spec.EnvironmentFile}, switchDigest(*on, ""), switchDigest(here, ""), nobody) {
		case Created, Changed, Removed:
			a.edit.switchTo(*on, a.how.At, AuthorOf(a.ctx))
		}
	}
}

// switchDigest is what is compared of a switch. One that is as it usually is has a digest,
// too: a folder that names it says so.
func switchDigest[T comparable](is, usual T) string {
	if is == usual {
		return "usual"
	}
	return documentDigest(is)
}

// switchTo has a scenario be on for calls in no lane; "" for none.
func (e *edit) switchTo(scenario string, at time.Time, by string) {
	next := *e.next
	if next.active = nil; scenario != "" {
		next.active = &Activation{Scenario: scenario, Since: at, By: by}
	}
	e.next, e.change.Switched = &next, &Activation{}
	if next.active != nil {
		e.change.Switched = next.active
	}
}

// usable finds the scenarios of a folder that can be used, all of them being there,
// and reports what is wrong with the others.
func (a *application) usable(env folder.Environment) map[string]bool {
	trial := &edit{catalog: a.edit.catalog, next: a.edit.next}
	for _, s := range env.Scenarios {
		trial.putScenario(s)
	}
	usable := make(map[string]bool, len(env.Scenarios))
	for i, s := range env.Scenarios {
		faults := trial.next.ScenarioFaults(trial.next.Scenario(s.Name))
		for _, fault := range faults {
			place := env.ScenarioPlaces[i]
			place.At, place.Detail = fault.At, "scenario "+s.Name+": "+fault.Detail
			a.report.Faults = append(a.report.Faults, place)
		}
		usable[s.Name] = len(faults) == 0
	}
	return usable
}

// fromHere reports whether something came from this folder, so that it is missed in
// it.
func (a *application) fromHere(kind, id string) bool {
	before, came := a.before[Applied{Kind: kind, ID: id}]
	return a.how.compare || came && before.Source == a.how.Source
}

func (a *application) scenario(s spec.Scenario, place problem.Item) {
	here := ""
	if have := a.edit.next.Scenario(s.Name); have != nil {
		here = documentDigest(have.Spec)
	}
	o := Outcome{Kind: scenarioKind, ID: s.Name, File: place.File, Line: place.Line}
	switch a.decide(o, documentDigest(s), here, nobody) {
	case Created, Changed:
		a.edit.putScenario(s)
	}
}

func (a *application) goneScenario(s *Scenario) {
	if a.decide(Outcome{Kind: scenarioKind, ID: s.Spec.Name}, "", documentDigest(s.Spec), nobody) != Removed {
		return
	}
	if users := a.edit.next.usersOf(s.Spec.Name, a.how.At); len(users) > 0 && !a.how.compare {
		a.report.Faults = append(a.report.Faults, problem.Item{File: spec.EnvironmentFile, Detail: "scenario " + s.Spec.Name + " stays, since it is used by " + users[0]})
		return
	}
	a.edit.removeScenario(s.Spec.Name)
}

func impairmentDigest(target spec.Target, i spec.Impairment) string {
	return documentDigest(spec.TargetImpairment{Target: target, Impairment: i})
}

// impairment switches an impairment on as the folder has it. Where that names no
// seed, the one that it has here is none of its business.
func (a *application) impairment(own spec.TargetImpairment, place problem.Item) {
	fault := func(detail string) {
		a.report.Faults = append(a.report.Faults, problem.Item{File: place.File, Line: place.Line, Col: place.Col, Detail: "impairment of " + own.Target.String() + ": " + detail})
	}
	serviceID, err := a.edit.next.CheckTarget(own.Target)
	if err != nil {
		fault(err.Error())
		return
	}
	here, seed := "", seedOf(own.Target.String())
	if have := a.edit.next.Impairment(serviceID, own.Target.Operation, own.Target.Mapping); have != nil {
		here, seed = impairmentDigest(own.Target, have.Impairment), have.Impairment.Seed
	}
	if own.Impairment.Seed == nil {
		own.Impairment.Seed = seed
	}
	o := Outcome{Kind: impairmentKind, ID: own.Target.String(), File: place.File, Line: place.Line}
	switch a.decide(o, impairmentDigest(own.Target, own.Impairment), here, nobody) {
	case Created, Changed:
		if wrong := a.edit.setImpairment(serviceID, own.Target, own.Impairment, a.how.At, AuthorOf(a.ctx)); wrong != nil {
			fault(wrong.Detail)
		}
	}
}

// environmentState is what the environment holds that belongs to no single service.
func (s *Snapshot) environmentState() (env spec.Environment) {
	for _, i := range s.Impairments() {
		env.Impairments = append(env.Impairments, spec.TargetImpairment{Target: s.TargetOf(i.StoredImpairment), Impairment: i.Impairment})
	}
	for _, scenario := range s.Scenarios() {
		env.Scenarios = append(env.Scenarios, scenario.Spec)
	}
	env.VariableTable, env.VariableSet = s.variables.Variables.VariableTable, &s.variables.Variables.VariableSet
	ignored := s.Ignored().Spec
	env.ImpairmentsOff, env.Scenario, env.Ignored = &s.impairments.off, new(string), &ignored
	if s.active != nil {
		env.Scenario = &s.active.Scenario
	}
	return env
}
