package api

import (
	"time"

	"rapidmimic.example/spec"
)

// Impairments is all that is switched on.
type Impairments struct {
	// Off is set when all of them are switched off, also those that mappings have
	// of themselves.
	Off   bool         `json:"off"`
	Items []Impairment `json:"items"`
}

// Impairment is one that is switched on, with its state.
type Impairment struct {
	Target     spec.Target     `json:"target"`
	Impairment spec.Impairment `json:"impairment"`
	// Text says in a line what it does.
	Text string `json:"text"`
	// Draws is set where chance has a part in it, so that its seed matters.
	Draws bool `json:"draws,omitempty"`
	// Own is set for one that a mapping has of itself; then Since and By are
	// missing.
	Own bool `json:"own,omitempty"`
	// Origin says of which scenario or lane it is: scenario "storm". "" for one that
	// was switched on by itself.
	Origin string     `json:"origin,omitempty"`
	Since  *time.Time `json:"since,omitempty"`
	By     string     `json:"by,omitempty"`
	// ETag is its version, or that of the lane that has it; "" for those of scenarios
	// and of mappings.
	ETag string `json:"etag,omitempty"`
	// Down is set while its outage is on.
	Down bool `json:"down,omitempty"`
	// Limits tells how full its limit is, for each caller.
	Limits []LimitUse `json:"limits,omitempty"`
	// Did is what it did since it was set, or since the service runs.
	Did HitCount `json:"did"`
}

// HitCount is what an impairment did.
type HitCount struct {
	// Calls came under it; to Hit of them it did something: an error, a delay, a slow line, a broken
	// connection.
	Calls uint64 `json:"calls"`
	Hit   uint64 `json:"hit"`
	// Minutes are the last 15, the present one last.
	Minutes []HitMinute `json:"minutes"`
}

// HitMinute is what an impairment did in a minute.
type HitMinute struct {
	Calls int `json:"calls"`
	Hit   int `json:"hit"`
}

// LimitUse is how full a limit is.
type LimitUse struct {
	Caller string `json:"caller"` // "" for everyone
	Used   int    `json:"used"`
	// ResetMs is the time until its oldest call leaves it, in milliseconds.
	ResetMs float64 `json:"resetMs"`
}

// ImpairmentSwitch switches all impairments off, or on again.
type ImpairmentSwitch struct {
	Off bool `json:"off"`
}

// Injected is one thing that an impairment did to a call.
type Injected struct {
	Kind string `json:"kind"`
	What string `json:"what"`
	From string `json:"from"`
	Seed int64  `json:"seed,omitempty"`
	Draw uint64 `json:"draw,omitempty"`
}
