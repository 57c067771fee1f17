package traffic

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptrace"
	"net/textproto"
	"slices"
	"strconv"
	"strings"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/coding"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
)

// Upstream asks the real things behind services. It is called from any number of
// goroutines.
type Upstream interface {
	http.RoundTripper
	// Explain says why a call got no answer, and the status to tell it with.
	Explain(err error) (status int, why string)
}

// relayed is a call on its way to the upstream and back.
type relayed struct {
	h        *Handler
	w        http.ResponseWriter
	r        *http.Request
	record   *call.Record
	decision *engine.Decision
	sent     *capture   // of the request's body
	body     *timedBody // of the request; nil where it is held, or has none
	answer   *capture   // of the answer's body
	wire     *call.Wire // how the answer came, where it is recorded; else nil
	asked    time.Time  // when the upstream was asked
	conn     headed     // on which it was asked; nil where heads are not known as they came
	last     time.Time  // when the last piece of its answer came
}

// headed is a connection that knows how the head of an answer was written.
type headed interface {
	// Begin expects another answer, Head gives its lines as they came.
	Begin()
	Head() []call.Field
}

// relay passes a call on and its answer back, both as they come; the log keeps
// the beginning of either.
func (h *Handler) relay(w http.ResponseWriter, r *http.Request, record *call.Record, d *engine.Decision) {
	x := &relayed{h: h, w: w, r: r, record: record, decision: d, sent: h.captureFor(record), answer: h.captureFor(record)}
	defer x.sent.release()
	defer x.answer.release()
	h.Log.Began(record)
	x.asked = time.Now()
	out := x.request()
	resp, err := h.Upstream.RoundTrip(out)
	record.Ask = time.Since(x.asked)
	switch {
	case err != nil && x.body != nil && x.body.err != nil:
		engine.BrokeOff(d, int(x.sent.size), brokeOff(x.body.err))
		record.Recording = ""
		w.Header().Set("Connection", "close")
		err = x.deliver()
	case r.Context().Err() != nil:
		x.note("the caller left before the upstream answered")
		record.Answer.Status = engine.StatusCallerLeft
		closeBody(resp)
		err = nil
	case !hold(r.Context(), record, d):
		closeBody(resp)
		err = nil
	default:
		begun := time.Now()
		err = x.respond(resp, err)
		record.Send = time.Since(begun)
	}
	if d.Effect != "" { // what was spoilt is nothing to play back
		record.Recording = ""
	}
	if d.Relay.Request != nil || record.Upstream != nil {
		x.keepExchange(out)
	}
	x.finish()
	if err != nil {
		panic(http.ErrAbortHandler) // the caller must see that the answer is not whole
	}
}

// captureFor keeps bodies of a call as far as the log wants them, or its recording.
func (h *Handler) captureFor(record *call.Record) *capture {
	if record.Recording == "" {
		return &capture{limit: h.Log.BodyLimit()}
	}
	return &capture{limit: max(h.RecordLimit, h.Log.BodyLimit()), memory: h.Memory, lane: record.Lane, free: smallBody}
}

func closeBody(resp *http.Response) {
	if resp != nil {
		_ = resp.Body.Close() // nobody waits for it
	}
}

// respond sends what came of asking the upstream. The error says that the
// connection must end.
func (x *relayed) respond(resp *http.Response, err error) error {
	switch {
	case err != nil:
		status, why := x.h.Upstream.Explain(err)
		engine.Unreached(x.decision, status, why)
		return x.deliver()
	case x.decision.Relay.Edits():
		return x.edit(resp)
	default:
		return x.pass(resp)
	}
}

// deliver sends the answer of the decision, which is not the upstream's as it came.
func (x *relayed) deliver() error {
	x.record.Source, x.record.By, x.record.Answer = x.decision.Source, x.decision.By, x.decision.Answer
	if deliver(x.w, x.r, x.record, x.decision) {
		return errSpoilt
	}
	return nil
}

