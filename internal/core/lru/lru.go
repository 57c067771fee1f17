// Package lru remembers things by keys that come from outside, and no more than so
// many: what was not asked for the longest goes first. A Map is not safe for concurrent
// use; whoever shares one has a lock.
package lru

import (
	"container/list"
	"crypto/sha256"
	"encoding/hex"
	"iter"
)

// Map is a bounded map. It is built by New.
type Map[V any] struct {
	max     int
	entries map[string]*list.Element // of order, each with an *entry
	order   *list.List               // the one asked for last in front
	evicted int64
}

type entry[V any] struct {
	key   string
	value V
}

// New builds a map of at most max entries.
func New[V any](max int) *Map[V] {
	return &Map[V]{max: max, entries: make(map[string]*list.Element), order: list.New()}
}

// longestKey is the length, in bytes, from which a key is kept as its hash.
const longestKey = 64

// Key is a key as it is kept: a long one, such as the value of a header, by its hash.
func Key(key string) string {
	if len(key) <= longestKey {
		return key
	}
	sum := sha256.Sum256([]byte(key))
	return "sha256:" + hex.EncodeToString(sum[:16])
}

// Get gives the value of a key, to be changed in place; nil where there is none.
func (m *Map[V]) Get(key string) *V {
	e, ok := m.entries[Key(key)]
	if !ok {
		return nil
	}
	m.order.MoveToFront(e)
	return &e.Value.(*entry[V]).value
}

// Peek is Get for who only looks: it does not count as asking.
func (m *Map[V]) Peek(key string) *V {
	if e, ok := m.entries[Key(key)]; ok {
		return &e.Value.(*entry[V]).value
	}
	return nil
}

// Ensure gives the value of a key, made where there is none. Then another may have to
// go for it.
func (m *Map[V]) Ensure(key string, fresh func() V) *V {
	if have := m.Get(key); have != nil {
		return have
	}
	if len(m.entries) >= m.max {
		oldest := m.order.Back()
		delete(m.entries, oldest.Value.(*entry[V]).key)
		m.order.Remove(oldest)
		m.evicted++
	}
	made := &entry[V]{key: Key(key), value: fresh()}
	m.entries[made.key] = m.order.PushFront(made)
	return &made.value
}

// Delete forgets a key.
func (m *Map[V]) Delete(key string) {
	if e, ok := m.entries[Key(key)]; ok {
		delete(m.entries, Key(key))
		m.order.Remove(e)
	}
}

// All goes through the entries, the one asked for last first.
func (m *Map[V]) All() iter.Seq2[string, *V] {
	return func(yield func(string, *V) bool) {
		for e := m.order.Front(); e != nil; e = e.Next() {
			kept := e.Value.(*entry[V])
			if !yield(kept.key, &kept.value) {
				return
			}
		}
	}
}

// Evicted is how many entries had to go for others.
func (m *Map[V]) Evicted() int64 { return m.evicted }
