package api

import (
	"time"

	"rapidmimic.example/spec"
)

// Assertion says which calls a service must have received.
type Assertion struct {
	Service string `json:"service"`
	// Calls are what they look like, in the mapping language. Several must have come
	// in this order, others between them allowed.
	Calls []spec.Pattern `json:"calls"`
	// Lane is the one that the calls must be in, since it was opened; "" for calls
	// wherever they belong.
	Lane string `json:"lane,omitempty"`
	// Times, AtLeast and AtMost are how often calls of the one kind must have come;
	// at least once when none is given. Times 0 means never.
	Times   *int `json:"times,omitempty"`
	AtLeast *int `json:"atLeast,omitempty"`
	AtMost  *int `json:"atMost,omitempty"`
	// Since leaves out what came before.
	Since time.Time `json:"since,omitzero"`
	// Within is how long to wait for it to hold; not at all when left out.
	Within spec.Duration `json:"within,omitzero"`
}

// AssertionResult says whether it holds, or why that cannot be decided.
type AssertionResult struct {
	Holds bool `json:"holds"`
	// Undecidable says why it can be neither affirmed nor denied: then Holds is
	// false.
	Undecidable string `json:"undecidable,omitempty"`
	// Text says in a line what was found.
	Text string `json:"text"`
	// Calls are those that fit; of an order the first to fit each.
	Calls []Call `json:"calls"`
	// Closest are calls that do not fit, with what differs; where it does not hold.
	Closest []CloseCall `json:"closest,omitempty"`
}

// CloseCall is a call that does not fit.
type CloseCall struct {
	Call   Call   `json:"call"`
	Reason string `json:"reason"`
}
