package api

import "time"

// Mark is a moment that somebody has named, to come back to.
type Mark struct {
	Name string    `json:"name"`
	At   time.Time `json:"at"`
	By   string    `json:"by,omitempty"`
	// After is the last entry of the activity before it.
	After string `json:"after"`
	// EveryNight is when everything comes back to it each night, as 03:00 in the zone of the
	// service; "" for never. Next is when it does so next.
	EveryNight string    `json:"everyNight,omitempty"`
	Next       time.Time `json:"next,omitzero"`
}

// MarkRequest names this moment.
type MarkRequest struct {
	Name string `json:"name"`
	// EveryNight is as in Mark.
	EveryNight string `json:"everyNight,omitempty"`
}

// MarkPatch changes a mark.
type MarkPatch struct {
	EveryNight string `json:"everyNight"` // "" ends it
}

// Return says what became another when everything came back to a mark.
type Return struct {
	DryRun bool `json:"dryRun,omitempty"`
	// Lines say so, a definition each; none where all is as it was.
	Lines []string `json:"lines"`
	// Entry is what it is in the activity, "" for a dry run and where nothing changed.
	Entry string `json:"entry,omitempty"`
}
