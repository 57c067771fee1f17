package catalog

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"time"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/impair"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// PutMappings creates or replaces mappings of a service by their ids, all of
// them or, when one cannot be used, none. It returns them compiled, with what became of
// each: Created, Changed, or Unchanged where it was there as it is. Each may demand a
// version, tags being in the order of the mappings; of a mapping that is not there nothing
// can be overwritten, so it is made. Where one has another version, it is the only mapping
// that is returned.
func (c *Catalog) PutMappings(ctx context.Context, nameOrID string, mappings []spec.Mapping, tags ...string) (compiled []*Mapping, outcomes []string, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return nil, nil, err
	}
	if have, err := checkTags(old, mappings, tags); err != nil {
		return have, nil, err
	}
	edit := c.editLocked()
	if len(mappings) > MaxMappings { // before they are compiled
		return nil, nil, checkCount(len(mappings))
	}
	if _, compiled, outcomes, err = edit.putMappings(old, mappings); err != nil {
		return nil, nil, err
	}
	return compiled, outcomes, edit.commitUnless(ctx, allUnchanged(outcomes))
}

func allUnchanged(outcomes []string) bool {
	return !slices.ContainsFunc(outcomes, func(o string) bool { return o != Unchanged })
}

// checkTags refuses mappings that were read at another version than they have, each at
// its place. It returns the first of them as it is.
func checkTags(s *Service, mappings []spec.Mapping, tags []string) (have []*Mapping, err error) {
	var items []problem.Item
	for i, tag := range tags {
		m := s.Mapping(mappings[i].ID)
		if m == nil {
			continue
		}
		fault := checkTag(tag, m.Version, "mapping "+strconv.Quote(m.Spec.ID))
		if fault == nil {
			continue
		}
		if len(mappings) == 1 {
			return []*Mapping{m}, fault
		}
		items = append(items, problem.Item{At: "/" + strconv.Itoa(i), Detail: fault.Error()})
		if have == nil {
			have = []*Mapping{m}
		}
	}
	if len(items) == 0 {
		return nil, nil
	}
	stale := problem.New(problem.Stale, "%d of the %d mappings are not as you read them, so none was put", len(items), len(mappings))
	stale.Items = items[:min(len(items), problem.MaxItems)]
	return have, stale
}

// PutMapping creates or replaces one mapping. ifMatch may demand a version, and is * for
// any that is there; when it has another, that is the mapping that is returned.
func (c *Catalog) PutMapping(ctx context.Context, nameOrID string, m spec.Mapping, ifMatch string) (mapping *Mapping, outcome string, err error) {
	return c.PutMappingAs(ctx, nameOrID, m.ID, m, ifMatch)
}

// PutMappingAs is PutMapping for the mapping with an id, which gets that of the document:
// with it go its place in the order and the impairment that it has, and what lanes and
// scenarios say of it.
func (c *Catalog) PutMappingAs(ctx context.Context, nameOrID, id string, m spec.Mapping, ifMatch string) (mapping *Mapping, outcome string, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return nil, "", err
	}
	have := old.Mapping(id)
	if (demandsOne(ifMatch) || m.ID != id) && have == nil {
		return nil, "", noMapping(old, id)
	}
	if have != nil {
		if err := checkTag(ifMatch, have.Version, "mapping "+strconv.Quote(id)); err != nil {
			return have, "", err
		}
	}
	edit := c.editLocked()
	if m.ID != id {
		if old, err = edit.renameMapping(old, have, m.ID); err != nil {
			return nil, "", err
		}
	}
	_, compiled, outcomes, err := edit.putMappings(old, []spec.Mapping{m})
	if err != nil {
		return nil, "", err
	}
	if m.ID != id { // it was made under the other id in this very edit
		outcomes[0] = Changed
	}
	return compiled[0], outcomes[0], edit.commitUnless(ctx, allUnchanged(outcomes))
}

// renameMapping gives a mapping another id.
func (e *edit) renameMapping(old *Service, m *Mapping, id string) (*Service, error) {
	if old.Mapping(id) != nil {
		return nil, problem.New(problem.Exists, "mapping %q is in service %q already (choose another id)", id, old.Spec.Name)
	}
	if err := spec.CheckMappingID(id); err != nil {
		return nil, err
	}
	old, err := e.renameOriginal(old, m.Spec.ID, id)
	if err != nil {
		return nil, err
	}
	renamed := m.Spec
	renamed.ID = id
	made, faults := compileMapping(StoredMapping{old.Spec.ID, renamed, e.catalog.nextLocked(), m.Position}, old.Payloads)
	if err := problem.FromItems("the mapping cannot be renamed", faults); err != nil {
		return nil, err
	}
	impairment := e.next.Impairment(old.Spec.ID, "", m.Spec.ID)
	without := e.removeMappings(old, m)
	next := e.putCompiled(without, []*Mapping{made})
	if impairment != nil {
		moved := impairment.StoredImpairment
		moved.Mapping = id
		e.keepImpairment(moved)
	}
	e.renameMappingInChanges(old.Spec.Name, m.Spec.ID, id)
	return next, nil
}