// request is what the upstream is asked.
func (x *relayed) request() *http.Request {
	in := &x.record.Request
	if x.decision.Relay.Request != nil {
		in = x.decision.Relay.Request
	}
	header := x.decision.Relay.RequestHeader(in.Header)
	if x.record.Recording != "" { // "not modified" is no answer to record
		delete(header, "If-None-Match")
		delete(header, "If-Modified-Since")
	}
	if upgrade := in.Header["Upgrade"]; len(upgrade) > 0 {
		header["Connection"], header["Upgrade"] = []string{"Upgrade"}, upgrade
	}
	if slices.Contains(in.Header["Te"], "trailers") {
		header["Te"] = []string{"trailers"}
	}
	if header["User-Agent"] == nil {
		header["User-Agent"] = []string{""} // net/http must not give one
	}
	out := &http.Request{
		Method: in.Method, URL: x.decision.Relay.Target, Host: x.decision.Relay.Target.Host, Header: http.Header(header),
		ContentLength: x.r.ContentLength, Trailer: x.r.Trailer, TransferEncoding: x.r.TransferEncoding,
	}
	switch {
	case in != &x.record.Request && len(in.Body.Bytes) == 0: // edited away
		out.ContentLength, out.TransferEncoding = 0, nil
	case in.Body.Bytes != nil: // held to decide
		x.sent.Write(in.Body.Bytes)
		out.TransferEncoding = nil
		out.Body, out.ContentLength = io.NopCloser(bytes.NewReader(in.Body.Bytes)), int64(len(in.Body.Bytes))
	case x.r.Body != nil && x.r.Body != http.NoBody:
		x.body = x.h.timed(x.w, x.r.Body)
		out.Body = struct {
			io.Reader
			io.Closer
		}{io.TeeReader(x.body, x.sent), x.body}
	}
	trace := &httptrace.ClientTrace{GotConn: func(info httptrace.GotConnInfo) {
		if x.conn, _ = info.Conn.(headed); x.conn != nil {
			x.conn.Begin()
		}
	}, Got1xxResponse: func(code int, header textproto.MIMEHeader) error {
		if code != http.StatusSwitchingProtocols && code != http.StatusContinue {
			for name, values := range header {
				x.w.Header()[name] = values
			}
			x.w.WriteHeader(code)
			clear(x.w.Header())
		}
		return nil
	}}
	return out.WithContext(httptrace.WithClientTrace(x.r.Context(), trace))
}

// pass sends an answer of the upstream on. The error says that it broke off.
func (x *relayed) pass(resp *http.Response) error {
	defer resp.Body.Close()
	header := x.answerHeader(resp)
	x.record.Answer.Status, x.record.Answer.Header = resp.StatusCode, header.Fields()
	var came []call.Field
	if x.conn != nil {
		came = x.conn.Head()
		x.record.Answer.Header = call.Arrange(x.record.Answer.Header, came)
	}
	if why := x.decision.Relay.LeavesOut(resp.Header.Get("Content-Type")); why != "" && x.record.Recording != "" {
		x.record.Recording = ""
		x.note("the recording leaves it out: " + why)
	}
	out := x.w.Header()
	for name, values := range header {
		out[name] = values
	}
	if x.decision.Reveal {
		out["Rapid-Mimic"] = []string{revealed(x.record)}
	}
	if resp.StatusCode == http.StatusSwitchingProtocols {
		return x.upgrade(resp)
	}
	for _, name := range []string{"Date", "Content-Type"} {
		if out[name] == nil {
			out[name] = nil // net/http must not add one
		}
	}
	for name := range resp.Trailer {
		out.Add("Trailer", name)
	}
	for _, f := range x.decision.Headers {
		out.Set(f.Name, f.Value)
	}
	if x.decision.Effect == spec.EffectWrongLength && resp.ContentLength >= 0 {
		out.Set("Content-Length", strconv.FormatInt(resp.ContentLength+wrongBy, 10))
	}
	if x.wire = x.wireOf(resp); x.wire != nil && call.NotModified(&x.record.Request, resp.StatusCode, resp.Header.Get("ETag"), resp.Header.Get("Last-Modified")) {
		x.notModified(resp)
		return nil
	}
	if call.IsArranged(came) {
		arrange(x.r, came)
	}
	x.w.WriteHeader(resp.StatusCode)
	err := x.copyBody(resp)
	if x.decision.Effect != "" && err == nil {
		_ = http.NewResponseController(x.w).Flush() // what was sent arrives, then it ends
		err = errSpoilt
	}
	for name, values := range resp.Trailer {
		out[name] = values
	}
	if x.wire != nil {
		x.wire.Trailer = call.Header(resp.Trailer).Fields()
	}
	return err
}

// wireOf begins what is kept of how an answer came; nil where the call is not recorded.
func (x *relayed) wireOf(resp *http.Response) *call.Wire {
	if x.record.Recording == "" {
		return nil
	}
	w := &call.Wire{Length: -1}
	if said, err := strconv.ParseInt(resp.Header.Get("Content-Length"), 10, 64); err == nil {
		w.Length = said
	}
	x.last = x.asked
	return w
}

// notModified tells the caller so, who asked whether what it has is still true: the
// upstream was asked for the whole, which is recorded.
func (x *relayed) notModified(resp *http.Response) {
	out := x.w.Header()
	for _, name := range []string{"Content-Type", "Content-Length", "Content-Encoding", "Trailer"} {
		out.Del(name)
	}
	out["Content-Type"] = nil // net/http must not add one
	x.w.WriteHeader(http.StatusNotModified)
	_, _ = io.Copy(x.answer, resp.Body) // one that breaks off is seen to be truncated
	if resp.ContentLength > x.answer.size {
		x.answer.size = resp.ContentLength
	}
	x.note("the caller has what the upstream sent, and was told so with a 304; the recording has the whole")
}

// mostPieces bounds how many pieces of an answer are kept apart, and samePiece how long,
// between two reads, belongs to one.
const (
	mostPieces = 10_000
	samePiece  = 5 * time.Millisecond
)

