package xsd

import (
	"cmp"
	"regexp"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec/tree"
)

// Documents are elements as people write data: children by their local names, those that may come
// more than once in lists; attributes with an @ before their names, text beside them as #text; nil
// elements as null. What the schema does not know has its whole name, {namespace}local.
const (
	attributeMark = "@"
	textKey       = "#text"
	typeKey       = "@xsi:type"
)

// field is what a type says of the children of one name.
type field struct {
	element  *Element
	many     bool // more than one may come
	required bool
}

// fields are those of a content model, in its order, each name once.
func (p *Particle) fields() (list []field) {
	p.addFields(&list, false, true)
	return list
}

func (p *Particle) addFields(list *[]field, many, required bool) {
	if p == nil || p.Max == 0 {
		return
	}
	many, required = many || p.Max != 1, required && p.Min > 0
	switch p.Kind {
	case One:
		if i := slices.IndexFunc(*list, func(f field) bool { return f.element.Name == p.Element.Name }); i >= 0 {
			(*list)[i].many = true
			(*list)[i].required = (*list)[i].required || required
			return
		}
		*list = append(*list, field{p.Element, many, required})
	default:
		for _, item := range p.Items {
			item.addFields(list, many, required && (p.Kind != Choice || len(p.Items) == 1))
		}
	}
}

// takes reports whether an element of a name is one of the field: its own, or a substitute.
func (f field) takes(name Name) bool { return f.declares(name) != nil }

func (f field) declares(name Name) *Element {
	if f.element.Name == name {
		return f.element
	}
	for _, s := range f.element.Substitutes {
		if s.Name == name {
			return s
		}
	}
	return nil
}

// Document is what an element holds, by its declaration.
func (s *Schemas) Document(n *xmltree.Node, e *Element) *tree.Node {
	if value, _ := n.Lookup(Name{Space: xmltree.Instance, Local: "nil"}); isTrue(value) {
		return &tree.Node{Kind: tree.Null, Text: "null"}
	}
	t, said := s.typeOf(n, e)
	if t.Simple != nil && len(t.Attributes) == 0 && !t.AnyAttr {
		return t.Simple.value(textOf(n))
	}
	var members []tree.Member
	if said {
		name, _ := n.LookupName(Name{Space: xmltree.Instance, Local: "type"})
		members = append(members, tree.Member{Key: typeKey, Value: tree.NewString(name.String())})
	}
	for _, a := range n.Attrs {
		if a.Name.Space == xmltree.Instance {
			continue
		}
		value := tree.NewString(a.Value)
		if i := slices.IndexFunc(t.Attributes, func(d *Attribute) bool { return d.Name == a.Name }); i >= 0 {
			value = t.Attributes[i].Type.value(a.Value)
			members = append(members, tree.Member{Key: attributeMark + a.Name.Local, Value: value})
		} else {
			members = append(members, tree.Member{Key: attributeMark + a.Name.String(), Value: value})
		}
	}
	if t.Simple != nil {
		return tree.NewMap(append(members, tree.Member{Key: textKey, Value: t.Simple.value(textOf(n))})...)
	}
	if text := strings.TrimSpace(n.Text); text != "" && (t.Mixed || len(n.Children) == 0) {
		if t.Anything && len(n.Children) == 0 && len(members) == 0 {
			return tree.NewString(text)
		}
		members = append(members, tree.Member{Key: textKey, Value: tree.NewString(text)})
	}
	return tree.NewMap(append(members, s.children(n, t)...)...)
}

// children are those of an element, in the order in which each name comes first.
func (s *Schemas) children(n *xmltree.Node, t *Type) (members []tree.Member) {
	fields := t.Content.fields()
	at := make(map[string]int)
	for _, c := range n.Children {
		key, value, many := unknownKey(c.Name, t), (*tree.Node)(nil), false
		if i := slices.IndexFunc(fields, func(f field) bool { return f.takes(c.Name) }); i >= 0 {
			key, value, many = c.Name.Local, s.Document(c, fields[i].declares(c.Name)), fields[i].many
		} else if known := s.Elements[c.Name]; known != nil {
			value = s.Document(c, known)
		} else {
			value = s.Document(c, &Element{Name: c.Name, Type: anyType})
		}
		i, twice := at[key]
		switch {
		case !twice && many:
			at[key], value = len(members), tree.NewList(value)
			members = append(members, tree.Member{Key: key, Value: value})
		case !twice:
			at[key] = len(members)
			members = append(members, tree.Member{Key: key, Value: value})
		case members[i].Value.Kind == tree.List && (many || len(members[i].Value.Items) > 1):
			members[i].Value.Items = append(members[i].Value.Items, value)
		default: // more of them than the schema allows
			members[i].Value = tree.NewList(members[i].Value, value)
		}
	}
	return members
}

// unknownKey is the key of a child that its parent's type does not know.
func unknownKey(name Name, of *Type) string {
	if name.Space == "" && !of.Anything {
		return "{}" + name.Local
	}
	return name.String()
}

// typeOf is the type that an element says it has, where the contract knows one; else the declared
// one.
func (s *Schemas) typeOf(n *xmltree.Node, e *Element) (t *Type, said bool) {
	if name, ok := n.LookupName(Name{Space: xmltree.Instance, Local: "type"}); ok {
		if t := s.typeNamed(name); t != nil {
			return t, true
		}
	}
	return e.Type, false
}

func (s *Schemas) typeNamed(name Name) *Type {
	if IsSchemaSpace(name.Space) || name.Space == Encoding {
		return builtin(name.Local)
	}
	return s.Types[name]
}

func textOf(n *xmltree.Node) string {
	if n.QName != nil {
		return n.QName.Local
	}
	return n.Text
}

