package call

import (
	"encoding/json"
	"slices"

	"rapidmimic.example/spec/tree"
)

// Explanation says why a call was answered as it was, as data; sentences are made where
// it is shown. Explanations that do not depend on the call are built once and shared,
// and the log stores each of them once.
type Explanation struct {
	// Summary says it all in one: `Answered by mapping "berth-by-number".`
	Summary Finding `json:"summary"`
	Steps   []Step  `json:"steps"`
}

// With is the explanation with more steps; the one it is called on, which may be
// shared or nil, stays as it is.
func (e *Explanation) With(steps ...Step) *Explanation {
	if e == nil {
		return &Explanation{Steps: steps}
	}
	return &Explanation{Summary: e.Summary, Steps: slices.Concat(e.Steps, steps)}
}

// After is With, the steps before those that are there.
func (e *Explanation) After(steps ...Step) *Explanation {
	if e == nil {
		return &Explanation{Steps: steps}
	}
	return &Explanation{Summary: e.Summary, Steps: slices.Concat(steps, e.Steps)}
}

// AppendJSON appends the explanation as JSON. The log does this for nearly every call, so
// it is written by hand.
func (e *Explanation) AppendJSON(b []byte) []byte {
	b = append(e.Summary.append(append(b, `{"summary":{`...)), `},"steps":[`...)
	for i := range e.Steps {
		step := &e.Steps[i]
		b = append(append(b, listStart(i, "")...), `{"stage":`...)
		b = append(tree.AppendQuoted(b, string(step.Stage)), `,"verdict":`...)
		b = append(tree.AppendQuoted(b, string(step.Verdict)), `,"of":{"kind":`...)
		b = tree.AppendQuoted(b, string(step.Of.Kind))
		b = appendMember(b, `,"id":`, step.Of.ID)
		b = appendMember(b, `,"from":`, step.Of.From)
		b = append(step.append(append(b, `},`...)), '}')
	}
	return append(b, `]}`...)
}

// ReadExplanation reads what AppendJSON wrote. One of an earlier version, which
// had sentences alone, keeps these.
func ReadExplanation(text []byte) (*Explanation, error) {
	var read struct {
		Explanation
		Sentence string `json:"sentence"`
		Steps    []struct {
			Step
			Subject string `json:"subject"`
			Reason  string `json:"reason"`
		} `json:"steps"`
	}
	if err := json.Unmarshal(text, &read); err != nil {
		return nil, err
	}
	e := &read.Explanation
	if e.Summary.Code == "" {
		e.Summary = Find(Told, read.Sentence)
	}
	for _, old := range read.Steps {
		step := old.Step
		if step.Code == "" {
			step.Of, step.Finding = Subject{ID: old.Subject}, Find(Told, old.Reason)
		}
		if step.Verdict == "passed" {
			step.Verdict = Skipped
		}
		e.Steps = append(e.Steps, step)
	}
	return e, nil
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
	Taken   Verdict = "taken"
	Skipped Verdict = "skipped" // it does not answer
	Noted   Verdict = "noted"
)

// Kind says what a step considered.
type Kind string

// The kinds, with what the id of their subject is.
const (
	KindService    Kind = "service"    // its name; "" for none
	KindLane       Kind = "lane"       // its name
	KindScenario   Kind = "scenario"   // its name
	KindRequest    Kind = "request"    // none, as below where nothing is said
	KindBody       Kind = "body"       //
	KindProxy      Kind = "proxy"      //
	KindMapping    Kind = "mapping"    // its id
	KindExample    Kind = "example"    // one that a scenario or a lane chose; that of the mapping that stands for it
	KindMappings   Kind = "mappings"   //
	KindOthers     Kind = "others"     // how many mappings
	KindOperation  Kind = "operation"  // its id
	KindOperations Kind = "operations" //
	KindContract   Kind = "contract"   //
	KindOptions    Kind = "options"    //
	KindPreflight  Kind = "preflight"  //
	KindUpstream   Kind = "upstream"   //
	KindOtherwise  Kind = "otherwise"  //
	KindMemory     Kind = "memory"     // the name of the collection
	KindAnswer     Kind = "answer"     // that of a mapping
	KindScript     Kind = "script"     // that of a mapping
	KindResponse   Kind = "response"   // its status
	KindEcho       Kind = "echo"       //
	KindPins       Kind = "pins"       //
	KindSend       Kind = "send"       //
	KindEdit       Kind = "edit"       //
	KindRelay      Kind = "relay"      //
	KindCallback   Kind = "callback"   // its name, or its place among those of the mapping
	KindImpairment Kind = "impairment" // what is injected: "latency"; "" for all
)

// Subject is what a step considered.
type Subject struct {
	Kind Kind   `json:"kind"`
	ID   string `json:"id,omitempty"`
	// From is the scenario or lane that a mapping is of, or the target of an
	// impairment; "" for none.
	From string `json:"from,omitempty"`
}

// String names the subject: "mapping berth-by-number of scenario storm".
func (s Subject) String() string {
	name := string(s.Kind)
	switch s.Kind {
	case "": // of an earlier version
		return s.ID
	case KindExample:
		return "example chosen by " + s.From
	case KindAnswer:
		return "answer of the mapping"
	case KindOthers:
		return s.ID + " more mappings of this path"
	case KindImpairment:
		if s.ID != "" {
			name = s.ID
		}
	default:
		if s.ID != "" {
			name += " " + s.ID
		}
	}
	if s.From != "" {
		name += " of " + s.From
	}
	return name
}

// Step is one thing that was considered.
type Step struct {
	Stage   Stage   `json:"stage"`
	Of      Subject `json:"of"`
	Verdict Verdict `json:"verdict"`
	Finding
}