// came notes that a piece of the answer came, where it is recorded.
func (x *relayed) came(bytes int) {
	if x.wire == nil {
		return
	}
	now := time.Now()
	after := now.Sub(x.last)
	x.last = now
	if n := len(x.wire.Pieces); n > 0 && (after < samePiece || n == mostPieces) {
		x.wire.Pieces[n-1].Bytes += bytes
		return
	}
	x.wire.Pieces = append(x.wire.Pieces, call.Piece{Bytes: bytes, After: after})
}

// answerHeader is what goes to the caller of the upstream's header; what was
// changed is told.
func (x *relayed) answerHeader(resp *http.Response) call.Header {
	header, changes := x.decision.Relay.AnswerHeader(call.Header(resp.Header))
	for _, change := range changes {
		x.note(change)
	}
	return header
}

// copyBody sends the body on as it arrives: what comes without a length is not
// held back.
func (x *relayed) copyBody(resp *http.Response) error {
	slow := x.decision.Line.Slow()
	controller := http.NewResponseController(x.w)
	buffer := buffers.Get().(*[]byte)
	defer buffers.Put(buffer)
	var to io.Writer = x.w
	if slow {
		to = newSlowWriter(x.r.Context(), x.w, x.decision.Line)
	}
	from := io.Reader(resp.Body)
	if x.decision.Effect == spec.EffectCutBody {
		from = io.LimitReader(from, max(resp.ContentLength/2, 1))
	}
	for {
		n, err := from.Read(*buffer)
		if n > 0 {
			x.answer.Write((*buffer)[:n])
			x.came(n)
			write, whole := to.Write, x.answer.size == resp.ContentLength
			if whole {
				write = func(b []byte) (int, error) { return writeEnd(to, b) }
			}
			if _, writeErr := write((*buffer)[:n]); writeErr != nil {
				x.note(fmt.Sprintf("the caller left after %d bytes of the answer", x.answer.size))
				return nil
			}
			if resp.ContentLength < 0 || slow && !whole {
				_ = controller.Flush()
			}
		}
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case err != nil && x.r.Context().Err() != nil:
			x.note(fmt.Sprintf("the caller left after %d bytes of the answer", x.answer.size))
			return nil
		case err != nil:
			x.note(fmt.Sprintf("the upstream broke off after %d bytes of its answer", x.answer.size))
			return err
		}
	}
}

// errSpoilt ends the connection of an answer that an impairment spoilt.
var errSpoilt = errors.New("the answer was spoilt by an impairment")

// upgrade joins the two connections of a call that changes its protocol, until
// either ends.
func (x *relayed) upgrade(resp *http.Response) error {
	theirs, ok := resp.Body.(io.ReadWriteCloser)
	if !ok {
		return errors.New("the upstream's connection cannot be upgraded")
	}
	out := x.w.Header()
	out["Connection"], out["Upgrade"] = []string{"Upgrade"}, resp.Header["Upgrade"]
	ours, buffered, err := http.NewResponseController(x.w).Hijack()
	if err != nil {
		return err
	}
	defer ours.Close()
	head := &http.Response{StatusCode: resp.StatusCode, ProtoMajor: 1, ProtoMinor: 1, Header: out}
	if err := head.Write(ours); err != nil {
		return nil
	}
	done := make(chan struct{}, 2)
	join := func(to io.Writer, from io.Reader) {
		_, _ = io.Copy(to, from) // either side may end at any time
		done <- struct{}{}
	}
	go join(theirs, buffered)
	go join(io.MultiWriter(ours, x.answer.count()), theirs)
	<-done
	_ = theirs.Close()
	_ = ours.Close()
	<-done
	x.note("the connection was upgraded to " + strings.Join(resp.Header["Upgrade"], ", "))
	return nil
}

// note adds to the explanation what happened on the way.
func (x *relayed) note(text string) {
	x.decision.Explanation = x.decision.Explanation.With(call.Step{Stage: call.Build, Of: call.Subject{Kind: call.KindRelay}, Verdict: call.Noted, Finding: call.Find(call.OnTheWay, text)})
}

// finish hands the call to the log, bodies decoded as far as they were kept.
func (x *relayed) finish() {
	r := x.record
	r.Source, r.By, r.Explanation = x.decision.Source, x.decision.By, x.decision.Explanation
	if r.Request.Body.Bytes == nil && x.decision.Relay.Request == nil {
		r.Request.Body = x.sent.body()
	}
	if r.Recording == "" {
		trimToLog(&r.Request.Body, x.h.Log.BodyLimit())
	} else {
		r.Wire = x.wire
	}
	if x.answer.size > 0 {
		body := x.answer.body()
		r.Answer.Body, r.AnswerSize = body.Bytes, body.Size
		if name := coding.Name(r.Answer.Get("Content-Encoding")); name != "" && !body.Truncated {
			if plain, ok := coding.Decode(name, body.Bytes, x.answer.limit); ok {
				r.Answer.Body, r.AnswerSize = plain, int64(len(plain))
				if r.Wire != nil {
					r.Wire.Coding, r.Wire.Coded = name, body.Bytes
				}
			}
		}
	}
	x.h.keep(x.r, r)
}
