package calllog

import (
	"sync"

	"rapidmimic/internal/core/call"
)

// tally counts the calls of operations and of mappings since the start. It has
// a lock of its own: a batch is counted while callers add to the buffer.
type tally struct {
	mu     sync.Mutex
	counts map[tallyKey]call.OperationCalls
}

// tallyKey names an operation or a mapping of a service.
type tallyKey struct {
	service, id string
	mapping     bool
}

func (t *tally) count(batch []*call.Record) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, r := range batch {
		if r.Operation != "" {
			t.countLocked(tallyKey{service: r.Service, id: r.Operation}, r)
		}
		if r.Source == call.FromMapping {
			t.countLocked(tallyKey{service: r.Service, id: r.By, mapping: true}, r)
		}
	}
}

func (t *tally) countLocked(key tallyKey, r *call.Record) {
	counts := t.counts[key]
	counts.Total++
	if len(r.Deviations) > 0 {
		counts.Deviating++
	}
	if r.At.After(counts.Last) {
		counts.Last = r.At
	}
	t.counts[key] = counts
}

func (t *tally) of(key tallyKey) (counts call.OperationCalls, ok bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	counts, ok = t.counts[key]
	return counts, ok
}

// ForgetMapping sets the counts of a mapping back to none; of all mappings of
// the service when mapping is "".
func (l *Log) ForgetMapping(service, mapping string) {
	l.tally.mu.Lock()
	defer l.tally.mu.Unlock()
	for key := range l.tally.counts {
		if key.mapping && key.service == service && (mapping == "" || key.id == mapping) {
			delete(l.tally.counts, key)
		}
	}
}

// MappingCalls returns the counts of the calls that a mapping answered; ok is
// false when there was none.
func (l *Log) MappingCalls(service, mapping string) (counts call.OperationCalls, ok bool) {
	return l.tally.of(tallyKey{service: service, id: mapping, mapping: true})
}

// OperationCalls returns the counts of an operation; ok is false when it was
// never called.
func (l *Log) OperationCalls(service, operation string) (counts call.OperationCalls, ok bool) {
	return l.tally.of(tallyKey{service: service, id: operation})
}
