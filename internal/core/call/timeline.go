package call

import "time"

// Timeline tells how many calls came over a time, and how they fared.
type Timeline struct {
	From  time.Time     // when the first span begins
	Every time.Duration // how long each is
	Spans []Span        // the oldest first
}

// Span is a part of a Timeline.
type Span struct {
	Sources Counts // nil for none
	// Failed is how many of the calls failed (Failed); Lost how many the log could not keep.
	Failed, Lost int
	// P50 and P95 are times that half of the calls, and nearly all of them, did not exceed, each as the upper
	// bound of its class.
	P50, P95 time.Duration
}

// Add counts calls by source, in the order of Sources.
func (s *Span) Add(sources []uint32, failed, lost int) {
	for i, n := range sources {
		if n == 0 {
			continue
		}
		if s.Sources == nil {
			s.Sources = make(Counts)
		}
		s.Sources[Sources[i]] += int(n)
	}
	s.Failed += failed
	s.Lost += lost
}
