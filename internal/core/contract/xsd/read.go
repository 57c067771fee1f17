package xsd

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

// Reader collects schemas and then makes components of them.
type Reader struct {
	// Warn is told what cannot be used, at the element concerned.
	Warn func(at *xmltree.Node, format string, args ...any)

	out       *Schemas
	sources   map[string]map[Name]source // by kind: element, complexType …
	types     map[*xmltree.Node]*Type
	simples   map[*xmltree.Node]*Simple
	open      map[*xmltree.Node]bool // groups that are being read
	particles int                    // that were made
}

// source is a component as it is written, with the schema around it.
type source struct {
	node   *xmltree.Node
	schema schema
}

// schema is what a schema element says for all inside of it.
type schema struct {
	target             string
	qualifiedElements  bool
	qualifiedAttribute bool
}

// NewReader begins with the types that XML Schema and SOAP define.
func NewReader(warn func(at *xmltree.Node, format string, args ...any)) *Reader {
	return &Reader{
		Warn:    warn,
		out:     &Schemas{Elements: make(map[Name]*Element), Types: make(map[Name]*Type)},
		sources: make(map[string]map[Name]source),
		types:   make(map[*xmltree.Node]*Type), simples: make(map[*xmltree.Node]*Simple), open: make(map[*xmltree.Node]bool),
	}
}

// IsSchemaSpace reports whether a namespace is one of XML Schema's.
func IsSchemaSpace(space string) bool {
	return space == Space || space == "http://www.w3.org/1999/XMLSchema" || space == "http://www.w3.org/2000/10/XMLSchema"
}

// Add takes the components of one schema element. target replaces a target
// namespace that it does not have, which is how it is included.
func (r *Reader) Add(n *xmltree.Node, target string) {
	s := schema{target: n.Attr("targetNamespace"), qualifiedElements: n.Attr("elementFormDefault") == "qualified", qualifiedAttribute: n.Attr("attributeFormDefault") == "qualified"}
	if s.target == "" {
		s.target = target
	}
	for _, c := range n.Children {
		if !IsSchemaSpace(c.Name.Space) || c.Attr("name") == "" {
			continue
		}
		kind := c.Name.Local
		if kind == "simpleType" {
			kind = "complexType" // one space of names
		}
		if r.sources[kind] == nil {
			r.sources[kind] = make(map[Name]source)
		}
		name := Name{Space: s.target, Local: localPart(c.Attr("name"))}
		if _, have := r.sources[kind][name]; !have {
			r.sources[kind][name] = source{c, s}
		}
	}
}

// Finish makes components of everything that was added.
func (r *Reader) Finish() *Schemas {
	for _, name := range sorted(r.sources["complexType"]) {
		r.typeNamed(name, r.sources["complexType"][name].node)
	}
	for _, name := range sorted(r.sources["element"]) {
		r.elementNamed(name, r.sources["element"][name].node)
	}
	for _, name := range sorted(r.sources["element"]) {
		e := r.out.Elements[name]
		head, seen := e, map[*Element]bool{}
		for head != nil && head.substitutionGroup.Local != "" && !seen[head] {
			seen[head] = true
			if head = r.out.Elements[head.substitutionGroup]; head != nil && head != e {
				head.Substitutes = append(head.Substitutes, e)
			}
		}
	}
	types := make([]*Type, 0, len(r.types)+len(builtins))
	for _, t := range r.types {
		types = append(types, t)
	}
	settle(types)
	return r.out
}

func sorted(sources map[Name]source) []Name {
	names := make([]Name, 0, len(sources))
	for name := range sources {
		names = append(names, name)
	}
	slices.SortFunc(names, func(a, b Name) int { return strings.Compare(a.String(), b.String()) })
	return names
}

// ElementOf finds a global element; nil, with a warning at n, when there is
// none.
func (r *Reader) ElementOf(name Name, n *xmltree.Node) *Element { return r.elementNamed(name, n) }

// TypeOf finds a type by its name; anyType, with a warning at n, when there is
// none.
func (r *Reader) TypeOf(name Name, n *xmltree.Node) *Type { return r.typeNamed(name, n) }

