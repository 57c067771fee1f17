package api

import "time"

// RetryStory is how one caller took it that a call failed.
type RetryStory struct {
	Service string `json:"service"`
	Method  string `json:"method"`
	Path    string `json:"path"`
	Query   string `json:"query,omitempty"`
	Caller  string `json:"caller"`
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

// Timings tells how long the last calls to a service took.
type Timings struct {
	// TookMs are the times of the calls of the last five minutes, at most 2,000, the
	// newest first, in milliseconds.
	TookMs []float64 `json:"tookMs"`
	P50Ms  float64   `json:"p50Ms"`
	P90Ms  float64   `json:"p90Ms"`
	P99Ms  float64   `json:"p99Ms"`
	// Minutes count calls and errors (429, 5xx, or no answer), the oldest first.
	Minutes []TimingMinute `json:"minutes"`
}

// TimingMinute counts the calls of one minute.
type TimingMinute struct {
	Calls  int `json:"calls"`
	Errors int `json:"errors"`
}
