package call

import (
	"strconv"
	"strings"
)

// Line is the text of a call that filters search: who was asked what, and who
// answered. Source, status and method are words of it, so "503" and "miss"
// find what they say; a call for an operation has the word "operation:" with its
// id, one that was impaired "impaired:" with the kind, one that breaks the
// contract the word "deviates", one under a scenario "scenario:" with its name. One
// in a lane begins with "lane:" and its name: no method begins so, whatever callers
// and mappings put into the rest.
func (r *Summary) Line() string {
	var b strings.Builder
	b.Grow(len(r.Lane) + len(r.Service) + len(r.Path) + len(r.Query) + len(r.By) + 48)
	if r.Lane != "" {
		b.WriteString(laneWord)
		b.WriteString(r.Lane)
		b.WriteByte(' ')
	}
	b.WriteString(r.Method)
	b.WriteString(" /")
	b.WriteString(r.Service)
	b.WriteString(r.Path)
	if r.Query != "" {
		b.WriteByte('?')
		b.WriteString(r.Query)
	}
	b.WriteByte(' ')
	b.WriteString(strconv.Itoa(r.Status))
	b.WriteByte(' ')
	b.WriteString(string(r.Source))
	b.WriteByte(' ')
	b.WriteString(r.By)
	if r.Operation != "" {
		b.WriteString(" operation:")
		b.WriteString(r.Operation)
	}
	for kind := range strings.FieldsSeq(r.Injected) {
		b.WriteString(" impaired:")
		b.WriteString(kind)
	}
	if r.Deviations > 0 {
		b.WriteString(" deviates")
	}
	if r.Scenario != "" {
		b.WriteString(" scenario:")
		b.WriteString(r.Scenario)
	}
	return b.String()
}

const laneWord = "lane:"

// Filter selects calls.
type Filter struct {
	// Service is a service's name; "" selects all.
	Service string
	// Lane is the name of a lane; "" selects all, NoLane those in none.
	Lane string
	// Text is split at spaces; every word must occur in the call's Line, in
	// any case.
	Text string
}

// NoLane selects the calls that are in no lane.
const NoLane = "-"

// LineStart is what the Line of the calls in the filter's lane begins with. With
// NoLane it is what none of the selected ones begins with.
func (f Filter) LineStart() string {
	if f.Lane == NoLane {
		return laneWord
	}
	return laneWord + f.Lane + " "
}

// Words are the words of Text in lower case.
func (f Filter) Words() []string { return strings.Fields(strings.ToLower(f.Text)) }

// Fits reports whether the filter selects r.
func (f Filter) Fits(r *Summary) bool {
	if f.Service != "" && f.Service != r.Service {
		return false
	}
	if f.Lane == NoLane && r.Lane != "" || f.Lane != "" && f.Lane != NoLane && f.Lane != r.Lane {
		return false
	}
	words := f.Words()
	if len(words) == 0 {
		return true
	}
	line := strings.ToLower(r.Line())
	for _, word := range words {
		if !strings.Contains(line, word) {
			return false
		}
	}
	return true
}
