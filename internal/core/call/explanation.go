package call

import "slices"

// Explanation says why a call was answered as it was. Explanations that do not
// depend on the call are built once and shared, and the log stores each of
// them once.
type Explanation struct {
	// Sentence says it all in one: `Answered by mapping "berth-by-number".`
	Sentence string `json:"sentence"`
	Steps    []Step `json:"steps"`
}

// With is the explanation with more steps; the one it is called on, which may be
// shared or nil, stays as it is.
func (e *Explanation) With(steps ...Step) *Explanation {
	if e == nil {
		return &Explanation{Steps: steps}
	}
	return &Explanation{Sentence: e.Sentence, Steps: slices.Concat(e.Steps, steps)}
}

// After is With, the steps before those that are there.
func (e *Explanation) After(steps ...Step) *Explanation {
	if e == nil {
		return &Explanation{Steps: steps}
	}
	return &Explanation{Sentence: e.Sentence, Steps: slices.Concat(steps, e.Steps)}
}

// Stage is the part of deciding that a step belongs to.
type Stage string

// The stages, in their order.
const (
	Place  Stage = "place"  // which service is meant
	Choose Stage = "choose" // what would answer
	Impair Stage = "impair" // what is injected
	Build  Stage = "build"  // what exactly is sent
)

// Verdict is the outcome of a step.
type Verdict string

// The verdicts.
const (
	Taken  Verdict = "taken"
	Passed Verdict = "passed"
	Noted  Verdict = "noted"
)

// Step is one thing that was considered.
type Step struct {
	Stage   Stage   `json:"stage"`
	Subject string  `json:"subject"`
	Verdict Verdict `json:"verdict"`
	Reason  string  `json:"reason"`
}
