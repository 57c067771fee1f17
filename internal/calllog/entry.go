package calllog

import (
	"sync"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/secret"
	"rapidmimic.example/internal/rescue"
)

// entry is a call on its way into the store. Its secrets are taken out in the goroutine of its
// caller, when the answer has gone out, or by the writer, whichever comes first.
type entry struct {
	came  *call.Record // with its secrets; nobody changes it
	group group
	size  int // of came, in bytes

	once   sync.Once    // guards what follows: see ready
	kept   *call.Record // without its secrets
	found  secret.Found
	broken bool // masking failed: the call is not kept
}

// ready makes what is kept of a call.
func (l *Log) ready(e *entry) {
	e.once.Do(func() {
		e.broken = rescue.Do(l.config.Logger, "mask the secrets of a call", func() {
			kept := *e.came
			e.kept, e.found = &kept, l.config.Masker.Mask(&kept)
		}) != nil
	})
}

// stalledAfter is how long the store may take for one part of a batch before nobody waits for it.
const stalledAfter = 2 * time.Second

// keepPace waits while the log is behind because of a group, which takes its share of what waits
// or more. So who calls faster than the log can write is slowed, and loses nothing; nobody waits when
// the store does not go on at all.
func (l *Log) keepPace(g group) {
	for waited := false; l.half.Load(); waited = true {
		l.mu.Lock()
		behind, changed, progress := l.isBehind(g), l.changed, l.progress
		l.mu.Unlock()
		if !behind {
			return
		}
		left := stalledAfter - time.Since(progress)
		if left <= 0 {
			return
		}
		if !waited {
			l.slowed.Add(1)
		}
		signal(l.hurry)
		timer := time.NewTimer(left)
		select {
		case <-changed:
		case <-timer.C:
		}
		timer.Stop()
	}
}

// isBehind reports whether half of the buffer is taken, and by this group in the first place. The
// caller holds mu.
func (l *Log) isBehind(g group) bool {
	own, groups := l.parts[g], len(l.parts)
	return l.waiting.bytes > l.config.BufferBytes/2 && own.bytes >= l.waiting.bytes/groups ||
		l.waiting.calls > maxBuffered/2 && own.calls >= l.waiting.calls/groups
}
