package catalog

import (
	"context"

	"rapidmimic/spec"
	"rapidmimic/spec/problem"
)

// Import is a contract to be taken in.
type Import struct {
	Text []byte
	// File is the name of the file the text came from; it may be "".
	File string
	// Name names the new service; "" takes it from File, else from the title.
	Name string
	// Into names an existing service that gets the contract as a new revision.
	// Name and Into exclude each other.
	Into string
}

// Import reads a contract and makes a service of it, or a new revision of an
// existing one. On any error nothing has changed.
func (c *Catalog) Import(ctx context.Context, in Import) (*Service, error) {
	if in.Name != "" && in.Into != "" {
		return nil, problem.New(problem.Invalid, "name makes a new service and into takes an existing one: give one of them")
	}
	stored := StoredContract{Revision: 1, File: in.File, Text: in.Text}
	compiled, err := compileContract(stored)
	if err != nil {
		return nil, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if in.Into != "" {
		return c.importIntoLocked(ctx, in.Into, stored, compiled)
	}
	name, err := importName(in, compiled.Title)
	if err != nil {
		return nil, err
	}
	if c.Snapshot().Named(name) != nil {
		return nil, problem.New(problem.Exists, "service %q exists already (--into %s makes this its new revision, --name makes another service)", name, name)
	}
	settings := spec.NewService(name)
	settings.Title = compiled.Title
	service := c.newServiceLocked(settings)
	stored.ServiceID = service.Service.ID
	next := compileService(service, compiled, nil)
	return next, c.publishLocked(ctx, Change{Service: &service, Contract: &stored}, nil, next)
}

func (c *Catalog) importIntoLocked(ctx context.Context, into string, stored StoredContract, compiled *Contract) (*Service, error) {
	old, err := c.Find(into)
	if err != nil {
		return nil, err
	}
	if old.Contract != nil {
		compiled.Revision = old.Contract.Revision + 1
	}
	stored.ServiceID, stored.Revision = old.Spec.ID, compiled.Revision
	service := StoredService{Service: old.Spec, Version: c.nextLocked()}
	next := compileService(service, compiled, old.Mappings)
	return next, c.publishLocked(ctx, Change{Service: &service, Contract: &stored}, old, next)
}

func importName(in Import, title string) (string, error) {
	for _, name := range []string{in.Name, spec.NameFrom(in.File), spec.Slug(title, 63)} {
		if name == "" {
			continue
		}
		if !spec.ValidName(name) {
			return "", problem.New(problem.Invalid, "%q cannot be the name of a service: it must be %s", name, spec.NameRule)
		}
		return name, nil
	}
	return "", problem.New(problem.Invalid, "the contract has neither a file name nor a title to name the service by (give a name)")
}

// ContractText returns the document of a service as it was imported.
func (c *Catalog) ContractText(ctx context.Context, nameOrID string) (StoredContract, error) {
	s, err := c.Find(nameOrID)
	if err != nil {
		return StoredContract{}, err
	}
	if s.Contract == nil {
		return StoredContract{}, problem.New(problem.NotFound, "service %q has no contract", s.Spec.Name)
	}
	return c.store.Contract(ctx, s.Spec.ID, s.Contract.Revision)
}
