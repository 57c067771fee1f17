// Package boundary proposes boundary values for a field of a JSON document: those at which
// programs fail. Each is judged by the schema of the field. It computes and stores nothing.
package boundary

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Validity is what a contract says of a value.
type Validity string

// The validities. Unknown is that of every value where nothing is known of the field.
const (
	Valid   Validity = "valid"
	Invalid Validity = "invalid"
	Unknown Validity = "unknown"
)

// Field is a place of a document, or several that one path names.
type Field struct {
	// Path is the path as it was given; Name its last name, "" for the whole document.
	Path, Name string
	// Pointers are JSON Pointers to the places, in the order of the document.
	Pointers []string
	// Present is what stands at the first of them; nil for nothing.
	Present *tree.Node
	// Schema is nil where the contract says nothing of the field.
	Schema   *contract.Schema
	Required bool
	// element is set where the places are elements of a list, which cannot be missing.
	element bool

	document *tree.Node
	whole    *contract.Schema
}

// Value is one that the field may have.
type Value struct {
	// ID names the value among those of its field: "just-above-maximum".
	ID string
	// Says is what it is, in a few words.
	Says string
	// Node is the value; nil for a field that is missing.
	Node     *tree.Node
	Validity Validity
	// Breach says what is wrong with one that is invalid.
	Breach string
	// Follows are counts and totals elsewhere in the document that would be wrong with it.
	Follows []Follow
}

// Follow is a field that belongs to a list: its count, or a total of its elements.
type Follow struct {
	Pointer  string
	From, To *tree.Node
}

// At finds the field that a path names in a document: $.dues.amount, $.berths[0].state,
// $.berths[*].state, or a JSON Pointer. schema is that of the document; nil for none. The last
// name need not be there, as long as the schema has it.
func At(document *tree.Node, path string, schema *contract.Schema) (*Field, error) {
	steps, err := stepsOf(path)
	if err != nil {
		return nil, err
	}
	f := &Field{Path: path, document: document, whole: schema, Schema: schema, Required: true}
	places := []place{{"", document}}
	for i, step := range steps {
		last := i == len(steps)-1
		around := f.Schema
		if places, err = step.from(places, last); err != nil {
			return nil, fmt.Errorf("%s: %w", path, err)
		}
		if f.into(step); last && places[0].node == nil && f.Schema == nil {
			return nil, fmt.Errorf("%s: neither the answer nor its contract has %q there%s", path, step.name, nearest(step.name, around))
		}
	}
	for _, p := range places {
		f.Pointers = append(f.Pointers, p.pointer)
	}
	f.Present = places[0].node
	return f, nil
}

// nearest suggests a property of a schema whose name is close to another; "" for none.
func nearest(name string, schema *contract.Schema) string {
	if schema == nil {
		return ""
	}
	var names []string
	for _, p := range schema.Properties() {
		names = append(names, p.Name)
	}
	if near := problem.Closest(name, names); near != "" {
		return " (" + near + "?)"
	}
	return ""
}

// into leads the schema of the field one step further.
func (f *Field) into(s step) {
	f.element, f.Required = s.index != "", false
	switch {
	case f.Schema == nil:
	case s.index != "":
		f.Schema = f.Schema.Elements()
	default:
		f.Name = s.name
		p, declared := f.Schema.Property(s.name)
		f.Schema, f.Required = nil, false
		if declared {
			f.Schema, f.Required = p.Schema, p.Required
		}
	}
	if s.index == "" {
		f.Name = s.name
	}
}

// place is a value of a document, and where it stands; nil for one that is not there yet.
type place struct {
	pointer string
	node    *tree.Node
}

// step is one part of a path: the name of a member, or the index of an element, of which * is all.
type step struct{ name, index string }

func stepsOf(path string) (steps []step, err error) {
	if pointer, ok := strings.CutPrefix(path, "/"); ok {
		for _, token := range strings.Split(pointer, "/") {
			token = strings.NewReplacer("~1", "/", "~0", "~").Replace(token)
			if _, err := strconv.Atoi(token); err == nil {
				steps = append(steps, step{index: token})
			} else {
				steps = append(steps, step{name: token})
			}
		}
		return steps, nil
	}
	rest, ok := strings.CutPrefix(path, "$")
	if !ok {
		return nil, fmt.Errorf("%q is no path: write $.dues.amount, $.berths[0].state, $.berths[*].state, or /dues/amount", path)
	}
	for rest != "" {
		var one step
		switch {
		case strings.HasPrefix(rest, "["):
			inside, after, closed := strings.Cut(rest[1:], "]")
			if !closed {
				return nil, fmt.Errorf("%q: [ is not closed", path)
			}
			if name := strings.Trim(inside, `'"`); name != inside {
				one.name = name
			} else if one.index = inside; inside != "*" {
				if n, err := strconv.Atoi(inside); err != nil || n < 0 {
					return nil, fmt.Errorf("%q: [%s] must be an index, * or a name in quotes", path, inside)
				}
			}
			rest = after
		case strings.HasPrefix(rest, "."):
			end := strings.IndexAny(rest[1:], ".[")
			if end < 0 {
				end = len(rest) - 1
			}
			one.name, rest = rest[1:1+end], rest[1+end:]
			if one.name == "" {
				return nil, fmt.Errorf("%q: a name is missing after the point", path)
			}
		default:
			return nil, fmt.Errorf("%q: expected . or [ at %q", path, rest)
		}
		steps = append(steps, one)
	}
	return steps, nil
}

