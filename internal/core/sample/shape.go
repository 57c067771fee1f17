package sample

import (
	"math"
	"slices"

	"rapidmimic.example/spec/tree"
)

// shape is a schema made ready for drawing: references resolved, allOf merged,
// alternatives spread out. Shapes of recursive schemas point back to
// themselves.
type shape struct {
	types  []string
	values []*tree.Node // enum or const: the only values there are
	alts   []*shape     // oneOf, anyOf, if: each already merged with the rest

	minimum, maximum, multipleOf float64 // ±Inf and 0 when not given
	minLength, maxLength         int     // -1 when not given
	format                       string
	ofFormat                     func(*Draw) string // nil where nothing is known of the format
	encoding                     string             // of the bytes that the text stands for: base64, base64url
	holds                        string             // the media type of those bytes; "" for any
	drawing                      *drawing           // nil without a pattern
	described                    func(*Draw) string // by the schema's description; nil when it says nothing
	alike                        *alike             // by the schema's example; nil when it has none that helps

	items              *shape
	prefix             []*shape
	minItems, maxItems int
	unique             bool
	contains           *shape // nil when nothing must be contained
	minContains        int

	props                        []property
	additional                   *shape
	closed                       bool // nothing beside props and patterns may be there
	patterns                     []patternShape
	names                        *shape // of additional properties; nil when any will do
	minProperties, maxProperties int
	dependent                    map[string][]string // property → those that must come with it
	order                        []dated

	// nothing is set where no value can obey, as far as is known.
	nothing bool
	// height is how many levels are needed at least to end.
	height int
}

type property struct {
	name     string
	shape    *shape
	hint     *Hint
	required bool
}

// patternShape describes the properties whose names fit a pattern.
type patternShape struct {
	name  *drawing
	shape *shape
}

const (
	endless  = 1 << 20
	maxMerge = 64 // levels of schemas merged into one
	// maxShapes bounds how far a schema is spread out.
	maxShapes = 200_000
	// maxWork bounds the keywords that are looked at while one schema is compiled.
	maxWork = 5_000_000
)

type compiler struct {
	resolver Resolver
	side     Side
	byRef    map[string]*shape
	byText   map[string]*shape // schemas that were met, as JSON
	hints    map[string]*Hint
	all      []*shape
	exact    bool
	work     int // that is left, see maxWork
}

// beyond are keywords that generate does not obey by construction, or not in
// every case.
var beyond = []string{
	"not", "if", "contains", "patternProperties", "propertyNames", "dependentSchemas",
	"unevaluatedProperties", "unevaluatedItems", "$dynamicRef",
}

// shape compiles a schema. depth counts the merges that led here without
// passing a value, which a schema can make endless.
func (c *compiler) shape(n *tree.Node, depth int) *shape {
	if n == nil || n.Kind != tree.Map || depth > maxMerge || len(c.all) > maxShapes {
		c.exact = c.exact && n != nil && n.Kind == tree.Bool && n.IsTrue()
		return c.add(emptyShape())
	}
	if ref := n.Get("$ref").Str(); ref != "" && onlyRef(n) {
		return c.reference(ref, depth)
	}
	text := string(n.AppendJSON(nil))
	if s, ok := c.byText[text]; ok {
		return s
	}
	s := c.add(emptyShape())
	c.byText[text] = s
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
		if m.Key != "$ref" && !annotations[m.Key] {
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
		minItems: -1, maxItems: -1, minProperties: -1, maxProperties: -1, height: endless,
	}
}

func (c *compiler) fill(s *shape, n *tree.Node, depth int) {
	n = c.flatten(n, depth)
	for _, key := range beyond {
		if n.Get(key) != nil {
			c.exact = false
		}
	}
	if branches := c.branches(n, depth); branches != nil {
		for _, branch := range branches {
			s.alts = append(s.alts, c.shape(branch, depth+1))
		}
		return
	}
	n = withoutExcluded(n)
	c.fillScalar(s, n)
	c.fillList(s, n)
	c.fillObject(s, n)
	if len(s.types) == 0 {
		s.types = impliedTypes(n)
	}
}

