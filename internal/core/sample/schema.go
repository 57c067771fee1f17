package sample

import (
	"slices"
	"strconv"

	"rapidmimic.example/spec/tree"
)

// flatten resolves $ref and allOf of one schema into a single object.
func (c *compiler) flatten(n *tree.Node, depth int) *tree.Node {
	for range maxMerge {
		if !c.worked(1 + len(n.Members)) {
			break
		}
		ref := n.Get("$ref").Str()
		if ref == "" {
			ref = n.Get("$dynamicRef").Str()
		}
		all := n.Get("allOf")
		if ref == "" && all == nil {
			return n
		}
		c.exact = c.exact && n.Get("$dynamicRef") == nil
		rest := without(n, "$ref", "$dynamicRef", "allOf")
		if ref != "" {
			if target := c.resolver.Resolve(ref); target != nil {
				rest = c.merge(rest, target)
			} else {
				c.exact = false
			}
		}
		if all != nil {
			for _, part := range all.Items {
				rest = c.merge(rest, c.flattenPart(part, depth+1))
			}
		}
		n = rest
	}
	c.exact = false
	return without(n, "$ref", "$dynamicRef", "allOf")
}

// worked takes from the work that compiling one schema may be; false says that none
// is left: schemas that hold one another double with every level. What is then left
// out makes the generator inexact.
func (c *compiler) worked(steps int) bool {
	if c.work -= steps; c.work > 0 {
		return true
	}
	c.exact = false
	return false
}

func (c *compiler) flattenPart(part *tree.Node, depth int) *tree.Node {
	if depth > maxMerge || c.work <= 0 || part == nil || part.Kind != tree.Map {
		c.exact = c.exact && (part == nil || part.IsTrue())
		return tree.NewMap()
	}
	return c.flatten(part, depth)
}

func without(n *tree.Node, keys ...string) *tree.Node {
	var members []tree.Member
	for _, m := range n.Members {
		if !slices.Contains(keys, m.Key) {
			members = append(members, m)
		}
	}
	return tree.NewMap(members...)
}

// annotations say nothing about which values are valid.
var annotations = set("title", "description", "summary", "example", "examples", "default", "deprecated", "readOnly", "writeOnly",
	"xml", "externalDocs", "discriminator", "$comment", "$id", "$schema", "$anchor", "$dynamicAnchor", "$defs", "definitions")

func set(words ...string) map[string]bool {
	s := make(map[string]bool, len(words))
	for _, w := range words {
		s[w] = true
	}
	return s
}

// merge gives a schema that demands what a and b both demand. Keywords that
// only one of them has are kept; of limits the tighter one counts.
func (c *compiler) merge(a, b *tree.Node) *tree.Node {
	if b == nil || b.Kind != tree.Map {
		c.exact = c.exact && !b.IsFalse()
		return a
	}
	if !c.worked(1 + len(a.Members) + len(b.Members)) {
		return a
	}
	if shuts(a, b) || shuts(b, a) {
		c.exact = false
	}
	members := slices.Clone(a.Members)
	for _, m := range b.Members {
		i := slices.IndexFunc(members, func(have tree.Member) bool { return have.Key == m.Key })
		if i < 0 {
			members = append(members, m)
			continue
		}
		members[i].Value = c.mergeKeyword(m.Key, members[i].Value, m.Value)
	}
	return tree.NewMap(members...)
}

// shuts reports whether a may forbid properties that b brings.
func shuts(a, b *tree.Node) bool {
	extra := a.Get("additionalProperties")
	if extra == nil || extra.IsTrue() || b.Get("properties") == nil {
		return false
	}
	for _, m := range b.Get("properties").Members {
		if a.Get("properties").Get(m.Key) == nil {
			return true
		}
	}
	return false
}

func (c *compiler) mergeKeyword(key string, a, b *tree.Node) *tree.Node {
	switch key {
	case "properties", "patternProperties", "dependentSchemas":
		return mergeProperties(a, b)
	case "required", "allOf":
		return tree.NewList(slices.Concat(a.Items, b.Items)...)
	case "minimum", "exclusiveMinimum", "minLength", "minItems", "minProperties":
		return byNumber(a, b, func(x, y float64) bool { return x >= y })
	case "maximum", "exclusiveMaximum", "maxLength", "maxItems", "maxProperties":
		return byNumber(a, b, func(x, y float64) bool { return x <= y })
	case "enum":
		return tree.NewList(slices.DeleteFunc(slices.Clone(a.Items), func(x *tree.Node) bool { return !containsValue(b.Items, x) })...)
	case "type":
		return mergeTypes(a, b)
	case "items", "additionalProperties", "propertyNames":
		if a.Kind == tree.Map && b.Kind == tree.Map {
			return allOf(a, b)
		}
		if b.IsTrue() || a.IsFalse() {
			return a
		}
		return b
	case "oneOf", "anyOf":
		if !c.worked(len(a.Items) * len(b.Items)) {
			return a
		}
		return crossed(a, b)
	case "not":
		return tree.NewMap(tree.Member{Key: "anyOf", Value: tree.NewList(a, b)})
	case "pattern":
		if tree.Equal(a, b) {
			return a
		}
		c.exact = false
		return tree.NewList(slices.Concat(listOf(a), listOf(b))...)
	case "uniqueItems", "nullable":
		return tree.NewBool(a.IsTrue() || b.IsTrue())
	default:
		if !annotations[key] && !tree.Equal(a, b) {
			c.exact = false
		}
		return a
	}
}

