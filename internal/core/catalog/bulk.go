package catalog

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Selection says which mappings of a service are meant: all that meet every
// demand given.
type Selection struct {
	IDs   []string
	Label string
	// Text is found in id, title, method, path, operation or a label.
	Text string
	// Origin is everybody for mappings that everybody has, scenario or lane for those that
	// a view has of one, or names it: scenario "storm".
	Origin string
}

// Everybody is the origin of mappings that everybody has.
const Everybody = "everybody"

// IsEmpty reports whether the selection demands nothing.
func (s Selection) IsEmpty() bool { return len(s.IDs) == 0 && s.Label+s.Text+s.Origin == "" }

// Selects reports whether a mapping is meant.
func (s Selection) Selects(m *Mapping) bool {
	return (len(s.IDs) == 0 || slices.Contains(s.IDs, m.Spec.ID)) &&
		(s.Label == "" || slices.Contains(m.Spec.Labels, s.Label)) &&
		(s.Origin == "" || isOf(m.Origin, s.Origin)) &&
		(s.Text == "" || strings.Contains(searched(m.Spec), strings.ToLower(s.Text)))
}

func isOf(origin, wanted string) bool {
	if origin == "" {
		return wanted == Everybody
	}
	return origin == wanted || strings.HasPrefix(origin, wanted+" ")
}

// searched is the text in which mappings are searched.
func searched(m spec.Mapping) string {
	return strings.ToLower(strings.Join([]string{m.ID, m.Title, strings.Join(m.Call.Method, " ") + " " + m.Call.Path, m.Call.Operation, strings.Join(m.Labels, " ")}, "\n"))
}

// BulkEdit is one change to many mappings.
type BulkEdit struct {
	Remove     bool
	Enabled    *bool
	AddLabels  []string
	DropLabels []string
}

// MappingRef names a mapping of an environment.
type MappingRef struct {
	Service string // its name
	ID      string
}

