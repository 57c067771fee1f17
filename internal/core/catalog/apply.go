package catalog

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"rapidmimic.example/internal/core/folder"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Apply says how a folder is applied.
type Apply struct {
	// DryRun reports what would happen and changes nothing.
	DryRun bool
	// Prune removes what came from the folder and is no longer there.
	Prune bool
	// Record changes nothing but remembers where environment and folder agree.
	Record bool
	// OverTheirs lets the folder win where both sides changed.
	OverTheirs bool
	// compare makes everything what the folder has, whoever made it; see CompareFolder.
	compare bool
	// Source names the folder: services that came from another one are not missed
	// in it.
	Source string
	// At is the time of it.
	At time.Time
}

// What can become of a definition.
const (
	Created   = "created"
	Changed   = "changed"
	Removed   = "removed"
	Unchanged = "unchanged"
	Conflict  = "conflict"
	Left      = "left" // no longer in the folder, and not removed
)

// Outcome is what becomes of one definition.
type Outcome struct {
	Service, Kind, ID string
	File              string
	Line              int
	Outcome           string
	Detail            string // why, of a conflict and of what was left
}

// ApplyReport is what came of applying a folder.
type ApplyReport struct {
	Outcomes []Outcome // without what is unchanged
	// Unchanged counts the definitions that were as the folder has them.
	Unchanged int
	// Faults are in files, or in definitions, that cannot be used; what they stood
	// for stays as it was.
	Faults []problem.Item
	// Unknown are files that have no place in a folder.
	Unknown []string
	// Conflicts counts the definitions that were changed on both sides. When
	// there are any nothing was changed.
	Conflicts int
	DryRun    bool
}

// ApplyFolder brings the environment to what a folder says: a three-way
// comparison with what came from a folder before, so that what was changed in
// the environment since is a conflict that stops all of it.
func (c *Catalog) ApplyFolder(ctx context.Context, f *folder.Folder, how Apply) (ApplyReport, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	a, err := c.applyLocked(ctx, f, how)
	if err != nil {
		return ApplyReport{}, err
	}
	if a.report.Conflicts > 0 || how.DryRun {
		return a.report, nil
	}
	if how.Record {
		change := Change{Applied: a.edit.change.Applied}
		a.edit = c.editLocked()
		a.edit.change = change
	}
	return a.report, a.edit.commit(ctx)
}

// CompareFolder tells what of the environment is another than in a folder, whichever side
// made it so: each definition as it is here, and as the folder has it. The report says what of
// the folder could not be read. Nothing changes.
func (c *Catalog) CompareFolder(ctx context.Context, f *folder.Folder, now time.Time) ([]Item, ApplyReport, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	a, err := c.applyLocked(Confirmed(ctx), f, Apply{DryRun: true, Prune: true, compare: true, At: now})
	if err != nil {
		return nil, a.report, err
	}
	items := a.edit.items()
	return slices.DeleteFunc(items, func(i Item) bool { return sameState(i.Kind, i.Before, i.After) }), a.report, nil
}

// applyLocked makes the edit that brings the environment to what a folder says.
func (c *Catalog) applyLocked(ctx context.Context, f *folder.Folder, how Apply) (*application, error) {
	marks, err := c.store.Applied(ctx)
	if err != nil {
		return nil, err
	}
	a := &application{ctx: ctx, how: how, edit: c.editLocked(), before: make(map[Applied]Applied, len(marks)), sets: make(map[string]bool)}
	a.report = ApplyReport{Faults: slices.Clone(f.Faults), Unknown: f.Unknown, DryRun: how.DryRun}
	for _, m := range marks {
		a.before[Applied{Service: m.Service, Kind: m.Kind, ID: m.ID}] = m
	}
	for _, s := range f.Services {
		if s.Settings != nil {
			for set := range s.Settings.VariableSets {
				a.sets[set] = true
			}
		}
	}
	a.variables(f.Environment)
	for _, s := range f.Services {
		if err := a.service(s); err != nil {
			return nil, err
		}
	}
	a.goneServices(f)
	a.environment(f)
	a.goneVariables(f.Environment)
	problem.Sort(a.report.Faults)
	return a, nil
}

