package impair

import (
	"sync"
	"time"

	"rapidmimic.example/internal/core/lru"
)

// Hits counts what impairments did since they were set. It lives as long as the process; its zero
// value is ready to use, from any number of goroutines.
type Hits struct {
	mu sync.Mutex // guards of
	of *lru.Map[hits]
}

// maxHits bounds how many impairments are counted for: beyond it those that had no call for the
// longest are forgotten.
const maxHits = 5_000

// keptMinutes is for how many minutes the calls of each are told.
const keptMinutes = 15

// HitCount is what an impairment did.
type HitCount struct {
	Calls, Hit uint64 // that came under it, and to which it did something
	// Minutes are those of the last ones, the present one last.
	Minutes []Minute
}

// Minute is what an impairment did in a minute.
type Minute struct{ Calls, Hit int }

type hits struct {
	since      time.Time
	calls, hit uint64
	minutes    [keptMinutes]Minute
	newest     int64 // the minute of the last call, counted from 1970
}

// Count counts a call that came under an impairment which is set since a time.
func (h *Hits) Count(key string, since, now time.Time, hit bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.of == nil {
		h.of = lru.New[hits](maxHits)
	}
	kept := h.of.Ensure(key, func() hits { return hits{since: since} })
	if !kept.since.Equal(since) {
		*kept = hits{since: since}
	}
	kept.slide(now)
	minute := &kept.minutes[kept.newest%keptMinutes]
	kept.calls, minute.Calls = kept.calls+1, minute.Calls+1
	if hit {
		kept.hit, minute.Hit = kept.hit+1, minute.Hit+1
	}
}

// slide empties the minutes that passed without a call.
func (c *hits) slide(now time.Time) {
	minute := now.Unix() / 60
	for passed := max(c.newest+1, minute-keptMinutes+1); passed <= minute; passed++ {
		c.minutes[passed%keptMinutes] = Minute{}
	}
	c.newest = max(c.newest, minute)
}

// Of is what an impairment did that is set since a time.
func (h *Hits) Of(key string, since, now time.Time) HitCount {
	h.mu.Lock()
	defer h.mu.Unlock()
	told := HitCount{Minutes: make([]Minute, keptMinutes)}
	if h.of == nil {
		return told
	}
	kept := h.of.Peek(key)
	if kept == nil || !kept.since.Equal(since) {
		return told
	}
	kept.slide(now)
	told.Calls, told.Hit = kept.calls, kept.hit
	for i := range told.Minutes {
		told.Minutes[i] = kept.minutes[(kept.newest+1+int64(i))%keptMinutes]
	}
	return told
}

// Forget forgets what an impairment did.
func (h *Hits) Forget(key string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.of != nil {
		h.of.Delete(key)
	}
}
