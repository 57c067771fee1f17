// Package callback makes the calls that services make themselves: callbacks after answers, and webhooks.
// Each attempt is a call in the log. What waits is bounded, and what finds no room is in the log, too.
package callback

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"sync"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/rescue"
)

// Upstream makes calls, and says why one got no answer.
type Upstream interface {
	http.RoundTripper
	Explain(err error) (status int, why string)
}

// Log takes finished calls.
type Log interface {
	Number() uint64
	Add(r *call.Record) (work func())
	BodyLimit() int
}

// Config is what a Sender works with.
type Config struct {
	// Public reaches public addresses alone, Private also those of this machine and of private
	// networks.
	Public, Private Upstream
	Log             Log
	// Wanted reports whether a callback that waits is still to be made: its service may have been
	// removed, or its lane closed. Nil wants all of them.
	Wanted func(c *call.Callback) bool
	Logger *slog.Logger
	// Timeout is how long an answer may take; zero means DefaultTimeout.
	Timeout time.Duration
	// MaxWaiting is how many callbacks may wait; zero means DefaultMaxWaiting. One service has at most
	// half of them.
	MaxWaiting int
}

const (
	// DefaultTimeout is that of Config.
	DefaultTimeout = 30 * time.Second
	// DefaultMaxWaiting is that of Config.
	DefaultMaxWaiting = 10_000
	// maxBytes bounds the bodies of what waits.
	maxBytes = 64 << 20
	// atOnce is how many are made at the same time.
	atOnce = 64
)

// Sender makes callbacks. It is safe for concurrent use.
type Sender struct {
	config  Config
	ctx     context.Context
	stop    context.CancelFunc
	running sync.WaitGroup
	slots   chan struct{}

	mu      sync.Mutex // guards what follows
	stopped bool
	waiting map[*work]struct{}
	of      map[string]int // how many wait of a service
	bytes   int
}

// work is a callback that waits, or is being made.
type work struct {
	*Sender
	c *call.Callback
	// ctx ends when it is given up.
	ctx    context.Context
	giveUp context.CancelFunc
	first  chan call.CallbackResult // of the first attempt; has room for it
	told   bool
}

// New builds a Sender. Close ends it.
func New(c Config) *Sender {
	if c.Timeout == 0 {
		c.Timeout = DefaultTimeout
	}
	if c.MaxWaiting == 0 {
		c.MaxWaiting = DefaultMaxWaiting
	}
	s := &Sender{config: c, slots: make(chan struct{}, atOnce), waiting: make(map[*work]struct{}), of: make(map[string]int)}
	s.ctx, s.stop = context.WithCancel(context.Background())
	return s
}

// Close gives up what waits, and returns when nothing is under way any more.
func (s *Sender) Close() {
	s.mu.Lock()
	s.stopped = true
	s.mu.Unlock()
	s.stop()
	s.running.Wait()
}

// Waiting is how many callbacks are not made yet.
func (s *Sender) Waiting() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.waiting)
}

// Sweep gives up what waits and is not wanted any more, so that it does not come when it is wanted again.
func (s *Sender) Sweep() {
	if s.config.Wanted == nil {
		return
	}
	s.mu.Lock()
	waiting := slices.Collect(maps.Keys(s.waiting))
	s.mu.Unlock()
	for _, w := range waiting {
		if !s.config.Wanted(w.c) {
			w.giveUp()
		}
	}
}

// Make makes a callback in its time, and does not wait for that.
func (s *Sender) Make(c *call.Callback) { s.Follow(c) }

// Follow is Make; the channel gives the result of the first attempt, and is closed when nothing is left
// to do.
func (s *Sender) Follow(c *call.Callback) <-chan call.CallbackResult {
	w := &work{Sender: s, c: c, first: make(chan call.CallbackResult, 1)}
	if full := s.take(w); w.ctx == nil {
		if full != "" {
			record, _ := s.record(c)
			record.Explanation = &call.Explanation{Summary: call.Find(call.NotCalledBack, c.By, full)}
			s.config.Log.Add(record)
		}
		close(w.first)
		return w.first
	}
	go func() {
		defer s.give(w)
		defer close(w.first)
		_ = rescue.Do(s.config.Logger, "make a callback", w.carryOut) // which tells of a panic
	}()
	return w.first
}

// take reserves room for a callback. full says why there is none; "" where the sender ends.
func (s *Sender) take(w *work) (full string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.stopped {
		return ""
	}
	if len(s.waiting) >= s.config.MaxWaiting || s.of[w.c.Service] >= max(1, s.config.MaxWaiting/2) || s.bytes > 0 && s.bytes+len(w.c.Body) > maxBytes {
		return fmt.Sprintf("%d callbacks wait already, %d of them of this service", len(s.waiting), s.of[w.c.Service])
	}
	w.ctx, w.giveUp = context.WithCancel(s.ctx)
	s.waiting[w] = struct{}{}
	s.of[w.c.Service]++
	s.bytes += len(w.c.Body)
	s.running.Add(1)
	return ""
}

func (s *Sender) give(w *work) {
	w.giveUp()
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.waiting, w)
	s.bytes -= len(w.c.Body)
	if s.of[w.c.Service]--; s.of[w.c.Service] == 0 {
		delete(s.of, w.c.Service)
	}
	s.running.Done()
}

