package api

import (
	"time"

	"rapidmimic.example/spec/tree"
)

// Boundaries are the boundary values of a field of an answer, or the pairs of those of several.
type Boundaries struct {
	Fields []BoundaryField `json:"fields"`
	Items  []Boundary      `json:"items"`
}

// BoundaryField is a field as a path names it.
type BoundaryField struct {
	At       string     `json:"at"`
	Pointers []string   `json:"pointers"` // to its places in the answer
	Present  *tree.Node `json:"present,omitempty"`
	Required bool       `json:"required"`
}

// Boundary is one value, or one of each field.
type Boundary struct {
	ID       string   `json:"id"`
	Says     string   `json:"says"`
	Shown    string   `json:"shown"`    // the value, shortened
	Validity string   `json:"validity"` // valid, invalid or unknown, by the contract
	Breach   string   `json:"breach,omitempty"`
	Follows  []string `json:"follows,omitempty"` // counts and totals that change with it
}

// BoundaryChoice says whose answer is varied, and how.
type BoundaryChoice struct {
	Mapping   string `json:"mapping,omitempty"`
	Operation string `json:"operation,omitempty"`
	// Call is the id of a call whose answer is varied; it tells the mapping or operation.
	Call string `json:"call,omitempty"`
	// At are the fields, as $.dues.amount; of several, all pairs of their values.
	At []string `json:"at"`
	// Only is valid or invalid; "" for all. Alone leaves counts and totals as they are.
	Only  string `json:"only,omitempty"`
	Alone bool   `json:"alone,omitempty"`
}

// NewScenarios asks for scenarios of boundary values: one each, or with Cycle one in which each
// call gets the next.
type NewScenarios struct {
	BoundaryChoice
	Name  string `json:"name,omitempty"`
	Cycle bool   `json:"cycle,omitempty"`
}

// MadeScenarios are the names of those that were made.
type MadeScenarios struct {
	Scenarios []string `json:"scenarios"`
}

// NewWalk begins a walk.
type NewWalk struct {
	BoundaryChoice
	Name    string `json:"name,omitempty"`
	Service string `json:"service"`
	Lane    string `json:"lane,omitempty"`
}

// Walk leads through boundary values, one after the other.
type Walk struct {
	Name      string   `json:"name"`
	Service   string   `json:"service"`
	Mapping   string   `json:"mapping,omitempty"`
	Operation string   `json:"operation,omitempty"`
	At        []string `json:"at"`
	Lane      string   `json:"lane,omitempty"`
	Position  int      `json:"position"` // the step that answers, from 1; 0 for the answer as it is
	// Off is set where another scenario was switched on meanwhile, or none is: then no step answers.
	Off     bool       `json:"off,omitempty"`
	Steps   []WalkStep `json:"steps"`
	By      string     `json:"by,omitempty"`
	Started time.Time  `json:"started"`
	Ended   *time.Time `json:"ended,omitempty"`
}

// WalkStep is one value of a walk, what is said of it, and the calls that came while it answered.
type WalkStep struct {
	Boundary
	Verdict string   `json:"verdict,omitempty"` // fine, defect or note
	Text    string   `json:"text,omitempty"`
	Calls   []string `json:"calls,omitempty"` // ids, at most 50
}

// WalkPosition says to which step to go: its number or its id.
type WalkPosition struct {
	To string `json:"to"`
}

// WalkNote is what a tester says of a step.
type WalkNote struct {
	Verdict string `json:"verdict"`
	Text    string `json:"text"`
}
