// Package traffic is the port that programs call: it turns requests into
// calls, lets the engine decide, carries the decision out, and hands the
// finished call to the log. It decides nothing itself.
package traffic

import (
	"log/slog"
	"net/http"
	"runtime/debug"
	"slices"
	"strconv"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
)

// Log takes finished calls. They are called from many
// goroutines and must not block.
type Log interface {
	// Number gives a call its number when it arrives.
	Number() uint64
	// Began takes a copy of a record whose answer takes its time.
	Began(r *call.Record)
	// Add owns the record afterwards. work is what the goroutine of the caller can do for the log when
	// the answer has gone out; it may wait, and nobody has to do it.
	Add(r *call.Record) (work func())
	// BodyLimit is how many bytes of a request's body the log keeps.
	BodyLimit() int
}

// Callbacks makes the calls that follow answers; it must not block.
type Callbacks interface{ Make(c *call.Callback) }

// Config is what a Handler works with.
type Config struct {
	Engine *engine.Engine
	Log    Log
	Logger *slog.Logger
	// Upstream asks the real things behind services.
	Upstream Upstream
	// Callbacks makes the calls that follow answers; nil makes none.
	Callbacks Callbacks
	// MaxBody is the largest body that is held to answer a call, in bytes;
	// zero means DefaultMaxBody.
	MaxBody int64
	// RecordLimit is how many bytes of a body recordings keep; zero means what the log
	// keeps.
	RecordLimit int
	// Memory is asked before a large body is held; nil means that all are.
	Memory Memory
	// BodyTimeout is how long a caller may take to send a body, plus what it takes at
	// bytesPerSecond; zero means DefaultBodyTimeout.
	BodyTimeout time.Duration
}

const (
	// DefaultMaxBody is 10 MiB.
	DefaultMaxBody = 10 << 20
	// DefaultBodyTimeout is that of Config.
	DefaultBodyTimeout = 30 * time.Second
)

// Handler answers calls to the virtual services.
type Handler struct{ Config }

// New builds a Handler.
func New(c Config) *Handler {
	if c.MaxBody == 0 {
		c.MaxBody = DefaultMaxBody
	}
	if c.BodyTimeout == 0 {
		c.BodyTimeout = DefaultBodyTimeout
	}
	return &Handler{c}
}

// ServeHTTP implements http.Handler.
func (h *Handler) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.ProtoMajor > 1 {
		workBefore(r)
	}
	record := h.begin(r)
	defer h.recoverFault(w, r, record)
	placed := h.Engine.Place(r.Context(), &record.Request)
	defer placed.Release()
	release, room := h.reserve(placed, r.ContentLength)
	defer release()
	h.carryOut(w, r, record, h.decide(w, r, record, placed, room))
}

// begin is what is known of a call that has arrived, before its body is read.
func (h *Handler) begin(r *http.Request) *call.Record {
	record := &call.Record{Number: h.Log.Number(), At: time.Now(), Request: call.Request{
		Method: r.Method, Address: r.URL.EscapedPath(), Query: r.URL.RawQuery, Host: r.Host,
		Protocol: r.Proto, Caller: r.RemoteAddr, Header: call.Header(r.Header), ProxyUser: proxyUser(r.Context()),
	}}
	if r.TLS != nil && len(r.TLS.VerifiedChains) > 0 {
		record.Request.Certificate = r.TLS.PeerCertificates[0].Subject.String()
	}
	return record
}

// decide reads a call, where there is room for its body, and decides on it. What only a decision needs is here: the
// stack of ServeHTTP stays taken while a call is held back.
func (h *Handler) decide(w http.ResponseWriter, r *http.Request, record *call.Record, placed *engine.Placed, room bool) (d *engine.Decision) {
	if placed.Streams() {
		d = h.Engine.Decide(placed, &record.Request)
		record.Decide = time.Since(record.At)
		return d
	}
	if !room {
		w.Header().Set("Connection", "close")
		return engine.NoMemory(placed, &record.Request)
	}
	needed := placed.NeedsBody()
	body, fits, broken := h.readBody(w, r, needed)
	record.Request.Body = body
	if body.Size > 0 {
		record.Read = time.Since(record.At)
	}
	switch {
	case !fits:
		d = engine.TooLarge(placed, &record.Request, h.MaxBody)
	case broken != nil && needed:
		d = engine.Incomplete(placed, &record.Request, len(body.Bytes), brokeOff(broken))
	default:
		d = h.Engine.Decide(placed, &record.Request)
		if broken != nil {
			d.NoteBrokenBody(len(body.Bytes), brokeOff(broken))
		}
	}
	record.Decide = time.Since(record.At) - record.Read
	return d
}

