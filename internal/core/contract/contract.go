// Package contract holds what any contract offers, whatever it was written in:
// the operations, how each answers, its examples, and the schemas that answers
// obey. Package openapi below it reads one notation.
//
// A Contract is immutable and safe for concurrent use; the schemas inside
// compile themselves on first use, which does not change what they say.
package contract

import (
	"rapidmimic/internal/core/match"
	"rapidmimic/spec/problem"
	"rapidmimic/spec/tree"
)

// Contract is one revision of an imported document.
type Contract struct {
	Title, Version string
	// Format is how the document names itself: "OpenAPI 3.1".
	Format     string
	Operations []*Operation // in the order of the document
	// BasePaths are the paths of the contract's servers, without a trailing
	// slash; callers may write them or leave them out.
	BasePaths []string
	// Warnings are faults of the document that do not stop it from answering.
	Warnings []problem.Item
}

// Operation is one thing a contract lets a caller do.
type Operation struct {
	ID       string
	Method   string
	Template match.Template
	Summary  string
	// Skipped says why the operation cannot answer; nil when it can.
	Skipped *problem.Item
	// Status and Offers are the success response: one offer for each media
	// type, none when the answer has no body.
	Status int
	Offers []*Offer
}

// String names the operation by what is called: "GET /berths/{number}".
func (o *Operation) String() string { return o.Method + " " + o.Template.String() }

// MediaTypes lists the media types the operation can answer in.
func (o *Operation) MediaTypes() []string {
	types := make([]string, len(o.Offers))
	for i, offer := range o.Offers {
		types[i] = offer.MediaType
	}
	return types
}

// Offer is the success response in one media type.
type Offer struct {
	MediaType string
	Examples  []Example
	// Schema describes the body; nil when the contract does not.
	Schema *Schema
}

// Example is a named example of an answer, ready to send.
type Example struct {
	Name string // "" when the contract gives it none
	Body []byte
	// Value is the example as a tree; nil when it is plain text.
	Value *tree.Node
}
