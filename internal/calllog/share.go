package calllog

import (
	"time"

	"rapidmimic.example/internal/core/call"
)

// The buffer is fair: whoever floods one service, or calls in one lane, leaves a quarter
// of it to the others, and what is lost of it is missing of that one alone.

// group is the calls of a service in a lane.
type group struct{ service, lane string }

func groupOf(r *call.Record) group { return group{r.Service, r.Lane} }

// selects reports whether the group is of a service, "" for all, in a lane, "" for any
// and call.NoLane for none.
func (g group) selects(service, lane string) bool {
	if lane == call.NoLane {
		return g.lane == "" && (service == "" || service == g.service)
	}
	return (service == "" || service == g.service) && (lane == "" || lane == g.lane)
}

// part is what calls take of the buffer.
type part struct{ calls, bytes int }

// maxLost bounds the groups of which it is known until when calls are missing.
const maxLost = 1_000

// takes reports whether the buffer has room for a call, and notes it. The caller holds
// mu.
func (l *Log) takes(e *entry) bool {
	most := part{maxBuffered / 4 * 3, l.config.BufferBytes / 4 * 3}
	own := l.parts[e.group]
	if own.calls >= most.calls || own.bytes > 0 && own.bytes+e.size > most.bytes || l.waiting.calls >= maxBuffered || l.waiting.bytes+e.size > l.config.BufferBytes {
		return false
	}
	l.parts[e.group] = part{own.calls + 1, own.bytes + e.size}
	l.wait(part{l.waiting.calls + 1, l.waiting.bytes + e.size})
	return true
}

// leaves gives the room of a call back. The caller holds mu.
func (l *Log) leaves(e *entry) {
	own := l.parts[e.group]
	if own.calls == 1 {
		delete(l.parts, e.group)
	} else {
		l.parts[e.group] = part{own.calls - 1, own.bytes - e.size}
	}
	l.wait(part{l.waiting.calls - 1, l.waiting.bytes - e.size})
}

// wait notes what waits in all. The caller holds mu.
func (l *Log) wait(all part) {
	l.waiting = all
	if half := all.calls > maxBuffered/2 || all.bytes > l.config.BufferBytes/2; half != l.half.Load() {
		l.half.Store(half)
	}
}

// loseOf counts a call of a group that could not be kept.
func (l *Log) loseOf(g group) {
	now := time.Now().UnixMicro()
	l.mu.Lock()
	if _, known := l.lost[g]; known || len(l.lost) < maxLost {
		l.lost[g] = now
	} else {
		l.lostOfAll.Store(now)
	}
	if slot := l.timelines.slot(g, time.UnixMicro(now)); slot != nil {
		slot.lost++
	}
	l.mu.Unlock()
	l.notKept.Add(1)
	l.missing.Store(now)
}

// lostUntil is until when calls of a service in a lane are missing that could not be
// kept; zero for never.
func (l *Log) lostUntil(service, lane string) time.Time {
	until := l.lostOfAll.Load()
	l.mu.Lock()
	defer l.mu.Unlock()
	for g, at := range l.lost {
		if g.selects(service, lane) {
			until = max(until, at)
		}
	}
	return moment(until)
}
