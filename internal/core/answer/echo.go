package answer

import (
	"slices"

	"rapidmimic/internal/core/contract"
	"rapidmimic/spec/tree"
)

// Echo gives an answer the caller's own values: where the answer is an object
// and has a property that the request's body or the path names too, with a
// value of the same kind, the caller's stands in it, the path's before the
// body's. A value that would make the answer break its schema is left out. It
// returns the names of what was echoed; the answer itself is not changed.
func Echo(value *tree.Node, schema *contract.Schema, body *tree.Node, params map[string]string) (*tree.Node, []string) {
	if value == nil || value.Kind != tree.Map {
		return value, nil
	}
	var echoed []string
	for i, m := range value.Members {
		theirs := callerValue(m, body, params)
		if theirs == nil || tree.Equal(theirs, m.Value) {
			continue
		}
		members := slices.Clone(value.Members)
		members[i].Value = theirs
		changed := tree.NewMap(members...)
		if schema != nil && schema.Check(changed) != nil && schema.Check(value) == nil {
			continue
		}
		value, echoed = changed, append(echoed, m.Key)
	}
	return value, echoed
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
