package calllog

import (
	"time"

	"rapidmimic/internal/core/call"
)

// Checker holds finished calls against their contracts. It is called from one
// goroutine, after the answer has gone out and before secrets are masked.
type Checker interface {
	Check(r *call.Record) (operation string, found []call.Deviation)
}

// checkFor is how long the calls of one batch are checked: a quarter of the
// time between two batches. Keeping calls and answering them goes first; what
// is not checked is counted. A batch of checkWhole calls at most, which is 500 calls
// a second, is checked whole, however long its schemas take when first used.
const (
	checkFor   = writeEvery / 4
	checkWhole = 20
)

func (l *Log) check(batch []*call.Record) {
	end := time.Now().Add(checkFor)
	for i, r := range batch {
		if len(batch) > checkWhole && time.Now().After(end) {
			l.notChecked.Add(int64(len(batch) - i))
			return
		}
		r.Operation, r.Deviations = l.config.Checker.Check(r)
	}
}

// NotChecked counts the calls that were kept but not held against their
// contracts, since the start.
func (l *Log) NotChecked() int64 { return l.notChecked.Load() }