// listOf is a list's items, or the value alone.
func listOf(n *tree.Node) []*tree.Node {
	if n.Kind == tree.List {
		return n.Items
	}
	return []*tree.Node{n}
}

func mergeProperties(a, b *tree.Node) *tree.Node {
	members := slices.Clone(a.Members)
	for _, m := range b.Members {
		i := slices.IndexFunc(members, func(have tree.Member) bool { return have.Key == m.Key })
		if i < 0 {
			members = append(members, m)
		} else if !tree.Equal(members[i].Value, m.Value) {
			members[i].Value = allOf(members[i].Value, m.Value)
		}
	}
	return tree.NewMap(members...)
}

func allOf(a, b *tree.Node) *tree.Node {
	return tree.NewMap(tree.Member{Key: "allOf", Value: tree.NewList(a, b)})
}

// crossed pairs each branch of a with each of b.
func crossed(a, b *tree.Node) *tree.Node {
	var branches []*tree.Node
	for _, x := range a.Items {
		for _, y := range b.Items {
			branches = append(branches, allOf(x, y))
		}
	}
	return tree.NewList(branches...)
}

func byNumber(a, b *tree.Node, first func(x, y float64) bool) *tree.Node {
	x, _ := a.Float()
	y, _ := b.Float()
	if first(x, y) {
		return a
	}
	return b
}

func mergeTypes(a, b *tree.Node) *tree.Node {
	x, y := typeNames(a), typeNames(b)
	var both []*tree.Node
	for _, name := range x {
		switch {
		case slices.Contains(y, name), name == "integer" && slices.Contains(y, "number"):
			both = append(both, tree.NewString(name))
		case name == "number" && slices.Contains(y, "integer"):
			both = append(both, tree.NewString("integer"))
		}
	}
	return tree.NewList(both...)
}

func typesOf(n *tree.Node) []string { return typeNames(n.Get("type")) }

func typeNames(n *tree.Node) []string {
	if name := n.Str(); name != "" {
		return []string{name}
	}
	return stringsOf(n)
}

func stringsOf(n *tree.Node) (list []string) {
	if n == nil {
		return nil
	}
	for _, item := range n.Items {
		if item.Kind == tree.String {
			list = append(list, item.Text)
		}
	}
	return list
}

// count reads a number of things, -1 when it is not given.
func count(n *tree.Node, key string) int {
	if i, ok := n.Get(key).Int(); ok && i >= 0 {
		return i
	}
	return -1
}

// impliedTypes guesses the type of a schema that names none from the keywords
// it uses; a schema that says nothing at all gets a word.
func impliedTypes(n *tree.Node) []string {
	for _, guess := range []struct {
		kind string
		keys []string
	}{
		{"object", []string{"properties", "required", "additionalProperties", "minProperties", "patternProperties", "propertyNames", "dependentRequired"}},
		{"array", []string{"items", "prefixItems", "minItems", "maxItems", "contains", "uniqueItems"}},
		{"number", []string{"minimum", "maximum", "multipleOf", "exclusiveMinimum", "exclusiveMaximum"}},
	} {
		for _, key := range guess.keys {
			if n.Get(key) != nil {
				return []string{guess.kind}
			}
		}
	}
	return []string{"string"}
}

func ofTypes(values []*tree.Node, types []string) []*tree.Node {
	if len(types) == 0 {
		return values
	}
	var fitting []*tree.Node
	for _, v := range values {
		if slices.ContainsFunc(types, func(name string) bool { return hasType(v, name) }) {
			fitting = append(fitting, v)
		}
	}
	return fitting
}

func hasType(v *tree.Node, name string) bool {
	switch name {
	case "null":
		return v.Kind == tree.Null
	case "boolean":
		return v.Kind == tree.Bool
	case "string":
		return v.Kind == tree.String
	case "array":
		return v.Kind == tree.List
	case "object":
		return v.Kind == tree.Map
	case "integer":
		f, err := strconv.ParseFloat(v.Text, 64)
		return v.Kind == tree.Number && err == nil && f == float64(int64(f))
	default:
		return v.Kind == tree.Number
	}
}
