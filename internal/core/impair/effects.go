package impair

import (
	"sync"
	"time"

	"rapidmimic.example/internal/core/lru"
)

// Effects counts what impairments did since they were set. It lives as long as the process; its zero
// value is ready to use, from any number of goroutines.
type Effects struct {
	mu sync.Mutex // guards of
	of *lru.Map[effect]
}

// maxEffects bounds how many impairments are counted for: beyond it those that had no call for the
// longest are forgotten.
const maxEffects = 5_000

// keptMinutes is for how many minutes the calls of each are told.
const keptMinutes = 15

// Effect is what an impairment did.
type Effect struct {
	Calls, Hit uint64 // that came under it, and to which it did something
	// Minutes are those of the last ones, the present one last.
	Minutes []Minute
}

// Minute is what an impairment did in a minute.
type Minute struct{ Calls, Hit int }

type effect struct {
	since      time.Time
	calls, hit uint64
	minutes    [keptMinutes]Minute
	newest     int64 // the minute of the last call, counted from 1970
}

// Count counts a call that came under an impairment which is set since a time.
func (e *Effects) Count(key string, since, now time.Time, hit bool) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.of == nil {
		e.of = lru.New[effect](maxEffects)
	}
	kept := e.of.Ensure(key, func() effect { return effect{since: since} })
	if !kept.since.Equal(since) {
		*kept = effect{since: since}
	}
	kept.slide(now)
	minute := &kept.minutes[kept.newest%keptMinutes]
	kept.calls, minute.Calls = kept.calls+1, minute.Calls+1
	if hit {
		kept.hit, minute.Hit = kept.hit+1, minute.Hit+1
	}
}

// slide empties the minutes that passed without a call.
func (e *effect) slide(now time.Time) {
	minute := now.Unix() / 60
	for passed := max(e.newest+1, minute-keptMinutes+1); passed <= minute; passed++ {
		e.minutes[passed%keptMinutes] = Minute{}
	}
	e.newest = max(e.newest, minute)
}

// Of is what an impairment did that is set since a time.
func (e *Effects) Of(key string, since, now time.Time) Effect {
	e.mu.Lock()
	defer e.mu.Unlock()
	told := Effect{Minutes: make([]Minute, keptMinutes)}
	if e.of == nil {
		return told
	}
	kept := e.of.Peek(key)
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
func (e *Effects) Forget(key string) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.of != nil {
		e.of.Delete(key)
	}
}
