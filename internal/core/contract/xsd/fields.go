package xsd

import (
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec/tree"
)

// Field is one place of an element, for people to read.
type Field struct {
	// Path leads there by local names: "vessel/callSign", "cargo/@line"; "" is the element itself.
	Path string
	// Type is the name of the type, or what its text is.
	Type     string
	Required bool
	// Rules are what the schema says in words of its own: how often, by whom it is replaced.
	Rules []string
	// Schema describes the text in the dialect of JSON Schema; nil where there are elements.
	Schema        *tree.Node
	Documentation string
}

const (
	mostFields   = 200
	deepestField = 8
)

// Fields describes an element place by place, in the order of its schema. Types that contain themselves
// are described once on the way down.
func (s *Schemas) Fields(e *Element) []Field {
	d := &fielder{}
	d.element("", e, &Particle{Min: 1, Max: 1}, nil, nil)
	return d.fields
}

type fielder struct{ fields []Field }

func (d *fielder) element(path string, e *Element, p *Particle, open []*Type, others []string) {
	if len(d.fields) >= mostFields || len(open) > deepestField {
		return
	}
	t := e.Type
	f := Field{Path: path, Type: typeText(t), Required: p.Min > 0 && len(others) == 0, Documentation: e.Documentation}
	if f.Documentation == "" {
		f.Documentation = t.Documentation
	}
	rule := func(format string, args ...any) { f.Rules = append(f.Rules, fmt.Sprintf(format, args...)) }
	switch {
	case p.Max == Unbounded && p.Min > 1:
		rule("%d times or more", p.Min)
	case p.Max == Unbounded:
		rule("any number of times")
	case p.Max > 1 && p.Min == p.Max:
		rule("%d times", p.Max)
	case p.Max > 1:
		rule("up to %d times", p.Max)
	}
	if len(others) > 0 {
		rule("or %s", strings.Join(others, " or "))
	}
	if e.Fixed != nil {
		rule("always %s", *e.Fixed)
	}
	if e.Nillable {
		rule("may be nil")
	}
	if e.Default != nil {
		rule("default %s", *e.Default)
	}
	if names := substitutes(e); len(names) > 0 {
		rule("or in its place %s", strings.Join(names, ", "))
	}
	if kinds := kindsOf(t); len(kinds) > 0 {
		rule("by xsi:type also %s", strings.Join(kinds, ", "))
	}
	again := t.Name.Local != "" && slices.Contains(open, t)
	if t.Simple != nil {
		f.Schema = t.Simple.readable()
	} else if again {
		rule("as above")
	}
	if path != "" || t.Simple != nil || t.Anything {
		d.fields = append(d.fields, f)
	}
	if again || t.Anything {
		return
	}
	for _, a := range t.Attributes {
		d.attribute(under(path, "@"+a.Name.Local), a)
	}
	d.particle(path, t.Content, append(slices.Clone(open), t), nil)
}

func (d *fielder) attribute(path string, a *Attribute) {
	f := Field{Path: path, Type: a.Type.Kind, Required: a.Required, Schema: a.Type.readable()}
	if a.Fixed != nil {
		f.Rules = append(f.Rules, "always "+*a.Fixed)
	}
	if len(d.fields) < mostFields {
		d.fields = append(d.fields, f)
	}
}

// particle describes what is in a part of a content model; others are what may stand instead of it.
func (d *fielder) particle(path string, p *Particle, open []*Type, others []string) {
	if p == nil {
		return
	}
	switch p.Kind {
	case One:
		d.element(under(path, p.Element.Name.Local), p.Element, p, open, others)
	case Any:
		if len(d.fields) < mostFields {
			d.fields = append(d.fields, Field{Path: under(path, "*"), Type: "any element", Required: p.Min > 0})
		}
	default:
		for i, item := range p.Items {
			instead := others
			if p.Kind == Choice {
				instead = nil
				for j, other := range p.Items {
					if name := firstName(other); j != i && name != "" {
						instead = append(instead, name)
					}
				}
			}
			d.particle(path, within(item, p), open, instead)
		}
	}
}

// within is a part of a group, as often as the group allows it.
func within(item, group *Particle) *Particle {
	if group.Min > 0 && group.Max == 1 {
		return item
	}
	made := *item
	if group.Min == 0 {
		made.Min = 0
	}
	if group.Max == Unbounded || group.Max > 1 {
		made.Max = Unbounded
	}
	return &made
}

// firstName names the first element of a part of a content model.
func firstName(p *Particle) string {
	if p.Kind == One {
		return p.Element.Name.Local
	}
	for _, item := range p.Items {
		if name := firstName(item); name != "" {
			return name
		}
	}
	return ""
}

func under(path, step string) string {
	if path == "" {
		return step
	}
	return path + "/" + step
}

// typeText names a type: by what its text is, or by its own name.
func typeText(t *Type) string {
	switch {
	case t.Simple != nil && t.Simple.List != nil:
		return "list of " + t.Simple.List.Kind
	case t.Simple != nil && len(t.Simple.Union) > 0:
		return "one of several types"
	case t.Simple != nil:
		return t.Simple.Kind
	case t.Anything:
		return "anything"
	case t.Array != nil:
		return "array of " + typeText(t.Array)
	case t.Name.Local != "":
		return t.Name.Local
	}
	return "element"
}

// readable is the schema of a type with its pattern as it was written.
func (s *Simple) readable() *tree.Node {
	schema := s.jsonSchema()
	for i, m := range schema.Members {
		if m.Key == "pattern" && len(s.written) > 0 {
			schema.Members[i].Value = tree.NewString(s.written[len(s.written)-1])
		}
	}
	return schema
}

func substitutes(e *Element) (names []string) {
	for _, s := range e.Substitutes {
		if !s.Abstract && s != e {
			names = append(names, s.Name.Local)
		}
	}
	return names
}

// kindsOf are the types that may be named instead of a type.
func kindsOf(t *Type) (names []string) {
	for _, c := range t.concrete() {
		if c != t && c.Name.Local != "" && !t.Anything {
			names = append(names, c.Name.Local)
		}
	}
	slices.Sort(names)
	return names
}

// documentation is what a schema says of a component, on one line.
func documentation(n *xmltree.Node) string {
	text := ""
	if annotation := firstOf(n, "annotation"); annotation != nil {
		for _, c := range annotation.Children {
			if c.Name.Local == "documentation" {
				text += " " + c.Text
			}
		}
	}
	text = strings.Join(strings.Fields(text), " ")
	if runes := []rune(text); len(runes) > mostDocumented {
		text = string(runes[:mostDocumented]) + "…"
	}
	return text
}

// mostDocumented bounds what is kept of a documentation, in characters.
const mostDocumented = 500
