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
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// PutMappings creates or replaces mappings of a service by their ids, all of
// them or, when one cannot be used, none. It returns them compiled, with
// created telling for each whether it is new.
func (c *Catalog) PutMappings(ctx context.Context, nameOrID string, mappings []spec.Mapping) (compiled []*Mapping, created []bool, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return nil, nil, err
	}
	edit := c.editLocked()
	if len(mappings) > MaxMappings { // before they are compiled
		return nil, nil, checkCount(len(mappings))
	}
	if _, compiled, created, err = edit.putMappings(old, mappings); err != nil {
		return nil, nil, err
	}
	return compiled, created, edit.commit(ctx)
}

// PutMapping creates or replaces one mapping. ifMatch may demand a version.
func (c *Catalog) PutMapping(ctx context.Context, nameOrID string, m spec.Mapping, ifMatch string) (mapping *Mapping, created bool, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, err := c.Find(nameOrID)
	if err != nil {
		return nil, false, err
	}
	have := old.Mapping(m.ID)
	if demandsOne(ifMatch) && have == nil {
		return nil, false, noMapping(old, m.ID)
	}
	if have != nil {
		if err := checkTag(ifMatch, have.Version, "mapping "+strconv.Quote(m.ID)); err != nil {
			return have, false, err
		}
	}
	edit := c.editLocked()
	_, compiled, isNew, err := edit.putMappings(old, []spec.Mapping{m})
	if err != nil {
		return nil, false, err
	}
	return compiled[0], isNew[0], edit.commit(ctx)
}

// putMappings puts mappings into a service, all or, when one cannot be used,
// none.
func (e *edit) putMappings(old *Service, mappings []spec.Mapping) (next *Service, compiled []*Mapping, created []bool, err error) {
	version := e.catalog.nextLocked()
	var items []problem.Item
	for i, m := range mappings {
		made, fault := e.compile(old, m, version)
		if fault != nil {
			if len(mappings) > 1 {
				fault.At = "/" + strconv.Itoa(i) + fault.At
				fault.Detail = fmt.Sprintf("mapping %q: %s", m.ID, fault.Detail)
			}
			items = append(items, *fault)
			continue
		}
		compiled, created = append(compiled, made), append(created, old.Mapping(m.ID) == nil)
	}
	if err := problem.FromItems("the mappings cannot be used", items); err != nil {
		return nil, nil, nil, err
	}
	return e.putCompiled(old, compiled), compiled, created, nil
}

// compile compiles a mapping for a service, in which it keeps its position. The
// fault says why it cannot stand there.
func (e *edit) compile(s *Service, m spec.Mapping, version int64) (*Mapping, *problem.Item) {
	stored := StoredMapping{ServiceID: s.Spec.ID, Mapping: m, Version: version}
	if have := s.Mapping(m.ID); have != nil {
		stored.Position = have.Position
	} else {
		stored.Position = e.catalog.nextLocked()
	}
	made, fault := compileMapping(stored, s.Payloads)
	if fault == nil {
		fault = unsuitable(s, m)
	}
	if fault == nil && m.Impair != nil {
		if _, fault = impair.Compile(*m.Impair, "", time.Time{}, e.next.Lines()); fault != nil {
			fault.At = "/impair" + fault.At
		}
	}
	return made, fault
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
	return e.replace(old, old.withMappings(all, gone, added))
}

// byPosition orders the mappings of a service as they were made.
func byPosition(a, b *Mapping) int { return cmp.Compare(a.Position, b.Position) }

// unsuitable says why a mapping cannot stand in a service; nil when it can.
func unsuitable(s *Service, m spec.Mapping) *problem.Item {
	if name := m.Call.Operation; name != "" && s.Operation(name) == nil && s.Mapping(m.ID) == nil {
		return &problem.Item{At: "/call/operation", Detail: notFound("operation", name, s.operationIDs()).Error()}
	}
	op := s.Operation(m.Call.Operation)
	for i, a := range m.Answers() {
		at := m.AnswerPlace(i)
		if a.Example != "" && op != nil && op.Named(a.Example) == nil {
			return &problem.Item{At: at + "/example", Detail: notFound("example", a.Example, op.ExampleNames()).Error()}
		}
		if a.From != "" && s.Upstream == nil {
			return &problem.Item{At: at + "/from", Detail: fmt.Sprintf("service %q has no upstream", s.Spec.Name), Hint: &problem.Hint{Code: problem.SetUpstream, Service: s.Spec.Name}}
		}
		if _, faults := s.Protocol().(contract.Envelope); a.Fault != nil && !faults {
			return &problem.Item{At: at + "/fault", Detail: fmt.Sprintf("service %q speaks plain HTTP, which has no faults: give status and json instead", s.Spec.Name)}
		}
	}
	return nil
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
