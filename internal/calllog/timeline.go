package calllog

import (
	"maps"
	"time"

	"rapidmimic.example/internal/core/call"
)

// The last quarter of an hour, in spans.
const (
	spanSeconds = 15
	spans       = 60
	// mostTimelines bounds services times lanes that have one of their own; 6 KB each.
	mostTimelines = 2_000
)

// timelines count the calls of the last quarter of an hour by when they came, for each service in each
// lane. Calls that the service made itself are not among them.
type timelines struct {
	of    map[group]*timeline
	swept int64 // the span in which old ones were last let go
}

type timeline [spans]span

// newest is the span of the last call.
func (l *timeline) newest() int64 {
	newest := int64(0)
	for i := range l {
		newest = max(newest, l[i].at)
	}
	return newest
}

type span struct {
	at     int64 // when it began, in spans since 1970; other than expected means the slot is old
	source [8]uint32
	failed uint32
	lost   uint32
	took   [len(tookBounds) + 1]uint32
}

// tookBounds are upper bounds of classes in which times are counted; the last class has none.
var tookBounds = [...]time.Duration{
	200 * time.Microsecond, 500 * time.Microsecond, time.Millisecond, 2 * time.Millisecond, 5 * time.Millisecond, 10 * time.Millisecond, 20 * time.Millisecond,
	50 * time.Millisecond, 100 * time.Millisecond, 200 * time.Millisecond, 500 * time.Millisecond, time.Second, 2 * time.Second, 5 * time.Second,
}

// slot is where a call of a group counts that came at a time; nil where there are too many groups.
func (t *timelines) slot(g group, at time.Time) *span {
	began := at.Unix() / spanSeconds
	line := t.of[g]
	if line == nil {
		if len(t.of) >= mostTimelines && t.swept != began {
			t.swept = began
			maps.DeleteFunc(t.of, func(_ group, line *timeline) bool { return line.newest() <= began-spans })
		}
		if len(t.of) >= mostTimelines {
			return nil
		}
		line = new(timeline)
		t.of[g] = line
	}
	slot := &line[began%spans]
	if slot.at != began {
		*slot = span{at: began}
	}
	return slot
}

func (t *timelines) add(r *call.Record) {
	if r.Source == call.FromCallback {
		return
	}
	slot := t.slot(groupOf(r), r.At)
	if slot == nil {
		return
	}
	slot.source[sourceIndex(r.Source)]++
	if call.Failed(r.Answer.Status) {
		slot.failed++
	}
	took, class := r.Took(), 0
	for class < len(tookBounds) && took > tookBounds[class] {
		class++
	}
	slot.took[class]++
}

// Timeline is what came in the quarter of an hour before now, the oldest first, of the services that wanted
// takes, in a lane, with "" in any, and with call.NoLane in none.
func (l *Log) Timeline(now time.Time, lane string, wanted func(service string) bool) call.Timeline {
	last := now.Unix() / spanSeconds
	all := call.Timeline{From: time.Unix((last-spans+1)*spanSeconds, 0), Every: spanSeconds * time.Second, Spans: make([]call.Span, spans)}
	var took [spans][len(tookBounds) + 1]uint32
	l.mu.Lock()
	for g, line := range l.timelines.of {
		if !g.selects("", lane) || !wanted(g.service) {
			continue
		}
		for i := range line {
			slot := &line[i]
			at := int(slot.at - (last - spans + 1))
			if at < 0 || at >= spans {
				continue
			}
			all.Spans[at].Add(slot.source[:], int(slot.failed), int(slot.lost))
			for class, n := range slot.took {
				took[at][class] += n
			}
		}
	}
	l.mu.Unlock()
	for i := range all.Spans {
		all.Spans[i].P50, all.Spans[i].P95 = quantile(took[i][:], 0.5), quantile(took[i][:], 0.95)
	}
	return all
}

// quantile is the time that a share of calls did not exceed: the upper bound of its class, and of the last
// class its lower one. It is 0 without calls.
func quantile(classes []uint32, share float64) time.Duration {
	var all, seen uint32
	for _, n := range classes {
		all += n
	}
	for class, n := range classes {
		if seen += n; n > 0 && float64(seen) >= share*float64(all) {
			return tookBounds[min(class, len(tookBounds)-1)]
		}
	}
	return 0
}