// from leads from places to those inside of them.
func (s step) from(places []place, last bool) (inside []place, err error) {
	for _, p := range places {
		switch {
		case s.index == "" && p.node.Kind == tree.Map:
			if node := p.node.Get(s.name); node != nil || last {
				inside = append(inside, place{tree.Join(p.pointer, s.name), node})
			}
		case s.index != "" && p.node.Kind == tree.List:
			for i, item := range p.node.Items {
				if n := strconv.Itoa(i); s.index == "*" || s.index == n {
					inside = append(inside, place{p.pointer + "/" + n, item})
				}
			}
		}
	}
	if len(inside) > 0 {
		return inside, nil
	}
	what := fmt.Sprintf("[%s]", s.index)
	if s.index == "" {
		what = fmt.Sprintf("%q", s.name)
	}
	at := places[0]
	return nil, fmt.Errorf("the answer has no %s there: %s is %s", what, cmp.Or(at.pointer, "it"), kindText(at.node))
}

func kindText(n *tree.Node) string {
	switch n.Kind {
	case tree.Map:
		names := make([]string, 0, len(n.Members))
		for _, m := range n.Members {
			names = append(names, m.Key)
		}
		return "an object with " + strings.Join(names[:min(len(names), 10)], ", ")
	case tree.List:
		return fmt.Sprintf("a list of %d", len(n.Items))
	default:
		return n.Kind.String()
	}
}

// Document is the document with a value at all places of the field, and with what follows it
// where follow is set.
func (f *Field) Document(v *Value, follow bool) *tree.Node {
	changed := f.document
	for i := len(f.Pointers) - 1; i >= 0; i-- { // from the back: removing moves what comes after
		changed = with(changed, tokens(f.Pointers[i]), v.Node)
	}
	if follow {
		for _, one := range v.Follows {
			changed = with(changed, tokens(one.Pointer), one.To)
		}
	}
	return changed
}

func tokens(pointer string) []string {
	if pointer == "" {
		return nil
	}
	list := strings.Split(pointer[1:], "/")
	for i := range list {
		list[i] = strings.NewReplacer("~1", "/", "~0", "~").Replace(list[i])
	}
	return list
}

// with is a document with another value at a place; nil takes the member out.
func with(n *tree.Node, path []string, value *tree.Node) *tree.Node {
	if len(path) == 0 {
		return value
	}
	if n.Kind == tree.List {
		items := slices.Clone(n.Items)
		if i, err := strconv.Atoi(path[0]); err == nil && i < len(items) {
			items[i] = with(items[i], path[1:], value)
		}
		return tree.NewList(items...)
	}
	members := slices.Clone(n.Members)
	i := slices.IndexFunc(members, func(m tree.Member) bool { return m.Key == path[0] })
	switch {
	case i < 0 && value != nil && len(path) == 1:
		members = append(members, tree.Member{Key: path[0], Value: value})
	case i < 0:
	case value == nil && len(path) == 1:
		members = slices.Delete(members, i, i+1)
	default:
		members[i].Value = with(members[i].Value, path[1:], value)
	}
	return tree.NewMap(members...)
}

// judgedWhole is how large a document may be, in bytes, so that it is judged as a whole with each
// value; of larger ones the field alone is.
const judgedWhole = 64 << 10

// judge says of each value whether the contract allows it.
func (f *Field) judge(values []Value) {
	whole := f.whole != nil && len(f.document.AppendJSON(nil)) <= judgedWhole && f.whole.Breach(f.document) == ""
	for i := range values {
		v := &values[i]
		switch {
		case f.whole == nil:
			v.Validity = Unknown
			continue
		case v.Node == nil && f.Required:
			v.Breach = fmt.Sprintf("%s is required", f.Name)
		case v.Node != nil && f.Schema != nil:
			v.Breach = f.Schema.Breach(v.Node)
		case f.Schema == nil && !whole:
			v.Validity = Unknown
			continue
		}
		if v.Breach == "" && whole {
			v.Breach = f.whole.Breach(f.Document(v, true))
		}
		if v.Validity = Valid; v.Breach != "" {
			v.Validity = Invalid
		}
	}
}
