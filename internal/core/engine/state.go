package engine

import (
	"strings"
	"sync"
	"sync/atomic"
)

// Memory is a State that lives as long as the process. Its zero value is
// ready to use.
type Memory struct{ counters sync.Map } // string → *atomic.Uint64

// Claim implements State.
func (m *Memory) Claim(key string) uint64 {
	counter, ok := m.counters.Load(key)
	if !ok {
		counter, _ = m.counters.LoadOrStore(key, new(atomic.Uint64))
	}
	return counter.(*atomic.Uint64).Add(1) - 1
}

// Peek implements State.
func (m *Memory) Peek(key string) uint64 {
	if counter, ok := m.counters.Load(key); ok {
		return counter.(*atomic.Uint64).Load()
	}
	return 0
}

// Counts implements State.
func (m *Memory) Counts(prefix string) map[string]uint64 {
	counts := make(map[string]uint64)
	m.counters.Range(func(key, counter any) bool {
		if strings.HasPrefix(key.(string), prefix) {
			counts[key.(string)] = counter.(*atomic.Uint64).Load()
		}
		return true
	})
	return counts
}

// Forget implements State.
func (m *Memory) Forget(prefix string) {
	m.counters.Range(func(key, _ any) bool {
		if strings.HasPrefix(key.(string), prefix) {
			m.counters.Delete(key)
		}
		return true
	})
}
