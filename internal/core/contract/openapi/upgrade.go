package openapi

import (
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/tree"
)

// upgrade30 turns a schema of OpenAPI 3.0, or of Swagger 2.0, into the dialect
// of 3.1, with every schema nested in it.
func upgrade30(n *tree.Node) *tree.Node { return contract.MapSchema(n, upgradeOne) }

func upgradeOne(n *tree.Node) *tree.Node {
	if ref := n.Get("$ref"); ref != nil { // 3.0 knows nothing beside $ref
		return tree.NewMap(tree.Member{Key: "$ref", Value: ref})
	}
	members := make([]tree.Member, 0, len(n.Members))
	nullable := n.Get("nullable").IsTrue() || n.Get("x-nullable").IsTrue()
	for _, m := range n.Members {
		switch m.Key {
		case "required":
			if m.Value.Kind == tree.Bool { // belongs to a property or a parameter
				continue
			}
		case "nullable", "x-nullable":
			continue
		case "type":
			if nullable && m.Value.Kind == tree.String {
				m.Value = tree.NewList(m.Value, tree.NewString("null"))
			}
		case "enum":
			if nullable && m.Value.Kind == tree.List {
				m.Value = withNull(m.Value)
			}
		case "minimum", "maximum":
			m = exclusive(n, m)
		case "exclusiveMinimum", "exclusiveMaximum":
			if m.Value.Kind == tree.Bool {
				continue
			}
		}
		members = append(members, m)
	}
	out := tree.NewMap(members...)
	out.Line, out.Col = n.Line, n.Col
	return out
}

// withNull adds null to an enum that does not list it.
func withNull(enum *tree.Node) *tree.Node {
	for _, value := range enum.Items {
		if value.Kind == tree.Null {
			return enum
		}
	}
	return tree.NewList(append(append([]*tree.Node(nil), enum.Items...), &tree.Node{})...)
}

// exclusive renames a limit that a boolean beside it makes exclusive.
func exclusive(n *tree.Node, m tree.Member) tree.Member {
	if m.Key == "minimum" && n.Get("exclusiveMinimum").IsTrue() {
		m.Key = "exclusiveMinimum"
	}
	if m.Key == "maximum" && n.Get("exclusiveMaximum").IsTrue() {
		m.Key = "exclusiveMaximum"
	}
	return m
}
