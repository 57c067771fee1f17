// Package callback makes the calls that services make themselves: callbacks after answers, and webhooks.
// Each attempt is a call in the log. What waits is bounded, and what finds no room is in the log, too.
package callback

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/url"
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
	Add(r *call.Record)
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
	waiting map[string]int // by service
	total   int
	bytes   int
}

// New builds a Sender. Close ends it.
func New(c Config) *Sender {
	if c.Timeout == 0 {
		c.Timeout = DefaultTimeout
	}
	if c.MaxWaiting == 0 {
		c.MaxWaiting = DefaultMaxWaiting
	}
	s := &Sender{config: c, slots: make(chan struct{}, atOnce), waiting: make(map[string]int)}
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
	return s.total
}

// Make makes a callback in its time, and does not wait for that.
func (s *Sender) Make(c *call.Callback) { s.Follow(c) }

// Follow is Make; the channel gives the result of the first attempt, and is closed when nothing is left
// to do.
func (s *Sender) Follow(c *call.Callback) <-chan call.CallbackResult {
	first := make(chan call.CallbackResult, 1)
	if !s.take(c) {
		close(first)
		return first
	}
	go func() {
		defer s.give(c)
		defer close(first)
		told := false
		tell := func(r call.CallbackResult) {
			if !told {
				first <- r // which has room for it
			}
			told = true
		}
		_ = rescue.Do(s.config.Logger, "make a callback", func() { s.carryOut(c, tell) }) // which tells of a panic
	}()
	return first
}

// take reserves room for a callback; without it the log tells so.
func (s *Sender) take(c *call.Callback) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.stopped {
		return false
	}
	if s.total >= s.config.MaxWaiting || s.waiting[c.Service] >= max(1, s.config.MaxWaiting/2) || s.bytes > 0 && s.bytes+len(c.Body) > maxBytes {
		record, _ := s.record(c)
		record.Explanation = &call.Explanation{Summary: call.Find(call.NotCalledBack, c.By, fmt.Sprintf("%d callbacks wait already, %d of them of this service", s.total, s.waiting[c.Service]))}
		s.config.Log.Add(record)
		return false
	}
	s.total++
	s.waiting[c.Service]++
	s.bytes += len(c.Body)
	s.running.Add(1)
	return true
}

func (s *Sender) give(c *call.Callback) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.total--
	s.bytes -= len(c.Body)
	if s.waiting[c.Service]--; s.waiting[c.Service] == 0 {
		delete(s.waiting, c.Service)
	}
	s.running.Done()
}

// carryOut makes a callback as often as it is wanted.
func (s *Sender) carryOut(c *call.Callback, tell func(call.CallbackResult)) {
	if !s.pause(c.After) {
		return
	}
	for n := range max(1, c.Times) {
		if n > 0 && !s.pause(c.Every) || !s.deliver(c, tell) {
			return
		}
	}
}

// deliver tries until the callback is answered well, and reports whether to go on afterwards.
func (s *Sender) deliver(c *call.Callback, tell func(call.CallbackResult)) bool {
	for attempt := 1; ; attempt++ {
		if s.config.Wanted != nil && !s.config.Wanted(c) {
			return false
		}
		status, ok := s.attempt(c, attempt, tell)
		if !ok {
			return false
		}
		if call.Delivered(status) || attempt > c.Retries {
			return true
		}
		if !s.pause(c.RetryEvery) {
			return false
		}
	}
}

// pause waits; it reports false where the sender ends.
func (s *Sender) pause(d time.Duration) bool {
	if d <= 0 {
		return s.ctx.Err() == nil
	}
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-timer.C:
		return true
	case <-s.ctx.Done():
		return false
	}
}

// attempt makes the call once and hands it to the log. The status is 0 where nobody answered; ok is
// false where the sender ends.
func (s *Sender) attempt(c *call.Callback, number int, tell func(call.CallbackResult)) (status int, ok bool) {
	select {
	case s.slots <- struct{}{}:
		defer func() { <-s.slots }()
	case <-s.ctx.Done():
		return 0, false
	}
	record, target := s.record(c)
	why := s.ask(c, target, record)
	if s.ctx.Err() != nil {
		why = "the service stopped"
	}
	summary := call.Find(call.CalledBack, c.By)
	if why != "" {
		summary = call.Find(call.NotCalledBack, c.By, why)
	}
	record.Explanation = &call.Explanation{Summary: summary}
	if c.Retries > 0 {
		next := ""
		if !call.Delivered(record.Answer.Status) && number <= c.Retries {
			next = "the next one in " + c.RetryEvery.String()
		}
		record.Explanation.Steps = []call.Step{{Stage: call.Build, Of: call.Subject{Kind: call.KindCallback, ID: c.By}, Verdict: call.Noted,
			Finding: call.Find(call.Attempted, number, c.Retries+1, next)}}
	}
	result := call.CallbackResult{Number: record.Number, Status: record.Answer.Status, Why: why, Took: record.Ask}
	s.config.Log.Add(record)
	tell(result)
	return result.Status, s.ctx.Err() == nil
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
			Header: c.Header, Body: call.Body{Bytes: c.Body, Size: int64(len(c.Body))},
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
	header := make(http.Header, len(c.Header))
	for name, values := range c.Header {
		header[name] = values
	}
	request := (&http.Request{Method: c.Method, URL: target, Host: target.Host, Header: header}).WithContext(ctx)
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
	body, err := io.ReadAll(io.LimitReader(response.Body, int64(s.config.Log.BodyLimit())))
	record.Request.Protocol = response.Proto
	record.Answer = call.Answer{Status: response.StatusCode, Body: body}
	record.AnswerSize = max(int64(len(body)), response.ContentLength)
	for name, values := range response.Header {
		for _, value := range values {
			record.Answer.Header = append(record.Answer.Header, call.Field{Name: name, Value: value})
		}
	}
	if err != nil {
		return fmt.Sprintf("its answer (%d) broke off after %d bytes", response.StatusCode, len(body))
	}
	return ""
}