// application is one run of ApplyFolder.
type application struct {
	ctx    context.Context
	how    Apply
	edit   *edit
	before map[Applied]Applied // what came from a folder, by key
	sets   map[string]bool     // of variables that services of the folder have
	report ApplyReport
}

// service applies the folder of one service.
func (a *application) service(f *folder.Service) error {
	s := a.edit.next.Named(f.Name)
	s, err := a.settings(f, s)
	if err != nil || s == nil {
		return err
	}
	if s, err = a.contract(f, s); err != nil {
		return err
	}
	if s, err = a.payloads(f, s); err != nil {
		return err
	}
	a.gonePayloads(f, a.mappings(f, s))
	return nil
}

// decide compares the three states of a definition: in the folder, in the
// environment, and when it last came from a folder; "" where it is not there.
// It reports the outcome and returns it.
func (a *application) decide(o Outcome, inFolder, here string, changedBy func() string) string {
	key := Applied{Service: o.Service, Kind: o.Kind, ID: o.ID}
	before := a.before[key].Digest
	switch {
	case inFolder == here:
		o.Outcome = Unchanged
	case a.how.compare && here == "":
		o.Outcome = Created
	case a.how.compare && inFolder == "":
		o.Outcome = Removed
	case a.how.compare:
		o.Outcome = Changed
	case a.how.OverTheirs && here != before && (inFolder != "" || before != "" && a.how.Prune):
		o.Outcome = map[bool]string{true: Created, false: Changed}[here == ""]
		if inFolder == "" {
			o.Outcome = Removed
		}
	case inFolder == "" && before == "":
		return Unchanged // made in the environment, and none of the folder's business
	case here == before && inFolder == "" && a.how.Prune:
		o.Outcome = Removed
	case inFolder == "" && !a.how.Prune:
		o.Outcome, o.Detail = Left, "it is no longer in the folder"
	case here == before && before == "":
		o.Outcome = Created
	case here == before:
		o.Outcome = Changed
	case before == "" && here == "usual": // a switch that nobody has touched
		o.Outcome = Changed
	case before == "":
		o.Outcome, o.Detail = Conflict, "the environment has another one, which did not come from a folder"+changedBy()
	case here == "":
		o.Outcome, o.Detail = Conflict, "it was removed in the environment since it was applied"+changedBy()
	default:
		o.Outcome, o.Detail = Conflict, "it was changed in the environment since it was applied"+changedBy()
		if inFolder == "" {
			o.Detail += ", and is no longer in the folder"
		}
	}
	switch {
	case o.Outcome == Conflict:
		a.report.Conflicts++
	case inFolder != "":
		key.Digest, key.Source = inFolder, a.how.Source
		if before != inFolder && (!a.how.Record || o.Outcome == Unchanged) {
			a.edit.change.Applied = append(a.edit.change.Applied, key)
		}
	case o.Outcome == Removed:
		a.edit.change.Forgotten = append(a.edit.change.Forgotten, key)
	}
	if o.Outcome == Unchanged {
		a.report.Unchanged++
		return Unchanged
	}
	a.report.Outcomes = append(a.report.Outcomes, o)
	return o.Outcome
}

func nobody() string { return "" }

// settings brings the settings of a service to what service.yaml says; a service
// that is not there yet is made. It is nil when it cannot be.
func (a *application) settings(f *folder.Service, s *Service) (*Service, error) {
	wanted := f.Settings
	if wanted == nil && (s != nil || f.Unsettled) { // what it should be is not known
		return s, nil
	}
	if wanted == nil {
		usual := spec.NewService(f.Name)
		if f.Contract != nil {
			if compiled, err := compileContract(StoredContract{Revision: 1, Text: f.Contract.Text}); err == nil {
				usual.Title = compiled.Title
			}
		}
		wanted = &usual
	}
	here := ""
	if s != nil {
		here = settingsDigest(s.Spec)
	}
	faults := len(a.report.Faults)
	for _, err := range []error{a.edit.catalog.checkHosts(a.ctx, *wanted, s, a.edit.next), a.edit.next.checkUpstream(*wanted, s)} {
		if err != nil {
			a.fault(f.Name+"/service.yaml", err)
		}
	}
	if len(a.report.Faults) > faults {
		return s, nil
	}
	switch a.decide(Outcome{Service: f.Name, Kind: "service", File: f.Name + "/service.yaml"}, settingsDigest(*wanted), here, nobody) {
	case Created:
		return a.edit.putService(nil, a.edit.catalog.newServiceLocked(*wanted), parts{}), nil
	case Changed:
		next := *wanted
		next.ID, next.VariableTable = s.Spec.ID, next.Keeping(s.Spec.VariableTable)
		return a.edit.putService(s, StoredService{Service: next, Version: a.edit.catalog.nextLocked()}, s.parts()), nil
	}
	return s, nil
}

