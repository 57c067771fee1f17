package catalog

import (
	"fmt"
	"hash/fnv"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/internal/core/impair"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// changes are those of a scenario or of a lane, compiled.
type changes struct {
	spec.Changes
	origin   string                // scenario "storm"
	mappings map[string][]*Mapping // by service; those of chosen examples behind the others
}

// Origin says whose the changes are: scenario "storm".
func (c *changes) Origin() string { return c.origin }

// chosenRank lets mappings of a scenario come before the examples it chooses.
const chosenRank = -1 << 30

// compileChanges compiles changes for the services that are there. What cannot be
// used is left out, and told.
func (s *Snapshot) compileChanges(c spec.Changes, origin string) (compiled changes, faults []problem.Item) {
	compiled = changes{c, origin, make(map[string][]*Mapping)}
	fault := func(at, format string, args ...any) {
		faults = append(faults, problem.Item{At: at, Detail: fmt.Sprintf(format, args...)})
	}
	if c.Impair != nil {
		faults = append(faults, s.impairmentFaults(*c.Impair, "/impair")...)
	}
	faults = append(faults, s.relayFaults(c, origin)...)
	for _, name := range slices.Sorted(maps.Keys(c.Services)) {
		at, own, service := tree.Join("/services", name), c.Services[name], s.Named(name)
		if service == nil {
			fault(at, "%s", notFound("service", name, s.Names()))
			continue
		}
		if own.Mode == spec.ModeRelay && service.Spec.Upstream == "" {
			fault(at+"/mode", "service %q has no upstream to relay to", name)
		}
		if own.Memory != nil && own.Memory.On && service.Contract == nil {
			fault(at+"/memory", "service %q has no contract, by which it could remember", name)
		}
		for _, id := range own.MappingsOff {
			if !s.knowsMapping(service, id) {
				fault(at+"/mappingsOff", "%s", noMapping(service, id))
			}
		}
		for i, m := range own.Mappings {
			made, wrong := compileMapping(StoredMapping{ServiceID: service.Spec.ID, Mapping: m, Position: int64(i)}, service.Payloads)
			if fault := service.unsuitable(m); fault != nil {
				wrong = append(wrong, *fault)
			}
			wrong = append(wrong, s.originFaultsAbove(service, m, own.Mappings, origin)...)
			for _, fault := range wrong {
				fault.At = at + "/mappings/" + strconv.Itoa(i) + fault.At
				faults = append(faults, fault)
			}
			if len(wrong) == 0 {
				compiled.add(name, made, false)
			}
		}
		faults = append(faults, service.webhookFaults(own.Webhooks, at)...)
		faults = append(faults, compiled.addExamples(service, own.Examples, at)...)
		faults = append(faults, s.partFaults(service, own, at)...)
	}
	return compiled, faults
}

func (c *changes) add(service string, m *Mapping, chosen bool) {
	m.Origin, m.Chosen = c.origin, chosen
	c.mappings[service] = append(c.mappings[service], m)
}

// addExamples makes mappings of the examples that are chosen.
func (c *changes) addExamples(service *Service, examples map[string]string, at string) (faults []problem.Item) {
	for _, id := range slices.Sorted(maps.Keys(examples)) {
		name, op := examples[id], service.Operation(id)
		here := tree.Join(at+"/examples", id)
		if op == nil {
			faults = append(faults, problem.Item{At: here, Detail: notFound("operation", id, service.operationIDs()).Error()})
			continue
		}
		if op.Named(name) == nil {
			faults = append(faults, problem.Item{At: here, Detail: notFound("example", name, op.ExampleNames()).Error()})
			continue
		}
		m := spec.Mapping{ID: id, Enabled: true, Rank: chosenRank, Call: spec.Pattern{Operation: id}, Answer: spec.Answer{Example: name}}
		if made, faults := compileMapping(StoredMapping{ServiceID: service.Spec.ID, Mapping: m}, nil); faults == nil {
			c.add(service.Spec.Name, made, true)
		}
	}
	return faults
}

// webhookFaults finds webhooks that the service cannot send.
func (s *Service) webhookFaults(webhooks spec.CallbackList, at string) (faults []problem.Item) {
	for i, w := range webhooks {
		if s.Contract == nil || s.Contract.Webhook(w.Name) == nil {
			faults = append(faults, problem.Item{At: at + "/webhooks" + webhooks.Place(i) + "/name", Detail: notFound("webhook", w.Name, s.webhookNames()).Error()})
		}
	}
	_, wrong := answer.CompileCallbacks(spec.Answer{Callbacks: webhooks}, "", s.Payloads)
	for _, fault := range wrong {
		fault.At = at + "/webhooks" + strings.TrimPrefix(fault.At, "/callbacks")
		faults = append(faults, fault)
	}
	return faults
}

func (s *Service) webhookNames() (names []string) {
	if s.Contract != nil {
		for _, w := range s.Contract.Webhooks {
			names = append(names, w.Name)
		}
	}
	return names
}

// partFaults finds impairments of a service and its parts that cannot be used.
func (s *Snapshot) partFaults(service *Service, own spec.ServiceChanges, at string) (faults []problem.Item) {
	if own.Impair != nil {
		faults = append(faults, s.impairmentFaults(*own.Impair, at+"/impair")...)
	}
	for _, id := range slices.Sorted(maps.Keys(own.ImpairOperations)) {
		here := tree.Join(at+"/impairOperations", id)
		if service.Operation(id) == nil {
			faults = append(faults, problem.Item{At: here, Detail: notFound("operation", id, service.operationIDs()).Error()})
		}
		faults = append(faults, s.impairmentFaults(own.ImpairOperations[id], here)...)
	}
	for _, id := range slices.Sorted(maps.Keys(own.ImpairMappings)) {
		here := tree.Join(at+"/impairMappings", id)
		if !s.knowsMapping(service, id) && !slices.ContainsFunc(own.Mappings, func(m spec.Mapping) bool { return m.ID == id }) {
			faults = append(faults, problem.Item{At: here, Detail: noMapping(service, id).Error()})
		}
		faults = append(faults, s.impairmentFaults(own.ImpairMappings[id], here)...)
	}
	return faults
}

// knowsMapping reports whether a service has a mapping, of its own or of a scenario.
func (s *Snapshot) knowsMapping(service *Service, id string) bool {
	if service.Mapping(id) != nil {
		return true
	}
	for _, scenario := range s.scenarios {
		if slices.ContainsFunc(scenario.Spec.Services[service.Spec.Name].Mappings, func(m spec.Mapping) bool { return m.ID == id }) {
			return true
		}
	}
	return false
}

func (s *Snapshot) impairmentFaults(i spec.Impairment, at string) []problem.Item {
	if _, fault := impair.Compile(i, "", time.Time{}, s.Lines()); fault != nil {
		fault.At = at + fault.At
		return []problem.Item{*fault}
	}
	return nil
}

// seedOf is the seed of what names none: it follows from its place, so that it is
// the same in every run.
func seedOf(place string) *int64 {
	h := fnv.New32a()
	_, _ = h.Write([]byte(place)) // never fails
	seed := int64(h.Sum32())
	return &seed
}

// relayFaults finds the services that could not be relayed any more with the variables of
// some changes.
func (s *Snapshot) relayFaults(c spec.Changes, origin string) (faults []problem.Item) {
	if len(c.Variables) == 0 {
		return nil
	}
	for _, service := range s.services {
		if !strings.Contains(service.Spec.Upstream, "${") && len(service.Spec.UpstreamHeaders) == 0 {
			continue
		}
		changed := service.alike()
		if changed.resolve(s, level{origin, c.Variables}); changed.UpstreamFault != "" && service.UpstreamFault == "" && !changed.lacksValues() {
			faults = append(faults, problem.Item{At: "/variables", Detail: fmt.Sprintf("service %q could not be relayed any more: %s", service.Spec.Name, changed.UpstreamFault)})
		}
	}
	return faults
}

// recompileChanges compiles scenarios and lanes anew, after the services changed
// that they are about.
func (e *edit) recompileChanges() {
	next := *e.next
	next.scenarios = make(map[string]*Scenario, len(e.next.scenarios))
	for name, old := range e.next.scenarios {
		made := *old
		made.changes, _ = next.compileChanges(made.Spec.Changes, made.origin)
		next.scenarios[name] = &made
	}
	lanes := e.next.lanes
	next.lanes = make(map[string]*Lane, len(lanes))
	for name, old := range lanes {
		made := *old
		made.changes, _ = next.compileChanges(made.Spec.Changes, made.origin)
		next.lanes[name] = &made
	}
	next.orderLanes()
	e.next = &next
}

// renameInChanges lets scenarios and lanes name a service as it is called now.
func (e *edit) renameInChanges(from, to string) {
	e.rewriteChanges(func(c *spec.Changes) bool {
		own, touched := c.Services[from]
		if touched {
			c.Services = maps.Clone(c.Services)
			delete(c.Services, from)
			c.Services[to] = own
		}
		return touched
	})
}

// renameMappingInChanges lets scenarios and lanes name a mapping of a service as it is
// called now.
func (e *edit) renameMappingInChanges(service, from, to string) {
	e.rewriteChanges(func(c *spec.Changes) bool {
		own := c.Services[service]
		off := slices.Index(own.MappingsOff, from)
		impair, impaired := own.ImpairMappings[from]
		mappings, starts := slices.Clone(own.Mappings), false
		for i, m := range own.Mappings {
			if next, ok := m.StartingFrom(from, to); ok {
				mappings[i], starts = next, true
			}
		}
		if off < 0 && !impaired && !starts {
			return false
		}
		own.Mappings = mappings
		if off >= 0 {
			own.MappingsOff = slices.Clone(own.MappingsOff)
			own.MappingsOff[off] = to
		}
		if impaired {
			own.ImpairMappings = maps.Clone(own.ImpairMappings)
			delete(own.ImpairMappings, from)
			own.ImpairMappings[to] = impair
		}
		c.Services = maps.Clone(c.Services)
		c.Services[service] = own
		return true
	})
	e.recompileChanges()
}

// rewriteChanges changes what scenarios and lanes say; rewrite reports whether it
// touched anything, and changes nothing that others share.
func (e *edit) rewriteChanges(rewrite func(*spec.Changes) bool) {
	next := *e.next
	next.scenarios, next.lanes = maps.Clone(next.scenarios), maps.Clone(next.lanes)
	for name, old := range next.scenarios {
		made := *old
		if rewrite(&made.Spec.Changes) {
			next.scenarios[name] = &made
			e.change.Scenarios = append(e.change.Scenarios, made.stored())
		}
	}
	for name, old := range next.lanes {
		made := *old
		if rewrite(&made.Spec.Changes) {
			next.lanes[name] = &made
			e.change.Lanes = append(e.change.Lanes, made.StoredLane)
		}
	}
	e.next = &next
}

// withSituations adds to a snapshot the scenarios and lanes that are stored. What
// of them cannot be used any more is left out, and told where they are listed.
func (s *Snapshot) withSituations(d Definitions) *Snapshot {
	next := *s
	next.active, next.scenarios, next.lanes = d.Active, make(map[string]*Scenario), make(map[string]*Lane)
	for _, stored := range d.Scenarios {
		next.scenarios[stored.Scenario.Name] = compileScenario(s, stored)
	}
	for _, stored := range d.Lanes {
		next.lanes[stored.Spec.Name], _ = compileLane(s, stored)
	}
	next.orderLanes()
	return &next
}
