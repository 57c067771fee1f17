package api

import (
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Pins are the fields of what an operation answers that are fixed.
type Pins struct {
	Pins spec.Pins `json:"pins"`
	// ETag is that of the service, which has them.
	ETag string `json:"etag"`
	// Warnings are pins that lead nowhere, or break the contract; each at its pointer.
	Warnings []problem.Item `json:"warnings,omitempty"`
}