// carryOut does what a decision says, and hands the call to the log.
func (h *Handler) carryOut(w http.ResponseWriter, r *http.Request, record *call.Record, d *engine.Decision) {
	record.Service, record.Source, record.By, record.Recording, record.Injected = d.Service, d.Source, d.By, d.Recording, d.Injected
	record.Lane, record.Scenario, record.Environment = d.Lane, d.Scenario, d.Environment
	if d.Answer.Status == engine.StatusCallerLeft && d.Relay == nil {
		record.Answer, record.Explanation = d.Answer, d.Explanation
		h.Log.Add(record)
		panic(http.ErrAbortHandler)
	}
	if d.Relay != nil {
		h.relay(w, r, record, d)
		return
	}
	trimToLog(&record.Request.Body, h.Log.BodyLimit())
	record.Answer = d.Answer
	if len(d.Headers) > 0 { // else it stays the one that others share
		record.Answer.Header = slices.Concat(d.Answer.Header, d.Headers)
	}
	if d.Delay > 0 || d.Effect == spec.EffectHang || d.Line.Slow() {
		h.Log.Began(record)
	}
	abort, whole := false, false
	if hold(r.Context(), record, d) {
		before := record.Read + record.Decide + record.Wait
		abort = deliver(w, r, record, d)
		whole = !abort
		record.Send = time.Since(record.At) - before
	}
	record.Explanation = d.Explanation
	if whole {
		h.callBack(record, d)
	}
	h.keep(r, record)
	if abort {
		panic(http.ErrAbortHandler) // the caller must see that it ends here
	}
}

// keep hands a finished call to the log, before its answer has left: whoever has the answer finds the
// call. What is to be done for the log holds up nobody but the next call on the connection: over HTTP/2,
// where calls share one, those that come after.
func (h *Handler) keep(r *http.Request, record *call.Record) {
	first, large := r.ProtoMajor == 1, len(record.Answer.Body) > keptByHTTP
	work := h.Log.Add(record)
	if first && work == nil && !large {
		return
	}
	switch c := trackedConn(r); {
	case c == nil:
	case first:
		c.gathering.Store(false)
		if work != nil {
			c.whenOver.Store(&work)
		}
	case work == nil:
		c.beforeNext.Store(nil)
	default:
		c.beforeNext.Store(&work)
	}
}

// workBefore does for the log what a call left to those that come after it on its connection.
func workBefore(r *http.Request) {
	c := trackedConn(r)
	if c == nil {
		return
	}
	if work := c.beforeNext.Load(); work != nil {
		(*work)()
	}
}

// callBack has the calls made that follow an answer which went out whole.
func (h *Handler) callBack(record *call.Record, d *engine.Decision) {
	if h.Callbacks == nil {
		return
	}
	for _, c := range d.Callbacks {
		caused := *c
		caused.Cause = record.Number
		h.Callbacks.Make(&caused)
	}
}

// noStore keeps answers out of caches, where an edit would not show; an answer
// that says how long it may be kept is left as it is. It is never changed.
var noStore = []string{"no-store"}

// send writes the answer of a record.
func send(w http.ResponseWriter, r *http.Request, record *call.Record, reveal bool) {
	answer := &record.Answer
	record.AnswerSize = int64(len(answer.Body))
	body := answer.Body
	if answer.Arranged {
		arrange(r, answer.Header)
	}
	if answer.Wire != nil {
		sendAsItCame(w, r, record, reveal)
		return
	}
	sendHead(w, record, reveal, len(body))
	if r.Method == http.MethodHead || len(body) == 0 {
		return
	}
	_, _ = writeEnd(w, body) // a caller that has gone away is no fault of ours
}

