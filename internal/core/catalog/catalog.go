// Package catalog holds the definitions of the environment: it takes edits,
// checks and compiles them, has them stored, and publishes the result as an
// immutable Snapshot that the very next call uses.
//
// It answers no calls (engine does) and knows no database (a Store does).
// Start with Catalog and Snapshot.
package catalog

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/internal/core/contract/wsdl"
	"rapidmimic.example/spec/problem"
)

// Catalog is the one place where definitions change. Reads never wait for
// writes; writes happen one after another.
type Catalog struct {
	store   Store
	current atomic.Pointer[Snapshot]

	mu      sync.Mutex // guards version and orders all edits
	version int64      // of the last edit in the environment
	// lastEntry is the last that the activity has; latest is what others know of it.
	lastEntry int64
	latest    atomic.Pointer[latest]
	nightly   atomic.Pointer[Mark] // to which everything comes back each night; nil for none

	aside []Aside
	// hosts says which hosts services may list; nil allows all.
	hosts HostRule
	// secrets is told the values of secret variables; nil for nobody.
	secrets func(values []string)
}

// HostRule says whether a service may list a host. confirm is set for one that it may
// only when somebody has confirmed it: see Confirmed.
type HostRule func(host string) (confirm bool, err error)

// SetHostRule is called before anything is edited.
func (c *Catalog) SetHostRule(rule HostRule) { c.hosts = rule }

// OnSecrets has take told the values of all secret variables now, and at each edit before
// it is in force. It is called before anything is edited.
func (c *Catalog) OnSecrets(take func(values []string)) {
	c.secrets = take
	take(c.Snapshot().Secrets())
}

// Aside lists what is stored and could not be used when the catalog was opened.
func (c *Catalog) Aside() []Aside { return c.aside }

// Open loads what the store holds. Definitions that cannot be used any more are set
// aside, and named: one of them must not keep all others from working.
func Open(ctx context.Context, store Store) (*Catalog, error) {
	definitions, err := store.Load(ctx)
	if err != nil {
		return nil, fmt.Errorf("load definitions: %w", err)
	}
	c := &Catalog{store: store, aside: definitions.Aside}
	names := make(map[string]string, len(definitions.Services))
	for _, stored := range definitions.Services {
		names[stored.Service.ID] = stored.Service.Name
	}
	setAside := func(reason any, format string, args ...any) {
		c.aside = append(c.aside, Aside{fmt.Sprintf(format, args...), fmt.Sprint(reason)})
	}
	contracts := make(map[string]*Contract)
	for _, stored := range definitions.Contracts {
		compiled, err := compileStored(stored)
		if err != nil {
			setAside(err, "contract %s of %s", stored.File, names[stored.ServiceID])
			continue
		}
		contracts[stored.ServiceID] = compiled
	}
	payloads := payloadsOf(definitions.Payloads)
	mappings := make(map[string][]*Mapping)
	for _, stored := range definitions.Mappings {
		c.version = max(c.version, stored.Version, stored.Position)
		m, faults := compileMapping(stored, payloads[stored.ServiceID])
		if len(faults) > 0 {
			setAside(&faults[0], "mapping %q of %s", stored.Mapping.ID, names[stored.ServiceID])
			continue
		}
		mappings[stored.ServiceID] = append(mappings[stored.ServiceID], m)
	}
	running := make(map[string]*Capture)
	for _, stored := range definitions.Running {
		compiled, err := CompileCapture(stored.Recording)
		if err != nil {
			setAside(err, "recording %q of %s", stored.Recording.Name, names[stored.ServiceID])
			continue
		}
		running[stored.ServiceID] = compiled
	}
	snapshot := (&Snapshot{}).withVariables(definitions.Variables)
	c.version = max(c.version, definitions.Variables.Version)
	for _, stored := range definitions.Services {
		id := stored.Service.ID
		snapshot = snapshot.with(nil, compileService(stored, parts{contracts[id], mappings[id], payloads[id], running[id]}))
		c.version = max(c.version, stored.Version)
	}
	snapshot = snapshot.withStored(definitions, setAside)
	var faults []problem.Item
	if snapshot.ignored, faults = compileIgnored(definitions.Ignored, c.labelsOf); len(faults) > 0 {
		setAside(&faults[0], "ignored calls")
	}
	for _, stored := range definitions.Impairments {
		c.version = max(c.version, stored.Version)
	}
	c.version = max(c.version, definitions.Version)
	marks, err := store.Marks(ctx)
	if err != nil {
		return nil, fmt.Errorf("load marks: %w", err)
	}
	if i := slices.IndexFunc(marks, func(m Mark) bool { return m.Nightly != "" }); i >= 0 {
		c.nightly.Store(&marks[i])
	}
	c.lastEntry = c.version
	c.entered(c.lastEntry)
	c.publish(snapshot.withSituations(definitions))
	return c, nil
}