func (r *Reader) elementNamed(name Name, at *xmltree.Node) *Element {
	if e := r.out.Elements[name]; e != nil {
		return e
	}
	if IsSchemaSpace(name.Space) {
		return &Element{Name: name, Type: anyType}
	}
	found, ok := r.sources["element"][name]
	if !ok {
		r.Warn(at, "element %s is not in any of the schemas", name)
		return nil
	}
	e := &Element{Name: name}
	r.out.Elements[name] = e
	r.fillElement(e, found.node, found.schema)
	return e
}

func (r *Reader) fillElement(e *Element, n *xmltree.Node, s schema) {
	e.named = sample.HintOf(e.Name.Local)
	e.Nillable, e.Abstract = isTrue(n.Attr("nillable")), isTrue(n.Attr("abstract"))
	e.Default, e.Fixed = optional(n, "default"), optional(n, "fixed")
	e.Documentation = documentation(n)
	if group := n.Attr("substitutionGroup"); group != "" {
		e.substitutionGroup = n.Resolve(group)
	}
	switch inner := firstOf(n, "complexType", "simpleType"); {
	case n.Attr("type") != "":
		e.Type = r.typeNamed(r.refName(n, n.Attr("type"), s), n)
	case inner != nil:
		e.Type = r.typeAt(inner, Name{}, s)
	case e.substitutionGroup.Local != "":
		if head := r.elementNamed(e.substitutionGroup, n); head != nil && head.Type != nil {
			e.Type = head.Type
		}
	}
	if e.Type == nil {
		e.Type = anyType
	}
}

func isTrue(value string) bool { return value == "true" || value == "1" }

func optional(n *xmltree.Node, name string) *string {
	if value, ok := n.Lookup(Name{Local: name}); ok {
		return &value
	}
	return nil
}

func firstOf(n *xmltree.Node, names ...string) *xmltree.Node {
	for _, c := range n.Children {
		if IsSchemaSpace(c.Name.Space) && slices.Contains(names, c.Name.Local) {
			return c
		}
	}
	return nil
}

// refName resolves a reference. In a schema that was included into another
// namespace, names without a namespace mean that one.
func (r *Reader) refName(n *xmltree.Node, value string, s schema) Name {
	name := n.Resolve(value)
	if name.Space == "" {
		name.Space = s.target
	}
	return name
}

func (r *Reader) typeNamed(name Name, at *xmltree.Node) *Type {
	if IsSchemaSpace(name.Space) || name.Space == Encoding {
		if t := builtin(name.Local); t != nil {
			return t
		}
	}
	if t := r.out.Types[name]; t != nil {
		return t
	}
	found, ok := r.sources["complexType"][name]
	if !ok {
		r.Warn(at, "type %s is not in any of the schemas; anything may stand there", name)
		return anyType
	}
	return r.typeAt(found.node, name, found.schema)
}

// typeAt makes a type of its definition.
func (r *Reader) typeAt(n *xmltree.Node, name Name, s schema) *Type {
	if t := r.types[n]; t != nil {
		return t
	}
	t := &Type{Name: name, Abstract: isTrue(n.Attr("abstract")), Mixed: isTrue(n.Attr("mixed")), Documentation: documentation(n)}
	r.types[n] = t
	if name.Local != "" {
		r.out.Types[name] = t
	}
	if n.Name.Local == "simpleType" {
		t.Simple = r.simpleAt(n, s)
		t.Base = r.simpleBase(n, s)
		return t
	}
	if content := firstOf(n, "simpleContent", "complexContent"); content != nil {
		t.Mixed = t.Mixed || isTrue(content.Attr("mixed"))
		r.derive(t, content, s)
	} else {
		t.Base = anyType
		r.fillContent(t, n, s)
	}
	return t
}

// simpleBase is the named type that a simple type restricts, so that it can
// stand in its place by xsi:type.
func (r *Reader) simpleBase(n *xmltree.Node, s schema) *Type {
	if restriction := firstOf(n, "restriction"); restriction != nil && restriction.Attr("base") != "" {
		base := r.typeNamed(r.refName(restriction, restriction.Attr("base"), s), restriction)
		return base
	}
	return anyType
}

