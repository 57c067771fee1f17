package calllog

import (
	"cmp"
	"maps"
	"slices"

	"rapidmimic.example/internal/core/call"
)

// Began notes a call that was decided and takes its time: it is held back on purpose,
// or asked of an upstream. Add ends that. The record is copied.
func (l *Log) Began(r *call.Record) {
	copied := *r
	l.mu.Lock()
	defer l.mu.Unlock()
	l.inWork[r.Number] = &copied
}

// InWork lists the calls that began and are not answered yet, the first to come
// first, their secrets masked. Of those that an upstream is asked for the body is not
// known.
func (l *Log) InWork() []*call.Record {
	l.mu.Lock()
	list := slices.SortedFunc(maps.Values(l.inWork), func(a, b *call.Record) int { return cmp.Compare(a.Number, b.Number) })
	l.mu.Unlock()
	for i := range list {
		masked := *list[i]
		l.config.Masker.Mask(&masked)
		list[i] = &masked
	}
	return list
}