// carryOut makes a callback as often as it is wanted.
func (w *work) carryOut() {
	if !w.pause(w.c.After) {
		return
	}
	for n := range max(1, w.c.Times) {
		if n > 0 && !w.pause(w.c.Every) || !w.deliver() {
			return
		}
	}
}

// deliver tries until the callback is answered well, and reports whether to go on afterwards.
func (w *work) deliver() bool {
	for attempt := 1; ; attempt++ {
		if w.config.Wanted != nil && !w.config.Wanted(w.c) {
			return false
		}
		status, ok := w.attempt(attempt)
		if !ok {
			return false
		}
		if call.Delivered(status) || attempt > w.c.Retries {
			return true
		}
		if !w.pause(w.c.RetryEvery) {
			return false
		}
	}
}

// pause waits; it reports false where the callback is given up.
func (w *work) pause(d time.Duration) bool {
	if d <= 0 {
		return w.ctx.Err() == nil
	}
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-timer.C:
		return true
	case <-w.ctx.Done():
		return false
	}
}

// attempt makes the call once and hands it to the log. The status is 0 where nobody answered; ok is
// false where the callback is given up.
func (w *work) attempt(number int) (status int, ok bool) {
	select {
	case w.slots <- struct{}{}:
		defer func() { <-w.slots }()
	case <-w.ctx.Done():
		return 0, false
	}
	record, target := w.record(w.c)
	why := w.ask(w.c, target, record)
	if w.Sender.ctx.Err() != nil {
		why = "the service stopped"
	}
	summary := call.Find(call.CalledBack, w.c.By)
	if why != "" {
		summary = call.Find(call.NotCalledBack, w.c.By, why)
	}
	record.Explanation = &call.Explanation{Summary: summary}
	if w.c.Retries > 0 {
		next := ""
		if !call.Delivered(record.Answer.Status) && number <= w.c.Retries {
			next = "the next one in " + w.c.RetryEvery.String()
		}
		record.Explanation.Steps = []call.Step{{Stage: call.Build, Of: call.Subject{Kind: call.KindCallback, ID: w.c.By}, Verdict: call.Noted,
			Finding: call.Find(call.Attempted, number, w.c.Retries+1, next)}}
	}
	result := call.CallbackResult{Number: record.Number, Status: record.Answer.Status, Why: why, Took: record.Ask}
	w.config.Log.Add(record)
	if !w.told {
		w.first <- result
	}
	w.told = true
	return result.Status, w.ctx.Err() == nil
}

// record is the call as it begins, with the address that it goes to.
func (s *Sender) record(c *call.Callback) (*call.Record, *url.URL) {
	target, err := url.Parse(c.Target)
	if err != nil {
		target = &url.URL{}
	}
	r := &call.Record{
		Number: s.config.Log.Number(), At: time.Now(), Service: c.Service, Lane: c.Lane, Scenario: c.Scenario, Environment: c.Environment,
		Source: call.FromCallback, By: c.By, Cause: c.Cause,
		Request: call.Request{
			Method: c.Method, Address: target.EscapedPath(), Path: target.EscapedPath(), Query: target.RawQuery, Host: target.Host, Protocol: "HTTP/1.1",
			Header: c.Header, Body: call.Body{Bytes: c.Body, Size: int64(len(c.Body))}, Keys: c.Keys,
		},
	}
	if limit := s.config.Log.BodyLimit(); len(c.Body) > limit {
		r.Request.Body.Bytes, r.Request.Body.Truncated = c.Body[:limit:limit], true
	}
	return r, target
}

// ask makes the call and fills in its answer. why says that nobody answered, and why.
func (s *Sender) ask(c *call.Callback, target *url.URL, record *call.Record) (why string) {
	ctx, cancel := context.WithTimeout(s.ctx, s.config.Timeout)
	defer cancel()
	begun := time.Now()
	defer func() { record.Ask = time.Since(begun) }()
	request := (&http.Request{Method: c.Method, URL: target, Host: target.Host, Header: maps.Clone(http.Header(c.Header))}).WithContext(ctx)
	if len(c.Body) > 0 {
		request.Body, request.ContentLength = io.NopCloser(bytes.NewReader(c.Body)), int64(len(c.Body))
	}
	upstream := s.config.Public
	if c.Private {
		upstream = s.config.Private
	}
	response, err := upstream.RoundTrip(request)
	if err != nil {
		_, why = upstream.Explain(err)
		return why
	}
	defer response.Body.Close()
	limit := s.config.Log.BodyLimit()
	body, err := io.ReadAll(io.LimitReader(response.Body, int64(limit)+1)) // one more shows that there is more
	record.Request.Protocol = response.Proto
	record.AnswerSize = max(int64(len(body)), response.ContentLength)
	record.Answer = call.Answer{Status: response.StatusCode, Header: call.Header(response.Header).Fields(), Body: body[:min(limit, len(body))]}
	if err != nil {
		return fmt.Sprintf("its answer (%d) broke off after %d bytes", response.StatusCode, len(body))
	}
	return ""
}
