package spec

import (
	"fmt"
	"maps"
	"slices"
	"strings"
)

// Lines say what the changes do, one thing each.
func (c Changes) Lines() []string {
	lines := []string{}
	say := func(format string, args ...any) { lines = append(lines, fmt.Sprintf(format, args...)) }
	if c.Impair != nil {
		say("everything: %s", c.Impair)
	}
	for _, name := range slices.Sorted(maps.Keys(c.Variables)) {
		say("variable %s: %s", name, c.Variables[name])
	}
	for _, name := range slices.Sorted(maps.Keys(c.Services)) {
		s := c.Services[name]
		if s.Off != nil {
			say("%s: switched %s", name, map[bool]string{true: "off", false: "on"}[*s.Off])
		}
		if s.Mode != "" {
			say("%s: mode %s", name, s.Mode)
		}
		for _, id := range slices.Sorted(maps.Keys(s.Examples)) {
			say("%s: %s answers with example %q", name, id, s.Examples[id])
		}
		if s.Memory != nil {
			say("%s: %s", name, s.Memory.line())
		}
		for _, m := range s.Mappings {
			say("%s: %s", name, m.line())
		}
		if len(s.MappingsOff) > 0 {
			say("%s: mapping %s switched off", name, strings.Join(s.MappingsOff, ", "))
		}
		for _, w := range s.Webhooks {
			say("%s: webhook %s is sent%s", name, w.Name, w.Pace.line())
		}
		if s.Impair != nil {
			say("%s: %s", name, s.Impair)
		}
		for _, id := range slices.Sorted(maps.Keys(s.ImpairOperations)) {
			say("%s: operation %s: %s", name, id, s.ImpairOperations[id])
		}
		for _, id := range slices.Sorted(maps.Keys(s.ImpairMappings)) {
			say("%s: mapping %s: %s", name, id, s.ImpairMappings[id])
		}
	}
	return lines
}

// line says in a few words what is different in the memory.
func (m Memory) line() string {
	if !m.On {
		return "remembers nothing"
	}
	var parts []string
	for _, name := range slices.Sorted(maps.Keys(m.Collections)) {
		switch rule := m.Collections[name]; {
		case rule.Off:
			parts = append(parts, name+" left out")
		case rule.Items != nil:
			parts = append(parts, fmt.Sprintf("%s begins with %d items", name, len(rule.Items)))
		case rule.Generate > 0:
			parts = append(parts, fmt.Sprintf("%s begins with %d generated items", name, rule.Generate))
		default:
			parts = append(parts, name)
		}
	}
	return strings.TrimSuffix("a memory of its own: "+strings.Join(parts, ", "), ": ")
}

// line says in a few words when and how often a call is made; "" for at once.
func (p Pace) line() (line string) {
	if p.After > 0 {
		line = " after " + p.After.String()
	}
	if p.Times > 1 {
		line += fmt.Sprintf(", %d times", p.Times)
	}
	return line
}

// line says in a few words what the mapping does.
func (m Mapping) line() string {
	answers := m.Answers()
	text := "answers " + answers[0].Status.String()
	switch {
	case len(answers) > 1:
		text = fmt.Sprintf("has %d answers", len(answers))
	case answers[0].Example != "":
		text = fmt.Sprintf("answers with example %q", answers[0].Example)
	case answers[0].From == FromUpstream:
		text = "answers what the upstream does"
	case answers[0].From == FromContract:
		text = "answers what the contract has"
	case answers[0].From != "":
		text = "answers what " + strings.Replace(answers[0].From, ":", " ", 1) + " does"
	case answers[0].Fault != nil:
		text = "answers with a fault"
	}
	if !m.Enabled {
		text += " (off)"
	}
	return fmt.Sprintf("%s %s (mapping %s)", m.Call, text, m.ID)
}

// In returns the changes of a service, to be put back by Put.
func (c *Changes) In(service string) ServiceChanges { return c.Services[service] }

// Put replaces the changes of a service; empty ones are taken out. The map that was
// there stays as it is.
func (c *Changes) Put(service string, changes ServiceChanges) {
	c.Services = maps.Clone(c.Services)
	if c.Services == nil {
		c.Services = make(map[string]ServiceChanges)
	}
	if c.Services[service] = changes; changes.Empty() {
		delete(c.Services, service)
	}
}

// PutMappings adds mappings to a service, each instead of the one of its id, and
// tells for each whether it is new.
func (c *Changes) PutMappings(service string, mappings []Mapping) (created []bool) {
	own := c.In(service)
	own.Mappings = slices.Clone(own.Mappings)
	for _, m := range mappings {
		at := slices.IndexFunc(own.Mappings, func(have Mapping) bool { return have.ID == m.ID })
		if at < 0 {
			own.Mappings = append(own.Mappings, m)
		} else {
			own.Mappings[at] = m
		}
		created = append(created, at < 0)
	}
	c.Put(service, own)
	return created
}

// RemoveMapping takes a mapping out of a service; it reports whether it was there.
func (c *Changes) RemoveMapping(service, id string) bool {
	own := c.In(service)
	kept := slices.DeleteFunc(slices.Clone(own.Mappings), func(m Mapping) bool { return m.ID == id })
	removed := len(kept) < len(own.Mappings)
	own.Mappings = kept
	c.Put(service, own)
	return removed
}

// SetImpairment sets the impairment of a target, nil for none, and returns what it
// had.
func (c *Changes) SetImpairment(target Target, i *Impairment) (before *Impairment) {
	if target.Service == "" {
		before, c.Impair = c.Impair, i
		return before
	}
	own := c.In(target.Service)
	switch {
	case target.Operation != "":
		own.ImpairOperations, before = putPart(own.ImpairOperations, target.Operation, i)
	case target.Mapping != "":
		own.ImpairMappings, before = putPart(own.ImpairMappings, target.Mapping, i)
	default:
		before, own.Impair = own.Impair, i
	}
	c.Put(target.Service, own)
	return before
}

func putPart(parts map[string]Impairment, id string, i *Impairment) (next map[string]Impairment, before *Impairment) {
	next = maps.Clone(parts)
	if had, is := next[id]; is {
		before = &had
	}
	if i == nil {
		delete(next, id)
		return next, before
	}
	if next == nil {
		next = make(map[string]Impairment)
	}
	next[id] = *i
	return next, before
}

// Impairments lists the impairments of all targets.
func (c Changes) Impairments() (all []TargetImpairment) {
	add := func(t Target, i *Impairment) {
		if i != nil {
			all = append(all, TargetImpairment{t, *i})
		}
	}
	add(Target{}, c.Impair)
	for _, name := range slices.Sorted(maps.Keys(c.Services)) {
		own := c.Services[name]
		add(Target{Service: name}, own.Impair)
		for _, id := range slices.Sorted(maps.Keys(own.ImpairOperations)) {
			i := own.ImpairOperations[id]
			add(Target{Service: name, Operation: id}, &i)
		}
		for _, id := range slices.Sorted(maps.Keys(own.ImpairMappings)) {
			i := own.ImpairMappings[id]
			add(Target{Service: name, Mapping: id}, &i)
		}
	}
	return all
}

// TargetImpairment is an impairment with what it is for.
type TargetImpairment struct {
	Target     Target     `json:"target"`
	Impairment Impairment `json:"impairment"`
}
