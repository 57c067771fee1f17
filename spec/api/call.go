package api

import "time"

// Call is one line of the call log.
type Call struct {
	ID      string    `json:"id"`
	At      time.Time `json:"at"`
	Service string    `json:"service"`
	Method  string    `json:"method"`
	// Path is relative to the service and still percent-encoded.
	Path   string `json:"path"`
	Query  string `json:"query,omitempty"`
	Status int    `json:"status"`
	// Source is who answered: mapping, contract, upstream, impairment, miss, self; callback for a call
	// that the service made itself.
	Source string `json:"source"`
	// By names the mapping or operation, or the part that missed.
	By string `json:"by,omitempty"`
	// Operation is the operation of the contract that the call was for, whoever
	// answered.
	Operation string `json:"operation,omitempty"`
	// TookMs is the time from the call's arrival to the end of the answer, in
	// milliseconds.
	TookMs float64 `json:"tookMs"`
	// Deviations counts the places in which the call breaks the contract.
	Deviations int `json:"deviations,omitempty"`
	// Impaired are the kinds of what impairments did to the call.
	Impaired []string `json:"impaired,omitempty"`
	// Lane and Scenario are those under which it was answered.
	Lane     string `json:"lane,omitempty"`
	Scenario string `json:"scenario,omitempty"`
	// Host is that of the call, Agent what its User-Agent says.
	Host  string `json:"host"`
	Agent string `json:"agent,omitempty"`
	// Trace is the id of the trace that its traceparent names (W3C Trace Context).
	Trace string `json:"trace,omitempty"`
	// Cause is the id of the call after which the service made this one.
	Cause string `json:"cause,omitempty"`
	// Ignored is set on a call that lists leave out unless they are asked for such.
	Ignored bool `json:"ignored,omitempty"`
}

// Calls is a page of calls.
type Calls struct {
	List[Call]
	// Ignored is how many were left out while looking for these.
	Ignored int `json:"ignored,omitempty"`
}

// CallDetail is one call, whole.
type CallDetail struct {
	Call
	Protocol string `json:"protocol"`
	Caller   string `json:"caller"`
	// Certificate is the subject of the client's certificate, "" for none.
	Certificate string  `json:"certificate,omitempty"`
	Request     Message `json:"request"`
	Answer      Message `json:"answer"`
	// Callbacks are calls that the service made after it, the first one first.
	Callbacks []Call `json:"callbacks,omitempty"`
	// Upstream is what passed between us and the upstream, where a mapping edited
	// it.
	Upstream    *Exchange   `json:"upstream,omitempty"`
	Timing      Timing      `json:"timing"`
	Explanation Explanation `json:"explanation"`
	// Environment is the last entry of the activity when it was answered; "" where that is
	// not known. ChangedSince are later entries that may have changed what its service
	// answers, the newest first, without what was undone since. MoreSince is set where there are more than these.
	Environment  string  `json:"environment,omitempty"`
	ChangedSince []Entry `json:"changedSince,omitempty"`
	MoreSince    bool    `json:"moreSince,omitempty"`
	// Injected is what impairments did to the call.
	Injected []Injected `json:"injected,omitempty"`
	// DeviationList has the places in which the call breaks the contract.
	DeviationList []Deviation `json:"deviationList"`
	// Curl repeats the call in a POSIX shell, PowerShell in that; masked values stay
	// masked.
	Curl       string `json:"curl"`
	PowerShell string `json:"powershell"`
}

// Exchange is a request to the upstream and its answer, before any edit.
type Exchange struct {
	Method string `json:"method"`
	// Target is the address that was asked.
	Target  string  `json:"target"`
	Request Message `json:"request"`
	// Status and Answer are those of the upstream; left out where the caller got
	// them as they came.
	Status int      `json:"status,omitempty"`
	Answer *Message `json:"answer,omitempty"`
}

// Message is the request or the answer of a call.
type Message struct {
	Headers [][2]string `json:"headers"`
	Body    string      `json:"body"`
	// Encoding is "text" or "base64".
	Encoding string `json:"encoding"`
	// Size is the length of the body on the wire, in bytes.
	Size int64 `json:"size"`
	// Truncated is set when only the beginning of the body was kept.
	Truncated bool `json:"truncated,omitempty"`
	// Parts are those of a message with attachments (multipart/related), its root first.
	Parts []MessagePart `json:"parts,omitempty"`
}

// MessagePart is a part of a message with attachments.
type MessagePart struct {
	ID          string `json:"id,omitempty"`
	ContentType string `json:"contentType,omitempty"`
	Size        int    `json:"size"` // in bytes
	// Text is what is in it; "" where that is no text.
	Text string `json:"text,omitempty"`
}

// Deviation is one place in which a call breaks the contract.
type Deviation struct {
	Side   string `json:"side"` // request or answer
	Where  string `json:"where"`
	Detail string `json:"detail"`
}

// Timing splits TookMs, in milliseconds.
type Timing struct {
	ReadMs   float64 `json:"readMs"`   // reading the request's body
	DecideMs float64 `json:"decideMs"` // finding and building the answer
	WaitMs   float64 `json:"waitMs"`   // held back by an impairment
	AskMs    float64 `json:"askMs"`    // until the upstream's answer began
	SendMs   float64 `json:"sendMs"`   // handing it to the network
}

// Explanation says why a call was answered as it was.
type Explanation struct {
	// Code says what the sentence says, Sentence in words.
	Code     string `json:"code"`
	Sentence string `json:"sentence"`
	Steps    []Step `json:"steps"`
}

// Step is one thing that was considered: as data, and in words.
type Step struct {
	// Stage is place, choose, impair or build.
	Stage string `json:"stage"`
	// Verdict is taken, skipped or noted.
	Verdict string  `json:"verdict"`
	Of      Subject `json:"of"`
	Finding
	// Subject and Reason are Of and Finding in words.
	Subject string `json:"subject"`
	Reason  string `json:"reason"`
}

// Subject is what a step considered.
type Subject struct {
	// Kind is "" for what an earlier version kept.
	Kind string `json:"kind"`
	ID   string `json:"id,omitempty"`
	// From is the scenario or lane that a mapping is of, or the target of an
	// impairment.
	From string `json:"from,omitempty"`
}

// Finding is what was found out about a subject.
type Finding struct {
	Code string `json:"code"`
	// Part is the part of the call that decided: "path, segment 1", "header tier".
	Part string `json:"part,omitempty"`
	// Seen and Expected are what the call has there and what was asked for; values of
	// conditions as JSON.
	Seen     string `json:"seen,omitempty"`
	Expected string `json:"expected,omitempty"`
	// Values are what else the sentence of the code says.
	Values []string `json:"values,omitempty"`
	// Among are findings that make up this one.
	Among []Finding `json:"among,omitempty"`
}

// Batch is one event of the live stream.
type Batch struct {
	Calls []Call `json:"calls"`
	// Skipped counts calls that were left out because the reader was slow.
	Skipped int `json:"skipped,omitempty"`
	// Entries are what was changed meanwhile, the oldest first: of the services that are
	// followed, and of the whole environment.
	Entries []Entry `json:"entries,omitempty"`
	// Ignored counts calls that are left out since they are ignored.
	Ignored int `json:"ignored,omitempty"`
	// Cleared is set when the log was cleared: it holds none of the calls that came before these.
	Cleared bool `json:"cleared,omitempty"`
	// Gap is set when the stream could not be resumed where the reader left
	// it: the calls in between must be listed.
	Gap bool `json:"gap,omitempty"`
}