func (c *compiler) fillScalar(s *shape, n *tree.Node) {
	s.types = typesOf(n)
	if value := n.Get("const"); value != nil {
		s.values = []*tree.Node{value}
	} else if enum := n.Get("enum"); enum != nil {
		s.values = ofTypes(enum.Items, s.types)
		s.nothing = len(s.values) == 0
	}
	s.readNumbers(n)
	s.minLength, s.maxLength = count(n, "minLength"), count(n, "maxLength")
	s.format, s.described = n.Get("format").Str(), textByDescription(n.Get("description").Str())
	s.ofFormat = formats[s.format]
	s.alike = alikeOf(n)
	s.encoding, s.holds = n.Get("contentEncoding").Str(), n.Get("contentMediaType").Str()
	patterns := stringsOf(n.Get("pattern")) // several after a merge
	if one := n.Get("pattern").Str(); one != "" {
		patterns = []string{one}
	}
	if len(patterns) == 0 {
		c.exact = c.exact && (s.format == "" || s.minLength <= 0 && s.maxLength < 0)
		return
	}
	if len(s.values) > 0 {
		s.values = fitting(s.values, patterns)
		s.nothing = len(s.values) == 0
		return
	}
	s.drawing = newDrawing(patterns...)
	if s.drawing == nil || !s.drawing.sure || s.format != "" || s.minLength >= 0 || s.maxLength >= 0 {
		c.exact = false
	}
}

// fitting are the values that fit all patterns, where they are texts.
func fitting(values []*tree.Node, patterns []string) []*tree.Node {
	for _, pattern := range patterns {
		if matcher, err := CompilePattern(pattern); err == nil {
			values = slices.DeleteFunc(slices.Clone(values), func(v *tree.Node) bool { return v.Kind == tree.String && !matcher.MatchString(v.Text) })
		}
	}
	return values
}

func (c *compiler) fillList(s *shape, n *tree.Node) {
	items := n.Get("items")
	if items != nil && items.Kind == tree.Map {
		s.items = c.shape(items, 0)
	}
	if prefix := n.Get("prefixItems"); prefix != nil {
		for _, item := range prefix.Items {
			s.prefix = append(s.prefix, c.shape(item, 0))
		}
	}
	s.minItems, s.maxItems = count(n, "minItems"), count(n, "maxItems")
	if items != nil && items.Kind == tree.Bool && !items.IsTrue() || n.Get("unevaluatedItems").IsFalse() && items == nil && n.Get("contains") == nil {
		s.maxItems = len(s.prefix)
	}
	s.unique = n.Get("uniqueItems").IsTrue()
	if contained := n.Get("contains"); contained != nil && contained.Kind == tree.Map {
		if items != nil && items.Kind == tree.Map {
			contained = allOf(items, contained)
		}
		s.contains, s.minContains = c.shape(contained, 0), 1
		if least := count(n, "minContains"); least >= 0 {
			s.minContains = least
		}
	}
}

func (c *compiler) fillObject(s *shape, n *tree.Node) {
	s.minProperties, s.maxProperties = count(n, "minProperties"), count(n, "maxProperties")
	extra := n.Get("additionalProperties")
	s.closed = extra.IsFalse()
	if extra != nil && extra.Kind == tree.Map {
		s.additional = c.shape(extra, 0)
	}
	if names := n.Get("propertyNames"); names != nil && names.Kind == tree.Map {
		s.names = c.shape(names, 0)
	}
	patterns := n.Get("patternProperties")
	if patterns != nil {
		for _, m := range patterns.Members {
			if name := newDrawing(m.Key); name != nil && m.Value.Kind == tree.Map {
				s.patterns = append(s.patterns, patternShape{name, c.shape(m.Value, 0)})
			}
		}
	}
	c.fillProperties(s, n, patterns)
	if dependent := n.Get("dependentRequired"); dependent != nil && dependent.Kind == tree.Map {
		s.dependent = make(map[string][]string, len(dependent.Members))
		for _, m := range dependent.Members {
			s.dependent[m.Key] = stringsOf(m.Value)
		}
		c.exact = false
	}
	s.order = orderOf(s.props)
}

func (c *compiler) fillProperties(s *shape, n, patterns *tree.Node) {
	required := stringsOf(n.Get("required"))
	if props := n.Get("properties"); props != nil {
		for _, m := range props.Members {
			if m.Value.IsFalse() || c.hidden(m.Value) {
				continue
			}
			schema := withPatterns(m.Value, m.Key, patterns)
			s.props = append(s.props, property{m.Key, c.shape(schema, 0), c.hint(m.Key, m.Value), slices.Contains(required, m.Key)})
		}
	}
	for _, name := range required {
		if slices.ContainsFunc(s.props, func(p property) bool { return p.name == name }) || c.hidden(n.Get("properties").Get(name)) {
			continue
		}
		extra := s.additional
		if fitting := withPatterns(nil, name, patterns); fitting != nil {
			extra = c.shape(fitting, 0)
		} else if extra == nil {
			extra = c.shape(tree.NewMap(), 0)
			s.nothing = s.nothing || s.closed && len(s.types) == 1 // it forbids what it requires
		}
		s.props = append(s.props, property{name, extra, c.hint(name, nil), true})
	}
}