// EditMappings changes all the mappings of some services that are selected, or none. It
// returns those that changed.
func (c *Catalog) EditMappings(ctx context.Context, services []string, which Selection, change BulkEdit) (changed []MappingRef, err error) {
	if which.IsEmpty() {
		return nil, errSelectsNothing
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	within := make([]*Service, len(services))
	for i, name := range services {
		if within[i], err = c.Find(name); err != nil {
			return nil, err
		}
	}
	if err := which.check(within); err != nil {
		return nil, err
	}
	edit := c.editLocked()
	for _, service := range within {
		done, err := edit.editMappings(edit.next.Find(service.Spec.ID), which, change)
		if err != nil {
			return nil, err
		}
		for _, id := range done {
			changed = append(changed, MappingRef{service.Spec.Name, id})
		}
	}
	return changed, edit.commitUnless(ctx, len(changed) == 0)
}

var errSelectsNothing = problem.New(problem.Invalid, "select mappings by id, label or text, or all with the origin everybody")

// Check refuses a selection of nothing in particular, and ids that a service does not
// have.
func (s Selection) Check(service *Service) error {
	if s.IsEmpty() {
		return errSelectsNothing
	}
	return s.check([]*Service{service})
}

// check refuses an id that none of the services has.
func (s Selection) check(services []*Service) error {
	for _, id := range s.IDs {
		if !slices.ContainsFunc(services, func(service *Service) bool { return service.Mapping(id) != nil }) {
			if len(services) != 1 {
				return problem.New(problem.NotFound, "no service has a mapping %q", id)
			}
			return noMapping(services[0], id)
		}
	}
	return nil
}

func (e *edit) editMappings(s *Service, which Selection, change BulkEdit) (changed []string, err error) {
	var meant []*Mapping
	var edited []spec.Mapping
	for _, m := range s.Mappings {
		if !which.Selects(m) {
			continue
		}
		next, differs := change.apply(m.Spec)
		if change.Remove || differs {
			meant, edited, changed = append(meant, m), append(edited, next), append(changed, m.Spec.ID)
		}
	}
	switch {
	case len(meant) == 0:
	case change.Remove:
		e.removeMappings(s, meant...)
	default:
		_, _, _, err = e.putMappings(s, edited)
	}
	return changed, err
}

// CopyMappings copies or moves all the mappings of a service that are selected, or none.
// It returns the copies and their service.
func (c *Catalog) CopyMappings(ctx context.Context, nameOrID string, which Selection, to Copy) (*Service, []*Mapping, error) {
	if which.IsEmpty() {
		return nil, nil, errSelectsNothing
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	from, err := c.Find(nameOrID)
	if err == nil {
		err = which.check([]*Service{from})
	}
	target := from
	if err == nil && to.Service != "" {
		target, err = c.Find(to.Service)
	}
	if err != nil {
		return nil, nil, err
	}
	var meant []*Mapping
	for _, m := range from.Mappings {
		if which.Selects(m) {
			meant = append(meant, m)
		}
	}
	switch {
	case to.ID != "" && len(meant) > 1:
		return nil, nil, problem.New(problem.Invalid, "%d mappings are selected: an id is for one copy", len(meant))
	case to.Move && target == from && to.ID == "":
		return nil, nil, problem.New(problem.Invalid, "the mappings are in service %q already: give another service, or of one mapping another id", from.Spec.Name)
	case len(meant) == 0:
		return target, nil, nil
	}
	edit := c.editLocked()
	if to.Move && target == from {
		next, err := edit.renameMapping(from, meant[0], to.ID)
		if err != nil {
			return nil, nil, err
		}
		return next, []*Mapping{next.Mapping(to.ID)}, edit.commit(ctx)
	}
	next, copies, err := edit.copyMappings(from, target, meant, to)
	if err != nil {
		return nil, nil, err
	}
	return next, copies, edit.commit(ctx)
}

func (e *edit) copyMappings(from, target *Service, meant []*Mapping, to Copy) (next *Service, copies []*Mapping, err error) {
	made := make([]spec.Mapping, len(meant))
	for i, m := range meant {
		made[i] = m.Spec
		switch {
		case to.ID != "":
			made[i].ID = to.ID
		case target == from:
			made[i].ID = freeID(target, m.Spec.ID+"-copy")
		}
		if target.Mapping(made[i].ID) != nil {
			return nil, nil, problem.New(problem.Exists, "mapping %q is in service %q already (give the copy another id)", made[i].ID, target.Spec.Name)
		}
		if err := spec.CheckMappingID(made[i].ID); err != nil {
			return nil, nil, err
		}
	}
	next, copies, _, err = e.putMappings(target, made)
	if err != nil {
		return nil, nil, err
	}
	if to.Move {
		e.removeMappings(e.next.Find(from.Spec.ID), meant...)
	}
	return next, copies, nil
}

// RestoreMappings brings back all the mappings of a service that were removed and are
// selected by what they last were, or none. An empty selection means all of them.
func (c *Catalog) RestoreMappings(ctx context.Context, nameOrID string, which Selection) (*Service, []*Mapping, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	service, err := c.Find(nameOrID)
	if err != nil {
		return nil, nil, err
	}
	gone, err := c.store.RemovedMappings(ctx, service.Spec.ID)
	if err != nil {
		return nil, nil, err
	}
	for _, id := range which.IDs {
		if !slices.ContainsFunc(gone, func(v MappingVersion) bool { return v.ID == id }) {
			return nil, nil, problem.New(problem.NotFound, "no mapping %q was removed from service %q", id, service.Spec.Name)
		}
	}
	again, err := c.lastOf(ctx, service, gone, which)
	if err != nil {
		return nil, nil, err
	}
	edit := c.editLocked()
	next, made, _, err := edit.putMappings(service, again)
	if err != nil {
		return nil, nil, err
	}
	return next, made, edit.commitUnless(ctx, len(made) == 0)
}

// lastOf is what removed mappings last were, the first to be removed first; those that are
// selected. An entry that removed many is read once.
func (c *Catalog) lastOf(ctx context.Context, service *Service, gone []MappingVersion, which Selection) (last []spec.Mapping, err error) {
	slices.SortFunc(gone, func(a, b MappingVersion) int {
		return cmp.Or(cmp.Compare(a.Version, b.Version), cmp.Compare(a.ID, b.ID))
	})
	var entry Entry
	before := make(map[Key]json.RawMessage)
	for _, v := range gone {
		if len(which.IDs) > 0 && !slices.Contains(which.IDs, v.ID) {
			continue
		}
		if entry.Version != v.Entry {
			if entry, err = c.store.Entry(ctx, v.Entry); err != nil {
				return nil, err
			}
			clear(before)
			for _, item := range entry.Items {
				before[item.Key] = item.Before
			}
		}
		m, err := document[spec.Mapping](before[Key{KindMapping, service.Spec.ID, v.ID}])
		if err != nil {
			return nil, fmt.Errorf("mapping %q: %w", v.ID, err)
		}
		if which.Selects(&Mapping{Spec: m}) {
			last = append(last, m)
		}
	}
	return last, nil
}

// apply changes one mapping; differs is false when there was nothing to change.
func (b BulkEdit) apply(m spec.Mapping) (next spec.Mapping, differs bool) {
	if b.Enabled != nil && m.Enabled != *b.Enabled {
		m.Enabled, differs = *b.Enabled, true
	}
	labels := slices.DeleteFunc(slices.Clone(m.Labels), func(label string) bool { return slices.Contains(b.DropLabels, label) })
	for _, label := range b.AddLabels {
		if !slices.Contains(labels, label) {
			labels = append(labels, label)
		}
	}
	if !slices.Equal(labels, m.Labels) {
		m.Labels, differs = labels, true
	}
	return m, differs
}
