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

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/catalog"
	"rapidmimic/internal/core/engine"
	"rapidmimic/spec"
	"rapidmimic/spec/api"
	"rapidmimic/spec/problem"
)

const (
	// mostAsserted bounds how many calls an assertion looks at.
	mostAsserted = 20_000
	// longestWithin bounds how long one waits, mostClosest how many near calls it
	// names.
	longestWithin = 5 * time.Minute
	mostClosest   = 5
	// askAgain is how long to wait before looking again.
	askAgain = 50 * time.Millisecond
)

// assertion is an Assertion with its patterns compiled.
type assertion struct {
	api.Assertion
	service   *catalog.Service
	filter    call.Filter
	selection *call.Selection // the filter, compiled
	patterns  []*catalog.Mapping
}

// soap reports whether the body of a call tells which operation it is for.
func (a *assertion) soap() bool { return a.service.Contract != nil && a.service.Contract.SOAP != nil }

// postAssertion tells whether calls were received, as soon as it holds, or when
// the time to wait is over.
func (s *server) postAssertion(c *gin.Context) {
	var wanted api.Assertion
	err := readJSON(c, &wanted, "assertion")
	var a *assertion
	if err == nil {
		a, err = s.compileAssertion(wanted)
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
		if left := time.Until(deadline); final || left <= 0 {
			c.PureJSON(http.StatusOK, result)
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(askAgain):
		}
	}
}

func (s *server) compileAssertion(wanted api.Assertion) (*assertion, error) {
	service, err := s.Catalog.Find(wanted.Service)
	if err != nil {
		return nil, err
	}
	a := &assertion{Assertion: wanted, service: service, filter: call.Filter{Service: service.Spec.Name, Lane: wanted.Lane}}
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
	counted := wanted.Times != nil || wanted.AtLeast != nil || wanted.AtMost != nil
	switch {
	case len(wanted.Calls) == 0:
		return nil, problem.New(problem.Invalid, "an assertion needs calls, such as [{ method: GET, path: /berths }]")
	case len(wanted.Calls) > 1 && counted:
		return nil, problem.New(problem.Invalid, "several calls are an order; times, atLeast and atMost belong to one")
	case wanted.Times != nil && (wanted.AtLeast != nil || wanted.AtMost != nil):
		return nil, problem.New(problem.Invalid, "an assertion has times, or atLeast and atMost")
	}
	for i, pattern := range wanted.Calls {
		m := spec.Mapping{ID: "asserted-" + strconv.Itoa(i), Enabled: true, Call: pattern, Answer: spec.Answer{Status: spec.Status{Code: 200}}}
		_, compiled, err := s.Catalog.Preview(service.Spec.Name, m)
		if err != nil {
			return nil, inAssertion(err, i)
		}
		a.patterns = append(a.patterns, compiled)
	}
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
	records, whole, err := s.callsSince(ctx, a)
	if err != nil {
		return result, false, err
	}
	records, unread := s.withInWork(a, records, inWork)
	result.Calls = []api.Call{}
	if len(a.patterns) > 1 {
		s.checkOrder(a, records, &result)
	} else {
		final = s.checkCount(a, records, &result)
	}
	missing := cmp.Or(whole, s.Log.Gap(ctx, a.Since, a.filter.Service, a.filter.Lane))
	// what was not seen could only add calls: more than enough is enough all the same
	if why := cmp.Or(missing, unread); why != "" && !(result.Holds && a.Times == nil && a.AtMost == nil) {
		result.Holds, result.Undecidable = false, why
		return result, missing != "", nil
	}
	return result, final || result.Holds && a.AtMost == nil && (a.Times == nil || *a.Times > 0), nil
}

// looksInto reports whether the lines of calls do not say enough to decide.
func (a *assertion) looksInto() bool {
	return a.soap() || slices.ContainsFunc(a.patterns, func(m *catalog.Mapping) bool { return m.Rule.Conditions != nil })
}

// recordOf is a call as far as its line says it.
func recordOf(line call.Summary) *call.Record {
	return &call.Record{Number: line.Number, At: line.At, Service: line.Service, Source: line.Source, By: line.By, Operation: line.Operation, Lane: line.Lane, Scenario: line.Scenario,
		Request: call.Request{Method: line.Method, Path: line.Path, Query: line.Query}, Answer: call.Answer{Status: line.Status}, Send: line.Took}
}

