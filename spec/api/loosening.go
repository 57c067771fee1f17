package api

import "rapidmimic.example/spec"

// LooseningRequest asks that a mapping answers a call, too, by asking for less.
type LooseningRequest struct {
	Call   string `json:"call"` // its id
	DryRun bool   `json:"dryRun,omitempty"`
}

// Loosening is a mapping that asks for less.
type Loosening struct {
	Mapping spec.Mapping `json:"mapping"`
	// Notes tell what does not count any more; none where the mapping fits as it is.
	Notes []string `json:"notes"`
}
