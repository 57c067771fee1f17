// Package check decides whether the calls that a program made are those that were
// expected: how often, or in which order. Calls are taken one by one as they become
// known, in any order, and each is compared once; the result can be asked for at any
// time. What is compared, and where calls come from, is for others: start with New.
package check

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec/problem"
)

// Wanted is what must have come.
type Wanted struct {
	// Asks says what each pattern asks of a call. Several must have come in this order,
	// with others between them.
	Asks []string
	// Least and Most are how often calls of one pattern must have come; Most is -1 for
	// no limit.
	Least, Most int
}

// Times reads how often calls must have come: exactly, or at least and at most. Nil
// stands for what is not said; once or more when nothing is.
func Times(patterns int, times, atLeast, atMost *int) (least, most int, err error) {
	counted := times != nil || atLeast != nil || atMost != nil
	switch {
	case patterns == 0:
		return 0, 0, problem.New(problem.Invalid, "an assertion needs calls, such as [{ method: GET, path: /berths }]")
	case patterns > 1 && counted:
		return 0, 0, problem.New(problem.Invalid, "several calls are an order; times, atLeast and atMost belong to one")
	case times != nil && (atLeast != nil || atMost != nil):
		return 0, 0, problem.New(problem.Invalid, "an assertion has times, or atLeast and atMost")
	case times != nil:
		return *times, *times, nil
	case !counted:
		return 1, -1, nil
	}
	least, most = 0, -1
	if atLeast != nil {
		least = *atLeast
	}
	if atMost != nil {
		most = *atMost
	}
	return least, most, nil
}

// Difference is why a call does not fit a pattern. The zero value says that it does.
type Difference struct {
	Why *call.Finding
	// Far is how far the address of the call is from fitting, in letters; 0 where the
	// address fits and something else does not.
	Far int
}

// Differ compares a call with one of the patterns.
type Differ func(pattern int, r *call.Record) Difference

// Check is a check in the making. It belongs to one goroutine.
type Check struct {
	wanted Wanted
	differ Differ
	taken  map[uint64]bool // numbers of calls
	seen   []compared      // in the order of their numbers
}

type compared struct {
	line        call.Summary
	differences []Difference // by pattern
}

// New begins a check.
func New(wanted Wanted, differ Differ) *Check {
	return &Check{wanted: wanted, differ: differ, taken: make(map[uint64]bool)}
}

// Taken is how many calls were taken.
func (c *Check) Taken() int { return len(c.seen) }

// Knows reports whether a call was taken.
func (c *Check) Knows(number uint64) bool { return c.taken[number] }

// Take compares a call, unless that was done before.
func (c *Check) Take(r *call.Record) {
	if c.taken[r.Number] {
		return
	}
	c.taken[r.Number] = true
	one := compared{line: r.Summary(), differences: make([]Difference, len(c.wanted.Asks))}
	for pattern := range one.differences {
		one.differences[pattern] = c.differ(pattern, r)
	}
	at, _ := slices.BinarySearchFunc(c.seen, r.Number, func(have compared, number uint64) int { return cmp.Compare(have.line.Number, number) })
	c.seen = slices.Insert(c.seen, at, one)
}

// With is the check with more calls; the one it is called on stays as it is.
func (c *Check) With(more []*call.Record) *Check {
	if len(more) == 0 {
		return c
	}
	next := &Check{wanted: c.wanted, differ: c.differ, taken: maps.Clone(c.taken), seen: slices.Clone(c.seen)}
	for _, r := range more {
		next.Take(r)
	}
	return next
}

// Result says what was found.
type Result struct {
	Holds bool
	// Final says that more calls would change nothing.
	Final bool
	// Text says in a line what was found.
	Text string
	// Calls are those that fit; of an order the first to fit each.
	Calls []call.Summary
	// Closest are calls that do not fit, those that differ least first; none where the
	// check holds.
	Closest []Near
}

// Near is a call that does not fit.
type Near struct {
	Line call.Summary
	Difference
}

// mostClosest is how many near calls a result names.
const mostClosest = 5

// Result is what the calls that were taken come to.
func (c *Check) Result() Result {
	if len(c.wanted.Asks) > 1 {
		return c.order()
	}
	return c.count()
}

func (c *Check) count() (r Result) {
	for i := range c.seen {
		if c.seen[i].differences[0].Why == nil {
			r.Calls = append(r.Calls, c.seen[i].line)
		}
	}
	count, least, most := len(r.Calls), c.wanted.Least, c.wanted.Most
	tooMany := most >= 0 && count > most
	r.Holds = count >= least && !tooMany
	r.Final = tooMany || r.Holds && (most < 0 || least == most && most > 0)
	r.Text = fmt.Sprintf("%s was received %s, expected %s", c.wanted.Asks[0], times(count), wantedText(least, most))
	if !r.Holds {
		r.Closest = closest(c.seen, 0)
	}
	return r
}

func (c *Check) order() (r Result) {
	asks, since := c.wanted.Asks, 0
	for i := range c.seen {
		if next := len(r.Calls); next < len(asks) && c.seen[i].differences[next].Why == nil {
			r.Calls, since = append(r.Calls, c.seen[i].line), i+1
		}
	}
	next := len(r.Calls)
	if r.Holds = next == len(asks); r.Holds {
		r.Final, r.Text = true, strings.Join(asks, ", then ")+" were received in this order"
		return r
	}
	r.Closest = closest(c.seen[since:], next)
	r.Text = asks[next] + " was not received"
	if next > 0 {
		r.Text += " after " + asks[next-1]
	}
	return r
}

// closest are the calls that differ least from a pattern, those that came first before
// others.
func closest(among []compared, pattern int) (near []Near) {
	for i := range among {
		d := among[i].differences[pattern]
		if d.Why == nil {
			continue
		}
		at, _ := slices.BinarySearchFunc(near, d.Far+1, func(n Near, far int) int { return cmp.Compare(n.Far, far) })
		if at < mostClosest {
			near = slices.Insert(near, at, Near{among[i].line, d})
			near = near[:min(len(near), mostClosest)]
		}
	}
	return near
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
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
