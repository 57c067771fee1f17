package match

import (
	"maps"
	"runtime"
	"slices"
)

// Entry is a rule with the value it leads to.
type Entry[T any] struct {
	Rule  *Rule
	Value T
}

// Edited is an index that edits leave nearly as it was: Rules over the entries of the
// last time when all were indexed, and beside them the few that came and went since.
// An edit then costs by the number of those, not by the number of rules. It is
// immutable; its zero value is empty.
type Edited[T comparable] struct {
	all    *Rules[T] // nil for none
	size   int       // entries in all
	recent *Rules[T] // of the entries since; nil for none
	since  []Entry[T]
	// gone are values of all that no longer count, goneAt how many of them each
	// bucket has.
	gone   map[T]bool
	goneAt map[*bucket[T]]int
}

// NewEdited indexes entries.
func NewEdited[T comparable](entries []Entry[T]) Edited[T] {
	return Edited[T]{all: indexed(entries), size: len(entries)}
}

func indexed[T any](entries []Entry[T]) *Rules[T] {
	if len(entries) == 0 {
		return nil
	}
	rules := &Rules[T]{}
	for i, e := range entries {
		rules.Add(e.Rule, e.Value)
		if i%1_000 == 999 {
			runtime.Gosched() // calls go on while many are indexed
		}
	}
	return rules
}

// An index of fewer entries than fewEntries is made anew by each edit, so that a call
// looks at one only. A larger one keeps between minEdits and maxEdits beside it.
const (
	fewEntries = 1_000
	minEdits   = 64
	maxEdits   = 1_024
)

// With is the index without some entries and with others. It reports false when so
// much has changed that all entries had better be indexed anew.
func (x Edited[T]) With(gone, added []Entry[T]) (Edited[T], bool) {
	allowed := min(max(x.size/64, minEdits), maxEdits)
	if x.size < fewEntries || len(x.since)+len(x.gone)+len(gone)+len(added) > allowed {
		return x, false
	}
	next := Edited[T]{all: x.all, size: x.size, gone: maps.Clone(x.gone), goneAt: maps.Clone(x.goneAt)}
	leaves := make(map[T]bool, len(gone))
	for _, e := range gone {
		leaves[e.Value] = true
	}
	wasRecent := make(map[T]bool)
	for _, e := range x.since {
		if leaves[e.Value] {
			wasRecent[e.Value] = true
		} else {
			next.since = append(next.since, e)
		}
	}
	for _, e := range gone {
		if !wasRecent[e.Value] {
			next.leave(e)
		}
	}
	next.since = append(next.since, added...)
	next.recent = indexed(next.since)
	return next, true
}

// leave takes an entry of all away.
func (x *Edited[T]) leave(e Entry[T]) {
	if x.gone == nil {
		x.gone, x.goneAt = make(map[T]bool), make(map[*bucket[T]]int)
	}
	x.gone[e.Value] = true
	if b := x.all.buckets[e.Rule.Template.String()]; b != nil {
		x.goneAt[b]++
	}
}

// Narrowed reports whether Find makes use of facts.
func (x *Edited[T]) Narrowed() bool {
	return x.all != nil && x.all.narrowed || x.recent != nil && x.recent.narrowed
}

// Find is Rules.Find for the entries that count.
func (x *Edited[T]) Find(method string, segments []string, facts *Facts) (fits []Fit[T], others int) {
	if x.all == nil {
		return nil, 0
	}
	if x.recent == nil && x.gone == nil {
		return x.all.Find(method, segments, facts)
	}
	fits, others = x.all.Find(method, segments, facts)
	if len(x.gone) > 0 {
		found := len(fits)
		fits = slices.DeleteFunc(fits, func(f Fit[T]) bool { return x.gone[f.Value] })
		others += found - len(fits)
		for _, b := range x.all.on(nil, segments) {
			others -= x.goneAt[b] // also those that were found
		}
	}
	if x.recent == nil {
		return fits, others
	}
	since, more := x.recent.Find(method, segments, facts)
	if len(since) > 0 {
		fits = append(fits, since...)
		SortFits(fits)
	}
	return fits, others + more
}

// Some returns up to limit of the rules whose path fits, whatever they compare:
// those that compare nearly what the call says first, then the others in the
// order in which they were added.
func (x *Edited[T]) Some(method string, segments []string, facts *Facts, limit int) (fits []Fit[T]) {
	near := make(map[*Rule]bool)
	for _, rules := range []*Rules[T]{x.all, x.recent} {
		for v := range rules.values(segments, func(b *bucket[T]) []ruleValue[T] { return b.near(facts) }) {
			if !near[v.rule] && !x.gone[v.value] && len(fits) < limit {
				near[v.rule] = true
				fits = append(fits, Fit[T]{v.rule, v.value, v.allows(method)})
			}
		}
	}
	for _, rules := range []*Rules[T]{x.all, x.recent} {
		for v := range rules.values(segments, func(b *bucket[T]) []ruleValue[T] { return b.all }) {
			if len(fits) == limit {
				return fits
			}
			if !near[v.rule] && !x.gone[v.value] {
				fits = append(fits, Fit[T]{v.rule, v.value, v.allows(method)})
			}
		}
	}
	return fits
}
