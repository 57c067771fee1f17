// Package call holds one exchange as values: the request that reached us, the
// answer that went back, how long each part took, and why. It also knows what
// belongs to messages as such: media types, and which values are secret.
//
// It reads no network. The traffic layer fills these values in, the engine
// decides on them, the call log keeps them.
package call

import (
	"maps"
	"net/textproto"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Header is a set of header lines, its keys in canonical form. It has the
// shape of http.Header, so that neither side needs a copy.
type Header map[string][]string

// Get returns the first value of a header, "" when there is none.
func (h Header) Get(name string) string {
	if v := h[textproto.CanonicalMIMEHeaderKey(name)]; len(v) > 0 {
		return v[0]
	}
	return ""
}

// Values returns all values of a header.
func (h Header) Values(name string) []string { return h[textproto.CanonicalMIMEHeaderKey(name)] }

// Fields are its lines, ordered by name.
func (h Header) Fields() (fields []Field) {
	for _, name := range slices.Sorted(maps.Keys(h)) {
		for _, value := range h[name] {
			fields = append(fields, Field{Name: name, Value: value})
		}
	}
	return fields
}

// Field is one header line of an answer.
type Field struct{ Name, Value string }

// Body is a body as far as it was kept.
type Body struct {
	Bytes []byte
	// Size is the length on the wire; larger than len(Bytes) when Truncated.
	Size int64
	// Truncated is set when only the beginning was kept.
	Truncated bool
}

// Request is a call as it reached us. It is not changed after it was decided
// upon.
type Request struct {
	Method string
	// Address is the escaped path as it was asked for; Path is the part that
	// is relative to the service, "/" at least.
	Address, Path string
	Query         string // raw, without "?"
	Host          string
	Protocol      string // HTTP/1.1
	Caller        string // host:port of the client
	// Certificate is the subject of the client's certificate, such as CN=quay-board,O=Harbour;
	// "" where it showed none that we trust.
	Certificate string
	// ProxyUser is the user name that was given to the proxy, "" for none.
	ProxyUser string
	Header    Header
	Body      Body
	// Keys are where the contract of the service has callers give API keys, which are secrets
	// whatever they are called.
	Keys []Key
}

// Key is where callers give an API key: in header, query or cookie.
type Key struct{ In, Name string }

// HostName is the host that was asked for, without its port, in lower case.
func (r *Request) HostName() string {
	host := strings.ToLower(r.Host)
	if i := strings.LastIndexByte(host, ':'); i >= 0 && !strings.HasSuffix(host, "]") {
		return host[:i]
	}
	return host
}

// Source says who answered a call.
type Source string

// The sources of answers.
const (
	FromMapping    Source = "mapping"
	FromContract   Source = "contract"
	FromUpstream   Source = "upstream"
	FromImpairment Source = "impairment"
	FromMiss       Source = "miss" // nothing fitted
	FromSelf       Source = "self" // our own word: preflight, root page, body too large
	// FromCallback is the source of calls that a service made itself: others answered.
	FromCallback Source = "callback"
)

// Sources lists every source in the order in which they are shown.
var Sources = []Source{FromMapping, FromContract, FromUpstream, FromImpairment, FromMiss, FromSelf, FromCallback}

// Counts are numbers of calls by who answered.
type Counts map[Source]int

// OperationCalls counts the calls that were for one operation.
type OperationCalls struct {
	Total, Deviating int64
	Last             time.Time
}

// Answer is what goes back to the caller. Its parts may be shared between
// calls and are not to be changed.
type Answer struct {
	Status int
	Header []Field
	Body   []byte
	// Arranged has Header sent in its order and with its spelling; else each name is
	// written in one spelling, in the order of the alphabet.
	Arranged bool
	// Wire says how it is sent beside that; nil for as it is.
	Wire *Wire
	// Proven is a body that is known to obey its schema. It says nothing of another Body.
	Proven []byte `json:"-"`
}

// IsProven reports whether the body is the one that is known to obey its schema.
func (a *Answer) IsProven() bool {
	return len(a.Body) > 0 && len(a.Proven) == len(a.Body) && &a.Proven[0] == &a.Body[0]
}

// Arrange brings fields into the order and the spelling of others, as far as they are
// among those; the rest comes behind.
func Arrange(fields, like []Field) (arranged []Field) {
	rest := slices.Clone(fields)
	arranged = make([]Field, 0, len(fields))
	for _, l := range like {
		for i, f := range rest {
			if strings.EqualFold(f.Name, l.Name) {
				arranged = append(arranged, Field{Name: l.Name, Value: f.Value})
				rest = slices.Delete(rest, i, i+1)
				break
			}
		}
	}
	return append(arranged, rest...)
}

// IsArranged reports whether fields are in another order or spelling than the usual one.
func IsArranged(fields []Field) bool {
	for i, f := range fields {
		if f.Name != textproto.CanonicalMIMEHeaderKey(f.Name) || i > 0 && fields[i-1].Name > f.Name {
			return true
		}
	}
	return false
}

// Wire is how an answer came over the connection, or is to be sent. It is immutable.
type Wire struct {
	// Coding is the content coding, "" for none that we can undo; Coded is the body in
	// it, nil where only the decoded one is known.
	Coding string `json:"coding,omitempty"`
	Coded  []byte `json:"coded,omitempty"`
	// Length is what the answer to HEAD says of the body, -1 where it says nothing.
	Length  int64   `json:"length,omitempty"`
	Trailer []Field `json:"trailer,omitempty"`
	// Untyped is set where no Content-Type is sent although there is a body.
	Untyped bool `json:"untyped,omitempty"`
	// Pieces are the parts in which a body without a length came, their sizes adding up to
	// its own; what came without a pause between is one.
	Pieces []Piece `json:"pieces,omitempty"`
}

// Piece is so many bytes, and how long they came after those before, the first ones after
// the request.
type Piece struct {
	Bytes int           `json:"bytes"`
	After time.Duration `json:"after,omitempty"`
}

// OfBytes are headers that follow from the bytes of a body: with others they lie.
var OfBytes = []string{"ETag", "Content-MD5", "Digest", "Content-Digest", "Repr-Digest"}

// Get returns the first value of a header, "" when there is none.
func (a *Answer) Get(name string) string {
	for _, f := range a.Header {
		if strings.EqualFold(f.Name, name) {
			return f.Value
		}
	}
	return ""
}

// Record is one finished call. It is immutable once it was handed to the log.
type Record struct {
	Number  uint64 // counts calls, unique in the environment; see ID
	At      time.Time
	Service string // "" when no service was found
	Request Request
	Answer  Answer
	// AnswerSize is the length of the answer's body on the wire; the log may
	// keep less of it.
	AnswerSize int64
	// Wire is how the answer of the upstream came, where the call is recorded; else nil.
	Wire *Wire

	// Upstream is what passed between us and the upstream where it is not what
	// passed between us and the caller; else nil.
	Upstream *Exchange

	// Lane and Scenario are those under which it was answered, "" for none.
	Lane, Scenario string

	// Cause is the number of the call after which the service made this one; 0 for a call that came.
	Cause uint64

	// Environment is the version of the environment that answered: that of the last entry of
	// its activity; 0 where that is not known.
	Environment int64

	// Recording is the id of the recording that the call belongs to, "" for none.
	Recording string
	// StandIns are, for each digest of a secret that was masked, what the recording keeps.
	StandIns map[string]string

	weight int // see Weight; 0 while nobody asked

	Source      Source
	By          string
	Explanation *Explanation
	// Operation is the operation of the contract that the call was for, whoever
	// answered; "" when it was for none, or nobody looked.
	Operation string
	// Deviations are the places in which the call breaks the contract.
	Deviations []Deviation

	// Injected is what impairments did to the call.
	Injected []Injected

	// Read is the time until the request was there, Decide until the answer was
	// found, Wait how long it was held back, Ask how long the upstream took, Send
	// how long it took to hand the answer to the network.
	Read, Decide, Wait, Ask, Send time.Duration
}

// Injected is one thing that an impairment did to a call.
type Injected struct {
	Kind string `json:"kind"` // latency, errors, limit, connection, outage or line
	What string `json:"what"` // what and how much: "432ms of 200ms..900ms"
	From string `json:"from"` // the target of the impairment
	// Seed and Draw, from 1, say by which chance; Draw is 0 where there was none.
	Seed int64  `json:"seed,omitempty"`
	Draw uint64 `json:"draw,omitempty"`
}

// Exchange is a request to the upstream and its answer as it came, bodies
// decoded and as far as the log keeps them.
type Exchange struct {
	Method, Target string // Target is the address that was asked
	RequestHeader  Header
	RequestBody    []byte
	// Answer is zero where the caller got it as it came.
	Answer Answer
}

// Spoilt reports whether an impairment gave the answer, or broke it on its way:
// then it is meant to be wrong.
func (r *Record) Spoilt() bool {
	return r.Source == FromImpairment || slices.ContainsFunc(r.Injected, func(i Injected) bool { return i.Kind == "connection" })
}

// Took is the whole time from arrival to the end of the answer.
func (r *Record) Took() time.Duration { return r.Read + r.Decide + r.Wait + r.Ask + r.Send }

// Summary is one line of the log: a call without headers, bodies and
// explanation.
type Summary struct {
	Number              uint64
	At                  time.Time
	Service             string
	Method, Path, Query string
	Status              int
	Source              Source
	By                  string
	Took                time.Duration
	Operation           string
	Deviations          int
	// Injected are the kinds of what impairments did, with spaces between them.
	Injected string
	// Lane and Scenario are those under which it was answered, "" for none.
	Lane, Scenario string
	// Host is that of the call, Agent what its User-Agent says.
	Host, Agent string
	// Trace is that of its request.
	Trace string
	// Cause is the number of the call after which the service made this one; 0 for a call that came.
	Cause uint64
}

// kindsOf are the kinds of what was injected, each once, with spaces between them.
func kindsOf(injected []Injected) string {
	var kinds []string
	for _, i := range injected {
		if !slices.Contains(kinds, i.Kind) {
			kinds = append(kinds, i.Kind)
		}
	}
	return strings.Join(kinds, " ")
}

// Summary is the line of r in the log.
func (r *Record) Summary() Summary {
	return Summary{
		Number: r.Number, At: r.At, Service: r.Service, Method: r.Request.Method, Path: r.Request.Path,
		Query: r.Request.Query, Status: r.Answer.Status, Source: r.Source, By: r.By, Took: r.Took(), Operation: r.Operation, Deviations: len(r.Deviations),
		Injected: kindsOf(r.Injected), Lane: r.Lane, Scenario: r.Scenario,
		Host: r.Request.Host, Agent: strings.Join(r.Request.Header["User-Agent"], ", "), Trace: r.Request.Trace(),
		Cause: r.Cause,
	}
}

const idPrefix = "c-"

// AppendID appends the readable id of a call: "c-81f3".
func AppendID(b []byte, number uint64) []byte {
	return strconv.AppendUint(append(b, idPrefix...), number, 16)
}

// ID is the readable id of a call.
func ID(number uint64) string { return string(AppendID(nil, number)) }

// Weight is about how many bytes a record takes in memory. What it shares with other
// calls counts, too. It is taken once: masking does not change it by much.
func (r *Record) Weight() int {
	if r.weight == 0 {
		r.weight = r.weigh()
	}
	return r.weight
}

// Trim cuts the bodies off behind a number of bytes.
func (r *Record) Trim(limit int) {
	if body := &r.Request.Body; len(body.Bytes) > limit {
		body.Bytes, body.Truncated = body.Bytes[:limit:limit], true
	}
	if len(r.Answer.Body) > limit {
		r.Answer.Body = r.Answer.Body[:limit:limit]
	}
	if r.Wire != nil && len(r.Wire.Coded) > limit {
		r.Wire = nil
	}
	r.weight = 0
}

func (r *Record) weigh() int {
	weight := 1_000 + len(r.Request.Address) + len(r.Request.Query) + len(r.Request.Body.Bytes) + len(r.Answer.Body)
	for name, values := range r.Request.Header {
		weight += len(name)
		for _, value := range values {
			weight += len(value)
		}
	}
	for _, f := range r.Answer.Header {
		weight += len(f.Name) + len(f.Value)
	}
	if r.Explanation != nil {
		weight += r.Explanation.Summary.weight()
		for i := range r.Explanation.Steps {
			weight += r.Explanation.Steps[i].weight()
		}
	}
	if x := r.Upstream; x != nil {
		weight += len(x.RequestBody) + len(x.Answer.Body)
	}
	if r.Wire != nil {
		weight += len(r.Wire.Coded)
	}
	return weight
}

// ParseID reads what ID wrote; ok is false for everything else.
func ParseID(id string) (number uint64, ok bool) {
	digits, ok := strings.CutPrefix(id, idPrefix)
	if !ok {
		return 0, false
	}
	number, err := strconv.ParseUint(digits, 16, 63)
	return number, err == nil
}

// Followed is what a follower of the log gets: the calls that were kept after a position.
type Followed struct {
	Lines []Summary
	// Skipped counts those that came too fast to be held.
	Skipped int
	// Cleared is set when the log was cleared after that position: it holds Lines and nothing else.
	Cleared bool
	// Position is where to go on from.
	Position uint64
}
