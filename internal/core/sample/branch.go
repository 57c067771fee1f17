package sample

import (
	"slices"

	"rapidmimic.example/spec/tree"
)

// branches spreads out one keyword that offers a choice: each result is the
// whole schema with one of the alternatives merged in. It is nil when there is
// no choice left.
func (c *compiler) branches(n *tree.Node, depth int) []*tree.Node {
	if kinds := n.Get(KindsKey); kinds != nil {
		return c.kinds(n, kinds)
	}
	for _, key := range []string{"oneOf", "anyOf"} {
		if list := n.Get(key); list != nil && len(list.Items) > 0 {
			return c.spread(n, key, list.Items, depth)
		}
	}
	if condition := n.Get("if"); condition != nil {
		rest := without(n, "if", "then", "else")
		holds := c.merge(c.merge(rest, condition), n.Get("then"))
		if condition.Kind != tree.Map || n.Get("then").IsFalse() {
			holds = nil
		}
		otherwise := c.merge(exclude(rest, condition), n.Get("else"))
		return present(holds, otherwise)
	}
	if schemas := n.Get("dependentSchemas"); schemas != nil && len(schemas.Members) > 0 {
		first := schemas.Members[0]
		rest := without(n, "dependentSchemas")
		if more := schemas.Members[1:]; len(more) > 0 {
			rest = with(rest, "dependentSchemas", tree.NewMap(more...))
		}
		if slices.Contains(stringsOf(n.Get("required")), first.Key) {
			return []*tree.Node{c.merge(rest, first.Value)}
		}
		there := c.merge(c.merge(rest, first.Value), requiring(first.Key))
		return []*tree.Node{there, exclude(rest, requiring(first.Key))}
	}
	return nil
}

func present(nodes ...*tree.Node) []*tree.Node {
	return slices.DeleteFunc(nodes, func(n *tree.Node) bool { return n == nil })
}

func requiring(name string) *tree.Node {
	return tree.NewMap(tree.Member{Key: "required", Value: tree.NewList(tree.NewString(name))})
}

// with sets one key of an object.
func with(n *tree.Node, key string, value *tree.Node) *tree.Node {
	members := slices.Clone(without(n, key).Members)
	return tree.NewMap(append(members, tree.Member{Key: key, Value: value})...)
}

// spread merges each alternative of oneOf or anyOf into the rest of a schema.
func (c *compiler) spread(n *tree.Node, key string, list []*tree.Node, depth int) []*tree.Node {
	rest := without(n, key)
	var branches, resolved []*tree.Node
	for _, branch := range list {
		if branch.IsFalse() {
			continue
		}
		if branch.Kind != tree.Map {
			branch = tree.NewMap()
		}
		resolved = append(resolved, c.flattenPart(branch, depth+1))
		branches = append(branches, c.merge(rest, branch))
	}
	if key == "oneOf" && !disjoint(resolved) {
		c.exact = false
	}
	return branches
}

// The keyword that says which schemas a value may obey, told apart by the value of one property, and
// the keys of what it holds: the property, a list of the values and the schema ($ref) of each kind, the
// keyword in whose place it stands, and what becomes of other values.
const (
	KindsKey      = "x-rapid-mimic-kinds"
	KindsProperty = "property"
	KindsList     = "of"
	KindNames     = "names"
	KindsInstead  = "instead"
	KindsOpen     = "open"
	// KindsOtherwise is the pointer of the schema of values that no kind names.
	KindsOtherwise = "otherwise"
)

// mostKinds bounds how many kinds are drawn.
const mostKinds = 24

// kinds spreads out what one property tells apart. A schema that others descend from is not drawn
// itself: it mostly says what they have in common.
func (c *compiler) kinds(n, kinds *tree.Node) (branches []*tree.Node) {
	rest := without(n, KindsKey, kinds.Get(KindsInstead).Str())
	property, list := kinds.Get(KindsProperty).Str(), kinds.Get(KindsList).Elements()
	if last := len(list) - 1; last > 0 && kinds.Get(KindsInstead) == nil {
		list = list[:last]
	}
	for _, kind := range list[:min(len(list), mostKinds)] {
		says := tree.NewMap(tree.Member{Key: property, Value: tree.NewMap(tree.Member{Key: "const", Value: kind.Get(KindNames).Items[0]})})
		plain := tree.NewMap(tree.Member{Key: "$ref", Value: kind.Get("$ref")})
		branches = append(branches, c.merge(rest, allOf(plain, with(requiring(property), "properties", says))))
	}
	return branches
}

