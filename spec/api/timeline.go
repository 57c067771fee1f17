package api

import "time"

// Timeline tells how many calls came over the last quarter of an hour, and how they fared.
type Timeline struct {
	From time.Time `json:"from"` // when the first span begins
	// Seconds is how long each span is.
	Seconds int            `json:"seconds"`
	Spans   []TimelineSpan `json:"spans"` // the oldest first
}

// TimelineSpan is a part of a Timeline.
type TimelineSpan struct {
	Sources map[string]int `json:"sources"` // calls by who answered
	// Failed is how many of them got no answer, or a status of 429, 499 or more; NotKept how many the log could
	// not keep.
	Failed  int `json:"failed"`
	NotKept int `json:"notKept,omitempty"`
	// P50Ms and P95Ms are times that half of the calls, and nearly all of them, did not exceed, rounded up.
	P50Ms float64 `json:"p50Ms"`
	P95Ms float64 `json:"p95Ms"`
}
