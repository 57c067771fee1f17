package catalog

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Undo takes an entry back: each definition that it changed is as it was before, all of them
// or none. One that was changed since keeps it from that.
func (c *Catalog) Undo(ctx context.Context, id string, now time.Time) (*Entry, error) {
	entry, err := c.FindEntry(ctx, id)
	if err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	switch {
	case entry.Count == 0:
		return nil, problem.New(problem.Conflict, "%s changed no definition: there is nothing to take back", id)
	case !entry.Whole:
		return nil, problem.New(problem.Conflict, "%s changed too much to be kept whole, so it cannot be undone", id)
	case entry.UndoneBy != 0:
		return nil, problem.New(problem.Conflict, "%s is undone already, by %s (undo that one to have it again)", id, EntryID(entry.UndoneBy))
	}
	u := &undoing{edit: c.editLocked(), ctx: ctx, now: now, entry: &entry}
	u.edit.undoes = entry.Version
	for _, item := range entry.Items {
		u.check(item)
	}
	if len(u.faults) == 0 {
		u.restoreAll(u.ordered())
	}
	if len(u.faults) > 0 {
		failed := problem.New(problem.Conflict, "%s cannot be undone", id)
		failed.Items = u.faults
		return nil, failed
	}
	if u.edit.next == c.Snapshot() && len(u.edit.recordingItems()) == 0 {
		return nil, problem.New(problem.Conflict, "%s has nothing to take back: all is as it was before", id)
	}
	if err := u.edit.commit(ctx); err != nil {
		return nil, err
	}
	return u.edit.change.Entry, nil
}

// undoing is one undo at work.
type undoing struct {
	edit   *edit
	ctx    context.Context
	now    time.Time
	entry  *Entry
	faults []problem.Item
}

func (u *undoing) fault(item Item, detail string) {
	u.faults = append(u.faults, problem.Item{Detail: item.Name() + ": " + detail})
}

// check notes that a definition is another one now than the entry left behind.
func (u *undoing) check(item Item) {
	if item.Kind == KindRecording {
		if item.Before != nil && item.After != nil || item.After != nil && ranIn(item.After) {
			u.fault(item, "that a recording starts or ends is not undone: stop or remove it")
		}
		return
	}
	if present := u.edit.next.definition(item.Key); !sameState(item.Kind, present, item.After) {
		detail := "it was changed since"
		switch {
		case present == nil:
			detail = "it was removed since"
		case item.After == nil:
			detail = "there is another one since"
		}
		u.fault(item, detail)
		return
	}
	if item.Kind != KindService || item.Before != nil {
		return
	}
	for _, m := range u.edit.next.byID(item.ServiceID).Mappings { // it would go with all that it has
		if m.Version > u.entry.Version {
			u.fault(item, fmt.Sprintf("it has mapping %s since, which would go with it", m.Spec.ID))
			return
		}
	}
}

// ranIn reports whether a recording was running in a state.
func ranIn(state json.RawMessage) bool {
	r, err := document[recordingState](state)
	return err == nil && r.Stopped.IsZero()
}

// sameState reports whether two states of a definition are the same. Contracts are told by
// their texts: an undo makes a new revision of an earlier one.
func sameState(kind string, a, b json.RawMessage) bool {
	if kind != KindContract || a == nil || b == nil {
		return bytes.Equal(a, b)
	}
	var one, other contractState
	return json.Unmarshal(a, &one) == nil && json.Unmarshal(b, &other) == nil && one.Digest == other.Digest
}

// undoOrder is in which order definitions are brought back: what others need comes first.
var undoOrder = []string{KindVariables, KindLine, KindService, KindContract, KindPayload, KindMapping, KindScenario, KindLane, KindImpairment, KindIgnored, KindSwitch, KindRecording}

// ordered are the items in the order in which they can be restored: what comes back first,
// each after what it needs, then what goes, the other way round; services go before all.
func (u *undoing) ordered() []Item {
	items := slices.Clone(u.entry.Items)
	frees := func(i Item) bool { return i.Kind == KindService && i.Before == nil } // its name, which another may need
	slices.SortStableFunc(items, func(a, b Item) int {
		if frees(a) != frees(b) {
			return map[bool]int{true: -1, false: 1}[frees(a)]
		}
		if goes := a.Before == nil; goes != (b.Before == nil) {
			return map[bool]int{true: 1, false: -1}[goes]
		}
		order := cmp.Compare(slices.Index(undoOrder, a.Kind), slices.Index(undoOrder, b.Kind))
		if order == 0 && a.Kind == KindMapping {
			return cmp.Compare(a.ServiceID, b.ServiceID)
		}
		if a.Before == nil {
			return -order
		}
		return order
	})
	return items
}

