package xsd

import (
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/xmltree"
)

// Fault is one place where a document does not obey.
type Fault struct {
	Node   *xmltree.Node
	Detail string
}

// maxFaults bounds how many one document is told.
const maxFaults = 20

// Validate holds an element against its declaration.
func (s *Schemas) Validate(n *xmltree.Node, e *Element) []Fault {
	v := &validator{schemas: s}
	v.element(n, e)
	return v.faults
}

type validator struct {
	schemas *Schemas
	faults  []Fault
}

func (v *validator) add(n *xmltree.Node, format string, args ...any) {
	if len(v.faults) < maxFaults {
		v.faults = append(v.faults, Fault{n, fmt.Sprintf(format, args...)})
	}
}

func (v *validator) element(n *xmltree.Node, e *Element) {
	if len(v.faults) >= maxFaults {
		return // nobody is told of more, and what does not fit can take long
	}
	if e.Abstract {
		v.add(n, "<%s> is abstract: one of its substitutes must stand here", n.Name.Local)
		return
	}
	t := v.typeOf(n, e)
	if t == nil {
		return
	}
	v.attributes(n, t)
	if value, _ := n.Lookup(Name{Space: xmltree.Instance, Local: "nil"}); isTrue(value) {
		switch {
		case !e.Nillable:
			v.add(n, "<%s> must not be nil", n.Name.Local)
		case len(n.Children) > 0 || strings.TrimSpace(n.Text) != "":
			v.add(n, "<%s> is nil and must be empty", n.Name.Local)
		}
		return
	}
	switch {
	case t.Simple != nil:
		v.simple(n, e, t)
	case t.Anything:
		for _, c := range n.Children {
			v.lax(c)
		}
	default:
		v.content(n, t)
	}
}

// typeOf is the type that an element says it has, else the declared one; nil
// when it says something impossible.
func (v *validator) typeOf(n *xmltree.Node, e *Element) *Type {
	name, ok := n.LookupName(Name{Space: xmltree.Instance, Local: "type"})
	said, _ := n.Lookup(Name{Space: xmltree.Instance, Local: "type"})
	t := e.Type
	if ok {
		t = v.schemas.Types[name]
		if IsSchemaSpace(name.Space) || name.Space == Encoding {
			t = builtin(name.Local)
		}
		switch {
		case t == nil:
			v.add(n, "xsi:type %q is not a type of the contract", said)
			return nil
		case !t.isA(e.Type):
			v.add(n, "xsi:type %q is not derived from %s", said, e.Type.Name.Local)
			return nil
		}
	}
	if t.Abstract {
		v.add(n, "type %s is abstract: xsi:type must name one derived from it", t.Name.Local)
		return nil
	}
	return t
}

func (v *validator) simple(n *xmltree.Node, e *Element, t *Type) {
	if len(n.Children) > 0 {
		v.add(n.Children[0], "<%s> is not expected: <%s> holds only text", n.Children[0].Name.Local, n.Name.Local)
		return
	}
	text := n.Text
	if n.QName != nil {
		text = n.QName.Local
	}
	if text == "" && e.Default != nil {
		text = *e.Default
	}
	if e.Fixed != nil && strings.TrimSpace(text) != strings.TrimSpace(*e.Fixed) && text != "" {
		v.add(n, "its value must be %q, not %q", *e.Fixed, text)
	}
	if fault := t.Simple.Check(text, n); fault != "" {
		v.add(n, "%s", fault)
	}
}

func (v *validator) attributes(n *xmltree.Node, t *Type) {
	for _, a := range t.Attributes {
		value, ok := n.Lookup(a.Name)
		switch {
		case !ok && a.Required:
			v.add(n, "attribute %s is required and missing", a.Name.Local)
		case !ok:
		case a.Fixed != nil && value != *a.Fixed:
			v.add(n, "attribute %s must be %q, not %q", a.Name.Local, *a.Fixed, value)
		default:
			if fault := a.Type.Check(value, n); fault != "" {
				v.add(n, "attribute %s: %s", a.Name.Local, fault)
			}
		}
	}
	for _, have := range n.Attrs {
		if t.AnyAttr || have.Name.Space == xmltree.Instance || have.Name.Space != "" && !slices.ContainsFunc(t.Attributes, func(a *Attribute) bool { return a.Name.Space == have.Name.Space }) {
			continue
		}
		if !slices.ContainsFunc(t.Attributes, func(a *Attribute) bool { return a.Name == have.Name }) {
			v.add(n, "attribute %s is not expected", have.Name.Local)
		}
	}
}

// content holds the children of an element against a content model.
func (v *validator) content(n *xmltree.Node, t *Type) {
	if !t.Mixed && strings.TrimSpace(n.Text) != "" {
		v.add(n, "text %q is not expected among elements", shortened(strings.TrimSpace(n.Text)))
	}
	m := &matching{children: n.Children}
	ends := []int{0}
	if t.Content != nil {
		ends = m.match(t.Content, 0)
	}
	if !slices.Contains(ends, len(n.Children)) {
		at, detail := m.place(n, ends)
		v.add(at, "%s", detail)
	}
	known := t.children()
	for _, c := range n.Children {
		if e := known[c.Name]; e != nil {
			v.element(c, e)
		} else {
			v.lax(c)
		}
	}
}

