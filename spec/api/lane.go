package api

import (
	"time"

	"rapidmimic.example/spec"
)

// Lane is a lane that is open.
type Lane struct {
	spec.Lane
	ETag   string    `json:"etag"`
	Opened time.Time `json:"opened"`
	Until  time.Time `json:"until"`
	By     string    `json:"by,omitempty"`
	// Active is the scenario that is on in it.
	Active ActiveScenario `json:"active"`
	// Lines say what its own changes are, one thing each.
	Lines []string `json:"lines"`
	// Address is how the addresses of services begin in it.
	Address string `json:"address"`
	// Header and Baggage are what a call says to belong to it.
	Header  string `json:"header"`
	Baggage string `json:"baggage"`
	// Calls and LastMinute count its calls by source, since it was opened and of the
	// last minute.
	Calls      map[string]int `json:"calls"`
	LastMinute map[string]int `json:"lastMinute"`
}
