package control

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/access"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/check"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

const (
	// mostAsserted bounds how many calls an assertion looks at.
	mostAsserted = 20_000
	// longestWithin bounds how long one waits.
	longestWithin = 5 * time.Minute
	// askAgain is how long to wait for calls before looking at those that are in work.
	askAgain = 50 * time.Millisecond
)

// assertion is an Assertion with its patterns compiled, and what was found so far.
type assertion struct {
	api.Assertion
	service   *catalog.Service
	filter    call.Filter
	selection *call.Selection // the filter, compiled
	patterns  []*catalog.Mapping
	check     *check.Check
	// position is that of the log's stream up to which calls were taken; begun is set
	// when those before it were.
	position uint64
	begun    bool
	// cut says why not all calls were read, "" when all were.
	cut string
}

// byMessage reports whether the body of a call tells which operation it is for.
func (a *assertion) byMessage() bool { return a.service.Protocol().ByMessage() }

// postAssertion tells whether calls were received, as soon as it holds, or when
// the time to wait is over.
func (s *server) postAssertion(c *gin.Context) {
	var wanted api.Assertion
	err := readFields(c, &wanted, "assertion")
	var a *assertion
	if err == nil {
		a, err = s.compileAssertion(wanted)
	}
	if err == nil {
		err = holder(c).Refuse(access.Need{Right: access.View, Service: a.service.Spec.Name})
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	ctx := c.Request.Context()
	deadline := time.Now().Add(min(time.Duration(wanted.Within), longestWithin))
	for {
		result, final, err := s.check(ctx, a)
		if err != nil {
			s.fail(c, err, nil)
			return
		}
		left := time.Until(deadline)
		if final || left <= 0 {
			c.PureJSON(http.StatusOK, result)
			return
		}
		if err := s.awaitCalls(ctx, a, min(left, askAgain)); err != nil {
			s.fail(c, err, nil)
			return
		}
		if ctx.Err() != nil {
			return
		}
	}
}

func (s *server) compileAssertion(wanted api.Assertion) (*assertion, error) {
	service, err := s.Catalog.Find(wanted.Service)
	if err != nil {
		return nil, err
	}
	a := &assertion{Assertion: wanted, service: service, filter: call.Filter{Service: service.Spec.Name, Lane: wanted.Lane, Received: true}}
	if a.selection, err = a.filter.Compile(); err != nil {
		return nil, err
	}
	if wanted.Lane != "" && wanted.Lane != call.NoLane {
		lane, err := s.Catalog.Snapshot().FindLane(wanted.Lane, time.Now())
		if err != nil {
			return nil, err
		}
		if lane.Opened.After(a.Since) {
			a.Since = lane.Opened
		}
	}
	expected := check.Wanted{}
	if expected.Least, expected.Most, err = check.Times(len(wanted.Calls), wanted.Times, wanted.AtLeast, wanted.AtMost); err != nil {
		return nil, err
	}
	for i, pattern := range wanted.Calls {
		m := spec.Mapping{ID: "asserted-" + strconv.Itoa(i), Enabled: true, Call: pattern, Answer: spec.Answer{Status: spec.Status{Code: 200}}}
		_, compiled, err := s.Catalog.Preview(service.Spec.Name, m)
		if err != nil {
			return nil, inAssertion(err, i)
		}
		a.patterns, expected.Asks = append(a.patterns, compiled), append(expected.Asks, compiled.Asks())
	}
	a.check = check.New(expected, func(pattern int, r *call.Record) check.Difference {
		misfit := s.Engine.Misfit(service, a.patterns[pattern], &r.Request)
		return check.Difference{Why: misfit.Why, Far: misfit.Far}
	})
	return a, nil
}

// inAssertion places the faults of a pattern in the assertion that it is one of.
func inAssertion(err error, at int) error {
	items := slices.Clone(problem.ItemsOf(err))
	for i, item := range items {
		items[i].At = "/calls/" + strconv.Itoa(at) + strings.TrimPrefix(item.At, "/call")
	}
	return cmp.Or(problem.FromItems("the check cannot be made", items), err)
}

// check looks once. final says that waiting longer would change nothing.
func (s *server) check(ctx context.Context, a *assertion) (result api.AssertionResult, final bool, err error) {
	inWork := s.Log.InWork() // before what is answered is read: none is missed in between
	if err := s.Log.Flush(ctx); err != nil {
		return result, false, err
	}
	if !a.begun {
		a.position = s.Log.Position()
		if err := s.takeAll(ctx, a); err != nil {
			return result, false, err
		}
		a.begun = true
	} else if err := s.awaitCalls(ctx, a, 0); err != nil {
		return result, false, err
	}
	open, unread := s.openCalls(a, inWork)
	found := a.check.With(open).Result()
	result = api.AssertionResult{Holds: found.Holds, Text: found.Text, Calls: []api.Call{}}
	for _, line := range found.Calls {
		result.Calls = append(result.Calls, callView(line))
	}
	for _, near := range found.Closest {
		result.Closest = append(result.Closest, api.CloseCall{Call: callView(near.Line), Reason: near.Why.String()})
	}
	missing := cmp.Or(a.cut, s.Log.Gap(ctx, a.Since, a.filter.Service, a.filter.Lane))
	// what was not seen could only add calls: more than enough is enough all the same
	if why := cmp.Or(missing, unread); why != "" && !(result.Holds && a.Times == nil && a.AtMost == nil) {
		result.Holds, result.Undecidable = false, why
		return result, missing != "", nil
	}
	return result, found.Final, nil
}

// looksInto reports whether the lines of calls do not say enough to decide.
func (a *assertion) looksInto() bool {
	return a.byMessage() || slices.ContainsFunc(a.patterns, func(m *catalog.Mapping) bool { return m.Rule.Conditions != nil })
}

// recordOf is a call as far as its line says it.
func recordOf(line call.Summary) *call.Record {
	return &call.Record{Number: line.Number, At: line.At, Service: line.Service, Source: line.Source, By: line.By, Operation: line.Operation, Lane: line.Lane, Scenario: line.Scenario,
		Request: call.Request{Method: line.Method, Path: line.Path, Query: line.Query}, Answer: call.Answer{Status: line.Status}, Send: line.Took}
}

// take compares a call, as far as its line says it where that is enough.
func (s *server) take(ctx context.Context, a *assertion, line call.Summary) (err error) {
	switch {
	case a.check.Knows(line.Number):
		return nil
	case a.check.Taken() >= mostAsserted:
		a.cut = fmt.Sprintf("more than %d calls were received since then (give a later time)", mostAsserted)
		return nil
	}
	record := recordOf(line)
	if a.looksInto() {
		if record, err = s.Calls.Call(ctx, line.Number); err != nil {
			return err
		}
	}
	a.check.Take(record)
	return nil
}

// takeAll takes the calls that were received until now, the oldest first.
func (s *server) takeAll(ctx context.Context, a *assertion) error {
	var lines []call.Summary
	for before := uint64(0); len(lines) <= mostAsserted; before = lines[len(lines)-1].Number {
		page, err := s.Calls.ListCalls(ctx, a.filter, before, 1000)
		if err != nil {
			return err
		}
		for _, line := range page {
			if line.At.Before(a.Since) {
				page = nil
				break
			}
			lines = append(lines, line)
		}
		if len(page) < 1000 {
			break
		}
	}
	for _, line := range slices.Backward(lines) {
		if err := s.take(ctx, a, line); err != nil {
			return err
		}
	}
	return nil
}

// awaitCalls takes the calls that were kept since those before, and waits for some so
// long where there are none.
func (s *server) awaitCalls(ctx context.Context, a *assertion, wait time.Duration) error {
	ctx, stop := context.WithTimeout(ctx, wait)
	defer stop()
	news, err := s.Log.Follow(ctx, a.position)
	if err != nil { // the time is over
		return nil
	}
	a.position = news.Position
	ctx = context.WithoutCancel(ctx)
	if news.Skipped > 0 {
		return s.takeAll(ctx, a)
	}
	for _, line := range news.Lines {
		if a.selection.Fits(&line, nil) && !line.At.Before(a.Since) {
			if err := s.take(ctx, a, line); err != nil {
				return err
			}
		}
	}
	return nil
}

// openCalls are those that came and are not answered yet. unread says which of them
// cannot be judged, "" when all can.
func (s *server) openCalls(a *assertion, inWork []*call.Record) (open []*call.Record, unread string) {
	for _, r := range inWork {
		if line := r.Summary(); !a.selection.Fits(&line, nil) || a.check.Knows(r.Number) || r.At.Before(a.Since) {
			continue
		}
		open = append(open, r)
		for _, pattern := range a.patterns {
			why := s.Engine.Misfit(a.service, pattern, &r.Request)
			if why.Why != nil && r.Source == call.FromUpstream && (why.Far == 0 || a.byMessage()) {
				unread = fmt.Sprintf("the upstream is still being asked for call %s, whose body is not known yet", call.ID(r.Number))
			}
		}
	}
	return open, unread
}
