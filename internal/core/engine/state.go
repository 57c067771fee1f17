package engine

import (
	"strings"
	"sync"
	"sync/atomic"

	"rapidmimic.example/internal/core/lru"
)

// MaxCallers bounds how many callers, or names of counters, are remembered for one
// subject. Beyond it those that did not call for the longest begin anew.
const MaxCallers = 10_000

// Memory is a State that lives as long as the process. Its zero value is
// ready to use.
type Memory struct {
	subjects sync.Map // string → *subject
	evicted  atomic.Int64
}

// subject is what is counted for one thing: for everyone, and for each caller.
type subject struct {
	everyone atomic.Uint64

	mu      sync.Mutex // guards callers
	callers *lru.Map[uint64]
}

// Claim implements State.
func (m *Memory) Claim(name, caller string) uint64 {
	found, ok := m.subjects.Load(name)
	if !ok {
		found, _ = m.subjects.LoadOrStore(name, &subject{callers: lru.New[uint64](MaxCallers)})
	}
	s := found.(*subject)
	if caller == "" {
		return s.everyone.Add(1) - 1
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	before := s.callers.Evicted()
	number := s.callers.Ensure(caller, func() uint64 { return 0 })
	m.evicted.Add(s.callers.Evicted() - before)
	*number++
	return *number - 1
}

// Peek implements State.
func (m *Memory) Peek(name, caller string) uint64 {
	found, ok := m.subjects.Load(name)
	if !ok {
		return 0
	}
	s := found.(*subject)
	if caller == "" {
		return s.everyone.Load()
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if number := s.callers.Peek(caller); number != nil {
		return *number
	}
	return 0
}

// Counts implements State.
func (m *Memory) Counts(name string) map[string]uint64 {
	counts := make(map[string]uint64)
	found, ok := m.subjects.Load(name)
	if !ok {
		return counts
	}
	s := found.(*subject)
	if n := s.everyone.Load(); n > 0 {
		counts[""] = n
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	for caller, number := range s.callers.All() {
		counts[caller] = *number
	}
	return counts
}

// Forget implements State.
func (m *Memory) Forget(prefix string) {
	m.subjects.Range(func(name, _ any) bool {
		if strings.HasPrefix(name.(string), prefix) {
			m.subjects.Delete(name)
		}
		return true
	})
}

// Evicted implements State.
func (m *Memory) Evicted() int64 { return m.evicted.Load() }
