package xsd

import (
	"slices"
	"unicode/utf8"

	"rapidmimic.example/internal/core/sample"
)

// Certain reports whether every document that a Generator without Held draws for an element obeys its
// schema, so that none has to be looked at: its types are built-in ones or enumerations, without further
// limits but lengths of texts and whole numbers, its content models are plain, and nothing contains
// itself. Most contracts have little else.
// A document that came out too large or too deep is not whole all the same: see Generator.Whole.
func (s *Schemas) Certain(e *Element) bool {
	if known, ok := s.certain.Load(e); ok {
		return known.(bool)
	}
	certain := proof{}.element(e)
	s.certain.Store(e, certain)
	return certain
}

// proof looks for what a generator may get wrong. It has the types that were found certain; false while they
// are looked at, and so for one that contains itself.
type proof map[*Type]bool

func (p proof) element(e *Element) bool {
	if e.Name.Space == Space || e.Abstract && len(e.Substitutes) == 0 {
		return false
	}
	if e.Fixed != nil && (e.Type.Simple == nil || len(e.Type.derived) > 0 || e.Type.Simple.Check(*e.Fixed, nil) != "") {
		return false
	}
	return !slices.ContainsFunc(e.Type.concrete(), func(t *Type) bool { return !p.ofType(t) }) &&
		!slices.ContainsFunc(e.Substitutes, func(s *Element) bool { return s != e && !p.element(s) })
}

func (p proof) ofType(t *Type) bool {
	if certain, seen := p[t]; seen {
		return certain
	}
	p[t] = false
	p[t] = t.Array == nil && (t.Simple == nil || t.Simple.certain()) &&
		!slices.ContainsFunc(t.Attributes, func(a *Attribute) bool { return a.Fixed != nil || !a.Type.certain() }) &&
		p.particle(t.Content, make(map[Name]bool))
	return p[t]
}

// particle looks at a content model, names being those of elements in it so far: where one occurs twice it
// may be that it can be read in two ways.
func (p proof) particle(c *Particle, names map[Name]bool) bool {
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
		return p.element(c.Element)
	}
	return !slices.ContainsFunc(c.Items, func(item *Particle) bool { return !p.particle(item, names) })
}

// plainKinds are built-in types whose values are drawn as they have to be.
var plainKinds = []string{"string", "normalizedString", "token", "boolean", "decimal", "integer", "float", "double", "dateTime", "date", "time",
	"gYear", "gYearMonth", "gMonthDay", "gDay", "gMonth", "duration", "anyURI", "base64Binary", "hexBinary", "language", "NMTOKEN", "Name", "NCName"}

// texts are built-in types whose texts are brought to a length without harm.
var texts = []string{"string", "normalizedString", "token"}

func (s *Simple) certain() bool {
	limited := s.low != nil || s.high != nil || s.earliest != "" || s.latest != "" || s.fraction >= 0
	switch {
	case s.List != nil, s.Union != nil, s.Patterns != nil, !s.fits(), s.totalDigits > 0, limited && !(s.Kind == "integer" && s.isRange()):
		return false
	case s.Values != nil:
		return s.Kind == "string" || s.Kind == "token"
	}
	return slices.Contains(plainKinds, s.Kind)
}

// isRange reports whether there are whole numbers between the limits, which are such themselves.
func (s *Simple) isRange() bool {
	whole := func(l *limit) bool { return l == nil || l.IsInt() }
	return !s.lowOpen && !s.highOpen && whole(s.low) && whole(s.high) && (s.low == nil || s.high == nil || s.low.Cmp(s.high.Float) <= 0)
}

// fits reports whether there are texts as long as they have to be, which are drawn.
func (s *Simple) fits() bool {
	low, high := s.Length[0], s.Length[1]
	return low < 0 && high < 0 || s.Values == nil && slices.Contains(texts, s.Kind) &&
		low <= sample.MaxLength/utf8.UTFMax && high != 0 && (high < 0 || low <= high)
}
