package engine

import (
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
