package catalog

import (
	"context"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// StoredVariables are the variables of the environment with the version of their last
// edit.
type StoredVariables struct {
	Variables spec.Variables
	Version   int64
}

// Variables are those of the environment.
func (s *Snapshot) Variables() StoredVariables { return s.variables }

// Resolved is a variable as the calls of a service see it.
type Resolved struct {
	spec.Variable
	// Origin says who sets it: the environment, set "staging", service "moorings".
	Origin string
}

// level is one of the places that set variables; later ones come before earlier ones.
type level struct {
	origin    string
	variables map[string]spec.Variable
}

// levelsOf are what a table sets, and the set of it that is in use.
func levelsOf(t spec.VariableTable, set, origin string) []level {
	levels := []level{{origin, t.Variables}}
	if own := t.VariableSets[set]; len(own) > 0 {
		levels = append(levels, level{fmt.Sprintf("set %q of %s", set, origin), own})
	}
	return levels
}

// levels are what the environment sets for all services.
func (s *Snapshot) levels() []level {
	return levelsOf(s.variables.Variables.VariableTable, s.variables.Variables.VariableSet, "the environment")
}

// resolved puts levels together.
func resolved(levels []level) (all map[string]Resolved, values map[string]any) {
	for _, l := range levels {
		for name, v := range l.variables {
			if all == nil {
				all, values = make(map[string]Resolved), make(map[string]any)
			}
			if all[name] = (Resolved{v, l.origin}); v.Value == nil {
				delete(values, name)
			} else {
				values[name] = expr.Value(v.Value)
			}
		}
	}
	return all, values
}

// ResolvedVariables are what the environment sets for all services, by name.
func (s *Snapshot) ResolvedVariables() map[string]Resolved {
	all, _ := resolved(s.levels())
	return all
}

// Vars are the values of the variables as expressions of the service see them.
func (s *Service) Vars() map[string]any { return s.vars }

// Vars are the values of the variables as expressions that belong to no service see them.
func (s *Snapshot) Vars() map[string]any { return s.vars }

// withVariables is the snapshot with other variables of the environment.
func (s *Snapshot) withVariables(v StoredVariables) *Snapshot {
	next := *s
	next.variables = v
	_, next.vars = resolved(next.levels())
	next.services = slices.Clone(s.services)
	for i, service := range s.services {
		next.services[i] = service.alike()
		next.services[i].resolve(&next)
	}
	next.index()
	return &next
}

// Variables are those that the calls of the service see, by name.
func (s *Service) Variables() map[string]Resolved { return s.resolved }

// resolve works out what the service has of variables: it must not be shared yet. above are
// those of scenarios and a lane.
func (s *Service) resolve(within *Snapshot, above ...level) {
	levels := append(within.levels(), levelsOf(s.Spec.VariableTable, within.variables.Variables.VariableSet, "service "+strconv.Quote(s.Spec.Name))...)
	s.resolved, s.vars = resolved(append(levels, above...))
	s.settled = true
	s.Upstream, s.UpstreamHeaders, s.UpstreamFault = nil, nil, ""
	if s.Spec.Upstream == "" {
		return
	}
	text, fault := s.fill(s.Spec.Upstream)
	var base *url.URL
	if fault == "" {
		var err error
		if base, err = spec.ParseUpstream(text); err != nil {
			fault = err.Error()
		}
	}
	if s.Upstream = base; fault != "" {
		s.Upstream, s.UpstreamFault = nil, "upstream "+fault
		return
	}
	for _, h := range s.Spec.UpstreamHeaders {
		value, fault := s.fill(h.Value)
		if fault == "" && strings.ContainsAny(value, "\r\n\x00") {
			fault = "must be a single line"
		}
		if fault != "" {
			s.UpstreamFault = fmt.Sprintf("header %s of the upstream: %s", h.Name, fault)
			return
		}
		s.UpstreamHeaders = append(s.UpstreamHeaders, call.Field{Name: h.Name, Value: value})
	}
}

// fill puts variables into a text; fault says why that cannot be.
func (s *Service) fill(text string) (filled, fault string) {
	template, faults := expr.CompileTemplate(tree.NewString(text))
	if len(faults) > 0 {
		return "", faults[0].Detail
	}
	if detail := expr.BesideVariables(text); detail != "" {
		return "", detail
	}
	filled, err := template.Text(&expr.Scope{Vars: s.vars}, nil)
	if err != nil {
		return "", err.Error()
	}
	return filled, ""
}

// upstreamFaults finds what is wrong with the variables that the upstream of a service and
// its headers use. A secret that has no value yet is no fault: calls are told.
func (s *Service) upstreamFaults(known []string) (items []problem.Item) {
	check := func(text, at string) {
		n := tree.NewString(text)
		_, faults := expr.CompileTemplate(n)
		if detail := expr.BesideVariables(text); detail != "" && len(faults) == 0 {
			faults = []problem.Item{{Detail: detail}}
		}
		if len(faults) == 0 {
			faults = expr.TemplateMistakes(n, expr.Known{Variables: known})
		}
		for _, name := range expr.TemplateVariables(n) {
			if s.resolved[name].Secret && at == "/upstream" {
				faults = append(faults, problem.Item{Detail: fmt.Sprintf("variable %s is secret, and addresses are shown and logged in many places: send it by upstreamHeaders", name)})
			}
		}
		for _, fault := range faults {
			items = append(items, problem.Item{At: at, Detail: fault.Detail})
		}
	}
	if strings.Contains(s.Spec.Upstream, "${") {
		check(s.Spec.Upstream, "/upstream")
	}
	for i, h := range s.Spec.UpstreamHeaders {
		check(h.Value, "/upstreamHeaders/"+strconv.Itoa(i))
	}
	if len(items) == 0 && s.UpstreamFault != "" && !s.lacksValues() {
		items = append(items, problem.Item{At: "/upstream", Detail: s.UpstreamFault})
	}
	return items
}

// checkUpstream refuses settings of a service whose upstream cannot be worked out, unless
// it could not be before in old and is as it was.
func (s *Snapshot) checkUpstream(settings spec.Service, old *Service) error {
	if old != nil && settings.Upstream == old.Spec.Upstream && slices.Equal(settings.UpstreamHeaders, old.Spec.UpstreamHeaders) && old.UpstreamFault != "" {
		return nil
	}
	trial := &Service{Spec: settings}
	trial.resolve(s)
	return problem.FromItems("the service cannot be used", trial.upstreamFaults(s.variableNames(settings.VariableTable)))
}

// lacksValues reports whether the upstream or its headers use a variable without a value.
func (s *Service) lacksValues() bool {
	texts := []string{s.Spec.Upstream}
	for _, h := range s.Spec.UpstreamHeaders {
		texts = append(texts, h.Value)
	}
	return slices.ContainsFunc(texts, func(text string) bool {
		return slices.ContainsFunc(expr.TemplateVariables(tree.NewString(text)), func(name string) bool { _, there := s.vars[name]; return !there })
	})
}

// variableNames are the names of all variables that something sets for a service, also in
// sets, scenarios and lanes that are not in force.
func (s *Snapshot) variableNames(own spec.VariableTable) []string {
	names := make(map[string]bool)
	add := func(variables map[string]spec.Variable) {
		for name := range variables {
			names[name] = true
		}
	}
	for _, t := range []spec.VariableTable{s.variables.Variables.VariableTable, own} {
		add(t.Variables)
		for _, set := range t.VariableSets {
			add(set)
		}
	}
	for _, scenario := range s.scenarios {
		add(scenario.Spec.Variables)
	}
	for _, lane := range s.lanes {
		add(lane.Spec.Variables)
	}
	return append([]string{}, slices.Sorted(maps.Keys(names))...)
}

// variableNames is that of the snapshot in the making, which many mappings ask for alike.
func (e *edit) variableNames(s *Service) []string {
	if e.named.in != e.next || e.named.of != s {
		e.named = named{e.next, s, e.next.variableNames(s.Spec.VariableTable)}
	}
	return e.named.names
}

// named are the names of the variables of a service in a snapshot.
type named struct {
	in    *Snapshot
	of    *Service
	names []string
}

// Secrets are the values of all secret variables of the environment.
func (s *Snapshot) Secrets() (values []string) {
	take := func(t spec.VariableTable) {
		t.EachSecret(func(_, value string) string {
			if value != "" {
				values = append(values, value)
			}
			return ""
		})
	}
	take(s.variables.Variables.VariableTable)
	for _, service := range s.services {
		take(service.Spec.VariableTable)
	}
	for _, scenario := range s.scenarios {
		take(spec.VariableTable{Variables: scenario.Spec.Variables})
	}
	for _, lane := range s.lanes {
		take(spec.VariableTable{Variables: lane.Spec.Variables})
	}
	return values
}

// PutVariables sets the variables of the environment instead of those that were. ifMatch
// may demand a version.
func (c *Catalog) PutVariables(ctx context.Context, v spec.Variables, ifMatch string) (now StoredVariables, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	edit := c.editLocked()
	have := edit.next.variables
	if ifMatch != NotThere { // they always are
		if err := checkTag(ifMatch, have.Version, "the variables"); err != nil {
			return have, err
		}
	}
	v.VariableTable = v.VariableTable.Keeping(have.Variables.VariableTable)
	if v.Same(have.Variables.VariableTable) && v.VariableSet == have.Variables.VariableSet {
		return have, nil
	}
	if err := problem.FromItems("the variables cannot be set", edit.setVariables(v)); err != nil {
		return have, err
	}
	return edit.next.variables, edit.commit(ctx)
}

// setVariables sets the variables of the environment; the faults say what then could not
// be used any more.
func (e *edit) setVariables(v spec.Variables) (faults []problem.Item) {
	before := e.next
	next := before.withVariables(StoredVariables{v, e.catalog.nextLocked()})
	e.next, e.change.Variables = next, &next.variables
	if set, known := v.VariableSet, next.VariableSets(); set != "" && !slices.Contains(known, set) {
		switch {
		case slices.Contains(before.VariableSets(), set):
			faults = append(faults, problem.Item{At: "/variableSet", Detail: fmt.Sprintf("set %q is in use and would be gone: use another one, or none, first", set)})
		case set != before.variables.Variables.VariableSet: // else it went with the last service that had it
			faults = append(faults, problem.Item{At: "/variableSet", Detail: notFound("set of variables", set, known).Error()})
		}
	}
	faults = append(faults, next.missedVariables(before)...)
	for i, service := range next.services {
		if was := before.services[i]; service.UpstreamFault != "" && was.UpstreamFault == "" && !service.lacksValues() {
			faults = append(faults, problem.Item{Detail: fmt.Sprintf("service %q could not be relayed any more: %s", service.Spec.Name, service.UpstreamFault)})
		}
	}
	return faults
}

// VariableSets are the names of the sets of the environment and of all services.
func (s *Snapshot) VariableSets() []string {
	names := maps.Clone(s.variables.Variables.VariableSets)
	if names == nil {
		names = make(map[string]map[string]spec.Variable)
	}
	for _, service := range s.services {
		maps.Copy(names, service.Spec.VariableSets)
	}
	return append([]string{}, slices.Sorted(maps.Keys(names))...)
}

// mostMissed is how many users of a variable are named.
const mostMissed = 3

// missedVariables finds the variables that services had before an edit, that nothing in
// force sets any more, and that something uses.
func (s *Snapshot) missedVariables(before *Snapshot) (faults []problem.Item) {
	missing := make(map[string][]string) // users by variable
	for _, service := range s.services {
		was := before.Named(service.Spec.Name)
		if was == nil {
			continue
		}
		gone := maps.Clone(was.resolved)
		maps.DeleteFunc(gone, func(name string, _ Resolved) bool { _, there := service.resolved[name]; return there })
		if len(gone) == 0 {
			continue
		}
		s.eachUse(service, func(user string, variables []string) {
			for _, name := range variables {
				if _, is := gone[name]; is && !slices.Contains(missing[name], user) {
					missing[name] = append(missing[name], user)
				}
			}
		})
	}
	for _, name := range slices.Sorted(maps.Keys(missing)) {
		users := missing[name]
		text := strings.Join(users[:min(len(users), mostMissed)], ", ")
		if more := len(users) - mostMissed; more > 0 {
			text += fmt.Sprintf(" and %d more", more)
		}
		reason := ""
		if slices.Contains(s.variableNames(spec.VariableTable{}), name) {
			reason = ", and only a set, a scenario or a lane would have it"
		}
		faults = append(faults, problem.Item{At: tree.Join("/variables", name), Detail: fmt.Sprintf("variable %q is used by %s%s: change that first", name, text, reason)})
	}
	return faults
}

// withoutVariable is a variable that a mapping uses and that has no value in the view; ""
// for none.
func (s *Service) withoutVariable(m *Mapping) (missing string) {
	look := func(names []string) {
		for _, name := range names {
			if _, there := s.vars[name]; !there && missing == "" {
				missing = name
			}
		}
	}
	eachExpression(m.Spec, func(text, _ string) { look(expr.Variables(text)) }, func(n *tree.Node, _ string) { look(expr.TemplateVariables(n)) })
	return missing
}

// eachUse tells who of a service uses which variables.
func (s *Snapshot) eachUse(service *Service, use func(user string, variables []string)) {
	name := service.Spec.Name
	values := func(user string, texts ...string) {
		for _, text := range texts {
			use(user, expr.TemplateVariables(tree.NewString(text)))
		}
	}
	values("the upstream of "+name, service.Spec.Upstream)
	for _, h := range service.Spec.UpstreamHeaders {
		values("the upstream of "+name, h.Value)
	}
	for id, pins := range service.Spec.Pins {
		for pointer, value := range pins {
			use(fmt.Sprintf("pin %s of %s in %s", pointer, id, name), expr.TemplateVariables(value))
		}
	}
	if own, _ := service.Spec.OtherwiseAnswer(); own != nil {
		eachExpression(spec.Mapping{Answer: *own}, func(string, string) {}, func(n *tree.Node, _ string) {
			use("what "+name+" answers otherwise", expr.TemplateVariables(n))
		})
	}
	mapping := func(m spec.Mapping, origin string) {
		user := fmt.Sprintf("mapping %q of %s%s", m.ID, name, origin)
		eachExpression(m, func(text, _ string) { use(user, expr.Variables(text)) }, func(n *tree.Node, _ string) { use(user, expr.TemplateVariables(n)) })
	}
	for _, m := range service.Mappings {
		mapping(m.Spec, "")
	}
	for _, scenario := range s.scenarios {
		for _, m := range scenario.Spec.Services[name].Mappings {
			mapping(m, " in "+scenario.origin)
		}
	}
	for _, lane := range s.lanes {
		for _, m := range lane.Spec.Services[name].Mappings {
			mapping(m, " in "+lane.origin)
		}
	}
}