// publish makes a snapshot the present one.
func (c *Catalog) publish(s *Snapshot) {
	next := *s
	next.views, next.entry = &views{}, c.lastEntry
	if c.secrets != nil { // before a call can have one of them
		c.secrets(next.Secrets())
	}
	c.current.Store(&next)
}

// Snapshot is the environment as it is now.
func (c *Catalog) Snapshot() *Snapshot { return c.current.Load() }

func compileContract(stored StoredContract) (*Contract, error) {
	files, err := bundle.Open(stored.Text, stored.Main, isContract)
	if err != nil {
		return nil, err
	}
	reader := openapi.ReadBundle
	if wsdl.IsContract(files.Contract()) {
		reader = wsdl.Read
	}
	read, err := reader(files)
	if err != nil {
		return nil, err
	}
	return &Contract{Contract: read, Revision: stored.Revision, File: stored.File, Main: files.Main, digest: digest(stored.Text)}, nil
}

// compileStored compiles a contract that was imported once. A fault of ours in it must
// not keep the service from starting.
func compileStored(stored StoredContract) (compiled *Contract, err error) {
	defer func() {
		if fault := recover(); fault != nil {
			err = fmt.Errorf("reading it fails: %v", fault)
		}
	}()
	return compileContract(stored)
}

// isContract reports whether a document is a contract in any notation.
func isContract(text []byte) bool { return openapi.IsContract(text) || wsdl.IsContract(text) }

func (c *Catalog) nextLocked() int64 {
	c.version++
	return c.version
}

// Find returns a service by name or id. The error names similar ones.
func (c *Catalog) Find(nameOrID string) (*Service, error) { return c.Snapshot().FindService(nameOrID) }

// FindOperation returns an operation of a service that answers. The error names
// similar ones.
func (c *Catalog) FindOperation(nameOrID, operation string) (*Service, *contract.Operation, error) {
	s, err := c.Find(nameOrID)
	if err != nil {
		return nil, nil, err
	}
	op, err := s.FindOperation(operation)
	return s, op, err
}

// FindService is Find with an error that names similar services.
func (s *Snapshot) FindService(nameOrID string) (*Service, error) {
	if service := s.Find(nameOrID); service != nil {
		return service, nil
	}
	return nil, notFound("service", nameOrID, s.Names())
}

// FindOperation is Operation with an error that names similar ones.
func (s *Service) FindOperation(id string) (*contract.Operation, error) {
	if op := s.Operation(id); op != nil {
		return op, nil
	}
	return nil, notFound("operation", id, s.operationIDs())
}

func notFound(noun, name string, known []string) error {
	if near := problem.Closest(name, known); near != "" {
		return problem.New(problem.NotFound, "%s %q not found (%s?)", noun, name, near)
	}
	return problem.New(problem.NotFound, "%s %q not found (%s)", noun, name, knownText(noun, known))
}

func knownText(noun string, known []string) string {
	const most = 8
	switch {
	case len(known) == 0:
		return "there is no " + noun + " yet"
	case len(known) > most:
		return fmt.Sprintf("there are %d, the first is %s", len(known), known[0])
	}
	text := "there is"
	for i, name := range known {
		if i > 0 {
			text += ","
		}
		text += " " + name
	}
	return text
}

// NotThere, instead of the version that a write may demand, demands that what it
// makes is not there yet.
const NotThere = "not there"

// demandsOne reports whether a write is to change something that is there.
func demandsOne(ifMatch string) bool { return ifMatch != "" && ifMatch != NotThere }

// checkTag refuses a write that was made on an older version than the current
// one. An empty tag or * makes no demand.
func checkTag(ifMatch string, version int64, what string) error {
	switch ifMatch {
	case "", "*", ETag(version):
		return nil
	case NotThere:
		return problem.New(problem.Stale, "%s already exists", what)
	}
	return problem.New(problem.Stale, "%s was changed by somebody else since you read it (it is at %s, you had %s)", what, ETag(version), ifMatch)
}
