package call

import "time"

// Callback is a call that a service makes: after an answer, or as a webhook. It is immutable.
type Callback struct {
	// By says what makes it: "pilotAboard", "mapping book, callback 1", "webhook berthFreed".
	By string
	// Service, Lane and Scenario are those of the call that caused it, and Cause is its number; 0 for
	// none.
	Service, Lane, Scenario string
	Cause                   uint64
	Environment             int64
	// ServiceID is that of the service, which never changes, and At when it was decided upon.
	ServiceID string
	At        time.Time
	// Since is when the scenario was switched on that has it made; zero for what no scenario has made.
	// It is given up when that is off.
	Since time.Time

	Method string
	// Target is the address in full.
	Target string
	Header Header
	Body   []byte
	// Keys are as those of a Request.
	Keys []Key

	// Private is set where the address may be one of this machine or of a private network.
	Private bool
	// After is how long after its cause it is made, Every the time between the Times that it is.
	After, Every time.Duration
	Times        int
	// Retries is how often it is tried again, RetryEvery later, while it fails.
	Retries    int
	RetryEvery time.Duration
}

// CallbackResult is what became of one attempt to make a callback.
type CallbackResult struct {
	// Number is that of the call in the log, Status that of the answer; 0 where nobody answered, and
	// Why says why.
	Number uint64
	Status int
	Why    string
	Took   time.Duration
}

// Delivered reports whether a callback that was answered with a status got through; 0 for no answer.
func Delivered(status int) bool { return status >= 200 && status < 400 }