// derive fills a type that extends or restricts another.
func (r *Reader) derive(t *Type, content *xmltree.Node, s schema) {
	n := firstOf(content, "extension", "restriction")
	if n == nil {
		return
	}
	base := r.typeNamed(r.refName(n, n.Attr("base"), s), n)
	t.Base = base
	if !IsSchemaSpace(base.Name.Space) && base.Name.Space != Encoding { // those are shared by all contracts
		base.derived = append(base.derived, t)
	}
	extends := n.Name.Local == "extension"
	if content.Name.Local == "simpleContent" {
		t.Simple = base.Simple
		if t.Simple == nil {
			t.Simple = stringType
		}
		if !extends {
			t.Simple = r.restricted(t.Simple, n, s)
		}
	}
	t.Attributes, t.AnyAttr = slices.Clone(base.Attributes), base.AnyAttr
	t.Array = base.Array
	r.fillContent(t, n, s)
	if extends && content.Name.Local == "complexContent" {
		t.Mixed = t.Mixed || base.Mixed && !base.Anything
		t.Content = joined(base.Content, t.Content)
	}
	if array := r.arrayOf(t, n, s); array != nil {
		t.Array = array
	}
}

// joined is the content of a type that extends another: first the base's.
func joined(base, own *Particle) *Particle {
	switch {
	case base == nil:
		return own
	case own == nil:
		return base
	default:
		return &Particle{Kind: Sequence, Min: 1, Max: 1, Items: []*Particle{base, own}}
	}
}

// arrayOf is the element type of a SOAP-encoded array: by wsdl:arrayType on its
// attribute, else by the only element in its content.
func (r *Reader) arrayOf(t *Type, n *xmltree.Node, s schema) *Type {
	if t.Base == nil || t.Base.Name != (Name{Space: Encoding, Local: "Array"}) {
		return nil
	}
	for _, a := range n.Children {
		for _, attr := range a.Attrs {
			if attr.Name.Local == "arrayType" {
				item, _, _ := strings.Cut(attr.Value, "[")
				return r.typeNamed(r.refName(a, item, s), a)
			}
		}
	}
	for _, e := range t.Content.elements(nil) {
		return e.Type
	}
	return anyType
}

func (r *Reader) fillContent(t *Type, n *xmltree.Node, s schema) {
	for _, c := range n.Children {
		if !IsSchemaSpace(c.Name.Space) {
			continue
		}
		switch c.Name.Local {
		case "sequence", "choice", "all", "group":
			t.Content = r.particle(c, s)
		}
	}
	r.fillAttributes(t, n, s)
}

// maxParticles bounds the parts of all content models: groups that hold others twice
// double with every level.
const maxParticles = 200_000

// particle makes a part of a content model; nil when it can never occur.
func (r *Reader) particle(n *xmltree.Node, s schema) *Particle {
	low, high, err := occurs(n)
	if err != nil {
		r.Warn(n, "%v", err)
	}
	if high == 0 {
		return nil
	}
	if low > maxElements {
		r.Warn(n, "minOccurs %d is more than is ever drawn (%d elements): messages will not obey it", low, maxElements)
	}
	if r.particles++; r.particles > maxParticles {
		if r.particles == maxParticles+1 {
			r.Warn(n, "the schemas have more than %d parts when their groups are put in: the rest is left out", maxParticles)
		}
		return nil
	}
	switch n.Name.Local {
	case "sequence", "choice", "all":
		p := &Particle{Kind: map[string]Kind{"sequence": Sequence, "choice": Choice, "all": All}[n.Name.Local], Min: low, Max: high}
		for _, c := range n.Children {
			if IsSchemaSpace(c.Name.Space) && c.Name.Local != "annotation" {
				if item := r.particle(c, s); item != nil {
					p.Items = append(p.Items, item)
				}
			}
		}
		return p
	case "element":
		if e := r.localElement(n, s); e != nil {
			return &Particle{Kind: One, Min: low, Max: high, Element: e}
		}
	case "any":
		return &Particle{Kind: Any, Min: low, Max: high, Namespaces: n.Attr("namespace"), Target: s.target, Process: n.Attr("processContents")}
	case "group":
		return r.group(n, s, low, high)
	}
	return nil
}

