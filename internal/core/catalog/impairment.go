package catalog

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"rapidmimic.example/internal/core/impair"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// impairments is what is switched on in an environment. It is immutable.
type impairments struct {
	off   bool
	byKey map[string]*Impairment
	lines map[string]spec.Line // all that can be named; nil for those of every environment
}

// Impairment is one that was switched on, compiled.
type Impairment struct {
	StoredImpairment
	Plan *impair.Plan
	// Origin says of which scenario or lane it is; "" for one that was switched on by
	// itself.
	Origin string
}

// targetKey names a target; its parts begin with what no other part does.
func targetKey(serviceID, operation, mapping string) string {
	switch {
	case operation != "":
		return serviceID + "/operation/" + operation
	case mapping != "":
		return serviceID + "/mapping/" + mapping
	default:
		return serviceID // "" for the environment
	}
}

// Key names the target of an impairment, and what is counted for it.
func (i *Impairment) Key() string { return targetKey(i.ServiceID, i.Operation, i.Mapping) }

// Impaired reports whether anything at all is switched on.
func (s *Snapshot) Impaired() bool { return len(s.impairments.byKey) > 0 && !s.impairments.off }

// ImpairmentsOff reports whether all impairments are switched off, also those of
// mappings.
func (s *Snapshot) ImpairmentsOff() bool { return s.impairments.off }

// Impairment is what is switched on for a target; nil for nothing.
func (s *Snapshot) Impairment(serviceID, operation, mapping string) *Impairment {
	return s.impairments.byKey[targetKey(serviceID, operation, mapping)]
}

// Impairments lists all that is switched on, the widest target first.
func (s *Snapshot) Impairments() []*Impairment {
	all := slices.Collect(maps.Values(s.impairments.byKey))
	slices.SortFunc(all, func(a, b *Impairment) int {
		return cmp.Or(cmp.Compare(a.breadth(), b.breadth()), cmp.Compare(a.Plan.Target, b.Plan.Target))
	})
	return all
}

// breadth is 0 for the environment, 1 for a service, 2 for a part of one.
func (i *Impairment) breadth() int {
	switch {
	case i.ServiceID == "":
		return 0
	case i.Operation == "" && i.Mapping == "":
		return 1
	default:
		return 2
	}
}

// Lines are the lines that connections can have, by name.
func (s *Snapshot) Lines() map[string]spec.Line {
	if s.impairments.lines == nil {
		return spec.Lines()
	}
	return s.impairments.lines
}

// withStored adds to a snapshot what is switched on.
func (s *Snapshot) withStored(d Definitions, setAside func(reason any, format string, args ...any)) *Snapshot {
	next := *s
	next.impairments.off = d.ImpairmentsOff
	if len(d.Lines) > 0 {
		next.impairments.lines = spec.Lines()
		maps.Copy(next.impairments.lines, d.Lines)
	}
	for _, stored := range d.Impairments {
		made, fault := next.compileImpairment(stored)
		if fault != nil {
			setAside(fault.Detail, "impairment of %s", s.TargetOf(stored))
			continue
		}
		next.impairments.put(made)
	}
	return &next
}

func (i *impairments) put(made *Impairment) {
	i.byKey = maps.Clone(i.byKey)
	if i.byKey == nil {
		i.byKey = make(map[string]*Impairment)
	}
	i.byKey[made.Key()] = made
}

// TargetOf is what an impairment impairs, its service by name.
func (s *Snapshot) TargetOf(i StoredImpairment) spec.Target {
	target := spec.Target{Operation: i.Operation, Mapping: i.Mapping}
	if service := s.Find(i.ServiceID); service != nil {
		target.Service = service.Spec.Name
	}
	return target
}

func (s *Snapshot) compileImpairment(stored StoredImpairment) (*Impairment, *problem.Item) {
	plan, fault := impair.Compile(stored.Impairment, s.TargetOf(stored).String(), stored.Since, s.Lines())
	return &Impairment{StoredImpairment: stored, Plan: plan}, fault
}

