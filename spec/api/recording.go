package api

import (
	"time"

	"rapidmimic.example/spec"
)

// Recording is a recording with how much it holds.
type Recording struct {
	spec.Recording
	Running bool `json:"running"`
	Calls   int  `json:"calls"`
}

// RecordingStart is what is given to start a recording, or to keep calls that
// were made already.
type RecordingStart struct {
	Name    string   `json:"name"`
	Labels  []string `json:"labels,omitempty"`
	Test    string   `json:"test,omitempty"`
	Include []string `json:"include,omitempty"`
	Exclude []string `json:"exclude,omitempty"`
	// Hosts and MediaTypes restrict it to calls to these hosts, and to answers of
	// these types.
	Hosts      []string `json:"hosts,omitempty"`
	MediaTypes []string `json:"mediaTypes,omitempty"`
	// Missing captures only what the service does not answer itself.
	Missing bool `json:"missing,omitempty"`
	// Keep are ids of relayed calls in the log: with them the recording is made of
	// those and does not run.
	Keep []string `json:"keep,omitempty"`
	// Version is that of the program that records.
	Version string `json:"version,omitempty"`
}

// RecordingTrial tells which of the last calls to a service a recording would
// have captured.
type RecordingTrial struct {
	Captured int             `json:"captured"`
	Calls    []RecordingTest `json:"calls"`
}

// RecordingTest is one call on which a recording was tried.
type RecordingTest struct {
	Call Call `json:"call"`
	// Reason is why it would not be captured, "" when it would.
	Reason string `json:"reason,omitempty"`
}

// RecordingStop says what becomes of a recording that ends.
type RecordingStop struct {
	// OnlyKeep makes no mappings, and leaves the mode of the service.
	OnlyKeep bool `json:"onlyKeep,omitempty"`
}

// RecordingReport says what came of a recording.
type RecordingReport struct {
	Recording Recording `json:"recording"`
	// Operations count the calls by what they asked for.
	Operations []RecordedOperation `json:"operations"`
	// Reasons say why nothing was captured, from what was seen.
	Reasons  []string      `json:"reasons,omitempty"`
	Mappings []MadeMapping `json:"mappings"`
	Skipped  []SkippedCall `json:"skipped"`
}

// RecordedOperation counts calls of a recording.
type RecordedOperation struct {
	Call  string `json:"call"` // "GET /berths/N7"
	Count int    `json:"count"`
}

// MadeMapping is a mapping that recorded calls propose, and what became of it.
type MadeMapping struct {
	Mapping spec.Mapping `json:"mapping"`
	Calls   []string     `json:"calls"`
	Notes   []string     `json:"notes"`
	// Outcome is created, changed, unchanged, or kept: one of this id was edited by
	// hand and stays.
	Outcome string `json:"outcome"`
}

// SkippedCall is a recorded call that no mapping can be made of.
type SkippedCall struct {
	Call   string `json:"call"`
	Reason string `json:"reason"`
}

// MakeMappings says how mappings are made of a recording.
type MakeMappings struct {
	// Existing is keep, replace or add: what becomes of mappings of the same ids.
	Existing string `json:"existing,omitempty"`
	// Separate keeps paths apart whose answers differ only by the same value.
	Separate bool `json:"separate,omitempty"`
	// Calls restricts it to these; all when empty.
	Calls  []string `json:"calls,omitempty"`
	DryRun bool     `json:"dryRun,omitempty"`
}

// RecordedCall is one call of a recording.
type RecordedCall struct {
	ID     string    `json:"id"`
	At     time.Time `json:"at"`
	Method string    `json:"method"`
	Path   string    `json:"path"`
	Query  string    `json:"query,omitempty"`
	Status int       `json:"status"`
	Size   int       `json:"size"` // of the answer's body
	// Truncated is set when a body was too large to be played back.
	Truncated bool `json:"truncated,omitempty"`
	// Operation is the one of the contract in force that the call is for, and
	// Deviations are the places in which the call breaks it; where that was asked.
	Operation  string      `json:"operation,omitempty"`
	Deviations []Deviation `json:"deviations,omitempty"`
}
