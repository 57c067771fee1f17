package catalog

import (
	"context"
	"strconv"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// MappingVersions lists the states that a mapping was in, the newest first, also
// those of one that is gone.
func (c *Catalog) MappingVersions(ctx context.Context, nameOrID, id string) ([]MappingVersion, error) {
	s, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	versions, err := c.store.MappingVersions(ctx, s.Spec.ID, id)
	if err == nil && len(versions) == 0 {
		return nil, noMapping(s, id)
	}
	return versions, err
}

// RemovedMappings lists the removals of mappings that are gone, the newest
// first.
func (c *Catalog) RemovedMappings(ctx context.Context, nameOrID string) ([]MappingVersion, error) {
	s, err := c.Find(nameOrID)
	if err != nil {
		return nil, err
	}
	return c.store.RemovedMappings(ctx, s.Spec.ID)
}

// MappingAt returns one of the states of a mapping, whole; with 0 the last one in which
// it was there.
func (c *Catalog) MappingAt(ctx context.Context, nameOrID, id string, version int64) (MappingVersion, error) {
	s, err := c.Find(nameOrID)
	if err != nil {
		return MappingVersion{}, err
	}
	versions, err := c.MappingVersions(ctx, nameOrID, id)
	if err != nil {
		return MappingVersion{}, err
	}
	var known []string
	for _, v := range versions {
		if v.Version == version || version == 0 && !v.Removed {
			return c.whole(ctx, s.Spec.ID, v)
		}
		known = append(known, strconv.FormatInt(v.Version, 10))
	}
	return MappingVersion{}, notFound("version", strconv.FormatInt(version, 10), known)
}

// whole reads the document of a state out of the entry that made it.
func (c *Catalog) whole(ctx context.Context, serviceID string, v MappingVersion) (MappingVersion, error) {
	if v.Removed {
		return v, nil
	}
	entry, err := c.store.Entry(ctx, v.Entry)
	if err != nil {
		return v, err
	}
	for _, item := range entry.Items {
		if item.Key == (Key{KindMapping, serviceID, v.ID}) && entry.Whole {
			m, err := document[spec.Mapping](item.After)
			v.Mapping = &m
			return v, err
		}
	}
	return v, problem.New(problem.Conflict, "version %d of mapping %q is not kept: %s changed too much to be kept whole", v.Version, v.ID, EntryID(v.Entry))
}

// RestoreMapping makes an earlier state of a mapping the present one; with
// version 0 the last one in which it was there. ifMatch may demand a version of
// the present one.
func (c *Catalog) RestoreMapping(ctx context.Context, nameOrID, id string, version int64, ifMatch string) (*Mapping, error) {
	earlier, err := c.MappingAt(ctx, nameOrID, id, version)
	if err != nil {
		return nil, err
	}
	if earlier.Mapping == nil {
		return nil, problem.New(problem.Invalid, "mapping %q was deleted in version %d (remove the mapping to delete it again)", id, version)
	}
	m, _, err := c.PutMapping(ctx, nameOrID, *earlier.Mapping, ifMatch)
	return m, err
}

// Copy says where a copy of a mapping goes.
type Copy struct {
	Service string // "" for the same one
	ID      string // "" for the same one, or with -copy behind it
	Move    bool   // takes the original away
}

// CopyMapping copies or moves a mapping. It returns the copy and its service.
func (c *Catalog) CopyMapping(ctx context.Context, nameOrID, id string, to Copy) (*Service, *Mapping, error) {
	service, copies, err := c.CopyMappings(ctx, nameOrID, Selection{IDs: []string{id}}, to)
	if err != nil {
		return nil, nil, err
	}
	return service, copies[0], nil
}

// freeID is an id that no mapping of the service has: id itself, or numbered.
func freeID(s *Service, id string) string {
	free := id
	for number := 2; s.Mapping(free) != nil; number++ {
		free = id + "-" + strconv.Itoa(number)
	}
	return free
}
