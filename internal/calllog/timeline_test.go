package calllog

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/call"
)

// Calls stand in the span in which they came, of the services and lanes that are asked for, and leave it after
// a quarter of an hour.
func TestTimeline(t *testing.T) {
	noon := time.Unix(1_796_000_000/spanSeconds*spanSeconds, 0)
	log := &Log{timelines: timelines{of: make(map[group]*timeline)}, counts: newCounts()}
	add := func(at time.Duration, service, lane string, source call.Source, status int, took time.Duration) {
		log.timelines.add(&call.Record{At: noon.Add(at), Service: service, Lane: lane, Source: source, Answer: call.Answer{Status: status}, Ask: took})
	}
	add(-16*time.Minute, "moorings", "", call.FromMapping, 200, 0) // too old
	add(-14*time.Minute, "moorings", "", call.FromMapping, 200, 0)
	for range 9 {
		add(0, "moorings", "mara", call.FromContract, 200, 800*time.Microsecond)
	}
	add(14*time.Second, "moorings", "mara", call.FromImpairment, 503, 40*time.Millisecond)
	add(0, "tides", "", call.FromUpstream, 0, 7*time.Second)
	add(0, "moorings", "", call.FromCallback, 500, 0)
	log.timelines.slot(group{"tides", ""}, noon).lost++

	all := func(string) bool { return true }
	moorings := func(service string) bool { return service == "moorings" }
	now := noon.Add(14 * time.Second)
	for name, k := range map[string]struct {
		lane   string
		wanted func(string) bool
		last   call.Span
		calls  int
	}{
		"everything":  {"", all, call.Span{Sources: call.Counts{call.FromContract: 9, call.FromImpairment: 1, call.FromUpstream: 1}, Failed: 2, Lost: 1, P50: time.Millisecond, P95: 5 * time.Second}, 12},
		"a service":   {"", moorings, call.Span{Sources: call.Counts{call.FromContract: 9, call.FromImpairment: 1}, Failed: 1, P50: time.Millisecond, P95: 50 * time.Millisecond}, 11},
		"a lane":      {"mara", all, call.Span{Sources: call.Counts{call.FromContract: 9, call.FromImpairment: 1}, Failed: 1, P50: time.Millisecond, P95: 50 * time.Millisecond}, 10},
		"in no lane":  {call.NoLane, moorings, call.Span{}, 1},
		"nobody here": {"bo", all, call.Span{}, 0},
	} {
		got := log.Timeline(now, k.lane, k.wanted)
		assert.Equal(t, []any{noon.Add(-885 * time.Second), 15 * time.Second, 60}, []any{got.From, got.Every, len(got.Spans)}, name)
		assert.Equal(t, k.last, got.Spans[59], name)
		var calls int
		for _, span := range got.Spans {
			for _, n := range span.Sources {
				calls += n
			}
		}
		assert.Equal(t, k.calls, calls, name)
	}
	assert.Equal(t, call.Counts{call.FromMapping: 1}, log.Timeline(now, "", all).Spans[3].Sources, "14 minutes ago")
	later := log.Timeline(now.Add(2*time.Minute), "", moorings)
	assert.Empty(t, later.Spans[59].Sources)
	assert.Len(t, later.Spans[51].Sources, 2, "it moves on")
	log.ForgetLane("mara")
	assert.Empty(t, log.Timeline(now, "mara", all).Spans[59].Sources)
	lanes := func(at time.Duration, first rune, many int) {
		for i := range many {
			add(at, "moorings", string(first+rune(i)), call.FromMiss, 404, 0)
		}
	}
	lanes(0, 'a', mostTimelines+10)
	assert.Len(t, log.timelines.of, mostTimelines)
	lanes(15*time.Minute-time.Second, '\u5000', 3)
	assert.Len(t, log.timelines.of, mostTimelines, "only moorings in no lane was old, and made room for one")
	lanes(15*time.Minute, '\u6000', 3)
	assert.Len(t, log.timelines.of, 3+1, "all others are old by now")
}
