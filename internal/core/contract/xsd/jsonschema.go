package xsd

import (
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/spec/tree"
)

// JSONSchemas describes the documents of all named types, and of global elements whose types have no
// name, under TypesKey, in the dialect of JSON Schema 2020-12. References in what JSONSchema gives
// lead there.
func (s *Schemas) JSONSchemas() tree.Member {
	return s.byType(s.jsonType)
}

// JSONSchema describes the documents of an element.
func (s *Schemas) JSONSchema(e *Element) *tree.Node {
	var schema *tree.Node
	switch t := e.Type; {
	case s.Types[t.Name] == t:
		schema = reference(t.Name.String())
	case s.Elements[e.Name] == e && t.Name.Local == "":
		schema = reference(elementKey(e.Name))
	default:
		schema = s.jsonType(t)
	}
	if e.Fixed != nil && e.Type.Simple != nil {
		return tree.NewMap(tree.Member{Key: "const", Value: e.Type.Simple.value(*e.Fixed)})
	}
	if e.Nillable {
		null := tree.NewMap(tree.Member{Key: "type", Value: tree.NewString("null")})
		schema = tree.NewMap(tree.Member{Key: "anyOf", Value: tree.NewList(schema, null)})
	}
	if e.Default != nil && e.Type.Simple != nil {
		schema = tree.NewMap(append(slices.Clone(schema.Members), tree.Member{Key: "default", Value: e.Type.Simple.value(*e.Default)})...)
	}
	return schema
}

func (s *Schemas) jsonType(t *Type) *tree.Node {
	if t.Anything || t.Array != nil {
		return tree.NewMap()
	}
	if t.Simple != nil && len(t.Attributes) == 0 && !t.AnyAttr {
		return t.Simple.jsonSchema()
	}
	var properties []tree.Member
	required := tree.NewList()
	add := func(key string, schema *tree.Node, needed bool) {
		properties = append(properties, tree.Member{Key: key, Value: schema})
		if needed {
			required.Items = append(required.Items, tree.NewString(key))
		}
	}
	for _, a := range t.Attributes {
		schema := a.Type.jsonSchema()
		if a.Fixed != nil {
			schema = tree.NewMap(tree.Member{Key: "const", Value: a.Type.value(*a.Fixed)})
		}
		add(attributeMark+a.Name.Local, schema, a.Required)
	}
	switch {
	case t.Simple != nil:
		add(textKey, t.Simple.jsonSchema(), true)
	case t.Mixed:
		add(textKey, kindSchema("string"), false)
	}
	for _, f := range t.Content.fields() {
		for _, e := range append([]*Element{f.element}, f.element.Substitutes...) {
			if e.Abstract || slices.ContainsFunc(properties, func(m tree.Member) bool { return m.Key == e.Name.Local }) {
				continue
			}
			schema := s.JSONSchema(e)
			if f.many {
				schema = tree.NewMap(tree.Member{Key: "type", Value: tree.NewString("array")}, tree.Member{Key: "items", Value: schema})
			}
			add(e.Name.Local, schema, f.required && len(f.element.Substitutes) == 0)
		}
	}
	schema := kindSchema("object")
	schema.Members = append(schema.Members, tree.Member{Key: "properties", Value: tree.NewMap(properties...)}, tree.Member{Key: "required", Value: required})
	return schema
}

func kindSchema(kind string) *tree.Node {
	return tree.NewMap(tree.Member{Key: "type", Value: tree.NewString(kind)})
}

// jsonKinds are the types and formats of JSON Schema for built-in types; a string for all others.
// Moments have a loose format, since they may have no zone.
var jsonKinds = map[string][2]string{
	"boolean": {"boolean"}, "integer": {"integer"}, "decimal": {"number"},
	"float": {}, "double": {}, // which may be INF
	"dateTime": {"string", "xs:date-time"}, "date": {"string", "xs:date"},
}