// restoreAll makes definitions what they were before the entry. Mappings of one service are
// put, or removed, all at once: an index over thousands is not built for each.
func (u *undoing) restoreAll(items []Item) {
	for i := 0; i < len(items); {
		end, first := i+1, items[i]
		for first.Kind == KindMapping && end < len(items) && items[end].Kind == KindMapping && items[end].ServiceID == first.ServiceID &&
			(items[end].Before == nil) == (first.Before == nil) {
			end++
		}
		if first.Kind == KindMapping {
			u.mappings(items[i:end])
		} else if err := u.restore(first); err != nil {
			u.fault(first, err.Error())
		}
		i = end
	}
}

// restore makes a definition what it was before the entry.
func (u *undoing) restore(item Item) error {
	switch item.Kind {
	case KindService:
		return u.service(item)
	case KindContract:
		return u.contract(item)
	case KindPayload:
		return u.payload(item)
	case KindImpairment:
		return u.impairment(item)
	case KindLine:
		return u.line(item)
	case KindRecording:
		return u.recording(item)
	case KindScenario:
		return u.scenario(item)
	case KindLane:
		return u.lane(item)
	case KindVariables:
		v, err := read[spec.Variables](item)
		if err != nil {
			return err
		}
		give(v.VariableTable, item.Secrets)
		return problem.FromItems("the variables cannot be as they were", u.edit.setVariables(v))
	case KindIgnored:
		i, err := read[spec.Ignored](item)
		if err != nil {
			return err
		}
		compiled, faults := compileIgnored(i, u.edit.catalog.labelsOf)
		if len(faults) == 0 {
			u.edit.setIgnored(compiled)
		}
		return problem.FromItems("the calls cannot be ignored as they were", faults)
	case KindSwitch:
		return u.switched(item)
	default:
		return fmt.Errorf("%s is not undone", item.Kind)
	}
}

func read[T any](item Item) (value T, err error) { return document[T](item.Before) }

// document is a state out of an entry.
func document[T any](state json.RawMessage) (value T, err error) {
	if err := json.Unmarshal(state, &value); err != nil {
		return value, fmt.Errorf("what it was cannot be read: %w", err)
	}
	return value, nil
}

// give puts the values of secrets back into a table.
func give(t spec.VariableTable, secrets map[string]string) {
	t.EachSecret(func(place, _ string) string { return secrets[place] })
}

func (u *undoing) service(item Item) error {
	e := u.edit
	present := e.next.byID(item.ServiceID)
	if item.Before == nil {
		e.change.RemoveServices = append(e.change.RemoveServices, item.ServiceID)
		e.replace(present, nil)
		e.removeImpairments(func(i *Impairment) bool { return i.ServiceID == item.ServiceID })
		return nil
	}
	settings, err := read[spec.Service](item)
	if err != nil {
		return err
	}
	give(settings.VariableTable, item.Secrets)
	if taken := e.next.Named(settings.Name); taken != nil && taken != present {
		if !u.renames(taken) {
			return fmt.Errorf("the name %q belongs to another service since: rename that first", settings.Name)
		}
		u.rename(taken, taken.Spec, "moving-"+taken.Spec.ID) // until its own turn
		present = e.next.byID(item.ServiceID)
	}
	if present != nil {
		u.rename(present, settings, settings.Name)
		return nil
	}
	kept, err := e.catalog.store.Removed(u.ctx, item.ServiceID)
	if err != nil {
		return err
	}
	p := parts{payloads: payloadsOf(kept.Payloads)[item.ServiceID]}
	for _, stored := range kept.Contracts {
		if p.contract, err = compileStored(stored); err != nil {
			return fmt.Errorf("its contract cannot be used: %w", err)
		}
	}
	for _, stored := range kept.Mappings {
		m, faults := compileMapping(stored, p.payloads)
		if len(faults) > 0 {
			return fmt.Errorf("its mapping %q cannot be used: %s", stored.Mapping.ID, faults[0].Detail)
		}
		p.mappings = append(p.mappings, m)
	}
	e.putService(nil, StoredService{settings, e.catalog.nextLocked()}, p)
	return nil
}

