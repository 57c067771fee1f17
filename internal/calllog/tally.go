package calllog

import (
	"sync"

	"rapidmimic.example/internal/core/call"
)

// tally counts the calls of operations and of mappings since the start: all of
// them, and those in each lane. It has a lock of its own: a batch is counted while
// callers add to the buffer.
type tally struct {
	mu     sync.Mutex
	counts map[tallyKey]call.OperationCalls
}

// tallyKey names an operation or a mapping of a service, and the lane whose calls
// are counted; "" for all calls.
type tallyKey struct {
	lane, service, id string
	mapping           bool
}

func (t *tally) count(r *call.Record) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if r.Operation != "" {
		t.countLocked(tallyKey{service: r.Service, id: r.Operation}, r)
	}
	if r.Source == call.FromMapping {
		t.countLocked(tallyKey{service: r.Service, id: r.By, mapping: true}, r)
	}
}

func (t *tally) countLocked(key tallyKey, r *call.Record) {
	t.countOneLocked(key, r)
	if key.lane = r.Lane; key.lane != "" {
		t.countOneLocked(key, r)
	}
}

func (t *tally) countOneLocked(key tallyKey, r *call.Record) {
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

func (t *tally) forgetLane(lane string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for key := range t.counts {
		if key.lane == lane {
			delete(t.counts, key)
		}
	}
}

// ForgetMapping sets the counts of a mapping back to none, in every lane; of all
// mappings of the service when mapping is "".
func (l *Log) ForgetMapping(service, mapping string) {
	l.tally.mu.Lock()
	defer l.tally.mu.Unlock()
	for key := range l.tally.counts {
		if key.mapping && key.service == service && (mapping == "" || key.id == mapping) {
			delete(l.tally.counts, key)
		}
	}
}

// MappingCalls returns the counts of the calls that a mapping answered, of those in
// a lane or with "" of all; ok is false when there was none.
func (l *Log) MappingCalls(lane, service, mapping string) (counts call.OperationCalls, ok bool) {
	return l.tally.of(tallyKey{lane: lane, service: service, id: mapping, mapping: true})
}

// OperationCalls returns the counts of an operation, likewise.
func (l *Log) OperationCalls(lane, service, operation string) (counts call.OperationCalls, ok bool) {
	return l.tally.of(tallyKey{lane: lane, service: service, id: operation})
}
