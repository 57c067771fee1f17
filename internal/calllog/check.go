package calllog

import "rapidmimic/internal/core/call"

// Checker holds finished calls against their contracts. It is called from one
// goroutine, after the answer has gone out and before secrets are masked.
type Checker interface {
	Check(r *call.Record) []call.Deviation
}

// checkUpTo is the number of calls of one batch that are checked. More come
// only when calls arrive faster than they can be checked; keeping them goes
// first, and what was not checked is counted.
const checkUpTo = 1_000

func (l *Log) check(batch []*call.Record) {
	for i, r := range batch {
		if i == checkUpTo {
			l.notChecked.Add(int64(len(batch) - i))
			return
		}
		r.Deviations = l.config.Checker.Check(r)
	}
}

// NotChecked counts the calls that were kept but not held against their
// contracts, since the start.
func (l *Log) NotChecked() int64 { return l.notChecked.Load() }
