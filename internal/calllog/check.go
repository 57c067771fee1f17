package calllog

import (
	"context"
	"sync"
	"sync/atomic"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/rescue"
)

// Checker holds finished calls against their contracts. It is called from one
// goroutine, after the answer has gone out and before secrets are masked. The error
// says that a call was not looked at to the end; when ctx ends, nobody waits for it.
type Checker interface {
	Check(ctx context.Context, r *call.Record) (operation string, found []call.Deviation, err error)
}

// How long the writer waits for the checks of a batch, at most: a quarter of the time
// between two batches. Keeping calls and answering them goes first; what is not
// checked by then is counted. A batch of checkWhole calls at most, which is 500 calls
// a second, gets longer, since its schemas may be used for the first time.
const (
	checkFor      = writeEvery / 4
	checkWhole    = 20
	checkWholeFor = 2 * time.Second
)

// checks holds calls against their contracts in a goroutine of its own, so that the
// writer never waits for a check that does not end.
type checks struct {
	log  *Log
	work chan *checking
	// free holds a token while no batch is being checked.
	free chan struct{}
	// hung is set while a check goes on that was waited for a second time: it is not again.
	hung atomic.Bool
	not  atomic.Int64
}

// checking is a batch that is being checked.
type checking struct {
	ctx     context.Context
	calls   []*call.Record // as they came
	results []checked
	done    chan struct{}

	mu   sync.Mutex // guards left and results
	left bool       // the writer has gone on
}

// checked is what came of a check; the zero value stands for none.
type checked struct {
	done      bool
	operation string
	found     []call.Deviation
}

// run checks batches until the channel of work is closed.
func (c *checks) run() {
	for going := range c.work {
		for i := range going.calls {
			if !c.one(going, i) {
				break
			}
		}
		close(going.done)
		c.hung.Store(false)
		c.free <- struct{}{}
	}
}

// one checks a call of a batch. It reports false when nobody waits any more.
func (c *checks) one(going *checking, i int) bool {
	var result checked
	err := rescue.Do(c.log.config.Logger, "check a call", func() {
		var err error
		result.operation, result.found, err = c.log.config.Checker.Check(going.ctx, going.calls[i])
		result.done = err == nil
	})
	result.done = result.done && err == nil
	going.mu.Lock()
	defer going.mu.Unlock()
	going.results[i] = result
	return !going.left
}

// check has a batch checked, as far as there is time, and notes in what is kept what was
// found.
func (l *Log) check(batch []*entry) {
	c := &l.checks
	wait := checkFor
	if len(batch) <= checkWhole {
		wait = checkWholeFor
	}
	timer := time.NewTimer(wait)
	defer timer.Stop()
	if !c.begin(timer.C) {
		c.not.Add(int64(len(batch)))
		return
	}
	ctx, leave := context.WithCancel(context.Background())
	defer leave()
	going := &checking{ctx: ctx, calls: make([]*call.Record, len(batch)), results: make([]checked, len(batch)), done: make(chan struct{})}
	for i, e := range batch {
		going.calls[i] = e.came
	}
	c.work <- going
	select {
	case <-going.done:
	case <-timer.C:
	}
	going.mu.Lock()
	defer going.mu.Unlock()
	going.left = true
	for i, result := range going.results {
		e := batch[i]
		e.kept.Operation, e.kept.Deviations = result.operation, e.found.Deviations(result.found)
		if !result.done {
			c.not.Add(1)
		}
	}
}

// begin waits until the check before, of which the writer went on, has ended: it was told to. One
// that does not heed that is waited for once. It reports whether there is time to check.
func (c *checks) begin(late <-chan time.Time) bool {
	select {
	case <-c.free:
		return true
	default:
	}
	if c.hung.Load() {
		return false
	}
	select {
	case <-c.free:
		return true
	case <-late:
		c.hung.Store(true)
		return false
	}
}

// NotChecked counts the calls that were kept but not held against their
// contracts to the end, since the start.
func (l *Log) NotChecked() int64 { return l.checks.not.Load() }
