package sample

import (
	"math"
	"slices"

	"rapidmimic/spec/tree"
)

// shape is a schema made ready for drawing: references resolved, allOf merged,
// alternatives spread out. Shapes of recursive schemas point back to
// themselves.
type shape struct {
	types  []string
	values []*tree.Node // enum or const: the only values there are
	alts   []*shape     // oneOf, anyOf: each already merged with the rest

	minimum, maximum, multipleOf float64 // ±Inf and 0 when not given
	minLength, maxLength         int     // -1 when not given
	pattern, format              string

	items              *shape
	prefix             []*shape
	minItems, maxItems int
	unique             bool

	props         []property
	additional    *shape
	minProperties int

	// height is how many levels are needed at least to end.
	height int
}

type property struct {
	name     string
	shape    *shape
	required bool
}

const (
	endless  = 1 << 20
	maxMerge = 64 // levels of schemas merged into one
)

type compiler struct {
	resolver Resolver
	byRef    map[string]*shape
	all      []*shape
	exact    bool
}

// beyond are keywords that generate does not obey by construction.
var beyond = []string{
	"not", "if", "contains", "patternProperties", "propertyNames", "dependentRequired",
	"dependentSchemas", "unevaluatedProperties", "unevaluatedItems", "$dynamicRef", "maxProperties",
}

// shape compiles a schema. depth counts the merges that led here without
// passing a value, which a schema can make endless.
func (c *compiler) shape(n *tree.Node, depth int) *shape {
	if n == nil || n.Kind != tree.Map || depth > maxMerge {
		c.exact = c.exact && n != nil && n.Kind == tree.Bool && n.IsTrue()
		return c.add(emptyShape())
	}
	if ref := n.Get("$ref").Str(); ref != "" && onlyRef(n) {
		return c.reference(ref, depth)
	}
	s := c.add(emptyShape())
	c.fill(s, n, depth)
	return s
}

func (c *compiler) add(s *shape) *shape {
	c.all = append(c.all, s)
	return s
}

// onlyRef reports whether nothing beside $ref restricts the value.
func onlyRef(n *tree.Node) bool {
	for _, m := range n.Members {
		switch m.Key {
		case "$ref", "description", "title", "summary", "example", "examples":
		default:
			return false
		}
	}
	return true
}

func (c *compiler) reference(ref string, depth int) *shape {
	if s, ok := c.byRef[ref]; ok {
		return s
	}
	target := c.resolver.Resolve(ref)
	s := c.add(emptyShape())
	c.byRef[ref] = s
	if target == nil || target.Kind != tree.Map {
		c.exact = false
		return s
	}
	c.fill(s, target, depth+1)
	return s
}

func emptyShape() *shape {
	return &shape{
		minimum: math.Inf(-1), maximum: math.Inf(1), minLength: -1, maxLength: -1,
		minItems: -1, maxItems: -1, height: endless,
	}
}

func (c *compiler) fill(s *shape, n *tree.Node, depth int) {
	n = c.flatten(n, depth)
	if branches := alternatives(n); branches != nil {
		rest := without(n, "oneOf", "anyOf")
		if n.Get("oneOf") != nil { // the branches may overlap
			c.exact = false
		}
		for _, branch := range branches.Items {
			s.alts = append(s.alts, c.shape(merge(rest, branch), depth+1))
		}
		return
	}
	for _, key := range beyond {
		if n.Get(key) != nil {
			c.exact = false
		}
	}
	c.fillScalar(s, n)
	c.fillList(s, n, depth)
	c.fillObject(s, n)
	if len(s.types) == 0 {
		s.types = impliedTypes(s, n)
	}
}

func alternatives(n *tree.Node) *tree.Node {
	for _, key := range []string{"oneOf", "anyOf"} {
		if branches := n.Get(key); branches != nil && len(branches.Items) > 0 {
			return branches
		}
	}
	return nil
}

