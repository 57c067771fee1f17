// Package api holds the envelopes of the control API: what it says about
// definitions, calls and itself, beside the documents of package spec.
//
// The control API writes these types and the client reads them, so that the
// two cannot drift apart. The API's OpenAPI document describes the same shapes
// for everybody else.
package api

import (
	"time"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// List is one page of any resource. Next is the value of `after` that
// continues it, "" on the last page.
type List[T any] struct {
	Items []T    `json:"items"`
	Next  string `json:"next,omitempty"`
}

// Problem is an RFC 9457 problem document.
type Problem struct {
	Type   string         `json:"type"`
	Title  string         `json:"title"`
	Status int            `json:"status"`
	Detail string         `json:"detail"`
	Code   problem.Code   `json:"code"`
	Errors []problem.Item `json:"errors,omitempty"`
	Hint   *problem.Hint  `json:"hint,omitempty"`
	// Current is the present state when a write came too late.
	Current any `json:"current,omitempty"`
}

// Service is a service with what is known about it now.
type Service struct {
	spec.Service
	// Address is the base URL that programs use.
	Address string `json:"address"`
	// UpstreamNow is the upstream with its variables, "" where it has none; UpstreamFault
	// says why it cannot be asked.
	UpstreamNow   string    `json:"upstreamNow,omitempty"`
	UpstreamFault string    `json:"upstreamFault,omitempty"`
	Contract      *Contract `json:"contract,omitempty"`
	Operations    int       `json:"operations"`
	Mappings      int       `json:"mappings"`
	// Recording is the one that runs.
	Recording  *Recording     `json:"recording,omitempty"`
	LastMinute map[string]int `json:"lastMinute"` // calls by source
	// Recent counts calls of the last minutes by source, a minute each,
	// oldest first.
	Recent []map[string]int `json:"recent"`
	ETag   string           `json:"etag"`
}

// Contract tells which contract a service has.
type Contract struct {
	Title    string `json:"title"`
	Version  string `json:"version"`
	Format   string `json:"format"` // "OpenAPI 3.1"
	Revision int    `json:"revision"`
	File     string `json:"file"`
	// Files are the names of its documents when there are several; Main is the
	// one they start from.
	Files []string `json:"files,omitempty"`
	Main  string   `json:"main,omitempty"`
	// Callbacks and Webhooks are how many calls it has the service make: after answers, and by itself.
	Callbacks int `json:"callbacks,omitempty"`
	Webhooks  int `json:"webhooks,omitempty"`
	// Servers are where it says that it is served.
	Servers []Server `json:"servers,omitempty"`
	// Tokens are the paths, relative to the service, at which it has programs get tokens.
	Tokens []string `json:"tokens,omitempty"`
}

// Server is where a contract says that it is served.
type Server struct {
	Address     string `json:"address"`
	Name        string `json:"name,omitempty"`
	Description string `json:"description,omitempty"`
}

// ImportReport says what an import made.
type ImportReport struct {
	Service  string         `json:"service"`
	Address  string         `json:"address"`
	Contract Contract       `json:"contract"`
	Answers  int            `json:"answers"`
	Skipped  []Operation    `json:"skipped"`
	Warnings []problem.Item `json:"warnings"`
	// Changes compares with the revision before, if there was one.
	Changes *Changes `json:"changes,omitempty"`
	// Orphans are mappings on operations that are gone.
	Orphans []PutResult `json:"orphans,omitempty"`
	// Deviating are mappings whose answers break the contract.
	Deviating []PutResult `json:"deviating,omitempty"`
	// BrokenExamples is how many examples do not obey their own schemas, of those that were looked at.
	BrokenExamples int `json:"brokenExamples,omitempty"`
	// DryRun is set when nothing was changed.
	DryRun bool `json:"dryRun,omitempty"`
	// Try is a request that works as it stands.
	Try Try `json:"try"`
}

// BrokenExample is an example of a contract that does not obey the schema beside it.
type BrokenExample struct {
	Operation string `json:"operation"`
	// Place is where it stands: response 200, application/json, example "one".
	Place  string `json:"place"`
	Detail string `json:"detail"`
}

// BrokenExamples are those of a contract. Of very large ones not all examples are looked at.
type BrokenExamples struct {
	Items  []BrokenExample `json:"items"`
	Looked int             `json:"looked"`
	Of     int             `json:"of"`
}

// Changes are what a caller notices between two revisions of a contract.
// Operations are written as they are called: "GET /berths/{number}".
type Changes struct {
	Added   []string           `json:"added"`
	Removed []string           `json:"removed"`
	Changed []ChangedOperation `json:"changed"`
	// Effects counts the operations by what became of them for those who call them.
	Effects EffectCounts `json:"effects"`
}

// The effects of a change for programs that were written for the revision before.
const (
	EffectBreaking   = "breaking"
	EffectUnknown    = "unknown" // it depends on the program
	EffectCompatible = "compatible"
)

// EffectCounts counts by effect.
type EffectCounts struct {
	Breaking   int `json:"breaking"`
	Unknown    int `json:"unknown"`
	Compatible int `json:"compatible"`
}

// ChangedOperation is an operation that is not the same in both.
type ChangedOperation struct {
	Operation string `json:"operation"`
	// Effect is that of the worst difference.
	Effect      string       `json:"effect"`
	Differences []Difference `json:"differences"`
}

// Difference is one thing that was added, removed or changed.
type Difference struct {
	Where  string `json:"where"`
	What   string `json:"what"`
	Before string `json:"before,omitempty"`
	After  string `json:"after,omitempty"`
	Effect string `json:"effect"`
}

// Revision is one import of a service's contract.
type Revision struct {
	Revision int       `json:"revision"`
	File     string    `json:"file"`
	Imported time.Time `json:"imported"`
	// Current is set on the one in force.
	Current bool `json:"current,omitempty"`
}

// Try is a request that a newcomer can send.
type Try struct {
	Method string `json:"method"`
	URL    string `json:"url"`
	// Curl sends it.
	Curl string `json:"curl"`
	// Operation is the one that it is for; "" where it asks for the contract.
	Operation string `json:"operation,omitempty"`
}