// putMappings puts mappings into a service, all or, when one cannot be used,
// none. One that is there as it is stays as it is.
func (e *edit) putMappings(old *Service, mappings []spec.Mapping) (next *Service, compiled []*Mapping, outcomes []string, err error) {
	version := e.catalog.nextLocked()
	var items []problem.Item
	var changed []*Mapping
	for i, m := range mappings {
		have := old.Mapping(m.ID)
		if have != nil && mappingDigest(have.Spec) == mappingDigest(m) {
			compiled, outcomes = append(compiled, have), append(outcomes, Unchanged)
			continue
		}
		made, faults := e.compile(old, m, version)
		for _, fault := range faults {
			if len(mappings) > 1 {
				fault.At = "/" + strconv.Itoa(i) + fault.At
				fault.Detail = fmt.Sprintf("mapping %q: %s", m.ID, fault.Detail)
			}
			items = append(items, fault)
		}
		outcome := Changed
		if have == nil {
			outcome = Created
		}
		compiled, outcomes, changed = append(compiled, made), append(outcomes, outcome), append(changed, made)
	}
	items = append(items, originFaults(mappings, old.Mapping)...)
	if err := problem.FromItems("the mappings cannot be used", items); err != nil {
		return nil, nil, nil, err
	}
	if len(changed) == 0 {
		return old, compiled, outcomes, nil
	}
	return e.putCompiled(old, changed), compiled, outcomes, nil
}

// MappingFaults says of mappings that could not all be read what else is wrong with each,
// so that all of it is told at once. Nothing changes.
func (c *Catalog) MappingFaults(nameOrID string, mappings []spec.Mapping) (faults [][]problem.Item) {
	c.mu.Lock()
	defer c.mu.Unlock()
	service, err := c.Find(nameOrID)
	if err != nil || len(mappings) > MaxMappings {
		return nil
	}
	edit := c.editLocked()
	for _, m := range mappings {
		_, wrong := edit.compile(service, m, 0)
		faults = append(faults, wrong)
	}
	return faults
}

// compile compiles a mapping for a service, in which it keeps its position. The
// faults say why it cannot stand there.
func (e *edit) compile(s *Service, m spec.Mapping, version int64) (*Mapping, []problem.Item) {
	stored := StoredMapping{ServiceID: s.Spec.ID, Mapping: m, Version: version}
	if have := s.Mapping(m.ID); have != nil {
		stored.Position = have.Position
	} else {
		stored.Position = e.catalog.nextLocked()
	}
	made, faults := compileMapping(stored, s.Payloads)
	faults = append(faults, s.mistakes(m, e.variableNames(s))...)
	if fault := s.unsuitable(m); fault != nil {
		faults = append(faults, *fault)
	}
	if m.Impair != nil && made != nil { // else its faults are told already
		if _, fault := impair.Compile(*m.Impair, "", time.Time{}, e.next.Lines()); fault != nil {
			fault.At = "/impair" + fault.At
			faults = append(faults, *fault)
		}
	}
	return made, faults
}

// putCompiled puts mappings that compile made for the service into it; of two
// with one id the last.
func (e *edit) putCompiled(old *Service, mappings []*Mapping) *Service {
	all := slices.Clone(old.Mappings)
	var gone, added []*Mapping
	fresh := make(map[string]int) // where in added
	for _, m := range mappings {
		e.change.Mappings = append(e.change.Mappings, StoredMapping{old.Spec.ID, m.Spec, m.Version, m.Position})
		if i, again := fresh[m.Spec.ID]; again {
			all[slices.Index(all, added[i])], added[i] = m, m
			continue
		}
		fresh[m.Spec.ID], added = len(added), append(added, m)
		if have := old.Mapping(m.Spec.ID); have != nil {
			at, _ := slices.BinarySearchFunc(all, have, byPosition) // positions are unique and ascend
			all[at], gone = m, append(gone, have)
		} else {
			all = append(all, m)
		}
	}
	if !slices.IsSortedFunc(all, byPosition) { // some come back to where they stood
		slices.SortFunc(all, byPosition)
	}
	return e.replace(old, old.withMappings(all, gone, added))
}

// FreeID is the id of a mapping that gives none: the one that it has from its call, or
// numbered where that belongs to a mapping that asks for something else.
func (s *Service) FreeID(m spec.Mapping) string {
	asks := recording.KeyOf(m.Call)
	id := m.ID
	for number := 2; ; number++ {
		have := s.Mapping(id)
		if have == nil || recording.KeyOf(have.Spec.Call) == asks {
			return id
		}
		id = m.ID + "-" + strconv.Itoa(number)
	}
}

// byPosition orders the mappings of a service as they were made.
func byPosition(a, b *Mapping) int { return cmp.Compare(a.Position, b.Position) }