// callsSince reads the calls that an assertion is about, the oldest first. whole
// says why it has not read all of them, "" when it has.
func (s *server) callsSince(ctx context.Context, a *assertion) (records []*call.Record, whole string, err error) {
	var before uint64
	looksInto := a.looksInto()
	for len(records) < mostAsserted {
		lines, err := s.Calls.ListCalls(ctx, a.filter, before, 1000)
		if err != nil {
			return nil, "", err
		}
		for _, line := range lines {
			if line.At.Before(a.Since) {
				slices.Reverse(records)
				return records, "", nil
			}
			record := recordOf(line)
			if looksInto {
				if record, err = s.Calls.Call(ctx, line.Number); err != nil {
					return nil, "", err
				}
			}
			records = append(records, record)
			before = line.Number
		}
		if len(lines) < 1000 {
			slices.Reverse(records)
			return records, "", nil
		}
	}
	slices.Reverse(records)
	return records, fmt.Sprintf("more than %d calls came since then (give a later time)", mostAsserted), nil
}

// withInWork adds the calls that came and are not answered yet. unread says which of
// them cannot be judged, "" when all can.
func (s *server) withInWork(a *assertion, records, inWork []*call.Record) (all []*call.Record, unread string) {
	answered := make(map[uint64]bool, len(inWork))
	for _, r := range records {
		answered[r.Number] = true
	}
	for _, r := range inWork {
		if line := r.Summary(); !a.selection.Fits(&line) || answered[r.Number] || r.At.Before(a.Since) {
			continue
		}
		records = append(records, r)
		for _, pattern := range a.patterns {
			why := s.Engine.Misfit(a.service, pattern, &r.Request)
			if why.Reason != "" && r.Source == call.FromUpstream && (why.Far == 0 || a.soap()) {
				unread = fmt.Sprintf("the upstream is still being asked for call %s, whose body is not known yet", call.ID(r.Number))
			}
		}
	}
	slices.SortFunc(records, func(x, y *call.Record) int { return cmp.Compare(x.Number, y.Number) })
	return records, unread
}

// checkCount counts the calls of one kind. final says that it can hold no more.
func (s *server) checkCount(a *assertion, records []*call.Record, result *api.AssertionResult) (final bool) {
	var near []nearCall
	for _, record := range records {
		if why := s.Engine.Misfit(a.service, a.patterns[0], &record.Request); why.Reason != "" {
			near = append(near, nearCall{record, why})
			continue
		}
		result.Calls = append(result.Calls, callView(record.Summary()))
	}
	least, most := 1, -1
	switch {
	case a.Times != nil:
		least, most = *a.Times, *a.Times
	case a.AtLeast != nil || a.AtMost != nil:
		least = 0
		if a.AtLeast != nil {
			least = *a.AtLeast
		}
		if a.AtMost != nil {
			most = *a.AtMost
		}
	}
	count := len(result.Calls)
	result.Holds = count >= least && (most < 0 || count <= most)
	result.Text = fmt.Sprintf("%s came %s, expected %s", a.patterns[0].Asks(), times(count), wantedText(least, most))
	if !result.Holds {
		result.Closest = closest(near)
	}
	return most >= 0 && count > most
}

func times(n int) string {
	switch n {
	case 0:
		return "never"
	case 1:
		return "once"
	default:
		return fmt.Sprintf("%d times", n)
	}
}

func wantedText(least, most int) string {
	switch {
	case least == most:
		return times(least)
	case most < 0:
		return "at least " + times(least)
	case least == 0:
		return "at most " + times(most)
	default:
		return fmt.Sprintf("%d to %d times", least, most)
	}
}

// checkOrder looks for calls that came one after the other.
func (s *server) checkOrder(a *assertion, records []*call.Record, result *api.AssertionResult) {
	next := 0
	var near []nearCall
	for _, record := range records {
		if next == len(a.patterns) {
			break
		}
		why := s.Engine.Misfit(a.service, a.patterns[next], &record.Request)
		if why.Reason == "" {
			result.Calls = append(result.Calls, callView(record.Summary()))
			near = nil
			next++
			continue
		}
		near = append(near, nearCall{record, why})
	}
	if result.Holds = next == len(a.patterns); !result.Holds {
		result.Closest = closest(near)
	}
	var asked []string
	for _, p := range a.patterns {
		asked = append(asked, p.Asks())
	}
	result.Text = strings.Join(asked, ", then ") + " came in this order"
	if !result.Holds {
		result.Text = fmt.Sprintf("%s did not come", a.patterns[next].Asks())
		if next > 0 {
			result.Text += " after " + a.patterns[next-1].Asks()
		}
	}
}

// nearCall is a call that does not fit, and how far it is from fitting.
type nearCall struct {
	record *call.Record
	engine.Misfit
}

// closest are the calls that differ least, those that came first before others.
func closest(all []nearCall) (calls []api.CloseCall) {
	slices.SortStableFunc(all, func(a, b nearCall) int { return cmp.Compare(a.Far, b.Far) })
	for _, near := range all[:min(len(all), mostClosest)] {
		calls = append(calls, api.CloseCall{Call: callView(near.record.Summary()), Reason: near.Reason})
	}
	return calls
}
