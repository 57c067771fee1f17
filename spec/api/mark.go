package api

import "time"

// Mark is a moment that somebody has named, to come back to.
type Mark struct {
	Name string    `json:"name"`
	At   time.Time `json:"at"`
	By   string    `json:"by,omitempty"`
	// After is the last entry of the activity before it.
	After string `json:"after"`
}

// MarkRequest names this moment.
type MarkRequest struct {
	Name string `json:"name"`
}

// Return says what became another when everything came back to a mark.
type Return struct {
	DryRun bool `json:"dryRun,omitempty"`
	// Lines say so, a definition each; none where all is as it was.
	Lines []string `json:"lines"`
	// Entry is what it is in the activity, "" for a dry run and where nothing changed.
	Entry string `json:"entry,omitempty"`
}
