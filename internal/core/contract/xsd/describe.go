package xsd

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/spec/tree"
)

// TypesKey is the key of Tree's result that holds the named types; references
// in what Describe gives lead there.
const TypesKey = "types"

// Tree describes all named types, and those of global elements, so that two contracts
// can be compared.
func (s *Schemas) Tree() *tree.Node { return tree.NewMap(s.byType(s.describeType)) }

// byType describes all named types, and those of global elements that have no name, under TypesKey.
func (s *Schemas) byType(describe func(*Type) *tree.Node) tree.Member {
	var members []tree.Member
	for name, t := range s.Types {
		members = append(members, tree.Member{Key: name.String(), Value: describe(t)})
	}
	for name, e := range s.Elements {
		if e.Type.Name.Local == "" {
			members = append(members, tree.Member{Key: elementKey(name), Value: describe(e.Type)})
		}
	}
	slices.SortFunc(members, func(a, b tree.Member) int { return cmp.Compare(a.Key, b.Key) })
	return tree.Member{Key: TypesKey, Value: tree.NewMap(members...)}
}

// Describe describes an element for comparing: its type, by reference where it
// has a name.
func (s *Schemas) Describe(e *Element) *tree.Node { return s.describeElement(e, "") }

// elementKey names the type of a global element that has no name of its own.
func elementKey(name Name) string { return "<" + name.String() + ">" }

func (s *Schemas) describeElement(e *Element, occurs string) *tree.Node {
	var members []tree.Member
	add := func(key, value string) {
		if value != "" {
			members = append(members, tree.Member{Key: key, Value: tree.NewString(value)})
		}
	}
	add("occurs", occurs)
	if e.Nillable {
		add("nillable", "true")
	}
	if e.Fixed != nil {
		add("fixed", *e.Fixed)
	}
	switch t := e.Type; {
	case IsSchemaSpace(t.Name.Space) || t.Name.Space == Encoding:
		add("type", t.Name.Local)
	case t.Name.Local != "":
		members = append(members, tree.Member{Key: "content", Value: reference(t.Name.String())})
	case s.Elements[e.Name] == e: // it may lead back to itself
		members = append(members, tree.Member{Key: "content", Value: reference(elementKey(e.Name))})
	default:
		members = append(members, tree.Member{Key: "content", Value: s.describeType(t)})
	}
	return tree.NewMap(members...)
}

func reference(key string) *tree.Node {
	return tree.NewMap(tree.Member{Key: "$ref", Value: tree.NewString("#" + tree.Join("/"+TypesKey, key))})
}

func (s *Schemas) describeType(t *Type) *tree.Node {
	var members []tree.Member
	if t.Simple != nil {
		members = append(members, describeSimple(t.Simple)...)
	}
	if elements := s.describeParticle(t.Content, nil); len(elements) > 0 {
		members = append(members, tree.Member{Key: "properties", Value: tree.NewMap(elements...)})
	}
	var attributes []tree.Member
	for _, a := range t.Attributes {
		described := describeSimple(a.Type)
		if a.Required {
			described = append(described, tree.Member{Key: "use", Value: tree.NewString("required")})
		}
		attributes = append(attributes, tree.Member{Key: "@" + a.Name.Local, Value: tree.NewMap(described...)})
	}
	if attributes != nil {
		members = append(members, tree.Member{Key: "attributes", Value: tree.NewMap(attributes...)})
	}
	return tree.NewMap(members...)
}

func describeSimple(s *Simple) []tree.Member {
	members := []tree.Member{{Key: "type", Value: tree.NewString(s.Kind)}}
	if s.Values != nil {
		values := tree.NewList()
		for _, v := range s.Values {
			values.Items = append(values.Items, tree.NewString(v))
		}
		members = append(members, tree.Member{Key: "enum", Value: values})
	}
	for i, key := range []string{"minLength", "maxLength"} {
		if s.Length[i] >= 0 {
			members = append(members, tree.Member{Key: key, Value: tree.NewNumber(strconv.Itoa(s.Length[i]))})
		}
	}
	if len(s.written) > 0 {
		members = append(members, tree.Member{Key: "pattern", Value: tree.NewString(strings.Join(s.written, " and "))})
	}
	if s.low != nil {
		members = append(members, tree.Member{Key: "minimum", Value: tree.NewString(s.low.Text('g', 20))})
	}
	if s.high != nil {
		members = append(members, tree.Member{Key: "maximum", Value: tree.NewString(s.high.Text('g', 20))})
	}
	return members
}

// describeParticle lists the elements of a content model, each once.
func (s *Schemas) describeParticle(p *Particle, members []tree.Member) []tree.Member {
	if p == nil {
		return members
	}
	if p.Kind == One && !slices.ContainsFunc(members, func(m tree.Member) bool { return m.Key == p.Element.Name.Local }) {
		occurs := ""
		if p.Min != 1 || p.Max != 1 {
			occurs = strconv.Itoa(p.Min) + " to " + strconv.Itoa(p.Max)
			if p.Max == Unbounded {
				occurs = strconv.Itoa(p.Min) + " or more"
			}
		}
		members = append(members, tree.Member{Key: p.Element.Name.Local, Value: s.describeElement(p.Element, occurs)})
	}
	for _, item := range p.Items {
		members = s.describeParticle(item, members)
	}
	return members
}
