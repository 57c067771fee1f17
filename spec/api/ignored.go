package api

import "rapidmimic.example/spec"

// Ignored are the calls that lists and streams leave out unless they are asked for.
type Ignored struct {
	spec.Ignored
	ETag string `json:"etag"`
	// Counts say how many calls in the log each of the rules fits, the first one counting
	// where several do.
	Counts []int `json:"counts"`
}

// IgnoreRequest adds a rule: its words, or those that fit a call and others like it.
type IgnoreRequest struct {
	Text string `json:"text,omitempty"`
	Call string `json:"call,omitempty"`
}
