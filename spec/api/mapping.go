package api

import (
	"time"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Mapping is a mapping with its entity tag.
type Mapping struct {
	spec.Mapping
	ETag string `json:"etag"`
	// Service is the one it is of, in a list over several.
	Service string `json:"service,omitempty"`
	// Deviations are the places in which its answer breaks the contract.
	Deviations []Deviation `json:"deviations,omitempty"`
	// Origin says of which lane or scenario it is: scenario "storm". "" for one that
	// everybody has.
	Origin string `json:"origin,omitempty"`
	// OffBy says which lane or scenario keeps it from answering.
	OffBy string `json:"offBy,omitempty"`
	// Problem says why it never answers, where that is known.
	Problem string `json:"problem,omitempty"`
	// Telling says what it asks for beside method and path, so that mappings on one path
	// can be told apart: limit=1.
	Telling []string `json:"telling,omitempty"`
	// Calls counts those that it answered since the start; nil for none.
	Calls *OperationCalls `json:"calls,omitempty"`
	// Positions say where its sequence stands, for each caller that has one;
	// those of everyone have no caller.
	Positions []Position `json:"positions,omitempty"`
}

// Position is where a sequence stands.
type Position struct {
	Caller string `json:"caller,omitempty"`
	// Given is how many turns were taken, Next which answer comes next, from 1; 0
	// when the sequence passes calls on.
	Given uint64 `json:"given"`
	Next  int    `json:"next"`
}

// MappingVersion is one of the states that a mapping was in.
type MappingVersion struct {
	ID      string    `json:"id"`
	Version int64     `json:"version"`
	Entry   string    `json:"entry"`       // of the activity, which made it so
	At      time.Time `json:"at,omitzero"` // left out for those from before versions were kept
	By      string    `json:"by,omitempty"`
	// Removed is set where the mapping was taken away.
	Removed bool `json:"removed,omitempty"`
	// Current is set on the one in force.
	Current bool `json:"current,omitempty"`
	// Mapping is the state itself; nil in lists, and where it was removed.
	Mapping *spec.Mapping `json:"mapping,omitempty"`
}

// MappingCopy says where a copy of a mapping goes.
type MappingCopy struct {
	Service string `json:"service,omitempty"` // the same one when left out
	ID      string `json:"id,omitempty"`
	// Move takes the original away.
	Move bool `json:"move,omitempty"`
}

// MappingsEdit is one change to many mappings.
type MappingsEdit struct {
	Enabled    *bool    `json:"enabled,omitempty"`
	AddLabels  []string `json:"addLabels,omitempty"`
	DropLabels []string `json:"dropLabels,omitempty"`
}

// Changed names what an edit of many changed.
type Changed struct {
	Changed []string `json:"changed"`
}

// Payload is a body in a file of its own.
type Payload struct {
	Name      string `json:"name"`
	MediaType string `json:"mediaType"`
	Size      int    `json:"size"` // in bytes
	// Senders are the mappings that answer with it.
	Senders []string `json:"senders,omitempty"`
	ETag    string   `json:"etag"`
}

// PutReport says what a document of mappings changed.
type PutReport struct {
	Items     []PutResult `json:"items"`
	Created   int         `json:"created"`
	Changed   int         `json:"changed"`
	Unchanged int         `json:"unchanged"`
}

// PutResult is the outcome for one mapping: "created", "changed", "unchanged",
// "orphaned" or "deviating".
type PutResult struct {
	ID      string `json:"id"`
	Outcome string `json:"outcome"`
	// ETag is the version that the mapping has now, where it was put.
	ETag string `json:"etag,omitempty"`
	Call string `json:"call"` // "GET /berths/{number}"
	// Live is set when it answers the next call that it fits.
	Live bool `json:"live"`
	// Warnings are what keeps it from answering, and what is probably not meant.
	Warnings []problem.Item `json:"warnings,omitempty"`
	// Deviations are the places in which its answer breaks the contract; it
	// answers all the same.
	Deviations []Deviation `json:"deviations,omitempty"`
}