// contract makes the contract of a folder the next revision, where it is another
// one.
func (a *application) contract(f *folder.Service, s *Service) (*Service, error) {
	if f.Contract == nil {
		return s, nil
	}
	here := ""
	if s.Contract != nil && a.edit.catalog.Snapshot().Named(f.Name) != nil {
		stored, err := a.edit.catalog.store.Contract(a.ctx, s.Spec.ID, s.Contract.Revision)
		if err != nil {
			return s, err
		}
		here = digest(folder.ContractBytes(stored.Text))
	}
	stored := StoredContract{ServiceID: s.Spec.ID, Revision: 1, File: strings.TrimPrefix(f.Contract.File, f.Name+"/"), Imported: a.how.At, Text: f.Contract.Text}
	next, err := a.edit.catalog.nextRevision(a.ctx, s)
	if err != nil {
		return s, err
	}
	stored.Revision = next
	inFolder := digest(folder.ContractBytes(f.Contract.Text))
	var compiled *Contract
	if inFolder != here {
		var err error
		if compiled, err = compileContract(stored); err != nil {
			a.fault(f.Contract.File, err)
			return s, nil
		}
		stored.Main = compiled.Main
	}
	switch a.decide(Outcome{Service: f.Name, Kind: "contract", File: f.Contract.File}, inFolder, here, nobody) {
	case Created, Changed:
		return a.edit.replaceContract(s, stored, compiled), nil
	}
	return s, nil
}

func (a *application) fault(file string, err error) {
	items := problem.ItemsOf(err)
	if len(items) == 0 {
		items = []problem.Item{{Detail: err.Error()}}
	}
	for _, item := range items {
		if item.File == "" {
			item.File = file
		} else if item.File != file {
			item.File = strings.TrimSuffix(file, "/") + "/" + item.File
		}
		a.report.Faults = append(a.report.Faults, item)
	}
}

func (a *application) payloads(f *folder.Service, s *Service) (*Service, error) {
	changed := make(map[string][]byte)
	for name, content := range f.Payloads {
		here := ""
		if p := s.Payloads[name]; p != nil {
			here = digest(p.Bytes)
		}
		o := Outcome{Service: f.Name, Kind: "payload", ID: name, File: f.Name + "/payloads/" + name}
		switch a.decide(o, digest(content), here, nobody) {
		case Created, Changed:
			changed[name] = content
		}
	}
	if len(changed) == 0 {
		return s, nil
	}
	next, err := a.edit.putPayloads(s, changed)
	if err != nil {
		a.fault(f.Name+"/payloads", err)
		return s, nil
	}
	return next, nil
}

// mappings brings the mappings of a service to what the folder has.
func (a *application) mappings(f *folder.Service, s *Service) *Service {
	var put []*Mapping
	version := a.edit.catalog.nextLocked()
	named := make(map[string]bool, len(f.Mappings))
	for i := range f.Mappings {
		m := &f.Mappings[i]
		named[m.ID] = true
		here := ""
		if have := s.Mapping(m.ID); have != nil {
			here = mappingDigest(have.Spec)
		}
		inFolder := mappingDigest(m.Mapping)
		var made *Mapping
		if inFolder != here {
			var faults []problem.Item
			made, faults = a.edit.compile(s, m.Mapping, version)
			for _, fault := range faults {
				a.report.Faults = append(a.report.Faults, m.Place(fault.At, fmt.Sprintf("mapping %q: %s", m.ID, fault.Detail)))
			}
			if len(faults) > 0 {
				continue
			}
		}
		o := Outcome{Service: f.Name, Kind: "mapping", ID: m.ID, File: m.File, Line: m.Line}
		switch a.decide(o, inFolder, here, func() string { return a.lastChange(s, m.ID) }) {
		case Created, Changed:
			put = append(put, made)
		}
	}
	if len(put) > 0 {
		s = a.edit.putCompiled(s, put)
	}
	return a.goneMappings(f, s, named)
}

