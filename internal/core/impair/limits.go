package impair

import (
	"maps"
	"strings"
	"sync"
	"time"

	"rapidmimic.example/internal/core/lru"
)

// Limits keeps what limits and retry advice remember of calls. It lives as long as
// the process; its zero value is ready to use, from any number of goroutines. What is
// counted is named by a subject, which follows from definitions, and a caller, which
// comes from outside: of those so many are remembered as maxCallers says.
type Limits struct {
	mu      sync.Mutex // guards what follows
	windows map[string]*lru.Map[window]
	flying  map[string]int
	holds   map[string]*lru.Map[time.Time]
}

// window has the times of the calls in a span that slides.
type window struct {
	per   time.Duration
	times []time.Time // ordered; those before first have left
	first int
}

// maxCallers bounds how many callers are remembered for one subject. Beyond it those
// that did not call for the longest are forgotten.
const maxCallers = 10_000

// Evicted is how many callers were forgotten for others.
func (l *Limits) Evicted() (count int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, m := range l.windows {
		count += m.Evicted()
	}
	for _, m := range l.holds {
		count += m.Evicted()
	}
	return count
}

// ofSubject gives the callers of a subject.
func ofSubject[V any](all *map[string]*lru.Map[V], subject string) *lru.Map[V] {
	m := (*all)[subject]
	if m == nil {
		if *all == nil {
			*all = make(map[string]*lru.Map[V])
		}
		m = lru.New[V](maxCallers)
		(*all)[subject] = m
	}
	return m
}

// Window is how full the span of a limit is.
type Window struct {
	Used  int
	Reset time.Duration // until its oldest call leaves it
}

func (w *window) slide(now time.Time) {
	for w.first < len(w.times) && now.Sub(w.times[w.first]) >= w.per {
		w.first++
	}
	if w.first > len(w.times)/2 {
		w.times = append(w.times[:0], w.times[w.first:]...)
		w.first = 0
	}
}

func (w *window) state(now time.Time) Window {
	state := Window{Used: len(w.times) - w.first}
	if state.Used > 0 {
		state.Reset = w.per - now.Sub(w.times[w.first])
	}
	return state
}

// Take counts a call if fewer than calls were counted in the span of length per
// that ends now. It tells how full the span is, with the call.
func (l *Limits) Take(subject, caller string, now time.Time, calls int, per time.Duration) (state Window, taken bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	w := ofSubject(&l.windows, subject).Ensure(caller, func() window { return window{} })
	w.per = per
	if last := len(w.times) - 1; last >= w.first && last >= 0 && now.Before(w.times[last]) {
		now = w.times[last] // calls are counted in the order in which they get here
	}
	w.slide(now)
	if taken = len(w.times)-w.first < calls; taken {
		w.times = append(w.times, now)
	}
	return w.state(now), taken
}

// Window tells how full the span of one caller is.
func (l *Limits) Window(subject, caller string, now time.Time) Window {
	l.mu.Lock()
	defer l.mu.Unlock()
	if m := l.windows[subject]; m != nil {
		if w := m.Peek(caller); w != nil {
			w.slide(now)
			return w.state(now)
		}
	}
	return Window{}
}

// Windows tells how full the spans of all callers of a subject are that are not empty.
func (l *Limits) Windows(subject string, now time.Time) map[string]Window {
	l.mu.Lock()
	defer l.mu.Unlock()
	states := make(map[string]Window)
	if m := l.windows[subject]; m != nil {
		for caller, w := range m.All() {
			if w.slide(now); len(w.times) > w.first {
				states[caller] = w.state(now)
			}
		}
	}
	return states
}

// Enter counts a call that is in work, unless most are already.
func (l *Limits) Enter(key string, most int) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.flying[key] >= most {
		return false
	}
	if l.flying == nil {
		l.flying = make(map[string]int)
	}
	l.flying[key]++
	return true
}

// Leave takes back what Enter counted.
func (l *Limits) Leave(key string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.flying[key]--; l.flying[key] <= 0 {
		delete(l.flying, key)
	}
}

// Hold tells a caller to wait until a time.
func (l *Limits) Hold(subject, caller string, until time.Time) {
	l.mu.Lock()
	defer l.mu.Unlock()
	*ofSubject(&l.holds, subject).Ensure(caller, func() time.Time { return until }) = until
}

// Held tells how long a caller still has to wait. waited is set once for one that
// was told to wait and did; peeking leaves that to the call itself.
func (l *Limits) Held(subject, caller string, now time.Time, peeking bool) (left time.Duration, waited bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	m := l.holds[subject]
	if m == nil {
		return 0, false
	}
	until := m.Peek(caller)
	if until == nil {
		return 0, false
	}
	if left = until.Sub(now); left > 0 {
		return left, false
	}
	if !peeking {
		m.Delete(caller)
	}
	return 0, true
}

// Forget forgets all subjects that begin with prefix, save calls in work.
func (l *Limits) Forget(prefix string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	begins := func(subject string) bool { return strings.HasPrefix(subject, prefix) }
	maps.DeleteFunc(l.windows, func(subject string, _ *lru.Map[window]) bool { return begins(subject) })
	maps.DeleteFunc(l.holds, func(subject string, _ *lru.Map[time.Time]) bool { return begins(subject) })
}
