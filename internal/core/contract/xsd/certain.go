package xsd

import "slices"

// Certain reports whether every document that a Generator without Held draws for an element obeys its
// schema, so that none has to be looked at: its types are built-in ones or enumerations, without further
// limits, its content models are plain, and nothing contains itself. Most contracts have little else.
// A document that came out too large is not whole all the same: see Generator.Whole.
func (s *Schemas) Certain(e *Element) bool {
	if known, ok := s.certain.Load(e); ok {
		return known.(bool)
	}
	certain := (&proof{types: make(map[*Type]bool)}).element(e, 0)
	s.certain.Store(e, certain)
	return certain
}

// proof looks for what a generator may get wrong.
type proof struct {
	types map[*Type]bool // found certain; false while they are looked at
}

// mostProven bounds how deep a document goes that is certain; deeper ones are not drawn whole.
const mostProven = maxDepth / 2

func (p *proof) element(e *Element, depth int) bool {
	if e.Name.Space == Space || e.Abstract && len(e.Substitutes) == 0 || e.Fixed != nil || depth > mostProven {
		return false
	}
	for _, t := range e.Type.concrete() {
		if !p.ofType(t, depth) {
			return false
		}
	}
	return !slices.ContainsFunc(e.Substitutes, func(s *Element) bool { return s != e && !p.element(s, depth+1) })
}

func (p *proof) ofType(t *Type, depth int) bool {
	if certain, seen := p.types[t]; seen {
		return certain
	}
	p.types[t] = false // also for one that contains itself
	certain := t.Array == nil && !t.Anything && (t.Simple == nil || t.Simple.certain()) &&
		!slices.ContainsFunc(t.Attributes, func(a *Attribute) bool { return a.Fixed != nil || !a.Type.certain() }) &&
		p.particle(t.Content, make(map[Name]bool), depth)
	p.types[t] = certain
	return certain
}

// particle looks at a content model, names being those of elements in it so far: where one occurs twice it
// may be that it can be read in two ways.
func (p *proof) particle(c *Particle, names map[Name]bool, depth int) bool {
	switch {
	case c == nil:
		return true
	case c.Kind == Any, c.Kind == Choice && len(c.Items) == 0, c.Max != Unbounded && c.Min > c.Max:
		return false
	case c.Kind == One:
		for _, e := range append([]*Element{c.Element}, c.Element.Substitutes...) {
			if names[e.Name] {
				return false
			}
			names[e.Name] = true
		}
		return p.element(c.Element, depth+1)
	}
	return !slices.ContainsFunc(c.Items, func(item *Particle) bool { return !p.particle(item, names, depth) })
}

// plainKinds are built-in types whose values are drawn as they have to be.
var plainKinds = []string{"string", "normalizedString", "token", "boolean", "decimal", "integer", "float", "double", "dateTime", "date", "time", "anyURI", "base64Binary", "hexBinary"}

func (s *Simple) certain() bool {
	if s.List != nil || s.Union != nil || s.Patterns != nil || s.Length != [2]int{-1, -1} || s.totalDigits > 0 || s.earliest != "" && s.Kind != "integer" || s.latest != "" && s.Kind != "integer" {
		return false
	}
	if s.Values != nil {
		return s.Kind == "string" || s.Kind == "token"
	}
	limited := s.low != nil || s.high != nil
	return slices.Contains(plainKinds, s.Kind) && (!limited || s.Kind == "integer" && !s.lowOpen && !s.highOpen)
}
