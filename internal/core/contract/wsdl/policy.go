package wsdl

import (
	"slices"
	"strings"

	"rapidmimic.example/internal/core/xmltree"
)

// isPackaging reports whether an assertion of a policy is that messages come by MTOM.
func isPackaging(assertion name) bool {
	return assertion.Local == "OptimizedMimeSerialization" || assertion.Local == "MTOM"
}

// demands reports whether a policy of a binding or a port, beside others or by reference, has an
// assertion of a kind that is not optional.
func (r *reader) demands(n *xmltree.Node, kind func(assertion name) bool) bool {
	return slices.ContainsFunc(n.Children, func(c *xmltree.Node) bool {
		switch c.Name.Local {
		case "PolicyReference":
			policy := r.policies[strings.TrimPrefix(c.Attr("URI"), "#")]
			return policy != nil && asserts(policy, kind)
		case "Policy":
			return asserts(c, kind)
		}
		return false
	})
}

func asserts(policy *xmltree.Node, kind func(assertion name) bool) bool {
	return slices.ContainsFunc(policy.Children, func(c *xmltree.Node) bool {
		optional := slices.ContainsFunc(c.Attrs, func(a xmltree.Attr) bool { return a.Name.Local == "Optional" && a.Value == "true" })
		return !optional && (kind(c.Name) || asserts(c, kind))
	})
}

// idOf is the id of a policy, which is an attribute of another namespace.
func idOf(n *xmltree.Node) string {
	for _, a := range n.Attrs {
		if a.Name.Local == "Id" {
			return a.Value
		}
	}
	return ""
}