// sendAsItCame writes an answer that was recorded: in its coding, its pieces in their
// time, its trailers behind it.
func sendAsItCame(w http.ResponseWriter, r *http.Request, record *call.Record, reveal bool) {
	wire, body := record.Answer.Wire, record.Answer.Body
	if wire.Coded != nil {
		body = wire.Coded
	}
	length := len(body)
	if r.Method == http.MethodHead {
		length = int(wire.Length)
	}
	if len(wire.Trailer) > 0 && r.ProtoAtLeast(1, 1) {
		length = -1 // they come behind chunks
		for _, f := range wire.Trailer {
			w.Header().Add("Trailer", f.Name)
		}
	}
	sendHead(w, record, reveal, length)
	if r.Method == http.MethodHead {
		return
	}
	control := http.NewResponseController(w)
	for _, piece := range wire.Pieces {
		if pause(r.Context(), piece.After) != nil {
			return
		}
		n := min(piece.Bytes, len(body))
		if n == len(body) {
			break // the rest goes out when the call is kept
		}
		if _, err := w.Write(body[:n]); err != nil || control.Flush() != nil {
			return // the caller has gone away
		}
		body = body[n:]
	}
	_, _ = writeEnd(w, body) // likewise
	for _, f := range wire.Trailer {
		w.Header().Set(f.Name, f.Value)
	}
}

// sendHead writes the status and the headers of an answer, whose body is said to
// have a length; -1 says nothing.
func sendHead(w http.ResponseWriter, record *call.Record, reveal bool, length int) {
	answer := &record.Answer
	header := w.Header()
	values := make([]string, 0, len(answer.Header)+2) // one allocation for all lines
	add := func(name, value string) {
		values = append(values, value)
		if last := len(values); header[name] == nil {
			header[name] = values[last-1 : last : last]
		} else {
			header[name] = append(header[name], value)
		}
	}
	for _, f := range answer.Header {
		add(http.CanonicalHeaderKey(f.Name), f.Value)
	}
	if reveal {
		add("Rapid-Mimic", revealed(record))
	}
	if length >= 0 && answer.Status != http.StatusNoContent && answer.Status != http.StatusNotModified {
		add("Content-Length", strconv.Itoa(length))
	}
	if header["Content-Type"] == nil {
		header["Content-Type"] = nil // net/http must not guess one
	}
	if header["Cache-Control"] == nil && header["Expires"] == nil {
		header["Cache-Control"] = noStore
	}
	w.WriteHeader(answer.Status)
}

// revealed is the Rapid-Mimic header, an RFC 9651 dictionary:
// call=c-81f3, source=mapping, by="berth-by-number", lane=night-run, scenario="storm".
func revealed(record *call.Record) string {
	b := make([]byte, 0, 80)
	b = append(b, "call="...)
	b = call.AppendID(b, record.Number)
	b = append(b, ", source="...)
	b = append(b, record.Source...)
	if record.By != "" {
		b = append(b, `, by="`...)
		for i := range len(record.By) {
			switch c := record.By[i]; {
			case c == '"' || c == '\\':
				b = append(b, '\\', c)
			case c < ' ' || c > '~': // a string of RFC 9651 is printable ASCII
				b = append(b, '?')
			default:
				b = append(b, c)
			}
		}
		b = append(b, '"')
	}
	if record.Lane != "" { // a token, as its name has to be
		b = append(append(b, ", lane="...), record.Lane...)
	}
	if record.Scenario != "" {
		b = append(append(append(b, `, scenario="`...), record.Scenario...), '"')
	}
	return string(b)
}

// recoverFault answers a call on which we panicked, and keeps it.
func (h *Handler) recoverFault(w http.ResponseWriter, r *http.Request, record *call.Record) {
	fault := recover()
	if fault == nil {
		return
	}
	if fault == http.ErrAbortHandler {
		panic(fault)
	}
	h.Logger.Error("a call made the service fail", "call", call.ID(record.Number), "fault", fault, "stack", string(debug.Stack()))
	decision := engine.Broken(record.Service)
	record.Source, record.By, record.Answer, record.Explanation = decision.Source, decision.By, decision.Answer, decision.Explanation
	send(w, r, record, true)
	h.Log.Add(record)
	letGo(r)
}
