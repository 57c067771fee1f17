package spec

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Remember is a value that the service remembers when an answer is given: recall(key) gives
// it to the calls that follow. One of Value, Append and Forget is set.
type Remember struct {
	// Key is the name of the value, in which ${…} stands for expressions.
	Key string `json:"key"`
	// Value takes the place of what was there; Append is added to the list that is there.
	Value  *tree.Node `json:"value,omitempty"`
	Append *tree.Node `json:"append,omitempty"`
	// Forget removes what was there.
	Forget bool `json:"forget,omitempty"`
	// For is how long it is remembered; 0 for as long as the service remembers at all.
	For Duration `json:"for,omitzero"`
}

// MaxRemember is how many values one answer remembers.
const MaxRemember = 50

// RememberList is what one answer remembers, in its order; written as one value or as a list.
type RememberList []Remember

// DecodeTree reads one or a list of them.
func (l *RememberList) DecodeTree(n *tree.Node) error {
	given := []*tree.Node{n}
	if n.Kind == tree.List {
		given = n.Items
	}
	var items []problem.Item
	for i, one := range given {
		var r Remember
		for _, item := range tree.Decode(one, &r, "remember") {
			if n.Kind == tree.List {
				item.At = "/" + strconv.Itoa(i) + item.At
			}
			items = append(items, item)
		}
		*l = append(*l, r)
	}
	return problem.FromItems("what is to be remembered cannot be used", items)
}

// MarshalJSON writes one as an object, several as a list.
func (l RememberList) MarshalJSON() ([]byte, error) {
	if len(l) == 1 {
		return json.Marshal(l[0])
	}
	return json.Marshal([]Remember(l))
}

// UnmarshalJSON reads what MarshalJSON writes.
func (l *RememberList) UnmarshalJSON(text []byte) error { return decodeJSON(text, l) }

// Place is the JSON Pointer to one of them, below that of the list.
func (l RememberList) Place(i int) string {
	if len(l) == 1 {
		return ""
	}
	return "/" + strconv.Itoa(i)
}

func (l RememberList) faults(at string) (items []problem.Item) {
	fault := func(i int, format string, args ...any) {
		items = append(items, problem.Item{At: at + l.Place(i), Detail: fmt.Sprintf(format, args...)})
	}
	if len(l) > MaxRemember {
		items = append(items, problem.Item{At: at, Detail: fmt.Sprintf("an answer remembers at most %d values, not %d", MaxRemember, len(l))})
	}
	for i, r := range l {
		given := 0
		for _, is := range []bool{r.Value != nil, r.Append != nil, r.Forget} {
			if is {
				given++
			}
		}
		switch {
		case r.Key == "":
			fault(i, "remember needs a key, by which recall finds the value")
		case given != 1:
			fault(i, "remember needs one of value, append and forget: true")
		case r.Forget && r.For != 0:
			fault(i, "for belongs to a value, and forget removes one")
		case r.For < 0:
			fault(i, "for must be a time such as 10m, not %s", r.For)
		}
	}
	return items
}

// Flow is a state machine that calls move on: the mapping answers in the states of When, and
// its answer moves the thing that the call is about to Then.
type Flow struct {
	// Name is shared by the mappings of one flow.
	Name string `json:"name"`
	// Of tells things apart, each of which has a state of its own: an expression ${…} that
	// gives the id of what the call is about. Left out, there is one thing.
	Of string `json:"of,omitempty"`
	// When are the states in which the mapping answers; none for any.
	When States `json:"when,omitempty"`
	// Then is the state afterwards; "" for the same.
	Then string `json:"then,omitempty"`
}

// FlowStart is the state of a thing that no call has moved yet.
const FlowStart = "start"

// States are one state or several, written as one word or a list.
type States []string

// DecodeTree reads one state or a list of them.
func (s *States) DecodeTree(n *tree.Node) error {
	for _, one := range valuesOf(n) {
		if one.Kind == tree.List || one.Kind == tree.Map || one.Text == "" {
			return errors.New("must be a state such as draft, or a list of states")
		}
		*s = append(*s, one.Text)
	}
	return nil
}

// MarshalJSON writes one state as a word, several as a list.
func (s States) MarshalJSON() ([]byte, error) {
	if len(s) == 1 {
		return json.Marshal(s[0])
	}
	return json.Marshal([]string(s))
}

// UnmarshalJSON reads what MarshalJSON writes.
func (s *States) UnmarshalJSON(text []byte) error { return decodeJSON(text, s) }

var flowWord = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9 ._-]{0,59}$`)

func (f *Flow) faults(at string) (items []problem.Item) {
	check := func(inside, what, word string) {
		if !flowWord.MatchString(word) {
			items = append(items, problem.Item{At: at + inside, Detail: fmt.Sprintf("%s must be letters, digits, spaces, `.`, `_` and `-`, at most 60, not %q", what, word)})
		}
	}
	check("/name", "the name of a flow", f.Name)
	for _, state := range f.When {
		check("/when", "a state", state)
	}
	if f.Then != "" {
		check("/then", "a state", f.Then)
	} else if len(f.When) == 0 {
		items = append(items, problem.Item{At: at, Detail: "a flow needs when, then or both: the states in which the mapping answers, and the one afterwards"})
	}
	return items
}

// Holds reports whether the mapping answers in a state.
func (f *Flow) Holds(state string) bool { return len(f.When) == 0 || slices.Contains(f.When, state) }
