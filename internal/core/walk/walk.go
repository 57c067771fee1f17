// Package walk leads a tester through the boundary values of an answer, one after the other, and
// keeps what they say of each. It computes; storing and switching is for others.
package walk

import (
	"fmt"
	"slices"
	"strconv"
	"time"

	"rapidmimic.example/internal/core/boundary"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Walk is one walk. Position 0 is the answer as it is, the others are the steps from 1.
type Walk struct {
	Name    string `json:"name"`
	Service string `json:"service"`
	// Mapping is the mapping whose answer it is, Operation the operation of the contract.
	Mapping   string   `json:"mapping,omitempty"`
	Operation string   `json:"operation,omitempty"`
	At        []string `json:"at"`
	// Lane is where it holds; "" for everybody.
	Lane  string `json:"lane,omitempty"`
	Steps []Step `json:"steps"`
	// Position is the step that answers now.
	Position int `json:"position"`
	// Before is the scenario that was on; "" for none.
	Before  string    `json:"before,omitempty"`
	By      string    `json:"by,omitempty"`
	Started time.Time `json:"started"`
	Ended   time.Time `json:"ended,omitzero"`
}

// Step is one value of a walk, and what became of it.
type Step struct {
	boundary.Variant
	// Verdict is what the tester says of it; "" for nothing yet. Text is in their words.
	Verdict Verdict `json:"verdict,omitempty"`
	Text    string  `json:"text,omitempty"`
	// Visits are the calls in between which it answered.
	Visits []Visit `json:"visits,omitempty"`
}

// Visit are the numbers of calls that came while a step answered: after the first, up to the
// last, which is 0 while it goes on.
type Visit struct {
	After uint64 `json:"after"`
	Last  uint64 `json:"last,omitempty"`
}

// Verdict is what a tester says of a step.
type Verdict string

// The verdicts.
const (
	Fine   Verdict = "fine"
	Defect Verdict = "defect"
	Note   Verdict = "note"
)

// Verdicts are all of them.
var Verdicts = []string{string(Fine), string(Defect), string(Note)}

const (
	mostText   = 2_000 // of what is said of a step, in bytes
	mostVisits = 100   // of one step
)

// Scenario is the name of the scenario by which the walk changes the answer.
func (w *Walk) Scenario() string { return "walk-" + w.Name }

// Document is that scenario as it is now.
func (w *Walk) Document(s *catalog.Service) (spec.Scenario, error) {
	scenario := spec.Scenario{Name: w.Scenario(), Title: "Boundary values of " + w.Mapping + w.Operation, Labels: []string{"boundaries"}, BuildsOn: w.Before}
	if w.Position == 0 {
		return scenario, nil
	}
	m, err := s.Varied(w.Mapping, w.Operation, w.Steps[w.Position-1].Edit)
	if err != nil {
		return scenario, err
	}
	scenario.Services = map[string]spec.ServiceChanges{w.Service: {Mappings: spec.Mappings{m}}}
	return scenario, nil
}

// Go goes to a step, by its number or its id; 0 is the answer as it is. last is the number of the
// last call that came before.
func (w *Walk) Go(to string, last uint64) error {
	if !w.Ended.IsZero() {
		return problem.New(problem.Conflict, "walk %q has ended", w.Name)
	}
	position, err := w.find(to)
	if err != nil {
		return err
	}
	w.leave(last)
	if w.Position = position; position > 0 {
		step := &w.Steps[position-1]
		step.Visits = append(step.Visits, Visit{After: last})
		step.Visits = step.Visits[max(0, len(step.Visits)-mostVisits):]
	}
	return nil
}

// leave ends the visit of the step that answers now.
func (w *Walk) leave(last uint64) {
	if w.Position == 0 {
		return
	}
	visits := w.Steps[w.Position-1].Visits
	if n := len(visits); n > 0 && visits[n-1].Last == 0 {
		visits[n-1].Last = last
	}
}

// End ends the walk: the answer is as it is.
func (w *Walk) End(last uint64, now time.Time) {
	w.leave(last)
	w.Position, w.Ended = 0, now
}

// find is the position of a step.
func (w *Walk) find(to string) (int, error) {
	if n, err := strconv.Atoi(to); err == nil {
		if n < 0 || n > len(w.Steps) {
			return 0, problem.New(problem.Invalid, "walk %q has %d steps, so none is number %d", w.Name, len(w.Steps), n)
		}
		return n, nil
	}
	if i := slices.IndexFunc(w.Steps, func(s Step) bool { return s.ID == to }); i >= 0 {
		return i + 1, nil
	}
	ids := make([]string, len(w.Steps))
	for i, s := range w.Steps {
		ids[i] = s.ID
	}
	if near := problem.Closest(to, ids); near != "" {
		return 0, problem.New(problem.NotFound, "walk %q has no step %q (%s?)", w.Name, to, near)
	}
	return 0, problem.New(problem.NotFound, "walk %q has no step %q", w.Name, to)
}

// Say notes what a tester says of a step; "" of either takes back what was said.
func (w *Walk) Say(step string, verdict Verdict, text string) error {
	position, err := w.find(step)
	switch {
	case err != nil:
		return err
	case position == 0:
		return problem.New(problem.Invalid, "say of which step: 0 is the answer as it is")
	case verdict != "" && !slices.Contains(Verdicts, string(verdict)):
		return problem.New(problem.Invalid, "a verdict is fine, defect or note, not %q", verdict)
	case len(text) > mostText:
		return problem.New(problem.Invalid, "a note has at most %d bytes, not %d", mostText, len(text))
	}
	w.Steps[position-1].Verdict, w.Steps[position-1].Text = verdict, text
	return nil
}

// Counts tells how many steps have each verdict; "" stands for none yet.
func (w *Walk) Counts() map[Verdict]int {
	counts := make(map[Verdict]int)
	for _, s := range w.Steps {
		counts[s.Verdict]++
	}
	return counts
}

// Of says what is walked through: mapping berth-taken, $.state.
func (w *Walk) Of() string {
	what, id := "mapping", w.Mapping
	if id == "" {
		what, id = "operation", w.Operation
	}
	text := fmt.Sprintf("%s %s of %s", what, id, w.Service)
	for _, at := range w.At {
		text += ", " + at
	}
	return text
}
