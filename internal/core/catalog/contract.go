package catalog

import (
	"context"
	"slices"
	"time"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/contract/bundle"
	"rapidmimic.example/internal/core/contract/openapi"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Import is a contract to be taken in.
type Import struct {
	// Text is a document, or a zip archive of several.
	Text []byte
	// Main names the contract among several files; "" finds it.
	Main string
	// Answers makes a contract of a Text that is a sample or a JSON Schema: it
	// names the call, as "GET /berths/{number}".
	Answers string
	// File is the name of the file the text came from; it may be "".
	File string
	// Name names the new service; "" takes it from File, else from the title.
	Name string
	// Into names an existing service that gets the contract as a new revision.
	// Name and Into exclude each other.
	Into string
	// DryRun reports what would happen and changes nothing.
	DryRun bool
	// At is the time of the import.
	At time.Time
	// Before is shown what will come of the import before anything is changed; nil
	// for nobody. A panic in it leaves everything as it was.
	Before func(Imported)
}

// Imported is what came of an import.
type Imported struct {
	// Service is as it is now, or would be after a dry run.
	Service *Service
	// Changes compares with the revision before; nil when there was none.
	Changes *contract.Changes
	// Orphans are mappings on operations that are gone.
	Orphans []*Mapping
	DryRun  bool
}

// Import reads a contract and makes a service of it, or a new revision of an
// existing one. On any error nothing has changed.
func (c *Catalog) Import(ctx context.Context, in Import) (Imported, error) {
	if in.Name != "" && in.Into != "" {
		return Imported{}, problem.New(problem.Invalid, "name creates a service and into updates one: give one of them")
	}
	stored := StoredContract{Revision: 1, File: in.File, Main: in.Main, Imported: in.At, Text: in.Text}
	if in.Answers != "" {
		text, err := openapi.FromSample(in.Text, in.Answers, "")
		if err != nil {
			return Imported{}, err
		}
		stored.Text = text
	}
	compiled, err := compileContract(stored)
	if err != nil {
		return Imported{}, err
	}
	stored.Main = compiled.Main
	c.mu.Lock()
	defer c.mu.Unlock()
	if in.Into != "" {
		return c.importIntoLocked(ctx, in, stored, compiled)
	}
	name, err := importName(in, compiled.Title)
	if err != nil {
		return Imported{}, err
	}
	if c.Snapshot().Named(name) != nil {
		return Imported{}, problem.New(problem.Exists, "service %q already exists", name).With(problem.ImportInto, name)
	}
	settings := spec.NewService(name)
	settings.Title = compiled.Title
	edit := c.editLocked()
	service := c.newServiceLocked(settings)
	stored.ServiceID = service.Service.ID
	imported := Imported{Service: edit.putContract(nil, service, parts{}, stored, compiled), DryRun: in.DryRun}
	return imported, in.finish(ctx, edit, imported)
}

// finish shows the import to who has asked for it, and commits it unless it is a dry
// run.
func (in *Import) finish(ctx context.Context, e *edit, imported Imported) error {
	if in.Before != nil {
		in.Before(imported)
	}
	if in.DryRun {
		return nil
	}
	return e.commit(ctx)
}

func (c *Catalog) importIntoLocked(ctx context.Context, in Import, stored StoredContract, compiled *Contract) (Imported, error) {
	old, err := c.Find(in.Into)
	if err != nil {
		return Imported{}, err
	}
	imported := Imported{DryRun: in.DryRun}
	if compiled.Revision, err = c.nextRevision(ctx, old); err != nil {
		return Imported{}, err
	}
	if old.Contract != nil {
		changes := contract.Compare(old.Contract.Contract, compiled.Contract)
		imported.Changes = &changes
	}
	stored.ServiceID, stored.Revision = old.Spec.ID, compiled.Revision
	edit := c.editLocked()
	imported.Service = edit.putContract(old, StoredService{Service: old.Spec, Version: c.nextLocked()}, old.parts(), stored, compiled)
	imported.Orphans = orphans(old, imported.Service)
	return imported, in.finish(ctx, edit, imported)
}

// nextRevision is the number of the next contract of a service.
func (c *Catalog) nextRevision(ctx context.Context, s *Service) (int, error) {
	if s.Contract != nil {
		return s.Contract.Revision + 1, nil
	}
	revisions, err := c.store.Revisions(ctx, s.Spec.ID) // also those that were withdrawn
	if err != nil || len(revisions) == 0 {
		return 1, err
	}
	return revisions[len(revisions)-1].Revision + 1, nil
}

// orphans are the mappings that stand on an operation of the old contract and
// on none of the new one.
func orphans(old, next *Service) (gone []*Mapping) {
	for _, m := range next.Mappings {
		if standsOn(old, m) && !standsOn(next, m) {
			gone = append(gone, m)
		}
	}
	return gone
}

// standsOn reports whether a mapping's path is that of an operation.
func standsOn(s *Service, m *Mapping) bool {
	return len(s.operationsOf(m)) > 0
}

func importName(in Import, title string) (string, error) {
	for _, name := range []string{in.Name, spec.NameFrom(in.File), spec.Slug(title, 63)} {
		if name == "" {
			continue
		}
		if !spec.ValidServiceName(name) {
			return "", problem.New(problem.Invalid, "%q is not a valid service name: it must be %s", name, spec.ServiceNameRule)
		}
		return name, nil
	}
	return "", problem.New(problem.Invalid, "the contract has neither a file name nor a title to name the service by (give a name)")
}

// Revisions lists the revisions of a service's contract without their texts,
// the oldest first.
func (c *Catalog) Revisions(ctx context.Context, nameOrID string) ([]StoredContract, error) {
	s, err := c.withContract(nameOrID)
	if err != nil {
		return nil, err
	}
	revisions, err := c.store.Revisions(ctx, s.Spec.ID)
	return slices.DeleteFunc(revisions, func(r StoredContract) bool { return r.Withdrawn }), err
}

// ContractText returns the document of a service as it was imported: one
// revision, or with 0 the one in force.
func (c *Catalog) ContractText(ctx context.Context, nameOrID string, revision int) (StoredContract, error) {
	s, err := c.withContract(nameOrID)
	if err != nil {
		return StoredContract{}, err
	}
	if revision == 0 {
		revision = s.Contract.Revision
	}
	return c.store.Contract(ctx, s.Spec.ID, revision)
}

// ContractFile returns one document of a contract that has several; "" is the
// contract itself.
func ContractFile(stored StoredContract, name string) ([]byte, error) {
	files, err := bundle.Open(stored.Text, stored.Main, isContract)
	if err != nil {
		return nil, err
	}
	if name == "" {
		return files.Contract(), nil
	}
	if text, ok := files.File(name); ok {
		return text, nil
	}
	return nil, notFound("file", name, files.Names())
}

// CompareRevisions tells what changed from one revision to another.
func (c *Catalog) CompareRevisions(ctx context.Context, nameOrID string, from, to int) (contract.Changes, error) {
	var both [2]*Contract // the newer one first: it is the one asked for
	for i, revision := range []int{to, from} {
		stored, err := c.ContractText(ctx, nameOrID, revision)
		if err != nil {
			return contract.Changes{}, err
		}
		if both[i], err = compileContract(stored); err != nil {
			return contract.Changes{}, err
		}
	}
	return contract.Compare(both[1].Contract, both[0].Contract), nil
}

func (c *Catalog) withContract(nameOrID string) (*Service, error) {
	s, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	if s.Contract == nil {
		return nil, problem.New(problem.NotFound, "service %q has no contract", s.Spec.Name)
	}
	return s, nil
}

// Described is a service of a contract that is in no environment: to be looked at.
func Described(name string, text []byte) (*Service, error) {
	compiled, err := compileContract(StoredContract{Revision: 1, File: name, Text: text})
	if err != nil {
		return nil, err
	}
	return compileService(StoredService{Service: spec.NewService(name)}, parts{contract: compiled}), nil
}
