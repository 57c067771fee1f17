package contract

import (
	"slices"

	"rapidmimic.example/spec/tree"
)

// Echo gives an answer the caller's own values: where the answer is an object
// and has a property that the request's body or the path names too, with a
// value of the same kind, the caller's stands in it, the path's before the
// body's. A value that would make the answer break its schema is left out. It
// returns the names of what was echoed; the answer itself is not changed.
func Echo(value *tree.Node, schema *Schema, body *tree.Node, params map[string]string) (*tree.Node, []string) {
	if value == nil || value.Kind != tree.Map {
		return value, nil
	}
	fits := func(n *tree.Node) bool { return schema == nil || schema.Check(n) == nil }
	all, names := value, []string(nil)
	for i, m := range value.Members {
		if theirs := callerValue(m, body, params); theirs != nil && !tree.Equal(theirs, m.Value) {
			all, names = withMember(all, i, theirs), append(names, m.Key)
		}
	}
	if len(names) == 0 || fits(all) || !fits(value) {
		return all, names
	}
	one, kept := value, []string(nil) // something does not fit: try them one by one
	for i, m := range value.Members {
		if !slices.Contains(names, m.Key) {
			continue
		}
		if next := withMember(one, i, all.Members[i].Value); fits(next) {
			one, kept = next, append(kept, m.Key)
		}
	}
	return one, kept
}

// withMember returns an object with another value in one of its members.
func withMember(n *tree.Node, i int, value *tree.Node) *tree.Node {
	members := slices.Clone(n.Members)
	members[i].Value = value
	return tree.NewMap(members...)
}

// callerValue is what the caller says for a property, in the property's kind;
// nil when it says nothing fitting.
func callerValue(m tree.Member, body *tree.Node, params map[string]string) *tree.Node {
	if text, ok := params[m.Key]; ok {
		switch m.Value.Kind {
		case tree.String:
			return tree.NewString(text)
		case tree.Number:
			if n, err := tree.ParseJSON([]byte(text)); err == nil && n.Kind == tree.Number {
				return n
			}
		}
		return nil
	}
	if theirs := body.Get(m.Key); theirs != nil && theirs.Kind == m.Value.Kind {
		return theirs
	}
	return nil
}