// lax holds an element against its global declaration, if it has one.
func (v *validator) lax(n *xmltree.Node) {
	if e := v.schemas.Elements[n.Name]; e != nil {
		v.element(n, e)
	}
}

func shortened(text string) string {
	if len(text) > 40 {
		return text[:40] + "…"
	}
	return text
}

// matching finds how far children fit a content model.
type matching struct {
	children []*xmltree.Node
	furthest int    // the first child that nothing took
	expected []Name // what could have stood there
	steps    int
}

// maxSteps bounds the work on one content model.
const maxSteps = 2_000_000

// match returns where the children can continue after p took some from i on.
func (m *matching) match(p *Particle, i int) []int {
	var ends places
	if p.Min == 0 {
		ends.add(i)
	}
	current := []int{i}
	for count := 1; (p.Max == Unbounded || count <= p.Max) && len(current) > 0; count++ {
		var next places
		for _, at := range current {
			for _, end := range m.once(p, at) {
				if end > at || count <= p.Min {
					next.add(end)
				}
			}
		}
		if count >= p.Min {
			for _, end := range next.list {
				ends.add(end)
			}
		}
		current = next.list
	}
	return ends.list
}

// places are indexes of children, each once. They come mostly in ascending order,
// which keeps adding one cheap.
type places struct {
	list    []int
	highest int
}

func (p *places) add(i int) {
	if len(p.list) > 0 && i <= p.highest && slices.Contains(p.list, i) {
		return
	}
	p.list, p.highest = append(p.list, i), max(p.highest, i)
}

func (m *matching) once(p *Particle, i int) []int {
	if m.steps++; m.steps > maxSteps {
		return nil
	}
	switch p.Kind {
	case One:
		return m.one(p.Element, i)
	case Any:
		if i < len(m.children) && p.admits(m.children[i].Name.Space) {
			return []int{i + 1}
		}
		m.expect(i, anything)
		return nil
	case Choice:
		var ends places
		for _, item := range p.Items {
			for _, end := range m.match(item, i) {
				ends.add(end)
			}
		}
		return ends.list
	case All:
		return m.all(p.Items, i)
	default:
		current := []int{i}
		for _, item := range p.Items {
			var next places
			for _, at := range current {
				for _, end := range m.match(item, at) {
					next.add(end)
				}
			}
			current = next.list
		}
		return current
	}
}

func (m *matching) one(e *Element, i int) []int {
	if i < len(m.children) {
		name := m.children[i].Name
		if name == e.Name || slices.ContainsFunc(e.Substitutes, func(s *Element) bool { return s.Name == name }) {
			return []int{i + 1}
		}
	}
	m.expect(i, e.Name)
	return nil
}

// all takes children in any order, each declaration as often as it may.
func (m *matching) all(items []*Particle, i int) []int {
	left := slices.Clone(items)
	for i < len(m.children) {
		taken := slices.IndexFunc(left, func(p *Particle) bool { return p.Kind == One && m.children[i].Name == p.Element.Name })
		if taken < 0 {
			break
		}
		left = slices.Delete(left, taken, taken+1)
		i++
	}
	missing := false
	for _, p := range left {
		if p.Kind == One {
			m.expect(i, p.Element.Name)
		}
		missing = missing || p.Min > 0
	}
	if missing {
		return nil
	}
	return []int{i}
}

// anything stands for any element.
var anything = Name{Local: "*"}

func (m *matching) expect(i int, what Name) {
	if i > m.furthest {
		m.furthest, m.expected = i, nil
	}
	if i == m.furthest && !slices.Contains(m.expected, what) && len(m.expected) < 8 {
		m.expected = append(m.expected, what)
	}
}

// place says which child does not fit, and what was expected there.
func (m *matching) place(n *xmltree.Node, ends []int) (at *xmltree.Node, detail string) {
	next := m.furthest
	for _, end := range ends {
		next = max(next, end)
	}
	expected := "nothing more"
	if next == m.furthest && len(m.expected) > 0 {
		expected = alternatives(m.expected)
	}
	if next < len(m.children) {
		given := m.children[next].Name
		for _, e := range m.expected {
			if next == m.furthest && e.Local == given.Local && e != given {
				return m.children[next], fmt.Sprintf("<%s> is in the namespace %q, not in %q", given.Local, given.Space, e.Space)
			}
		}
		return m.children[next], fmt.Sprintf("<%s> is not expected here; expected is %s", m.children[next].Name.Local, expected)
	}
	return n, fmt.Sprintf("<%s> is not complete; expected is %s", n.Name.Local, expected)
}

func alternatives(names []Name) string {
	texts := make([]string, len(names))
	for i, name := range names {
		if texts[i] = "<" + name.Local + ">"; name == anything {
			texts[i] = "any element"
		}
	}
	return strings.Join(texts, " or ")
}
