package contract

import (
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Pin fixes one field of an answer's body. It is immutable.
type Pin struct {
	// Pointer is a JSON Pointer, in which * stands for every element.
	Pointer string
	path    []string
	value   *expr.Template
}

// Path is the way to the field, step by step.
func (p Pin) Path() []string { return p.path }

// Fixed reports whether the same stands there for every call.
func (p Pin) Fixed() bool { return p.value.Fixed() }

// Value is what stands there for one call.
func (p Pin) Value(scope *expr.Scope) (*tree.Node, error) { return p.value.Render(scope) }

// CompilePins compiles the pins of one operation, in the order of their
// pointers.
func CompilePins(pins map[string]*tree.Node) ([]Pin, []problem.Item) {
	var compiled []Pin
	var items []problem.Item
	for pointer, n := range pins {
		value, faults := expr.CompileTemplate(n)
		for _, fault := range faults {
			fault.At = tree.Join("", pointer) + fault.At
			items = append(items, fault)
		}
		path := strings.Split(strings.TrimPrefix(pointer, "/"), "/")
		for i, step := range path {
			path[i] = strings.NewReplacer("~1", "/", "~0", "~").Replace(step)
		}
		compiled = append(compiled, Pin{pointer, path, value})
	}
	slices.SortFunc(compiled, func(a, b Pin) int { return strings.Compare(a.Pointer, b.Pointer) })
	return compiled, items
}

// Apply sets the fields that the pins fix in a body, which itself is not
// changed. It returns the pointers of those that found their place: a pin whose
// object is not there sets nothing. An error is that of an expression.
func Apply(pins []Pin, body *tree.Node, scope *expr.Scope) (pinned *tree.Node, applied []string, err error) {
	for _, pin := range pins {
		next, found, err := pin.set(body, pin.path, scope)
		if err != nil {
			return body, applied, err
		}
		if found {
			body, applied = next, append(applied, pin.Pointer)
		}
	}
	return body, applied, nil
}

// set returns n with the field at path replaced. found is false when nothing
// is there to replace.
func (p *Pin) set(n *tree.Node, path []string, scope *expr.Scope) (out *tree.Node, found bool, err error) {
	if len(path) == 0 {
		out, err = p.value.Render(scope)
		return out, true, err
	}
	switch n.Kind {
	case tree.Map:
		members := slices.Clone(n.Members)
		for i, m := range members {
			if m.Key != path[0] && path[0] != "*" {
				continue
			}
			value, ok, err := p.set(m.Value, path[1:], scope)
			if err != nil {
				return n, false, err
			}
			members[i].Value, found = value, found || ok
		}
		if !found && len(path) == 1 && path[0] != "*" { // an optional field that was left out
			value, err := p.value.Render(scope)
			return tree.NewMap(append(members, tree.Member{Key: path[0], Value: value})...), true, err
		}
		return tree.NewMap(members...), found, nil
	case tree.List:
		items := slices.Clone(n.Items)
		for i, item := range items {
			if path[0] != "*" && path[0] != strconv.Itoa(i) {
				continue
			}
			value, ok, err := p.set(item, path[1:], scope)
			if err != nil {
				return n, false, err
			}
			items[i], found = value, found || ok
		}
		return tree.NewList(items...), found, nil
	}
	return n, false, nil
}

// SampleAnswer is an answer of an operation when it succeeds, always the same; ok is false
// where that has no body.
func SampleAnswer(p Protocol, op *Operation) (built Built, ok bool) {
	response := op.Success
	if response == nil || len(response.MediaTypes) == 0 {
		return built, false
	}
	built, _ = p.Answer(&Asked{Operation: op}, Wanted{
		Status: response.Status, MediaTypes: response.MediaTypes[:1], Draw: func() *sample.Draw { return sample.NewDraw(0, op.ID, 0) },
	})
	return built, true
}
