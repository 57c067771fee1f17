package api

import (
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// TrialRequest asks what a mapping would do if it were kept.
type TrialRequest struct {
	// Document is one mapping in JSON or YAML.
	Document string `json:"document"`
	// Replaces is the id of the mapping that it stands for, whatever its own; ""
	// for a new one.
	Replaces string `json:"replaces,omitempty"`
	// Recent is how many of the last calls to the service it is tried on.
	Recent int `json:"recent,omitempty"`
	// Call is the id of a call whose answer is wanted.
	Call string `json:"call,omitempty"`
	// Expressions are worked out for that call, or for the latest one that the mapping answers.
	Expressions []string `json:"expressions,omitempty"`
}

// Trial is what a mapping would do. Nothing was changed or counted.
type Trial struct {
	// Faults keep it from being used; then the rest is empty.
	Faults []problem.Item `json:"faults"`
	// Mapping and YAML are the document as it would be kept.
	Mapping    *spec.Mapping `json:"mapping,omitempty"`
	YAML       string        `json:"yaml,omitempty"`
	Deviations []Deviation   `json:"deviations,omitempty"`
	// Problem says why it would never answer.
	Problem string      `json:"problem,omitempty"`
	Calls   []TrialCall `json:"calls"`
	// Asked is how many of the calls ask for what method, path and operation say; Holding on how many of
	// those each condition holds, in the order of the document, groups as one.
	Asked   int   `json:"asked"`
	Holding []int `json:"holding,omitempty"`
	// Result is what the call that was asked for would get.
	Result *ExplainResult `json:"result,omitempty"`
	// Values are those of the expressions, in their order, for the call ValuesOf; left out where the
	// mapping answers none.
	Values   []ExpressionValue `json:"values,omitempty"`
	ValuesOf string            `json:"valuesOf,omitempty"`
}

// ExpressionValue is what an expression gives.
type ExpressionValue struct {
	Expression string     `json:"expression"`
	Value      *tree.Node `json:"value,omitempty"`
	// Fault says why it gives nothing.
	Fault string `json:"fault,omitempty"`
}

// TrialCall is a call that was received, and whether the mapping would answer
// it.
type TrialCall struct {
	Call
	Answers bool   `json:"answers"`
	Reason  string `json:"reason,omitempty"` // why it would not
}