// unsuitable says why a mapping cannot stand in a service; nil when it can. An operation
// that a revision took away may stay in the mapping that named it.
func (s *Service) unsuitable(m spec.Mapping) *problem.Item {
	if name := m.Call.Operation; name != "" && s.Operation(name) == nil {
		if have := s.Mapping(m.ID); have == nil || have.Spec.Call.Operation != name {
			detail := fmt.Sprintf("service %q has no contract, and so no operation %q: give method and path instead, or import the contract first", s.Spec.Name, name)
			if s.Contract != nil {
				detail = notFound("operation", name, s.operationIDs()).Error()
			}
			return &problem.Item{At: "/call/operation", Detail: detail}
		}
	}
	op := s.Operation(m.Call.Operation)
	for i, a := range m.Answers() {
		at := m.AnswerPlace(i)
		if a.Example != "" && op != nil && op.Named(a.Example) == nil {
			return &problem.Item{At: at + "/example", Detail: notFound("example", a.Example, op.ExampleNames()).Error()}
		}
		if a.From == spec.FromContract && s.Contract == nil {
			return &problem.Item{At: at + "/from", Detail: fmt.Sprintf("service %q has no contract: import it first, or give the answer itself", s.Spec.Name)}
		}
		if op != nil && a.From == spec.FromContract && a.Status.Code != 0 && op.Response(a.Status.Code) == nil {
			return &problem.Item{At: at + "/status", Detail: fmt.Sprintf("operation %s has no response %d: change the status of another by edit", op.ID, a.Status.Code)}
		}
		if a.From == spec.FromUpstream && s.Spec.Upstream == "" {
			return &problem.Item{At: at + "/from", Detail: fmt.Sprintf("service %q has no upstream", s.Spec.Name), Hint: &problem.Hint{Code: problem.SetUpstream, Service: s.Spec.Name}}
		}
		for j, callback := range a.Callbacks {
			if names := s.callbackNames(op); callback.Name != "" && !slices.Contains(names, callback.Name) {
				return &problem.Item{At: at + "/callbacks" + a.Callbacks.Place(j) + "/name", Detail: notFound("callback", callback.Name, names).Error()}
			}
		}
		_, faults := s.Protocol().(contract.Envelope)
		if a.With != nil && faults && a.From != spec.FromUpstream {
			return &problem.Item{At: at + "/with", Detail: fmt.Sprintf("with is merged into JSON, and service %q answers in XML: use edit", s.Spec.Name)}
		}
		if a.Fault != nil && !faults {
			return &problem.Item{At: at + "/fault", Detail: fmt.Sprintf("service %q speaks plain HTTP, which has no faults: give status and json instead", s.Spec.Name)}
		}
	}
	return nil
}

// GivesTokens reports whether the contract has programs get tokens at the service.
func (s *Service) GivesTokens() bool { return s.Contract != nil && len(s.Contract.SignIn) > 0 }

// callbackNames are those of the callbacks that an operation declares; with nil that any does.
func (s *Service) callbackNames(of *contract.Operation) (names []string) {
	var among []*contract.Operation
	switch {
	case of != nil:
		among = []*contract.Operation{of}
	case s.Contract != nil && s.Contract.Callbacks > 0:
		among = s.Contract.Operations
	}
	for _, op := range among {
		for _, c := range op.Callbacks {
			names = append(names, c.Name)
		}
	}
	return names
}

// Preview is the environment as it would be with a mapping and without any
// impairment, and that mapping. Nothing changes.
func (c *Catalog) Preview(nameOrID string, m spec.Mapping) (*Snapshot, *Mapping, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return nil, nil, err
	}
	edit := c.editLocked()
	_, compiled, _, err := edit.putMappings(old, []spec.Mapping{m})
	if err != nil {
		return nil, nil, err
	}
	next := *edit.next
	next.impairments.off, next.views = true, nil
	return &next, compiled[0], nil
}

// FindMapping returns a mapping of a service. The error names similar ones.
func (c *Catalog) FindMapping(nameOrID, id string) (*Mapping, error) {
	s, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	return s.FindMapping(id)
}

// FindMapping is Mapping with an error that names similar ones.
func (s *Service) FindMapping(id string) (*Mapping, error) {
	if m := s.Mapping(id); m != nil {
		return m, nil
	}
	return nil, noMapping(s, id)
}

func noMapping(s *Service, id string) error {
	seen := s.Seen()
	ids := make([]string, len(seen))
	for i, m := range seen {
		ids[i] = m.Spec.ID
	}
	return notFound("mapping", id, ids)
}

// RemoveMapping removes one mapping. ifMatch may demand a version.
func (c *Catalog) RemoveMapping(ctx context.Context, nameOrID, id, ifMatch string) (*Mapping, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	gone := old.Mapping(id)
	if gone == nil {
		return nil, noMapping(old, id)
	}
	if err := checkTag(ifMatch, gone.Version, "mapping "+strconv.Quote(id)); err != nil {
		return gone, err
	}
	edit := c.editLocked()
	edit.removeMappings(old, gone)
	return gone, edit.commit(ctx)
}
