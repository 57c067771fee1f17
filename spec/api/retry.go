package api

import "time"

// RetryStory is how one caller took it that a call failed.
type RetryStory struct {
	Service string `json:"service"`
	Method  string `json:"method"`
	Path    string `json:"path"`
	Query   string `json:"query,omitempty"`
	// Operation is that of the call, where its message tells it.
	Operation string `json:"operation,omitempty"`
	Caller    string `json:"caller"`
	Lane      string `json:"lane,omitempty"`
	// Outcome is "got through", "gave up" or "still trying".
	Outcome  string         `json:"outcome"`
	Attempts []RetryAttempt `json:"attempts"`
}

// RetryAttempt is one call of a story.
type RetryAttempt struct {
	ID     string    `json:"id"`
	At     time.Time `json:"at"`
	Status int       `json:"status"` // 0 when there was no answer
	// GapMs is the time since the end of the attempt before, in milliseconds.
	GapMs float64 `json:"gapMs"`
	// AdvisedMs is how long the answer before told the caller to wait, in
	// milliseconds; Obeyed says that it did.
	AdvisedMs float64    `json:"advisedMs,omitempty"`
	Obeyed    bool       `json:"obeyed,omitempty"`
	Injected  []Injected `json:"injected,omitempty"`
}
