package catalog

import (
	"context"
	"fmt"
	"slices"

	"rapidmimic.example/internal/core/answer"
	"rapidmimic.example/spec/problem"
)

type authorKey struct{}

// By gives a context whose edits are kept as made by somebody.
func By(ctx context.Context, name string) context.Context {
	return context.WithValue(ctx, authorKey{}, name)
}

// AuthorOf is who makes the edits of a context, "" for nobody in particular.
func AuthorOf(ctx context.Context) string {
	name, _ := ctx.Value(authorKey{}).(string)
	return name
}

type confirmedKey struct{}

// Confirmed gives a context whose edits somebody has confirmed who was asked.
func Confirmed(ctx context.Context) context.Context {
	return context.WithValue(ctx, confirmedKey{}, true)
}

func isConfirmed(ctx context.Context) bool { return ctx.Value(confirmedKey{}) != nil }

// edit is a change in the making. What it changes shows in next alone, until
// commit publishes the whole of it. It belongs to who holds the catalog's lock.
type edit struct {
	catalog *Catalog
	next    *Snapshot
	change  Change
	named   named // those that were asked for last
	undoes  int64 // the entry that is taken back; 0 for none
	note    string
	about   string // the service that a note alone is about
}

func (c *Catalog) editLocked() *edit { return &edit{catalog: c, next: c.Snapshot()} }

// MaxMappings bounds the mappings of an environment, which all stay in memory.
const MaxMappings = 200_000

func checkCount(mappings int) error {
	if mappings > MaxMappings {
		return problem.New(problem.TooLarge, "an environment has at most %d mappings, and this would be %d", MaxMappings, mappings)
	}
	return nil
}

func (s *Snapshot) countMappings() (count int) {
	for _, service := range s.Services() {
		count += len(service.Mappings)
	}
	return count
}

// commit stores the change and, when that went well, makes it part of the
// environment.
func (e *edit) commit(ctx context.Context) error {
	if c := &e.change; len(c.Services)+len(c.RemoveServices)+len(c.Contracts)+len(c.WithdrawContracts)+len(c.Payloads)+len(c.RemovePayloads) > 0 {
		e.recompileChanges()
	}
	if n := e.next.countMappings(); n > e.catalog.Snapshot().countMappings() {
		if err := checkCount(n); err != nil {
			return err
		}
	}
	e.change.Entry = e.entry(ctx)
	e.change.Version = e.catalog.version
	ctx = context.WithoutCancel(ctx) // who has asked for it may leave, the change is whole all the same
	if err := e.catalog.store.Apply(ctx, e.change); err != nil {
		return fmt.Errorf("store the change: %w", err)
	}
	e.catalog.publish(e.next)
	if e.change.Entry != nil {
		e.catalog.entered(e.change.Entry.Version)
	}
	if note, ok := ctx.Value(noteKey{}).(func(int64)); ok && e.change.Entry != nil && len(e.change.Entry.Items) > 0 {
		note(e.change.Entry.Version)
	}
	return nil
}

// commitUnless is commit for an edit that may have found everything as it should be.
func (e *edit) commitUnless(ctx context.Context, unchanged bool) error {
	if unchanged {
		return nil
	}
	return e.commit(ctx)
}

// parts are what a service consists of beside its settings.
type parts struct {
	contract *Contract // nil without one
	mappings []*Mapping
	payloads answer.Payloads
	// recording is the one that runs; nil when none does.
	recording *Capture
}

func (s *Service) parts() parts { return parts{s.Contract, s.Mappings, s.Payloads, s.Recording} }

func (s *Service) stored() StoredService { return StoredService{s.Spec, s.Version} }

// putService makes a service of settings and parts, instead of old unless that
// is nil.
func (e *edit) putService(old *Service, stored StoredService, p parts) *Service {
	e.change.Services = append(e.change.Services, stored)
	return e.replace(old, compileService(stored, p))
}

// replace makes next stand instead of old; either may be nil.
func (e *edit) replace(old, next *Service) *Service {
	e.next = e.next.with(old, next)
	return next
}

// putContract is putService with another contract.
func (e *edit) putContract(old *Service, service StoredService, p parts, stored StoredContract, compiled *Contract) *Service {
	e.change.Contracts = append(e.change.Contracts, stored)
	p.contract = compiled
	return e.putService(old, service, p)
}

// replaceContract gives a service another contract and leaves its settings, and their
// version, alone.
func (e *edit) replaceContract(old *Service, stored StoredContract, compiled *Contract) *Service {
	e.change.Contracts = append(e.change.Contracts, stored)
	p := old.parts()
	p.contract = compiled
	return e.replace(old, compileService(old.stored(), p))
}

// removeMappings takes mappings out of a service.
func (e *edit) removeMappings(old *Service, gone ...*Mapping) *Service {
	version := e.catalog.nextLocked()
	for _, m := range gone {
		e.removeImpairments(func(i *Impairment) bool { return i.ServiceID == old.Spec.ID && i.Mapping == m.Spec.ID })
		e.change.RemoveMappings = append(e.change.RemoveMappings, RemovedMapping{old.Spec.ID, m.Spec.ID, version})
	}
	leaves := make(map[*Mapping]bool, len(gone))
	for _, m := range gone {
		leaves[m] = true
	}
	mappings := slices.DeleteFunc(slices.Clone(old.Mappings), func(m *Mapping) bool { return leaves[m] })
	return e.replace(old, old.withMappings(mappings, gone, nil))
}