// renames reports whether a service, too, gets back a name that it has no longer.
func (u *undoing) renames(s *Service) bool {
	return slices.ContainsFunc(u.entry.Items, func(i Item) bool {
		before, err := document[spec.Service](i.Before)
		return i.Kind == KindService && i.ServiceID == s.Spec.ID && i.Before != nil && err == nil && before.Name != s.Spec.Name
	})
}

// rename gives a service settings and a name, by which all else knows it then.
func (u *undoing) rename(s *Service, settings spec.Service, name string) {
	settings.Name = name
	u.edit.putService(s, StoredService{settings, u.edit.catalog.nextLocked()}, s.parts())
	if name != s.Spec.Name {
		u.edit.renameTargets()
		u.edit.renameInChanges(s.Spec.Name, name)
	}
}

// contract makes the revision before the one in force anew.
func (u *undoing) contract(item Item) error {
	e := u.edit
	present := e.next.byID(item.ServiceID)
	if present == nil { // it goes with its service
		return nil
	}
	if item.Before == nil {
		p := present.parts()
		e.change.WithdrawContracts = append(e.change.WithdrawContracts, StoredContract{ServiceID: item.ServiceID, Revision: p.contract.Revision})
		p.contract = nil
		e.replace(present, compileService(present.stored(), p))
		return nil
	}
	before, err := read[contractState](item)
	if err != nil {
		return err
	}
	if present.Contract != nil && present.Contract.digest == before.Digest { // it came back with its service
		return nil
	}
	stored, err := e.catalog.store.Contract(u.ctx, item.ServiceID, before.Revision)
	if err != nil {
		return err
	}
	stored.Imported = u.now
	if stored.Revision, err = e.catalog.nextRevision(u.ctx, present); err != nil {
		return err
	}
	compiled, err := compileContract(stored)
	if err != nil {
		return err
	}
	e.replaceContract(present, stored, compiled)
	return nil
}

func (u *undoing) payload(item Item) error {
	e := u.edit
	present := e.next.byID(item.ServiceID)
	switch {
	case present == nil:
		return nil
	case item.Before == nil:
		_, err := e.removePayload(present, item.ID)
		return err
	}
	before, err := read[payloadState](item)
	if err != nil {
		return err
	}
	if have := present.Payloads[item.ID]; have != nil && digest(have.Bytes) == before.Digest { // it came back with its service
		return nil
	}
	content, err := e.catalog.store.PayloadBefore(u.ctx, cmp.Or(item.entry, u.entry.Version), item.ServiceID, item.ID)
	if err != nil {
		return err
	}
	_, err = e.putPayloads(present, map[string][]byte{item.ID: content})
	return err
}

// mappings are of one service, and all come, or all go.
func (u *undoing) mappings(items []Item) {
	e := u.edit
	present := e.next.byID(items[0].ServiceID)
	if present == nil {
		if items[0].Before != nil {
			u.fault(items[0], "its service is gone: restore that first")
		}
		return
	}
	made := make([]*Mapping, 0, len(items))
	version := e.catalog.nextLocked()
	for _, item := range items {
		if item.Before == nil {
			made = append(made, present.mappings.byID(item.ID))
			continue
		}
		m, err := read[spec.Mapping](item)
		if err != nil {
			u.fault(item, err.Error())
			continue
		}
		compiled, faults := e.compile(present, m, version)
		if len(faults) > 0 {
			u.fault(item, faults[0].Detail)
			continue
		}
		if item.Position > 0 && present.mappings.byID(item.ID) == nil {
			compiled.Position = item.Position
		}
		made = append(made, compiled)
	}
	switch {
	case len(u.faults) > 0:
	case items[0].Before == nil:
		e.removeMappings(present, made...)
	default:
		e.putCompiled(present, made)
	}
}

// recording brings a removed one back, or removes one that was not there.
func (u *undoing) recording(item Item) error {
	e := u.edit
	find, into := e.catalog.store.Recordings, &e.change.RemoveRecordings
	if item.Before != nil {
		find, into = e.catalog.store.RemovedRecordings, &e.change.RestoreRecordings
	}
	if e.next.byID(item.ServiceID) == nil {
		return errors.New("its service is gone: restore that first")
	}
	found, err := find(u.ctx, item.ServiceID)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(found, func(r StoredRecording) bool { return r.Recording.ID == item.ID })
	switch {
	case i < 0 && item.Before != nil:
		return errors.New("it is not removed, or no longer kept: what is removed is kept for 30 days")
	case i < 0:
		return errors.New("it was removed since")
	}
	*into = append(*into, found[i])
	return nil
}

