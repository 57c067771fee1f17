package traffic

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/engine"
	"rapidmimic.example/spec"
)

// hold holds a call back for as long as its decision says. It reports false when
// the caller has left meanwhile: then there is no answer.
func hold(ctx context.Context, record *call.Record, d *engine.Decision) bool {
	if d.Delay <= 0 {
		return true
	}
	begun := time.Now()
	err := pause(ctx, d.Delay)
	record.Wait = time.Since(begun)
	if err != nil {
		record.Answer = call.Answer{Status: engine.StatusCallerLeft}
		note(d, fmt.Sprintf("the caller left after %s of the injected %s", record.Wait.Round(time.Millisecond), d.Delay.Round(time.Millisecond)))
	}
	return err == nil
}

func pause(ctx context.Context, d time.Duration) error {
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-timer.C:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// note adds to the explanation of a decision what happened while it was carried
// out.
func note(d *engine.Decision, text string) {
	d.Explanation = d.Explanation.With(call.Step{Stage: call.Impair, Of: call.Subject{Kind: call.KindImpairment}, Verdict: call.Noted, Finding: call.Find(call.Carried, text)})
}

// deliver sends the answer of a decision, as its impairments have it. abort says
// that the connection must end here.
func deliver(w http.ResponseWriter, r *http.Request, record *call.Record, d *engine.Decision) (abort bool) {
	switch d.Effect {
	case "":
		switch {
		case d.Line.Slow():
			w = newSlowWriter(r.Context(), w, d.Line)
		case record.Answer.Wire == nil && len(record.Answer.Body) > keptByHTTP:
			gather(r)
		}
		send(w, r, record, d.Reveal)
		return false
	case spec.EffectCutBody, spec.EffectWrongLength:
		return spoil(w, r.Method, record, d)
	default:
		return breakOff(w, r, record, d)
	}
}

// breakOff ends the connection of a call without an answer, over HTTP/2 its
// stream alone.
func breakOff(w http.ResponseWriter, r *http.Request, record *call.Record, d *engine.Decision) (abort bool) {
	record.Answer = call.Answer{}
	if d.Effect == spec.EffectHang {
		begun := time.Now()
		<-r.Context().Done()
		note(d, "the caller gave up after "+time.Since(begun).Round(time.Millisecond).String())
		return true
	}
	if d.Effect == spec.EffectDrop || r.ProtoMajor != 1 {
		return true
	}
	conn, _, err := http.NewResponseController(w).Hijack()
	if err != nil {
		return true
	}
	defer conn.Close()
	if d.Effect == spec.EffectGarbage {
		_, _ = io.WriteString(conn, garbage) // the caller may have left
	} else if tcp := tcpOf(conn); tcp != nil {
		_ = tcp.SetLinger(0) // then closing is a reset
		_ = tcp.Close()      // before TLS can take its leave
	}
	return false
}

// garbage is what no client should get.
const garbage = "\x16\x00fog signal: 3 long, 1 short\x00\xff\xfe\r\n\x7f nothing of this is HTTP \x00\x01\x02\r\n\r\n"

// tcpOf is the TCP connection below others; nil for none.
func tcpOf(conn net.Conn) *net.TCPConn {
	for range 4 {
		switch c := conn.(type) {
		case *net.TCPConn:
			return c
		case *bufferedConn:
			conn = c.Conn
		case interface{ NetConn() net.Conn }: // of TLS
			conn = c.NetConn()
		default:
			return nil
		}
	}
	return nil
}

// wrongBy is how many bytes more than it has a body with a wrong length claims.
const wrongBy = 16

// spoil sends half of a body, or all of it under a length that it does not have,
// and ends the connection there.
func spoil(w http.ResponseWriter, method string, record *call.Record, d *engine.Decision) (abort bool) {
	answer := &record.Answer
	if len(answer.Body) == 0 || method == http.MethodHead { // nothing to spoil
		note(d, "the answer has no body, so the connection was closed before it")
		record.Answer = call.Answer{}
		return true
	}
	body, length := answer.Body[:len(answer.Body)/2], len(answer.Body)
	if d.Effect == spec.EffectWrongLength {
		body, length = answer.Body, len(answer.Body)+wrongBy
	}
	sendHead(w, record, d.Reveal, length)
	_, _ = w.Write(body) // the caller may have left
	_ = http.NewResponseController(w).Flush()
	record.AnswerSize = int64(len(body))
	answer.Body = body
	note(d, fmt.Sprintf("%d of %d announced bytes were sent", len(body), length))
	return true
}

// slowWriter sends as fast as a line does.
type slowWriter struct {
	http.ResponseWriter
	controller *http.ResponseController
	ctx        context.Context
	line       spec.Line
	begun      time.Time // when the body began
	sent       int64
	paused     time.Duration
}

func newSlowWriter(ctx context.Context, w http.ResponseWriter, line spec.Line) *slowWriter {
	return &slowWriter{ResponseWriter: w, controller: http.NewResponseController(w), ctx: ctx, line: line}
}

// Unwrap lets http.ResponseController find what is below.
func (s *slowWriter) Unwrap() http.ResponseWriter { return s.ResponseWriter }

// Write implements io.Writer. It returns when the line has taken everything, or
// the caller has left. What the line took last may be kept until there is more, as
// net/http does: see writeEnd.
func (s *slowWriter) Write(b []byte) (written int, err error) {
	if s.begun.IsZero() {
		if err := s.controller.Flush(); err != nil { // the head goes ahead
			return 0, err
		}
		if err := pause(s.ctx, time.Duration(s.line.FirstByte)); err != nil {
			return 0, err
		}
		s.begun = time.Now()
	}
	for len(b) > 0 {
		piece := b[:min(len(b), s.piece())]
		if err := pause(s.ctx, s.until(len(piece))); err != nil {
			return written, err
		}
		n, err := writeEnd(s.ResponseWriter, piece)
		written += n
		s.sent += int64(n)
		b = b[n:]
		if err != nil {
			return written, err
		}
		if len(b) == 0 {
			break
		}
		if err := s.controller.Flush(); err != nil {
			return written, err
		}
	}
	return written, nil
}

// piece is how much is sent at once: a twentieth of a second's worth, not beyond
// the next pause.
func (s *slowWriter) piece() int {
	piece := 32 << 10
	if s.line.BytesPerSecond > 0 {
		piece = int(max(1, s.line.BytesPerSecond/20))
	}
	if s.line.Pause > 0 {
		piece = min(piece, s.line.ChunkSize()-int(s.sent)%s.line.ChunkSize())
	}
	return piece
}

// until is how long to wait before the next piece: as long as the line takes to
// carry it.
func (s *slowWriter) until(piece int) time.Duration {
	if s.line.Pause > 0 && s.sent > 0 && s.sent%int64(s.line.ChunkSize()) == 0 {
		s.paused += time.Duration(s.line.Pause)
	}
	due := s.paused
	if s.line.BytesPerSecond > 0 {
		due += time.Duration(float64(s.sent+int64(piece)) / float64(s.line.BytesPerSecond) * float64(time.Second))
	}
	return time.Until(s.begun.Add(due))
}