// compileOwnImpairment compiles what a mapping says of itself. Its line is looked
// up for each call, since lines are edited by themselves; without a seed it has one
// that follows from its id, so that it is the same in every run.
func compileOwnImpairment(m spec.Mapping) (*impair.Plan, *problem.Item) {
	if m.Impair == nil {
		return nil, nil
	}
	own := *m.Impair
	if own.Seed == nil {
		own.Seed = seedOf(m.ID)
	}
	plan, fault := impair.Compile(own, "mapping "+m.ID, time.Time{}, nil)
	if fault != nil {
		fault.At = "/impair" + fault.At
	}
	return plan, fault
}

// SetImpairment switches an impairment on for a target, instead of the one that
// it had, which must have the tag. seed is for one that names none. When the tag is
// another one, it returns what is on.
func (c *Catalog) SetImpairment(ctx context.Context, target spec.Target, i spec.Impairment, ifMatch string, seed int64, now time.Time) (*Impairment, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	serviceID, err := c.Snapshot().CheckTarget(target)
	if err != nil {
		return nil, err
	}
	have, err := c.Snapshot().demandImpairment(serviceID, target, ifMatch)
	if err != nil {
		return have, err
	}
	if have != nil && documentDigest(have.Impairment) == documentDigest(i) {
		return have, nil
	}
	if i.Empty() {
		return nil, problem.New(problem.Invalid, "an impairment needs latency, errors, limit, connection or outage")
	}
	if i.Seed == nil {
		i.Seed = &seed
	}
	edit := c.editLocked()
	if fault := edit.setImpairment(serviceID, target, i, now, AuthorOf(ctx)); fault != nil {
		return nil, problem.FromItems("the impairment cannot be used", []problem.Item{*fault})
	}
	made := edit.next.Impairment(serviceID, target.Operation, target.Mapping)
	return made, edit.commit(ctx)
}

// ReplaceImpairments switches on what is given, each for its target, and switches off
// whatever else is on: of a service, or with "" of the environment. What is on as it is
// given stays as it is. off is the switch for all of them, nil to leave it. Tags are the
// versions that the given ones were read at, in their order, and are demanded of what is
// on; seed is for those that name none.
func (c *Catalog) ReplaceImpairments(ctx context.Context, nameOrID string, wanted []spec.TargetImpairment, tags []string, off *bool, seed int64, now time.Time) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	edit := c.editLocked()
	within := ""
	if nameOrID != "" {
		service, err := c.Find(nameOrID)
		if err != nil {
			return err
		}
		within = service.Spec.ID
	}
	keep := make(map[string]bool, len(wanted))
	var items []problem.Item
	for i, w := range wanted {
		serviceID, err := edit.next.CheckTarget(w.Target)
		if err == nil && within != "" && serviceID != within {
			err = problem.New(problem.Invalid, "the impairment is of %s, the address of service %q", w.Target, nameOrID)
		}
		if err != nil {
			items = append(items, problem.Item{At: fmt.Sprintf("/%d/target", i), Detail: err.Error()})
			continue
		}
		have := edit.next.Impairment(serviceID, w.Target.Operation, w.Target.Mapping)
		if have != nil { // of what is off nothing is overwritten
			if _, err := edit.next.demandImpairment(serviceID, w.Target, tags[i]); err != nil {
				return err
			}
		}
		keep[targetKey(serviceID, w.Target.Operation, w.Target.Mapping)] = true
		if w.Impairment.Seed == nil {
			w.Impairment.Seed = &seed
		}
		if have != nil && documentDigest(have.Impairment) == documentDigest(w.Impairment) {
			continue
		}
		if fault := edit.setImpairment(serviceID, w.Target, w.Impairment, now, AuthorOf(ctx)); fault != nil {
			fault.At = fmt.Sprintf("/%d/impairment%s", i, fault.At)
			items = append(items, *fault)
		}
	}
	if err := problem.FromItems("the impairments cannot be used", items); err != nil {
		return err
	}
	edit.removeImpairments(func(i *Impairment) bool {
		return !keep[i.Key()] && (within == "" || i.ServiceID == within)
	})
	if off != nil && *off != edit.next.impairments.off {
		next := *edit.next
		next.impairments.off = *off
		edit.next, edit.change.ImpairmentsOff = &next, off
	}
	change := &edit.change
	return edit.commitUnless(ctx, len(change.Impairments)+len(change.RemoveImpairments) == 0 && change.ImpairmentsOff == nil)
}

