// Package xsd reads XML Schema 1.0 into components that draw documents and
// hold documents against them.
//
// Reader takes schema elements, wherever they stand, and finds components by
// name; what they refer to may come from other schemas of the same Reader.
// Schemas is immutable afterwards and safe for concurrent use. Start with
// NewReader.
package xsd

import (
	"slices"
	"strings"
	"sync"

	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/internal/core/xmltree"
)

// Space is the namespace of XML Schema; documents of 1999 and 2000 are read as
// if they used it.
const Space = "http://www.w3.org/2001/XMLSchema"

// Encoding is the namespace of SOAP's own types.
const Encoding = "http://schemas.xmlsoap.org/soap/encoding/"

// Name is a name in a namespace.
type Name = xmltree.Name

// Unbounded is a number of occurrences without a limit.
const Unbounded = -1

// Schemas holds all components, by name.
type Schemas struct {
	Elements map[Name]*Element
	Types    map[Name]*Type

	wildcards sync.Map // wildcard → the *Element that is drawn there; nil for none
	certain   sync.Map // *Element → bool
}

// Element is an element declaration.
type Element struct {
	Name              Name
	Type              *Type
	Nillable          bool
	Abstract          bool
	Default, Fixed    *string
	Substitutes       []*Element // that may stand in its place
	Documentation     string     // what the schema says of it
	substitutionGroup Name
	named             *sample.Hint // what its name says of its text; nil for not read
}

// hint is what the name of an element says of its text.
func (e *Element) hint() *sample.Hint {
	if e.named != nil {
		return e.named
	}
	return sample.HintOf(e.Name.Local)
}

// Type is a simple or complex type.
type Type struct {
	Name     Name // Local is "" for one that stands where it is used
	Abstract bool
	Base     *Type // nil for the roots
	// Simple describes the text of a simple type, or of a complex one with
	// simple content; nil otherwise.
	Simple     *Simple
	Content    *Particle // what is inside; nil for nothing
	Attributes []*Attribute
	AnyAttr    bool
	Mixed      bool
	// Anything is set on anyType, which says nothing.
	Anything bool
	// Array is the type of the elements of a SOAP-encoded array.
	Array *Type
	// Documentation is what the schema says of it.
	Documentation string

	derived []*Type // those that have it as their base
	height  int     // how many levels its smallest document has

	// declared are the elements that may stand in it, once they were asked for.
	declaredOnce sync.Once
	declared     map[Name]*Element
}

// Kind tells what a Particle is.
type Kind uint8

// The kinds of particles.
const (
	Sequence Kind = iota
	Choice
	All
	One // an element
	Any
)

// Particle is a part of a content model.
type Particle struct {
	Kind     Kind
	Min, Max int // Max may be Unbounded
	Items    []*Particle
	Element  *Element // of One
	// Of Any: the namespaces that are allowed, as written; whether elements
	// must be, or need not be known.
	Namespaces string
	Target     string
	Process    string
}

// isOpen reports whether elements that nobody knows may stand at a wildcard.
func (p *Particle) isOpen() bool { return p.Process == "lax" || p.Process == "skip" }

// admits reports whether an element of a namespace may stand at a wildcard.
func (p *Particle) admits(space string) bool {
	switch p.Namespaces {
	case "", "##any":
		return true
	case "##other":
		return space != p.Target && space != ""
	}
	return slices.ContainsFunc(strings.Fields(p.Namespaces), func(allowed string) bool {
		switch allowed {
		case "##targetNamespace":
			return space == p.Target
		case "##local":
			return space == ""
		}
		return space == allowed
	})
}

// Attribute is the use of an attribute.
type Attribute struct {
	Name           Name
	Type           *Simple
	Required       bool
	Default, Fixed *string
	ArrayOf        Name         // wsdl:arrayType, for SOAP-encoded arrays
	named          *sample.Hint // what its name says of its value
}

// isA reports whether t is base or derived from it.
func (t *Type) isA(base *Type) bool {
	for range 100 {
		if t == nil || t == base || base.Anything {
			return t != nil
		}
		t = t.Base
	}
	return false
}

// concrete lists the types that can stand for t: itself and what is derived
// from it, without the abstract ones.
func (t *Type) concrete() (types []*Type) {
	seen := make(map[*Type]bool)
	var walk func(*Type)
	walk = func(t *Type) {
		if seen[t] {
			return
		}
		seen[t] = true
		if !t.Abstract {
			types = append(types, t)
		}
		for _, d := range t.derived {
			walk(d)
		}
	}
	walk(t)
	return types
}

// children are the declarations of the elements that may stand in it, of a type that is read.
func (t *Type) children() map[Name]*Element {
	t.declaredOnce.Do(func() { t.declared = t.Content.elements(nil) })
	return t.declared
}

// elements lists the declarations in a content model.
func (p *Particle) elements(found map[Name]*Element) map[Name]*Element {
	if found == nil {
		found = make(map[Name]*Element)
	}
	if p == nil {
		return found
	}
	if p.Kind == One {
		found[p.Element.Name] = p.Element
		for _, s := range p.Element.Substitutes {
			found[s.Name] = s
		}
	}
	for _, item := range p.Items {
		item.elements(found)
	}
	return found
}