// disjoint reports whether no value can obey two of the schemas, as far as
// types and properties with fixed values show.
func disjoint(schemas []*tree.Node) bool {
	for i, a := range schemas {
		for _, b := range schemas[i+1:] {
			if !apart(a, b) {
				return false
			}
		}
	}
	return true
}

func apart(a, b *tree.Node) bool {
	if x, y := typesOf(a), typesOf(b); len(x) > 0 && len(y) > 0 && len(mergeTypes(a.Get("type"), b.Get("type")).Items) == 0 {
		return true
	}
	if noCommon(a, b) {
		return true
	}
	required := stringsOf(b.Get("required"))
	for _, name := range stringsOf(a.Get("required")) {
		if slices.Contains(required, name) && noCommon(a.Path("properties", name), b.Path("properties", name)) {
			return true
		}
	}
	return false
}

// noCommon reports whether two schemas list values and share none.
func noCommon(a, b *tree.Node) bool {
	x, y := listed(a), listed(b)
	if len(x) == 0 || len(y) == 0 {
		return false
	}
	return !slices.ContainsFunc(x, func(v *tree.Node) bool { return containsValue(y, v) })
}

// listed are the only values that a schema allows; nil when it lists none.
func listed(n *tree.Node) []*tree.Node {
	if value := n.Get("const"); value != nil {
		return []*tree.Node{value}
	}
	if enum := n.Get("enum"); enum != nil {
		return enum.Items
	}
	if parts := n.Get("allOf"); parts != nil {
		for _, part := range parts.Items {
			if values := listed(part); values != nil {
				return values
			}
		}
	}
	return nil
}

// withoutExcluded carries out `not` as far as it can be done by leaving
// something out.
func withoutExcluded(n *tree.Node) *tree.Node {
	if not := n.Get("not"); not != nil {
		return exclude(n, not)
	}
	return n
}

// exclude leaves out of a schema what not describes: values, types, a property
// that it requires, or one value of one property. What cannot be left out is
// found by checking what was drawn.
func exclude(n, not *tree.Node) *tree.Node {
	if not == nil || not.Kind != tree.Map {
		return n
	}
	if values := listed(not); values != nil && n.Get("enum") != nil {
		left := slices.DeleteFunc(slices.Clone(n.Get("enum").Items), func(v *tree.Node) bool { return containsValue(values, v) })
		return with(n, "enum", tree.NewList(left...))
	}
	if types := typesOf(not); len(types) > 0 && len(not.Members) == 1 && n.Get("type") != nil {
		var left []*tree.Node
		for _, name := range typesOf(n) {
			if !slices.Contains(types, name) {
				left = append(left, tree.NewString(name))
			}
		}
		return with(n, "type", tree.NewList(left...))
	}
	if props := not.Get("properties"); props != nil && len(props.Members) == 1 {
		name := props.Members[0].Key
		if own := n.Path("properties", name); own != nil && own.Kind == tree.Map {
			n = with(n, "properties", with(n.Get("properties"), name, exclude(own, props.Members[0].Value)))
			return require(n, name)
		}
	}
	if names := stringsOf(not.Get("required")); len(names) > 0 && n.Get("properties").Get(names[0]) != nil && !slices.Contains(stringsOf(n.Get("required")), names[0]) {
		return with(n, "properties", with(n.Get("properties"), names[0], tree.NewBool(false)))
	}
	return n
}

// require adds a required property to a schema.
func require(n *tree.Node, name string) *tree.Node {
	names := []*tree.Node{tree.NewString(name)}
	if have := n.Get("required"); have != nil && have.Kind == tree.List {
		names = slices.Concat(have.Items, names)
	}
	return with(n, "required", tree.NewList(names...))
}