// value is a text of the type as JSON has it; a string where it has no such value.
func (s *Simple) value(text string) *tree.Node {
	if s.collapse {
		text = strings.Join(strings.Fields(text), " ")
	}
	switch s.Kind {
	case "boolean":
		switch text {
		case "true", "1":
			return tree.NewBool(true)
		case "false", "0":
			return tree.NewBool(false)
		}
	case "decimal", "integer", "float", "double":
		if number, ok := jsonNumber(text); ok {
			return tree.NewNumber(number)
		}
	}
	return tree.NewString(text)
}

// numeral has the parts of a number that JSON writes otherwise than XML Schema may.
var numeral = regexp.MustCompile(`^(-)?\+?0*(\d*)(?:\.(\d*))?((?:[eE][+-]?\d+)?)$`)

// jsonNumber is a number as JSON writes it: as it is where it can be; ok is false for what is none,
// such as INF.
func jsonNumber(text string) (number string, ok bool) {
	part := numeral.FindStringSubmatch(text)
	if part == nil || part[2]+part[3] == "" && !strings.Contains(text, "0") {
		return "", false
	}
	number = part[1] + cmp.Or(part[2], "0")
	if part[3] != "" {
		number += "." + part[3]
	}
	return number + part[4], true
}

// Written is the element that holds a document, by its declaration; what the schema does not know of
// it is written all the same.
func (s *Schemas) Written(value *tree.Node, e *Element) *xmltree.Node {
	n := &xmltree.Node{Name: e.Name}
	if value == nil || value.Kind == tree.Null {
		if e.Nillable {
			n.Attrs = []xmltree.Attr{{Name: Name{Space: xmltree.Instance, Local: "nil"}, Value: "true"}}
		}
		return n
	}
	t := e.Type
	if said := value.Get(typeKey).Str(); said != "" {
		name := nameOf(said)
		if known := s.typeNamed(name); known != nil {
			t = known
			n.Attrs = append(n.Attrs, xmltree.Attr{Name: Name{Space: xmltree.Instance, Local: "type"}, QName: &name})
		}
	}
	if value.Kind != tree.Map {
		n.Text = value.Text // of a list where one may come: none
		return n
	}
	w := &documentWriter{schemas: s, left: make(map[string][]*tree.Node)}
	for _, m := range value.Entries() {
		attribute, is := strings.CutPrefix(m.Key, attributeMark)
		switch {
		case m.Key == typeKey:
		case m.Key == textKey:
			n.Text = m.Value.Text
		case is:
			n.Attrs = append(n.Attrs, xmltree.Attr{Name: t.attributeNamed(attribute), Value: m.Value.Text})
		case m.Value.Kind == tree.List:
			w.add(m.Key, m.Value.Items...)
		default:
			w.add(m.Key, m.Value)
		}
	}
	w.particle(n, t.Content)
	w.rest(n, t)
	return n
}

// attributeNamed is the name of an attribute that a document calls so.
func (t *Type) attributeNamed(key string) Name {
	for _, a := range t.Attributes {
		if a.Name.Local == key {
			return a.Name
		}
	}
	return nameOf(key)
}

// nameOf reads what Name.String writes.
func nameOf(text string) Name {
	if rest, is := strings.CutPrefix(text, "{"); is {
		if space, local, ok := strings.Cut(rest, "}"); ok {
			return Name{Space: space, Local: local}
		}
	}
	return Name{Local: text}
}

// documentWriter writes the children of one element in the order that its content model demands.
type documentWriter struct {
	schemas *Schemas
	left    map[string][]*tree.Node // what is not written yet, by its key
	keys    []string                // in the order of the document
}

func (w *documentWriter) add(key string, values ...*tree.Node) {
	if _, known := w.left[key]; !known {
		w.keys = append(w.keys, key)
	}
	w.left[key] = append(w.left[key], values...)
}

// particle writes what is left and fits. It reports whether it wrote anything.
func (w *documentWriter) particle(n *xmltree.Node, p *Particle) (wrote bool) {
	if p == nil {
		return false
	}
	for round := 0; p.Max == Unbounded || round < p.Max; round++ {
		if !w.once(n, p) {
			return wrote
		}
		wrote = true
	}
	return wrote
}

func (w *documentWriter) once(n *xmltree.Node, p *Particle) (wrote bool) {
	switch p.Kind {
	case One:
		return w.one(n, field{element: p.Element})
	case Any:
		return false // rest writes what no declaration knows
	case Choice:
		for _, item := range p.Items {
			if w.particle(n, item) {
				return true
			}
		}
		return false
	default:
		for _, item := range p.Items {
			wrote = w.particle(n, item) || wrote
		}
		return wrote
	}
}

// one writes the next element of a declaration, or of one that may stand in its place.
func (w *documentWriter) one(n *xmltree.Node, f field) bool {
	for _, e := range append([]*Element{f.element}, f.element.Substitutes...) {
		if values := w.left[e.Name.Local]; len(values) > 0 {
			w.left[e.Name.Local] = values[1:]
			n.Add(w.schemas.Written(values[0], e))
			return true
		}
	}
	return false
}

// rest writes what no declaration took.
func (w *documentWriter) rest(n *xmltree.Node, t *Type) {
	space := n.Name.Space
	if fields := t.Content.fields(); len(fields) > 0 {
		space = fields[0].element.Name.Space
	}
	for _, key := range w.keys {
		for _, value := range w.left[key] {
			name := nameOf(key)
			if key == name.Local && !t.Anything {
				name.Space = space
			}
			e := w.schemas.Elements[name]
			if e == nil {
				e = &Element{Name: name, Type: anyType}
			}
			n.Add(w.schemas.Written(value, e))
		}
	}
}
