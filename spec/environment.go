package spec

import (
	"fmt"
	"strconv"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Environment is what a folder has that belongs to no single service.
type Environment struct {
	// Impairments are those that are switched on.
	Impairments []TargetImpairment `json:"impairments,omitempty"`
	Scenarios   []Scenario         `json:"scenarios,omitempty"`
	// Variables are those of all services.
	VariableTable
	// VariableSet is the set of variables in use, "" for none; nil leaves it.
	VariableSet *string `json:"variableSet,omitempty"`
	// Ignored says which calls lists leave out; nil leaves that.
	Ignored *Ignored `json:"ignored,omitempty"`
	// ImpairmentsOff is the one switch for all impairments; nil leaves it.
	ImpairmentsOff *bool `json:"impairmentsOff,omitempty"`
	// Scenario is the one that is on for calls in no lane, "" for none; nil leaves it.
	Scenario *string `json:"scenario,omitempty"`
}

// Empty reports whether there is nothing in it.
func (e Environment) Empty() bool {
	return len(e.Impairments)+len(e.Scenarios)+len(e.Variables)+len(e.VariableSets) == 0 && e.VariableSet == nil && e.Ignored == nil && e.ImpairmentsOff == nil && e.Scenario == nil
}

// ReadEnvironment reads one environment document, and gives the places of its
// impairments and scenarios.
func ReadEnvironment(text []byte) (e Environment, impairments, scenarios []*tree.Node, err error) {
	n, err := tree.Parse(text)
	switch {
	case err != nil:
		return e, nil, nil, SyntaxProblem(err, "the environment")
	case n.Kind == tree.Null: // the file says that the folder is an environment, and no more
		return e, nil, nil, nil
	}
	items := tree.Decode(n, &e, "environment")
	impairments, scenarios = n.Get("impairments").Elements(), n.Get("scenarios").Elements()
	if len(items) > 0 {
		return e, nil, nil, problem.FromItems("the environment cannot be used", items)
	}
	items = append(items, tree.Locate(n, e.VariableTable.faults())...)
	items = append(items, tree.Locate(n, e.VariableTable.writtenSecrets())...)
	if e.Ignored != nil {
		if e.Ignored.Calls == nil {
			e.Ignored.Calls = []string{}
		}
		items = append(items, tree.Locate(n, e.Ignored.faults("/ignored"))...)
	}
	seen := make(map[string]bool)
	once := func(what, at string, node *tree.Node) {
		if seen[what] {
			items = append(items, problem.Item{At: at, Line: int(node.Line), Col: int(node.Col), Detail: what + " is there twice"})
		}
		seen[what] = true
	}
	for i, own := range e.Impairments {
		at := "/impairments/" + strconv.Itoa(i)
		items = append(items, tree.Locate(n, ownFaults(&own.Impairment, at+"/impairment"))...)
		once(fmt.Sprintf("an impairment of %s", own.Target), at, impairments[i])
	}
	for i, s := range e.Scenarios {
		at := "/scenarios/" + strconv.Itoa(i)
		for _, fault := range tree.Locate(scenarios[i], append(s.faults(), VariableTable{Variables: s.Variables}.writtenSecrets()...)) {
			fault.At = at + fault.At
			items = append(items, fault)
		}
		once(fmt.Sprintf("scenario %q", s.Name), at, scenarios[i])
	}
	return e, impairments, scenarios, problem.FromItems("the environment cannot be used", items)
}
