package match

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec/problem"
)

// Candidate is something a call could have meant: a mapping or an operation.
type Candidate struct {
	Kind     string // "mapping" or "operation"
	ID       string
	Methods  []string
	Template Template
}

// Near is a candidate with the one part in which a call differs from it.
type Near struct {
	Candidate
	// Part is "method", "path, segment 2" or "path, length".
	Part string
	// Seen and Expected are the part's values in the call and the candidate.
	Seen, Expected string
	distance       int
}

// Distance is how far the call is from the candidate, in letters of its address.
func (n Near) Distance() int { return n.distance }

// Finding says the difference: "path, segment 1: `bertsh`, expected `berths`".
func (n Near) Finding() call.Finding {
	return call.Finding{Code: call.Close, Part: n.Part, Seen: n.Seen, Expected: n.Expected}
}

// String is Finding in words.
func (n Near) String() string { return n.Finding().String() }

// Weights of what can differ, in letters. A wrong method is a smaller slip
// than a wrong path; a segment too many or too few is a large one.
const (
	methodDistance  = 2
	segmentDistance = 9
	// TooFar is the distance of what has nothing to do with a call.
	TooFar = 4 * segmentDistance
)

// Closest returns up to limit candidates that a call nearly fits, the nearest
// first. Candidates that share nothing with the call are left out.
func Closest(method string, segments []string, candidates []Candidate, limit int) []Near {
	var near []Near
	for _, c := range candidates {
		if n, ok := compareToCall(method, segments, c); ok {
			near = append(near, n)
		}
	}
	slices.SortStableFunc(near, func(a, b Near) int {
		return cmp.Or(cmp.Compare(a.distance, b.distance), cmp.Compare(a.ID, b.ID))
	})
	return near[:min(limit, len(near))]
}

func compareToCall(method string, segments []string, c Candidate) (Near, bool) {
	n := Near{Candidate: c}
	want := c.Template.segments
	if diff := len(segments) - len(want); segmentDistance*max(diff, -diff) >= TooFar { // before anything is put together
		return n, false
	}
	same := 0 // literal segments in common
	for i := range min(len(segments), len(want)) {
		d := want[i].distance(segments[i])
		if d == 0 && want[i].class() == 0 {
			same++
		}
		if d > 0 {
			n.differs(d, fmt.Sprintf("path, segment %d", i+1), segments[i], want[i].String())
			if d < segmentDistance {
				same++
			}
		}
	}
	if diff := len(segments) - len(want); diff != 0 {
		n.differs(segmentDistance*max(diff, -diff), "path, length", lengthText(segments), c.Template.String())
	}
	if len(c.Methods) > 0 && !slices.Contains(c.Methods, method) {
		n.differs(methodDistance, "method", method, MethodsText(c.Methods))
	}
	return n, n.distance > 0 && n.distance < TooFar && same > 0
}

// differs adds to the distance; the first part that differs is the one told.
func (n *Near) differs(distance int, part, seen, expected string) {
	if n.distance == 0 {
		n.Part, n.Seen, n.Expected = part, seen, expected
	}
	n.distance += distance
}

func lengthText(segments []string) string { return "/" + strings.Join(segments, "/") }

// distance counts the letters in which value differs, at most segmentDistance.
func (s segment) distance(value string) int {
	switch {
	case s.fits(value):
		return 0
	case s.class() == 0:
		limit := min(segmentDistance, max(len(value), len(s.literal)))
		d := problem.Distance(value, s.literal, limit)
		if 2*d > max(len(value), len(s.literal)) { // nothing of it is alike
			return segmentDistance
		}
		return d
	default:
		return segmentDistance
	}
}