// demandImpairment refuses a write that was made on another impairment of a target
// than the one that is on, which it returns then.
func (s *Snapshot) demandImpairment(serviceID string, target spec.Target, ifMatch string) (*Impairment, error) {
	have := s.Impairment(serviceID, target.Operation, target.Mapping)
	switch {
	case have != nil:
		return have, checkTag(ifMatch, have.Version, "the impairment of "+target.String())
	case demandsOne(ifMatch):
		return nil, problem.New(problem.Stale, "the impairment of %s was switched off by somebody else since you read it", target)
	}
	return nil, nil
}

// setImpairment switches an impairment on that has a seed.
func (e *edit) setImpairment(serviceID string, target spec.Target, i spec.Impairment, now time.Time, by string) *problem.Item {
	stored := StoredImpairment{ServiceID: serviceID, Operation: target.Operation, Mapping: target.Mapping, Impairment: i, Since: now, By: by, Version: e.catalog.nextLocked()}
	return e.keepImpairment(stored)
}

func (e *edit) keepImpairment(stored StoredImpairment) *problem.Item {
	made, fault := e.next.compileImpairment(stored)
	if fault != nil {
		return fault
	}
	e.change.Impairments = append(e.change.Impairments, stored)
	next := *e.next
	next.impairments.put(made)
	e.next = &next
	return nil
}

// CheckTarget returns the id of the service of a target that is there.
func (s *Snapshot) CheckTarget(target spec.Target) (serviceID string, err error) {
	if target.Service == "" {
		if target.Operation+target.Mapping != "" {
			return "", problem.New(problem.Invalid, "an operation or mapping needs its service")
		}
		return "", nil
	}
	service := s.Find(target.Service)
	switch {
	case service == nil:
		return "", notFound("service", target.Service, s.Names())
	case target.Operation != "" && target.Mapping != "":
		return "", problem.New(problem.Invalid, "an impairment is for an operation or for a mapping, not for both")
	case target.Operation != "" && service.Operation(target.Operation) == nil:
		return "", notFound("operation", target.Operation, service.operationIDs())
	case target.Mapping != "" && service.Mapping(target.Mapping) == nil:
		return "", noMapping(service, target.Mapping)
	}
	return service.Spec.ID, nil
}

// RemoveImpairments switches off what a target has; with all also what the
// operations and mappings of a service have, or for the zero target everything.
// It returns what was on. The tag is that of what the target has.
func (c *Catalog) RemoveImpairments(ctx context.Context, target spec.Target, all bool, ifMatch string) ([]*Impairment, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	serviceID := ""
	if target.Service != "" {
		s, err := c.Find(target.Service)
		if err != nil {
			return nil, err
		}
		serviceID = s.Spec.ID
	}
	if _, err := c.Snapshot().demandImpairment(serviceID, target, ifMatch); err != nil {
		return nil, err
	}
	key := targetKey(serviceID, target.Operation, target.Mapping)
	edit := c.editLocked()
	gone := edit.removeImpairments(func(i *Impairment) bool {
		return i.Key() == key || all && (serviceID == "" || i.ServiceID == serviceID)
	})
	if len(gone) == 0 {
		return nil, nil
	}
	return gone, edit.commit(ctx)
}

// renameTargets lets impairments name their services as they are called now.
func (e *edit) renameTargets() {
	next := *e.next
	for _, i := range e.next.Impairments() {
		if made, fault := next.compileImpairment(i.StoredImpairment); fault == nil {
			next.impairments.put(made)
		}
	}
	e.next = &next
}

func (e *edit) removeImpairments(which func(*Impairment) bool) (gone []*Impairment) {
	next := *e.next
	next.impairments.byKey = maps.Clone(next.impairments.byKey)
	for _, i := range e.next.Impairments() {
		if which(i) {
			gone = append(gone, i)
			e.change.RemoveImpairments = append(e.change.RemoveImpairments, i.StoredImpairment)
			delete(next.impairments.byKey, i.Key())
		}
	}
	e.next = &next
	return gone
}
