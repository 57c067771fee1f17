package calllog

import (
	"maps"
	"time"

	"rapidmimic.example/internal/core/call"
)

const (
	windowSeconds = 300
	windowMinutes = windowSeconds / 60
)

// counts counts calls by service and source: in total since the start, and by
// second over the last minutes. Calls to no service count under "".
type counts struct {
	services  map[string]*serviceCounts
	lanes     map[string]*serviceCounts // until they are forgotten, as are scenarios
	scenarios map[string]*serviceCounts
}

type serviceCounts struct {
	total   map[call.Source]int64
	seconds [windowSeconds]second
}

type second struct {
	at     int64 // Unix time; other than expected means the slot is old
	source [8]int32
}

func newCounts() counts {
	return counts{services: make(map[string]*serviceCounts), lanes: make(map[string]*serviceCounts), scenarios: make(map[string]*serviceCounts)}
}

func (c *counts) add(r *call.Record) {
	countIn(c.services, r.Service, r)
	if r.Lane != "" {
		countIn(c.lanes, r.Lane, r)
	}
	if r.Scenario != "" {
		countIn(c.scenarios, r.Scenario, r)
	}
}

func countIn(all map[string]*serviceCounts, name string, r *call.Record) {
	s := all[name]
	if s == nil {
		s = &serviceCounts{total: make(map[call.Source]int64)}
		all[name] = s
	}
	s.total[r.Source]++
	if r.Source == call.FromCallback {
		return // the windows are of what came
	}
	now := r.At.Unix()
	slot := &s.seconds[now%windowSeconds]
	if slot.at != now {
		*slot = second{at: now}
	}
	slot.source[sourceIndex(r.Source)]++
}

func sourceIndex(source call.Source) int {
	for i, s := range call.Sources {
		if s == source {
			return i
		}
	}
	panic("calllog: source " + string(source) + " is not listed in call.Sources")
}

// Recent returns the calls of a service by source for each of the last five
// minutes, the oldest first; the last one ends now.
func (l *Log) Recent(service string, now time.Time) []call.Counts {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.counts.services[service].recent(now)
}

func (s *serviceCounts) recent(now time.Time) []call.Counts {
	minutes := make([]call.Counts, windowMinutes)
	for i := range minutes {
		minutes[i] = make(call.Counts)
	}
	if s == nil {
		return minutes
	}
	end := now.Unix()
	for _, slot := range s.seconds {
		age := end - slot.at
		if age < 0 || age >= windowSeconds {
			continue
		}
		minute := minutes[windowMinutes-1-int(age)/60]
		for i, source := range call.Sources {
			if n := int(slot.source[i]); n > 0 {
				minute[source] += n
			}
		}
	}
	return minutes
}

// LaneCalls returns the calls of a lane by source, since it was opened and in the
// last minute.
func (l *Log) LaneCalls(lane string, now time.Time) (total map[call.Source]int64, lastMinute call.Counts) {
	l.mu.Lock()
	defer l.mu.Unlock()
	s := l.counts.lanes[lane]
	if s != nil {
		total = maps.Clone(s.total)
	}
	return total, s.recent(now)[windowMinutes-1]
}

// ScenarioCalls returns the calls that were answered under a scenario, in whatever
// lane, by source.
func (l *Log) ScenarioCalls(scenario string) map[call.Source]int64 {
	l.mu.Lock()
	defer l.mu.Unlock()
	s := l.counts.scenarios[scenario]
	if s == nil {
		return nil
	}
	return maps.Clone(s.total)
}

// ForgetScenario sets the counts of a scenario back to none; its calls stay.
func (l *Log) ForgetScenario(scenario string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.counts.scenarios, scenario)
}

// ForgetLane forgets the counts of a lane that was closed; its calls stay.
func (l *Log) ForgetLane(lane string) {
	l.tally.forgetLane(lane)
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.counts.lanes, lane)
	maps.DeleteFunc(l.timelines.of, func(g group, _ *timeline) bool { return g.lane == lane })
}

// LastMinute returns the calls of the whole environment in the last minute.
func (l *Log) LastMinute(now time.Time) call.Counts {
	l.mu.Lock()
	names := make([]string, 0, len(l.counts.services))
	for name := range l.counts.services {
		names = append(names, name)
	}
	l.mu.Unlock()
	all := make(call.Counts)
	for _, name := range names {
		recent := l.Recent(name, now)
		for source, n := range recent[windowMinutes-1] {
			all[source] += n
		}
	}
	return all
}

// Totals returns the calls since the start by service and source.
func (l *Log) Totals() map[string]map[call.Source]int64 {
	l.mu.Lock()
	defer l.mu.Unlock()
	all := make(map[string]map[call.Source]int64, len(l.counts.services))
	for name, s := range l.counts.services {
		all[name] = maps.Clone(s.total)
	}
	return all
}
