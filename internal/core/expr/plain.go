package expr

import (
	"strings"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/traits"

	"rapidmimic/spec/tree"
)

// Plain is a value of a document as expressions take it; whole numbers stay
// whole.
func Plain(n *tree.Node) any {
	return converted(n, func(_ *tree.Node, object map[string]any) any { return object })
}

// converted turns a value into what CEL takes, objects by way of a function.
func converted(n *tree.Node, object func(*tree.Node, map[string]any) any) any {
	if n == nil {
		return nil
	}
	switch n.Kind {
	case tree.Bool:
		return n.IsTrue()
	case tree.String:
		return n.Text
	case tree.Number:
		if i, ok := n.Int(); ok && !strings.ContainsAny(n.Text, ".eE") {
			return int64(i)
		}
		f, _ := n.Float()
		return f
	case tree.List:
		list := make([]any, len(n.Items))
		for i, item := range n.Items {
			list[i] = converted(item, object)
		}
		return list
	case tree.Map:
		members := make(map[string]any, len(n.Members))
		for _, m := range n.Members {
			members[m.Key] = converted(m.Value, object)
		}
		return object(n, members)
	default:
		return nil
	}
}

// ordered is an object of a document: it keeps its order and the digits of its
// numbers when an expression gives it back whole.
type ordered struct {
	traits.Mapper
	node *tree.Node
}

// Value is a value of a document as expressions take it; unlike what Plain
// gives, objects remember how they were written.
func Value(n *tree.Node) any {
	return converted(n, func(n *tree.Node, object map[string]any) any {
		return ordered{types.DefaultTypeAdapter.NativeToValue(object).(traits.Mapper), n}
	})
}
