package catalog

import (
	"context"
	"time"

	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
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
	// MappingVersions lists what is kept of a mapping's states, the newest first; their
	// documents are in the entries that made them.
	MappingVersions(ctx context.Context, serviceID, id string) ([]MappingVersion, error)
	// RemovedMappings lists the removals of the mappings of a service that are
	// gone, the newest first.
	RemovedMappings(ctx context.Context, serviceID string) ([]MappingVersion, error)
	// Recordings lists the recordings of a service, the newest first, with how many
	// calls each has.
	Recordings(ctx context.Context, serviceID string) ([]StoredRecording, error)
	// RemovedRecordings lists those of a service that were removed and are still kept.
	RemovedRecordings(ctx context.Context, serviceID string) ([]StoredRecording, error)
	// Exchanges returns the calls of a recording in their order.
	Exchanges(ctx context.Context, recordingID string) ([]recording.Exchange, error)
	// ExchangeHeads is Exchanges without large bodies, of the calls after a number; of
	// them the last ones only, where last is not 0.
	ExchangeHeads(ctx context.Context, recordingID string, after uint64, last int) ([]recording.Exchange, error)
	// CountExchanges counts the calls of a recording.
	CountExchanges(ctx context.Context, recordingID string) (int, error)
	// ExchangesOn returns the calls to some paths of all recordings of a service but one,
	// the oldest recording first; where that is too much, of the newest ones only.
	ExchangesOn(ctx context.Context, serviceID, except string, paths []string) ([]recording.Exchange, error)
	// Removed is what is kept of a service that was removed: its contract, mappings and
	// payloads.
	Removed(ctx context.Context, serviceID string) (Definitions, error)
	// PayloadBefore is the content that a payload had before an entry.
	PayloadBefore(ctx context.Context, entry int64, serviceID, name string) ([]byte, error)
	// Activity lists entries, the newest first, without the documents of their items.
	Activity(ctx context.Context, filter ActivityFilter) ([]Entry, error)
	// Entry returns one with all of it.
	Entry(ctx context.Context, version int64) (Entry, error)
	// EntriesSince returns all of the entries after a version, the oldest first.
	EntriesSince(ctx context.Context, version int64) ([]Entry, error)
	// VersionAt is the version of the last entry by a time; 0 for none.
	VersionAt(ctx context.Context, at time.Time) (int64, error)
	// Marks lists the marks, the oldest first.
	Marks(ctx context.Context) ([]Mark, error)
	// PutMark adds a mark, or replaces the one of its name.
	PutMark(ctx context.Context, mark Mark) error
	RemoveMark(ctx context.Context, name string) error
	// Applied lists what came from a folder, as it was then.
	Applied(ctx context.Context) ([]Applied, error)
}

// Aside is a definition that is stored and cannot be used. It stays stored, and
// everything else goes on without it.
type Aside struct {
	What   string // mapping "berth-by-number" of moorings
	Reason string
}

// Definitions is all that a store holds.
type Definitions struct {
	Aside     []Aside // what could not be read
	Services  []StoredService
	Contracts []StoredContract // the latest revision of each service
	Mappings  []StoredMapping
	Payloads  []StoredPayload
	Running   []StoredRecording // recordings that were not stopped

	Impairments []StoredImpairment
	Lines       map[string]spec.Line // that were edited
	// ImpairmentsOff is set when all impairments are switched off.
	ImpairmentsOff bool
	Ignored        spec.Ignored
	Variables      StoredVariables
	Scenarios      []StoredScenario
	Lanes          []StoredLane
	Active         *Activation // of calls in no lane; nil for none
	// Version is that of the last change; ids are made of versions, so none is
	// given twice, also when what had it is gone.
	Version int64
}

// Change is one atomic edit: what is listed replaces or is added, what is named
// for removal goes.
type Change struct {
	// Version is the highest that was given so far.
	Version int64
	// Entry is what the activity keeps of it; nil for nothing.
	Entry     *Entry
	Services  []StoredService
	Contracts []StoredContract
	Mappings  []StoredMapping
	Payloads  []StoredPayload

	Recordings []StoredRecording
	Exchanges  []recording.Exchange // that the first of Recordings has from the start

	// RemoveRecordings are kept for a while, RestoreRecordings were removed and are there again.
	RemoveRecordings, RestoreRecordings []StoredRecording
	// WithdrawContracts are revisions that are none any more, of which only service and
	// number count.
	WithdrawContracts []StoredContract

	RemoveServices []string // ids; each takes along all that belongs to it
	RemoveMappings []RemovedMapping
	RemovePayloads []StoredPayload // of which only service and name count

	Impairments       []StoredImpairment
	RemoveImpairments []StoredImpairment // of which only the target counts
	Lines             map[string]spec.Line
	RemoveLines       []string
	ImpairmentsOff    *bool         // nil leaves it as it is
	Ignored           *spec.Ignored // likewise
	Variables         *StoredVariables

	Scenarios       []StoredScenario
	RemoveScenarios []string // names
	Lanes           []StoredLane
	RemoveLanes     []string // names
	// Switched is the scenario that calls in no lane are under from now on, its name
	// "" for none; nil leaves it as it is.
	Switched *Activation

	// Applied and Forgotten say what a folder has now, and has no longer.
	Applied   []Applied
	Forgotten []Applied
}

// Applied says that a definition came from a folder, or agreed with one.
type Applied struct {
	Service string // name; "" for scenarios and impairments
	Kind    string // service, contract, payload, mapping, scenario or impairment
	ID      string // "" for the kinds that a service has one of
	Digest  string // of what it said
	Source  string // names the folder
}

// RemovedMapping is a mapping that goes, with the version that its removal has.
type RemovedMapping struct {
	ServiceID, ID string
	Version       int64
}

// MappingVersion is one of the states that a mapping was in.
type MappingVersion struct {
	ID      string
	Version int64
	Entry   int64     // of the activity, which made it so
	At      time.Time // zero for those from before versions were kept
	By      string
	Removed bool // it was removed
	// Mapping is the state itself; nil in lists, and where it was removed.
	Mapping *spec.Mapping
}

// StoredRecording is a recording of a service.
type StoredRecording struct {
	ServiceID string
	Recording spec.Recording
	Calls     int // that were captured; what is stored does not depend on it
}

// StoredImpairment is an impairment that was switched on.
type StoredImpairment struct {
	// ServiceID, Operation and Mapping are its target; see spec.Target.
	ServiceID, Operation, Mapping string
	Impairment                    spec.Impairment // its seed is set
	Since                         time.Time
	By                            string
	Version                       int64
}

// StoredScenario is a scenario with the version of its last edit.
type StoredScenario struct {
	Scenario spec.Scenario
	Version  int64
}

// StoredLane is a lane that is open.
type StoredLane struct {
	ID            string // of this opening of it
	Spec          spec.Lane
	Opened, Until time.Time
	By            string
	Active        *Activation // nil for none
	Version       int64
}

// StoredPayload is a payload with the version of its last edit.
type StoredPayload struct {
	ServiceID, Name string
	Version         int64
	Bytes           []byte
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
	// Withdrawn is set of one that was taken away again.
	Withdrawn bool
}

// StoredMapping is a mapping with the version of its last edit. Position
// orders the mappings of a service by when they were made.
type StoredMapping struct {
	ServiceID string
	Mapping   spec.Mapping
	Version   int64
	Position  int64
}