// goneMappings removes mappings that came from the folder and are no longer
// there. While a file of the service is faulty none is: it may stand in that.
func (a *application) goneMappings(f *folder.Service, s *Service, named map[string]bool) *Service {
	if f.Faulty {
		return s
	}
	var gone []*Mapping
	for _, m := range s.Mappings {
		if named[m.Spec.ID] {
			continue
		}
		o := Outcome{Service: f.Name, Kind: "mapping", ID: m.Spec.ID}
		if a.decide(o, "", mappingDigest(m.Spec), func() string { return a.lastChange(s, m.Spec.ID) }) == Removed {
			gone = append(gone, m)
		}
	}
	if len(gone) > 0 {
		return a.edit.removeMappings(s, gone...)
	}
	return s
}

func (a *application) gonePayloads(f *folder.Service, s *Service) {
	if f.Faulty {
		return
	}
	for _, name := range s.Payloads.Names() {
		if _, there := f.Payloads[name]; there {
			continue
		}
		if a.decide(Outcome{Service: f.Name, Kind: "payload", ID: name}, "", digest(s.Payloads[name].Bytes), nobody) != Removed {
			continue
		}
		next, err := a.edit.removePayload(s, name)
		if err != nil {
			a.fault(f.Name+"/payloads/"+name, err)
			continue
		}
		s = next
	}
}

// goneServices tells of services that came from the folder and are no longer
// there. They are removed with everything that came along, unless there is more
// in them.
func (a *application) goneServices(f *folder.Folder) {
	for _, s := range a.edit.next.Services() {
		before, came := a.before[Applied{Service: s.Spec.Name, Kind: "service"}]
		if !a.how.compare && (!came || before.Source != a.how.Source) || f.Find(s.Spec.Name) != nil || slices.ContainsFunc(f.Faults, func(item problem.Item) bool { return strings.HasPrefix(item.File, s.Spec.Name+"/") }) {
			continue
		}
		here := settingsDigest(s.Spec)
		if slices.ContainsFunc(s.Mappings, func(m *Mapping) bool {
			return a.before[Applied{Service: s.Spec.Name, Kind: "mapping", ID: m.Spec.ID}].Digest != mappingDigest(m.Spec)
		}) {
			here = "more than came from the folder"
		}
		if a.decide(Outcome{Service: s.Spec.Name, Kind: "service"}, "", here, nobody) == Removed {
			a.edit.change.RemoveServices = append(a.edit.change.RemoveServices, s.Spec.ID)
			a.edit.replace(s, nil)
			for key := range a.before {
				if key.Service == s.Spec.Name {
					a.edit.change.Forgotten = append(a.edit.change.Forgotten, key)
				}
			}
		}
	}
}

// lastChange says who changed a mapping last, and when.
func (a *application) lastChange(s *Service, id string) string {
	versions, err := a.edit.catalog.store.MappingVersions(a.ctx, s.Spec.ID, id)
	if err != nil || len(versions) == 0 || versions[0].At.IsZero() {
		return ""
	}
	text := ", at " + versions[0].At.UTC().Format("2006-01-02 15:04:05 UTC")
	if versions[0].By != "" {
		text += " by " + versions[0].By
	}
	return text
}

func digest(text []byte) string {
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:16])
}

func mappingDigest(m spec.Mapping) string { return documentDigest(m) }

func settingsDigest(s spec.Service) string {
	s.ID = ""
	return documentDigest(s)
}

func documentDigest(v any) string {
	text, err := json.Marshal(v)
	if err != nil {
		panic(err) // our own documents always marshal
	}
	return digest(text)
}

