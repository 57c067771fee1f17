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
// is not checked is counted.
const checkFor = writeEvery / 4

func (l *Log) check(batch []*call.Record) {
	end := time.Now().Add(checkFor)
	for i, r := range batch {
		if time.Now().After(end) {
			l.notChecked.Add(int64(len(batch) - i))
			return
		}
		r.Operation, r.Deviations = l.config.Checker.Check(r)
	}
}

// operationKey names an operation, or a mapping, of a service.
type operationKey struct{ service, operation string }

// countOperations counts the calls of a batch that were found to be for an
// operation, and those that a mapping answered.
func (l *Log) countOperations(batch []*call.Record) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, r := range batch {
		if r.Operation != "" {
			l.countLocked(operationKey{r.Service, r.Operation}, r)
		}
		if r.Source == call.FromMapping {
			l.countLocked(operationKey{r.Service, mappingMark + r.By}, r)
		}
	}
}

// mappingMark begins the keys of mappings, which no operation's id can.
const mappingMark = "\x00"

func (l *Log) countLocked(key operationKey, r *call.Record) {
	counts := l.operations[key]
	counts.Total++
	if len(r.Deviations) > 0 {
		counts.Deviating++
	}
	if r.At.After(counts.Last) {
		counts.Last = r.At
	}
	l.operations[key] = counts
}

// MappingCalls returns the counts of the calls that a mapping answered; ok is
// false when there was none.
func (l *Log) MappingCalls(service, mapping string) (counts call.OperationCalls, ok bool) {
	return l.OperationCalls(service, mappingMark+mapping)
}

// OperationCalls returns the counts of an operation; ok is false when it was
// never called.
func (l *Log) OperationCalls(service, operation string) (counts call.OperationCalls, ok bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	counts, ok = l.operations[operationKey{service, operation}]
	return counts, ok
}

// NotChecked counts the calls that were kept but not held against their
// contracts, since the start.
func (l *Log) NotChecked() int64 { return l.notChecked.Load() }
