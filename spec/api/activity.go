package api

import "time"

// Entry is something that was changed.
type Entry struct {
	ID string    `json:"id"`
	At time.Time `json:"at"`
	// By is who changed it, "" for nobody in particular; Via the way: console, command, API,
	// folder, or "" for the service itself; From the address that asked for it.
	By   string `json:"by,omitempty"`
	Via  string `json:"via,omitempty"`
	From string `json:"from,omitempty"`
	// Lines say what was changed, many things of one kind on one line; Count is how many
	// definitions that were.
	Lines []string `json:"lines"`
	Count int      `json:"count"`
	// Services are the names of those that it is about.
	Services []string `json:"services,omitempty"`
	// Undoes is the entry that this one took back, UndoneBy the one that took it back.
	Undoes   string `json:"undoes,omitempty"`
	UndoneBy string `json:"undoneBy,omitempty"`
}

// EntryDetail is an entry with the documents before and after.
type EntryDetail struct {
	Entry
	Items []EntryItem `json:"items"`
}

// EntryItem is one definition that was changed.
type EntryItem struct {
	Kind    string `json:"kind"`
	Service string `json:"service,omitempty"`
	ID      string `json:"id,omitempty"`
	// Outcome is created, changed or removed.
	Outcome string `json:"outcome"`
	// Before and After are YAML, "" where it was, or is, not there. They hold no secrets.
	Before string `json:"before,omitempty"`
	After  string `json:"after,omitempty"`
}