// FolderState is what the environment holds, as a folder keeps it: all services,
// or the one named, and what belongs to none. It says what of a folder that has it
// otherwise is an edit of its own.
func (c *Catalog) FolderState(ctx context.Context, nameOrID string) (states []folder.State, env spec.Environment, edits *FolderEdits, err error) {
	snapshot := c.Snapshot()
	services := snapshot.Services()
	env = snapshot.environmentState()
	if nameOrID != "" {
		s, err := c.Find(nameOrID)
		if err != nil {
			return nil, env, nil, err
		}
		services, env = []*Service{s}, spec.Environment{}
	}
	marks, err := c.store.Applied(ctx)
	if err != nil {
		return nil, env, nil, err
	}
	edits = &FolderEdits{snapshot: snapshot, came: make(map[Applied]string), here: make(map[Applied]string)}
	for _, s := range services {
		state := folder.State{Settings: s.Spec, Payloads: make(map[string][]byte, len(s.Payloads))}
		edits.here[Applied{Service: s.Spec.Name, Kind: "service"}] = settingsDigest(s.Spec)
		if s.Contract != nil {
			stored, err := c.store.Contract(ctx, s.Spec.ID, s.Contract.Revision)
			if err != nil {
				return nil, env, nil, err
			}
			state.Contract = &folder.ContractState{File: stored.File, Text: stored.Text}
			edits.here[Applied{Service: s.Spec.Name, Kind: "contract"}] = digest(folder.ContractBytes(stored.Text))
		}
		for _, m := range s.Mappings {
			state.Mappings = append(state.Mappings, m.Spec)
			edits.here[Applied{Service: s.Spec.Name, Kind: "mapping", ID: m.Spec.ID}] = mappingDigest(m.Spec)
		}
		for name, p := range s.Payloads {
			state.Payloads[name] = p.Bytes
			edits.here[Applied{Service: s.Spec.Name, Kind: "payload", ID: name}] = digest(p.Bytes)
		}
		states = append(states, state)
	}
	for _, m := range marks {
		edits.came[Applied{Service: m.Service, Kind: m.Kind, ID: m.ID}] = m.Digest
	}
	for _, v := range folder.VariablesOf(env.VariableTable).Sorted() {
		edits.here[Applied{Kind: variableKind, ID: v.ID()}] = documentDigest(v.Variable)
	}
	for _, s := range env.Scenarios {
		edits.here[Applied{Kind: scenarioKind, ID: s.Name}] = documentDigest(s)
	}
	for _, i := range env.Impairments {
		edits.here[Applied{Kind: impairmentKind, ID: i.Target.String()}] = documentDigest(i)
	}
	if nameOrID == "" {
		edits.here[Applied{Kind: offKind}] = switchDigest(*env.ImpairmentsOff, false)
		edits.here[Applied{Kind: onKind}] = switchDigest(*env.Scenario, "")
		edits.here[Applied{Kind: ignoredKind}] = ignoredDigest(*env.Ignored)
		edits.here[Applied{Kind: inUseKind}] = switchDigest(*env.VariableSet, "")
	}
	return states, env, edits, nil
}

// FolderEdits tells the edits that a folder has of its own from what it was given.
type FolderEdits struct {
	snapshot   *Snapshot
	came, here map[Applied]string
	// OverMine takes what the environment has over all of them.
	OverMine bool
	// Both are those that the environment changed, too, since the folder was applied or
	// exported: they stay as the folder has them.
	Both []Outcome
}

// Keep implements folder.Keep.
func (e *FolderEdits) Keep(service, kind, id string, local any) bool {
	key := Applied{Service: service, Kind: kind, ID: id}
	if e.OverMine || e.digestOf(local) == e.came[key] {
		return false
	}
	if e.came[key] != e.here[key] {
		e.Both = append(e.Both, Outcome{Service: service, Kind: kind, ID: id, Outcome: Conflict, Detail: "it was changed in the folder and in the environment"})
	}
	return true
}

// digestOf is the digest that applying a definition of a folder would leave.
func (e *FolderEdits) digestOf(local any) string {
	switch d := local.(type) {
	case []byte:
		return digest(d)
	case spec.Service:
		return settingsDigest(d)
	case spec.Ignored:
		return ignoredDigest(d)
	case bool:
		return switchDigest(d, false)
	case string:
		return switchDigest(d, "")
	case spec.TargetImpairment:
		if d.Impairment.Seed == nil {
			d.Impairment.Seed = seedOf(d.Target.String())
			if serviceID, err := e.snapshot.CheckTarget(d.Target); err == nil {
				if have := e.snapshot.Impairment(serviceID, d.Target.Operation, d.Target.Mapping); have != nil {
					d.Impairment.Seed = have.Impairment.Seed
				}
			}
		}
		return documentDigest(d)
	default:
		return documentDigest(local)
	}
}
