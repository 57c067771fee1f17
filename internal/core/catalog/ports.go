package catalog

import (
	"context"
	"time"

	"rapidmimic/spec"
)

// Store keeps definitions. The catalog calls it from one goroutine at a time
// for Apply, and from any for Contract. Implementations keep no reference to
// what they are given after they return.
type Store interface {
	// Load returns everything that was applied.
	Load(ctx context.Context) (Definitions, error)
	// Apply carries out a change whole or not at all.
	Apply(ctx context.Context, change Change) error
	// Contract returns the text of a revision as it was imported.
	Contract(ctx context.Context, serviceID string, revision int) (StoredContract, error)
	// Revisions lists the revisions of a service without their texts, the
	// oldest first.
	Revisions(ctx context.Context, serviceID string) ([]StoredContract, error)
}

// Definitions is all that a store holds.
type Definitions struct {
	Services  []StoredService
	Contracts []StoredContract // the latest revision of each service
	Mappings  []StoredMapping
}

// Change is one atomic edit: what is set replaces or is added, what is named
// for removal goes.
type Change struct {
	Service  *StoredService
	Contract *StoredContract
	Mappings []StoredMapping

	RemoveService string // id; takes its contracts and mappings along
	// RemoveMappings are ids of the service with the id OfService.
	RemoveMappings []string
	OfService      string
}

// StoredService is a service with the version of its last edit.
type StoredService struct {
	Service spec.Service
	Version int64
}

// StoredContract is one imported revision.
type StoredContract struct {
	ServiceID string
	Revision  int
	File      string // name of the imported file
	Main      string // of several files, the contract itself; "" for a single one
	Imported  time.Time
	Text      []byte
}

// StoredMapping is a mapping with the version of its last edit. Position
// orders the mappings of a service by when they were made.
type StoredMapping struct {
	ServiceID string
	Mapping   spec.Mapping
	Version   int64
	Position  int64
}