func (c *compiler) fillScalar(s *shape, n *tree.Node) {
	s.types = typesOf(n)
	if value := n.Get("const"); value != nil {
		s.values = []*tree.Node{value}
	} else if enum := n.Get("enum"); enum != nil {
		s.values = ofTypes(enum.Items, s.types)
		c.exact = c.exact && len(s.values) > 0
	}
	s.readNumbers(n)
	s.minLength, s.maxLength = count(n, "minLength"), count(n, "maxLength")
	s.pattern, s.format = n.Get("pattern").Str(), n.Get("format").Str()
	if s.pattern != "" && (s.minLength >= 0 || s.maxLength >= 0) || s.format != "" && (s.minLength > 0 || s.maxLength >= 0) {
		c.exact = false
	}
	if s.pattern != "" && !canDrawPattern(s.pattern) {
		c.exact = false
	}
}

// readNumbers turns exclusive limits into inclusive ones where drawing allows:
// whole numbers step by one, others by a hundredth or by multipleOf.
func (s *shape) readNumbers(n *tree.Node) {
	if f, ok := n.Get("multipleOf").Float(); ok && f > 0 {
		s.multipleOf = f
	}
	step := s.multipleOf
	if step == 0 {
		step = 1
		if !slices.Contains(s.types, "integer") {
			step = 0.01
		}
	}
	if f, ok := n.Get("minimum").Float(); ok {
		s.minimum = f
	}
	if f, ok := n.Get("maximum").Float(); ok {
		s.maximum = f
	}
	if f, ok := n.Get("exclusiveMinimum").Float(); ok {
		s.minimum = max(s.minimum, f+step)
	}
	if f, ok := n.Get("exclusiveMaximum").Float(); ok {
		s.maximum = min(s.maximum, f-step)
	}
}

func (c *compiler) fillList(s *shape, n *tree.Node, depth int) {
	if items := n.Get("items"); items != nil && items.Kind == tree.Map {
		s.items = c.shape(items, 0)
	}
	if prefix := n.Get("prefixItems"); prefix != nil {
		for _, item := range prefix.Items {
			s.prefix = append(s.prefix, c.shape(item, 0))
		}
	}
	s.minItems, s.maxItems = count(n, "minItems"), count(n, "maxItems")
	if items := n.Get("items"); items != nil && items.Kind == tree.Bool && !items.IsTrue() {
		s.maxItems = len(s.prefix)
	}
	s.unique = n.Get("uniqueItems").IsTrue()
}

func (c *compiler) fillObject(s *shape, n *tree.Node) {
	required := stringsOf(n.Get("required"))
	if props := n.Get("properties"); props != nil {
		for _, m := range props.Members {
			if m.Value.Get("writeOnly").IsTrue() {
				continue // never part of an answer
			}
			s.props = append(s.props, property{m.Key, c.shape(m.Value, 0), slices.Contains(required, m.Key)})
		}
	}
	if extra := n.Get("additionalProperties"); extra != nil && extra.Kind == tree.Map {
		s.additional = c.shape(extra, 0)
	}
	for _, name := range required {
		if !slices.ContainsFunc(s.props, func(p property) bool { return p.name == name }) {
			additional := s.additional
			if additional == nil {
				additional = c.shape(tree.NewMap(), 0)
			}
			s.props = append(s.props, property{name, additional, true})
		}
	}
	s.minProperties = count(n, "minProperties")
}

// settleHeights finds for each shape how deep its smallest value is, so that
// recursion can be ended where it must.
func (c *compiler) settleHeights() {
	for changed := true; changed; {
		changed = false
		for _, s := range c.all {
			if h := s.leastHeight(); h < s.height {
				s.height, changed = h, true
			}
		}
	}
}

// allEnd reports whether every shape has a value that ends.
func (c *compiler) allEnd() bool {
	for _, s := range c.all {
		if s.height >= endless {
			return false
		}
	}
	return true
}

func (s *shape) leastHeight() int {
	if len(s.values) > 0 {
		return 1
	}
	if len(s.alts) > 0 {
		least := endless
		for _, alt := range s.alts {
			least = min(least, alt.height)
		}
		return least
	}
	deepest := 0
	if s.hasType("array") && len(s.types) == 1 {
		if s.items != nil && s.minItems > len(s.prefix) {
			deepest = s.items.height
		}
		for _, item := range s.prefix {
			deepest = max(deepest, item.height)
		}
	}
	if s.hasType("object") && len(s.types) == 1 {
		for _, p := range s.props {
			if p.required {
				deepest = max(deepest, p.shape.height)
			}
		}
	}
	return min(deepest+1, endless)
}

func (s *shape) hasType(name string) bool { return slices.Contains(s.types, name) }