func (u *undoing) impairment(item Item) error {
	e := u.edit
	if item.Before == nil {
		t := targetOfPart("", item.ID)
		e.removeImpairments(func(i *Impairment) bool { return i.Key() == targetKey(item.ServiceID, t.Operation, t.Mapping) })
		return nil
	}
	name := ""
	if item.ServiceID != "" {
		service := e.next.byID(item.ServiceID)
		if service == nil {
			return errors.New("its service is gone")
		}
		name = service.Spec.Name
	}
	target := targetOfPart(name, item.ID)
	if _, err := e.next.CheckTarget(target); err != nil {
		return err
	}
	i, err := read[spec.Impairment](item)
	if err != nil {
		return err
	}
	if fault := e.setImpairment(item.ServiceID, target, i, u.now, AuthorOf(u.ctx)); fault != nil {
		return errors.New(fault.Detail)
	}
	return nil
}

func (u *undoing) line(item Item) error {
	e := u.edit
	if item.Before == nil {
		if user := e.next.mappingOnLine(item.ID); user != "" {
			return fmt.Errorf("it is in use by mapping %s", user)
		}
		e.change.RemoveLines = append(e.change.RemoveLines, item.ID)
		return e.setLine(item.ID, nil)
	}
	line, err := read[spec.Line](item)
	if err != nil {
		return err
	}
	if e.change.Lines == nil {
		e.change.Lines = make(map[string]spec.Line)
	}
	e.change.Lines[item.ID] = line
	return e.setLine(item.ID, &line)
}

func (u *undoing) scenario(item Item) error {
	e := u.edit
	if item.Before == nil {
		if users := e.next.usersOf(item.ID, u.now); len(users) > 0 {
			return fmt.Errorf("it is in use by %s", users[0])
		}
		e.removeScenario(item.ID)
		return nil
	}
	s, err := read[spec.Scenario](item)
	if err != nil {
		return err
	}
	give(spec.VariableTable{Variables: s.Variables}, item.Secrets)
	if faults := e.next.ScenarioFaults(e.putScenario(s)); len(faults) > 0 {
		return errors.New(faults[0].Detail)
	}
	return nil
}

func (u *undoing) lane(item Item) error {
	e := u.edit
	present := e.next.lanes[item.ID]
	if item.Before == nil {
		e.closeLane(present, u.now)
		return nil
	}
	before, err := read[laneState](item)
	if err != nil {
		return err
	}
	give(spec.VariableTable{Variables: before.Variables}, item.Secrets)
	version := e.catalog.nextLocked()
	stored := StoredLane{ID: fmt.Sprintf("l-%x", version), Spec: before.Lane, Opened: u.now, By: AuthorOf(u.ctx)}
	if present != nil {
		stored = present.StoredLane
		stored.Spec = before.Lane
	}
	stored.Until, stored.Active, stored.Version = before.Until, before.Active, version
	if !u.now.Before(stored.Until) {
		return fmt.Errorf("its time was over at %s: open it again", stored.Until.UTC().Format("15:04:05 UTC"))
	}
	if a := before.Active; a != nil && e.next.scenarios[a.Scenario] == nil {
		return fmt.Errorf("its scenario %q is gone", a.Scenario)
	}
	lane, faults := compileLane(e.next, stored)
	if len(faults) > 0 {
		return errors.New(faults[0].Detail)
	}
	e.putLane(lane)
	return nil
}

func (u *undoing) switched(item Item) error {
	e := u.edit
	next := *e.next
	if item.ID == "impairments" {
		off, err := read[bool](item)
		next.impairments.off = off
		e.next, e.change.ImpairmentsOff = &next, &off
		return err
	}
	var before *Activation
	if item.Before != nil {
		a, err := read[Activation](item)
		if err != nil {
			return err
		}
		before = a.at(u.now)
	}
	if before != nil && next.scenarios[before.Scenario] == nil {
		return fmt.Errorf("scenario %q is gone", before.Scenario)
	}
	next.active = before
	if e.next, e.change.Switched = &next, before; before == nil {
		e.change.Switched = &Activation{}
	}
	return nil
}
