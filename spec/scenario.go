package spec

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Scenario is a named situation: a set of changes that is switched on and off as
// one.
type Scenario struct {
	Name  string `json:"name"`
	Title string `json:"title,omitempty"`
	// Labels are free words to select by.
	Labels []string `json:"labels,omitempty"`
	// BuildsOn is another scenario whose changes hold too; where both touch the same
	// thing, this one wins.
	BuildsOn string `json:"buildsOn,omitempty"`
	Changes
}

// Changes say what is different while they are in force. The zero value changes
// nothing.
type Changes struct {
	// Impair is the impairment of everything.
	Impair *Impairment `json:"impair,omitempty"`
	// Variables come before those of services and of the environment.
	Variables map[string]Variable `json:"variables,omitempty"`
	// Services are the changes of single services, by name.
	Services map[string]ServiceChanges `json:"services,omitempty"`
}

// ServiceChanges say what is different in one service.
type ServiceChanges struct {
	// Off switches the whole service off: it answers nothing but that it is.
	Off *bool `json:"off,omitempty"`
	// Mode is answer or relay.
	Mode string `json:"mode,omitempty"`
	// Examples chooses which named examples answer: operation id → name. They come
	// before the mappings of everybody.
	Examples map[string]string `json:"examples,omitempty"`
	// Memory corrects what the service remembers, such as what its collections begin with; it is
	// a memory of its own then, which everybody's is not touched by. Nil for the same.
	Memory *Memory `json:"memory,omitempty"`
	// MappingsOff are mappings of the service that do not answer.
	MappingsOff []string `json:"mappingsOff,omitempty"`
	// Mappings answer before those of everybody.
	Mappings Mappings `json:"mappings,omitempty"`
	// Webhooks are sent when the scenario is switched on; only a scenario has them.
	Webhooks CallbackList `json:"webhooks,omitempty"`
	// Impair is the impairment of the service, the others those of its parts.
	Impair           *Impairment           `json:"impair,omitempty"`
	ImpairOperations map[string]Impairment `json:"impairOperations,omitempty"`
	ImpairMappings   map[string]Impairment `json:"impairMappings,omitempty"`
}

// Empty reports whether nothing is different.
func (s ServiceChanges) Empty() bool {
	return s.Off == nil && s.Mode == "" && s.Memory == nil && len(s.Examples)+len(s.MappingsOff)+len(s.Mappings)+len(s.Webhooks)+len(s.ImpairOperations)+len(s.ImpairMappings) == 0 && s.Impair == nil
}

// Mappings are several mappings within another document.
type Mappings []Mapping

// DecodeTree reads a list of mappings.
func (m *Mappings) DecodeTree(n *tree.Node) error {
	if n.Kind != tree.List {
		return errors.New("must be a list of mappings")
	}
	given, items := mappingKind.all(n.Items, "/")
	*m = Documents(given)
	return problem.FromItems("the mappings cannot be used", items)
}

// MarshalJSON writes them as people would: without what is so anyhow.
func (m Mappings) MarshalJSON() ([]byte, error) {
	list := tree.NewList()
	for i := range m {
		list.Items = append(list.Items, m[i].Document())
	}
	return json.Marshal(list)
}

// UnmarshalJSON reads what MarshalJSON writes.
func (m *Mappings) UnmarshalJSON(text []byte) error { return decodeJSON(text, m) }

var scenarioKind = kind[Scenario]{
	noun: "scenario", key: "name", several: "scenarios",
	added: []string{"lines", "calls", "on", "differences", "faults"},
	read:  readScenario,
	name:  func(s *Scenario) string { return s.Name },
}

// GivenScenario reads one scenario document, which has this name unless it gives
// another.
func GivenScenario(text []byte, name string) (Given[Scenario], error) {
	return scenarioKind.one(text, name)
}

// GivenScenarios reads a document that holds one scenario or several.
func GivenScenarios(text []byte) ([]Given[Scenario], error) { return scenarioKind.list(text) }

// ReadScenarios is GivenScenarios without what was said about them.
func ReadScenarios(text []byte) ([]Scenario, error) {
	given, err := GivenScenarios(text)
	if err != nil {
		return nil, err
	}
	return Documents(given), nil
}

// ReadScenarioNamed is GivenScenario without what was said about it.
func ReadScenarioNamed(text []byte, name string) (Scenario, error) {
	given, err := GivenScenario(text, name)
	return given.Document, err
}

func readScenario(n *tree.Node, name string) (s Scenario, items []problem.Item) {
	s.Name = name
	items = tree.Decode(n, &s, "scenario")
	return s, append(items, Besides(items, tree.Locate(n, s.faults()), n)...)
}

func (s Scenario) faults() (items []problem.Item) {
	if !ValidName(s.Name) {
		items = append(items, problem.Item{At: "/name", Detail: fmt.Sprintf("the name of a scenario is %s, not %q", NameRule, s.Name)})
	}
	if s.BuildsOn != "" && s.BuildsOn == s.Name {
		items = append(items, problem.Item{At: "/buildsOn", Detail: "a scenario cannot build on itself"})
	}
	for i, label := range s.Labels {
		if !ValidLabel(label) {
			items = append(items, problem.Item{At: "/labels/" + strconv.Itoa(i), Detail: fmt.Sprintf("a label is %s, not %q", LabelRule, label)})
		}
	}
	return append(items, s.Changes.faults()...)
}

// faults finds what the shape of changes does not show.
func (c Changes) faults() (items []problem.Item) {
	items = append(items, ownFaults(c.Impair, "/impair")...)
	items = append(items, variableFaults(c.Variables, "/variables")...)
	for _, name := range slices.Sorted(maps.Keys(c.Services)) {
		s, at := c.Services[name], tree.Join("/services", name)
		if s.Mode != "" && s.Mode != ModeAnswer && s.Mode != ModeRelay {
			items = append(items, problem.Item{At: at + "/mode", Detail: fmt.Sprintf("mode must be answer or relay, not %q", s.Mode)})
		}
		if s.Memory != nil {
			for _, item := range s.Memory.faults() {
				item.At = at + item.At
				items = append(items, item)
			}
		}
		items = append(items, s.Webhooks.faults(at+"/webhooks")...)
		for i, w := range s.Webhooks {
			if w.Name == "" && w.To != "" { // without both it is told already
				items = append(items, problem.Item{At: at + "/webhooks" + s.Webhooks.Place(i), Detail: "a webhook needs the name that it has in the contract"})
			}
		}
		items = append(items, ownFaults(s.Impair, at+"/impair")...)
		for key, parts := range map[string]map[string]Impairment{"/impairOperations": s.ImpairOperations, "/impairMappings": s.ImpairMappings} {
			for _, id := range slices.Sorted(maps.Keys(parts)) {
				part := parts[id]
				items = append(items, ownFaults(&part, tree.Join(at+key, id))...)
			}
		}
	}
	return items
}

func ownFaults(i *Impairment, at string) []problem.Item {
	switch {
	case i == nil:
		return nil
	case i.Empty():
		return []problem.Item{{At: at, Detail: "an impairment needs latency, errors, limit, connection or outage"}}
	default:
		return i.Faults(at)
	}
}

// Document is the scenario as people would write it.
func (s Scenario) Document() *tree.Node {
	n, err := tree.From(s)
	if err != nil {
		panic(err) // our own documents always marshal
	}
	return n
}
