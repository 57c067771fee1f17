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
	// Attended ends the recording when nobody attends to it for some seconds, as End says.
	Attended bool              `json:"attended,omitempty"`
	End      spec.RecordingEnd `json:"end,omitzero"`
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

// RecordingStop says what becomes of a recording that ends, beside what was said when it
// was started.
type RecordingStop struct {
	spec.RecordingEnd
}

// RecordingReport says what came of a recording.
type RecordingReport struct {
	Recording Recording `json:"recording"`
	// Operations count the calls by what they asked for.
	Operations []RecordedOperation `json:"operations"`
	// Otherwise says what answers calls that were not recorded, where that is no miss:
	// "contract" or "upstream".
	Otherwise string `json:"otherwise,omitempty"`
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
	// Telling says what it asks for beside method and path: limit=1.
	Telling []string `json:"telling,omitempty"`
	Calls   []string `json:"calls"`
	Notes   []string `json:"notes"`
	// Outcome is created, changed, unchanged; kept, where the mapping that asks for the
	// same stays; followed, where the answers came behind its own; or narrowed, where it
	// asks for more now, since others who ask get another answer.
	Outcome string `json:"outcome"`
}

// SkippedCall is a recorded call that no mapping can be made of.
type SkippedCall struct {
	Call    string `json:"call"`
	Address string `json:"address"` // "GET /berths/N7"
	Reason  string `json:"reason"`
	// Truncated is set where a body was larger than recordings keep.
	Truncated bool `json:"truncated,omitempty"`
}

// MakeMappings says how mappings are made of a recording, and of which of its calls: of
// all of them where nothing is chosen.
type MakeMappings struct {
	spec.RecordingEnd
	// Calls are ids; Paths are calls such as "GET /berths/{number}"; Statuses are those of
	// the answers. A call must be one of each list that is not empty.
	Calls    []string `json:"calls,omitempty"`
	Paths    []string `json:"paths,omitempty"`
	Statuses []int    `json:"statuses,omitempty"`
	DryRun   bool     `json:"dryRun,omitempty"`
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

// MeasuredLatency is how long an operation took at the upstream, until its answer began.
type MeasuredLatency struct {
	Of    string        `json:"of"` // an operation, or "GET /berths/N7" where there is none
	Calls int           `json:"calls"`
	P50   spec.Duration `json:"p50"`
	P90   spec.Duration `json:"p90"`
	P99   spec.Duration `json:"p99"`
}