// hidden reports whether a property has no place on this side of a call:
// writeOnly ones are never part of an answer, readOnly ones never of a request.
func (c *compiler) hidden(schema *tree.Node) bool {
	key := "writeOnly"
	if c.side == ForRequest {
		key = "readOnly"
	}
	if schema.Get(key).IsTrue() {
		return true
	}
	ref := schema.Get("$ref").Str()
	return ref != "" && c.resolver.Resolve(ref).Get(key).IsTrue()
}

// withPatterns adds to the schema of a property what patternProperties demand
// of its name. The schema may be nil, and the result is when nothing is
// demanded.
func withPatterns(schema *tree.Node, name string, patterns *tree.Node) *tree.Node {
	if patterns == nil {
		return schema
	}
	for _, m := range patterns.Members {
		matcher, err := CompilePattern(m.Key)
		if err != nil || !matcher.MatchString(name) || m.Value.Kind != tree.Map {
			continue
		}
		if schema == nil || schema.Kind != tree.Map {
			schema = m.Value
		} else {
			schema = allOf(schema, m.Value)
		}
	}
	return schema
}

// hint reads the name of a property once for all schemas that use it.
func (c *compiler) hint(name string, schema *tree.Node) *Hint {
	description := schema.Get("description").Str()
	key := name + "\x00" + description
	h := c.hints[key]
	if h == nil {
		h = hintOf(name, description)
		c.hints[key] = h
	}
	return h
}

// settleNothing finds the shapes that no value can obey.
func (c *compiler) settleNothing() {
	for _, s := range c.all {
		s.nothing = s.nothing || s.contradicts()
	}
	for changed := true; changed; {
		changed = false
		for _, s := range c.all {
			if !s.nothing && s.needsNothing() {
				s.nothing, changed = true, true
			}
		}
	}
}

// contradicts reports whether the limits of the only type leave no value.
func (s *shape) contradicts() bool {
	if len(s.types) != 1 || len(s.values) > 0 {
		return false
	}
	switch s.types[0] {
	case "integer", "number":
		return s.minimum > s.maximum
	case "string":
		return s.maxLength >= 0 && s.minLength > s.maxLength
	case "array":
		return s.maxItems >= 0 && s.minItems > s.maxItems
	case "object":
		return s.maxProperties >= 0 && s.minProperties > s.maxProperties
	}
	return false
}

// needsNothing reports whether every value needs a part that can be none.
func (s *shape) needsNothing() bool {
	if len(s.alts) > 0 {
		return !slices.ContainsFunc(s.alts, func(alt *shape) bool { return !alt.nothing })
	}
	if len(s.types) != 1 || len(s.values) > 0 {
		return false
	}
	return s.types[0] == "object" && slices.ContainsFunc(s.props, func(p property) bool { return p.required && p.shape.nothing }) ||
		s.types[0] == "array" && s.minItems > len(s.prefix) && s.items != nil && s.items.nothing
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
		deepest = s.leastItems()
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

func (s *shape) leastItems() (deepest int) {
	if s.items != nil && s.minItems > len(s.prefix) {
		deepest = s.items.height
	}
	if s.contains != nil && s.minContains > 0 {
		deepest = max(deepest, s.contains.height)
	}
	for i, item := range s.prefix {
		if i < s.minItems {
			deepest = max(deepest, item.height)
		}
	}
	return deepest
}

// demandsTooMuch reports whether every value of s, or of a part that each has, is
// larger than what is drawn, or has no end.
func (s *shape) demandsTooMuch() bool {
	asked := make(map[*shape]bool)
	var ask func(*shape) bool
	ask = func(s *shape) bool {
		if asked[s] {
			return false
		}
		asked[s] = true
		if s.height >= endless || s.minItems > MaxItems || s.minProperties > MaxItems || s.minLength > MaxLength {
			return len(s.types) == 1 || s.height >= endless
		}
		if s.items != nil && s.minItems > 0 && ask(s.items) {
			return true
		}
		return slices.ContainsFunc(s.props, func(p property) bool { return p.required && ask(p.shape) })
	}
	return ask(s)
}

func (s *shape) hasType(name string) bool { return slices.Contains(s.types, name) }