// jsonSchema describes the values of a type as far as JSON Schema can.
func (s *Simple) jsonSchema() *tree.Node {
	kind, known := jsonKinds[s.Kind]
	if !known {
		kind[0] = "string"
	}
	var members []tree.Member
	add := func(key string, value *tree.Node) { members = append(members, tree.Member{Key: key, Value: value}) }
	switch {
	case known && kind[0] == "":
		add("type", tree.NewList(tree.NewString("number"), tree.NewString("string")))
	default:
		add("type", tree.NewString(kind[0]))
	}
	if kind[1] != "" {
		add("format", tree.NewString(kind[1]))
	}
	if s.Values != nil {
		values := tree.NewList()
		for _, text := range s.Values {
			values.Items = append(values.Items, s.value(text))
		}
		add("enum", values)
	}
	if s.low != nil {
		add(map[bool]string{false: "minimum", true: "exclusiveMinimum"}[s.lowOpen], tree.NewNumber(s.low.Text('f', -1)))
	}
	if s.high != nil {
		add(map[bool]string{false: "maximum", true: "exclusiveMaximum"}[s.highOpen], tree.NewNumber(s.high.Text('f', -1)))
	}
	if s.Kind != "hexBinary" && s.Kind != "base64Binary" && s.List == nil { // whose lengths count something else
		for i, key := range []string{"minLength", "maxLength"} {
			if s.Length[i] >= 0 {
				add(key, tree.NewNumber(strconv.Itoa(s.Length[i])))
			}
		}
	}
	if kind[0] == "string" && len(s.translated) > 0 {
		all := tree.NewList()
		for _, pattern := range s.translated[1:] {
			all.Items = append(all.Items, tree.NewMap(tree.Member{Key: "pattern", Value: tree.NewString(pattern)}))
		}
		add("pattern", tree.NewString(s.translated[0]))
		if len(all.Items) > 0 {
			add("allOf", all)
		}
	}
	return tree.NewMap(members...)
}

// Declared is the element of a type that JSONSchemas describes under a key; nil for none.
func (s *Schemas) Declared(key string) *Element {
	if name, is := strings.CutPrefix(strings.TrimSuffix(key, ">"), "<"); is {
		return s.Elements[nameOf(name)]
	}
	name := nameOf(key)
	if t := s.Types[name]; t != nil {
		return &Element{Name: name, Type: t}
	}
	return nil
}

// Drawn draws what a part of an element's document holds; path leads through its JSON Schema to the
// part. It returns nil where it leads nowhere.
func (g *Generator) Drawn(e *Element, path []string) *tree.Node {
	many := false
	for len(path) > 0 {
		switch at := path[0]; {
		case at == "items":
			path, many = path[1:], false
		case at == "anyOf" && len(path) > 1:
			path = path[2:]
		case at == "properties" && len(path) > 1:
			if attribute, is := strings.CutPrefix(path[1], attributeMark); is {
				return g.drawnAttribute(e.Type, attribute)
			}
			if path[1] == textKey && e.Type.Simple != nil {
				return e.Type.Simple.value(e.Type.Simple.draw(g.Draw, e.hint()))
			}
			if e, many = e.Type.child(path[1]); e == nil {
				return nil
			}
			path = path[2:]
		default:
			return nil
		}
	}
	drawn := g.drawn(e)
	if many {
		drawn = tree.NewList(drawn, g.drawn(e))
	}
	return drawn
}

func (g *Generator) drawn(e *Element) *tree.Node {
	n := g.Element(e)
	if n.Name != e.Name { // it stands in for another, which only the one around it can tell
		e = g.Schemas.Elements[n.Name]
	}
	return g.Schemas.Document(n, e)
}

func (g *Generator) drawnAttribute(t *Type, local string) *tree.Node {
	for _, a := range t.Attributes {
		switch {
		case a.Name.Local == local && a.Fixed != nil:
			return a.Type.value(*a.Fixed)
		case a.Name.Local == local:
			return a.Type.value(a.Type.draw(g.Draw, a.named))
		}
	}
	return nil
}

// child is the declaration of the children of a name, nil for none, and whether more than one may
// come.
func (t *Type) child(local string) (e *Element, many bool) {
	for _, f := range t.Content.fields() {
		for _, e := range append([]*Element{f.element}, f.element.Substitutes...) {
			if e.Name.Local == local {
				return e, f.many
			}
		}
	}
	return nil, false
}
