package impair

import (
	"strings"
	"sync"
	"time"
)

// Limits keeps what limits and retry advice remember of calls. It lives as long as
// the process; its zero value is ready to use, from any number of goroutines.
type Limits struct {
	mu      sync.Mutex // guards what follows
	windows map[string]*window
	flying  map[string]int
	holds   map[string]time.Time
}

// window has the times of the calls in a span that slides.
type window struct {
	per   time.Duration
	times []time.Time // ordered; those before first have left
	first int
}

// maxKeys bounds how many callers are remembered. Where there are more, those
// with nothing to remember are forgotten, then any.
const maxKeys = 50_000

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
func (l *Limits) Take(key string, now time.Time, calls int, per time.Duration) (state Window, taken bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	w := l.windows[key]
	if w == nil {
		if l.windows == nil {
			l.windows = make(map[string]*window)
		}
		l.makeRoomLocked(now)
		w = &window{}
		l.windows[key] = w
	}
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

func (l *Limits) makeRoomLocked(now time.Time) {
	if len(l.windows) < maxKeys {
		return
	}
	for key, w := range l.windows {
		if w.slide(now); len(w.times) == w.first {
			delete(l.windows, key)
		}
	}
	for key := range l.windows {
		if len(l.windows) < maxKeys {
			return
		}
		delete(l.windows, key)
	}
}

// Windows tells how full the spans are whose keys begin with prefix.
func (l *Limits) Windows(prefix string, now time.Time) map[string]Window {
	l.mu.Lock()
	defer l.mu.Unlock()
	states := make(map[string]Window)
	for key, w := range l.windows {
		if strings.HasPrefix(key, prefix) {
			if w.slide(now); len(w.times) > w.first {
				states[key] = w.state(now)
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
func (l *Limits) Hold(key string, until time.Time) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.holds == nil || len(l.holds) >= maxKeys {
		l.holds = make(map[string]time.Time)
	}
	l.holds[key] = until
}

// Held tells how long a caller still has to wait. waited is set once for one that
// was told to wait and did.
func (l *Limits) Held(key string, now time.Time) (left time.Duration, waited bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	until, told := l.holds[key]
	if !told {
		return 0, false
	}
	if left = until.Sub(now); left > 0 {
		return left, false
	}
	delete(l.holds, key)
	return 0, true
}

// Forget forgets everything whose key begins with prefix, save calls in work.
func (l *Limits) Forget(prefix string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for key := range l.windows {
		if strings.HasPrefix(key, prefix) {
			delete(l.windows, key)
		}
	}
	for key := range l.holds {
		if strings.HasPrefix(key, prefix) {
			delete(l.holds, key)
		}
	}
}