func (r *Reader) group(n *xmltree.Node, s schema, low, high int) *Particle {
	name := r.refName(n, n.Attr("ref"), s)
	found, ok := r.sources["group"][name]
	if !ok || r.open[found.node] {
		r.Warn(n, "group %s is not in any of the schemas, or contains itself", name)
		return nil
	}
	r.open[found.node] = true
	defer delete(r.open, found.node)
	inner := firstOf(found.node, "sequence", "choice", "all")
	if inner == nil {
		return nil
	}
	p := r.particle(inner, found.schema)
	if p == nil || low == 1 && high == 1 {
		return p
	}
	return &Particle{Kind: Sequence, Min: low, Max: high, Items: []*Particle{p}}
}

func (r *Reader) localElement(n *xmltree.Node, s schema) *Element {
	if ref := n.Attr("ref"); ref != "" {
		return r.elementNamed(r.refName(n, ref, s), n)
	}
	e := &Element{Name: Name{Local: localPart(n.Attr("name"))}} // some write a prefix, which is no part of a name
	if form := n.Attr("form"); form == "qualified" || form == "" && s.qualifiedElements {
		e.Name.Space = s.target
	}
	r.fillElement(e, n, s)
	return e
}

func occurs(n *xmltree.Node) (low, high int, err error) {
	low, high = 1, 1
	if text := n.Attr("minOccurs"); text != "" {
		if low, err = strconv.Atoi(text); err != nil || low < 0 {
			return 1, 1, fmt.Errorf("minOccurs must be a number, not %q", text)
		}
	}
	switch text := n.Attr("maxOccurs"); text {
	case "":
	case "unbounded", "*":
		high = Unbounded
	default:
		if high, err = strconv.Atoi(text); err != nil || high < 0 {
			return 1, 1, fmt.Errorf("maxOccurs must be a number or unbounded, not %q", text)
		}
	}
	if high != Unbounded && high < low {
		high = low
	}
	return low, high, nil
}

func (r *Reader) fillAttributes(t *Type, n *xmltree.Node, s schema) {
	for _, c := range n.Children {
		if !IsSchemaSpace(c.Name.Space) {
			continue
		}
		switch c.Name.Local {
		case "attribute":
			r.attribute(t, c, s)
		case "anyAttribute":
			t.AnyAttr = true
		case "attributeGroup":
			name := r.refName(c, c.Attr("ref"), s)
			found, ok := r.sources["attributeGroup"][name]
			if !ok || r.open[found.node] {
				r.Warn(c, "attributeGroup %s is not in any of the schemas, or contains itself", name)
				continue
			}
			r.open[found.node] = true
			r.fillAttributes(t, found.node, found.schema)
			delete(r.open, found.node)
		}
	}
}

// attribute adds the use of an attribute to a type, in the place of an
// inherited one of the same name.
func (r *Reader) attribute(t *Type, n *xmltree.Node, s schema) {
	a := &Attribute{Name: Name{Local: localPart(n.Attr("name"))}, Type: stringType, Required: n.Attr("use") == "required", Default: optional(n, "default"), Fixed: optional(n, "fixed")}
	definition, scope := n, s
	if ref := n.Attr("ref"); ref != "" {
		a.Name = n.Resolve(ref)
		found, ok := r.sources["attribute"][a.Name]
		switch {
		case a.Name.Space == Encoding, strings.HasPrefix(a.Name.Space, "http://www.w3.org/XML/"):
			return // the arrays of SOAP, and xml:lang, which may stand everywhere
		case !ok:
			r.Warn(n, "attribute %s is not in any of the schemas", a.Name)
			return
		}
		definition, scope = found.node, found.schema
		if a.Fixed == nil {
			a.Fixed = optional(definition, "fixed")
		}
	} else if form := n.Attr("form"); form == "qualified" || form == "" && s.qualifiedAttribute {
		a.Name.Space = s.target
	}
	if inner := firstOf(definition, "simpleType"); inner != nil {
		a.Type = r.simpleAt(inner, scope)
	} else if name := definition.Attr("type"); name != "" {
		if of := r.typeNamed(r.refName(definition, name, scope), definition); of.Simple != nil {
			a.Type = of.Simple
		}
	}
	a.named = sample.HintOf(a.Name.Local)
	t.Attributes = slices.DeleteFunc(t.Attributes, func(have *Attribute) bool { return have.Name == a.Name })
	if n.Attr("use") != "prohibited" {
		t.Attributes = append(t.Attributes, a)
	}
}
