package contract

import (
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// Field is one place of a schema, for people to read.
type Field struct {
	// Path names the place: "vessel.name", "extras[].kind"; "" is the whole.
	Path string
	// Type says what stands there: "string", "array of Extra", "integer or null".
	Type     string
	Required bool
	// Rules are what the value must obey: "2 to 40 characters", "one of a, b".
	Rules       []string
	Description string
}

const (
	MostFields  = 200
	deepestPath = 6
)

// Fields describes a schema place by place, in the order of the document.
// Schemas that contain themselves are described once on the way down.
func (s *Schema) Fields() []Field {
	d := &describer{document: s.document, side: s.side}
	d.describe("", s.Resolved(), false, nil)
	return d.fields
}

// Described is the schema itself as one field, without what is inside.
func (s *Schema) Described() Field {
	d := &describer{document: s.document, side: s.side}
	return d.field("", s.Resolved(), deref(s.document, s.Resolved()), false)
}

type describer struct {
	document *Document
	side     sample.Side
	fields   []Field
}

// describe adds a place and those inside of it. open are the references that
// led here.
func (d *describer) describe(path string, schema *tree.Node, required bool, open []string) {
	ref := schema.Get("$ref").Str()
	if schema == nil || len(d.fields) >= MostFields || strings.Count(path, ".") > deepestPath {
		return
	}
	full := deref(d.document, schema)
	field := d.field(path, schema, full, required)
	if ref != "" && slices.Contains(open, ref) {
		field.Rules = append(field.Rules, "as above")
		d.fields = append(d.fields, field)
		return
	}
	if ref != "" {
		open = append(slices.Clone(open), ref)
	}
	if path != "" || len(full.Get("properties").Entries()) == 0 && full.Get("allOf") == nil {
		d.fields = append(d.fields, field)
	}
	d.inside(path, full, open)
}

func (d *describer) inside(path string, schema *tree.Node, open []string) {
	required := requiredOf(schema)
	for _, m := range schema.Get("properties").Entries() {
		if !d.hidden(m.Value) {
			d.describe(join(path, m.Key), m.Value, slices.Contains(required, m.Key), open)
		}
	}
	if items := schema.Get("items"); items != nil && items.Kind == tree.Map {
		if element := deref(d.document, items); element.Get("properties") != nil || element.Get("allOf") != nil || element.Get("oneOf") != nil {
			d.enter(path+"[]", items, open)
		}
	}
	if extra := schema.Get("additionalProperties"); extra != nil && extra.Kind == tree.Map {
		d.describe(join(path, "*"), extra, false, open)
	}
	for _, key := range []string{"allOf", "oneOf", "anyOf"} {
		if parts := schema.Get(key); parts != nil {
			for _, part := range parts.Items {
				d.enter(path, part, open)
			}
		}
	}
}

// enter describes what is inside a schema that has no place of its own.
func (d *describer) enter(path string, schema *tree.Node, open []string) {
	if ref := schema.Get("$ref").Str(); ref != "" {
		if slices.Contains(open, ref) || len(open) > maxFollow {
			return
		}
		open = append(slices.Clone(open), ref)
	}
	if full := deref(d.document, schema); full != nil {
		d.inside(path, full, open)
	}
}

func (d *describer) hidden(schema *tree.Node) bool {
	key := "writeOnly"
	if d.side == sample.ForRequest {
		key = "readOnly"
	}
	return deref(d.document, schema).Get(key).IsTrue()
}

func join(path, name string) string {
	if path == "" {
		return name
	}
	return path + "." + name
}

func requiredOf(schema *tree.Node) (names []string) {
	for _, n := range schema.Get("required").Elements() {
		names = append(names, n.Str())
	}
	return names
}

func (d *describer) field(path string, schema, full *tree.Node, required bool) Field {
	description := schema.Get("description").Str()
	if description == "" {
		description = full.Get("description").Str()
	}
	return Field{Path: path, Type: d.typeText(schema, 0), Required: required, Rules: rulesOf(full), Description: description}
}

// typeText names what a schema describes.
func (d *describer) typeText(schema *tree.Node, depth int) string {
	full := deref(d.document, schema)
	if full == nil || depth > 4 {
		return "anything"
	}
	name := ""
	if ref := schema.Get("$ref").Str(); ref != "" {
		name = ref[strings.LastIndex(ref, "/")+1:]
	}
	for _, key := range []string{"oneOf", "anyOf"} {
		if parts := full.Get(key); parts != nil && name == "" {
			var names []string
			for _, part := range parts.Items {
				names = append(names, d.typeText(part, depth+1))
			}
			return strings.Join(slices.Compact(names), " or ")
		}
	}
	types := schemaTypes(d.document, full)
	switch {
	case slices.Contains(types, "array"):
		return "array of " + d.typeText(full.Get("items"), depth+1)
	case name != "" && (len(types) == 0 || slices.Contains(types, "object")):
		return name
	case len(types) == 0 && full.Get("const") != nil, len(types) == 0 && full.Get("enum") != nil:
		return "a fixed value"
	case len(types) == 0:
		return "anything"
	}
	text := strings.Join(types, " or ")
	if format := full.Get("format").Str(); format != "" {
		text += ", " + format
	}
	return text
}

// Rules says in words what a value must obey by a schema of its own.
func Rules(schema *tree.Node) []string { return rulesOf(schema) }

// rulesOf says in words what a value must obey.
func rulesOf(n *tree.Node) (rules []string) {
	if enum := n.Get("enum").Elements(); len(enum) > 0 {
		var values []string
		for _, v := range enum {
			values = append(values, Plain(v))
		}
		rules = append(rules, "one of "+strings.Join(values, ", "))
	}
	if value := n.Get("const"); value != nil {
		rules = append(rules, "always "+Plain(value))
	}
	span := func(low, high, unit string) {
		from, to := n.Get(low), n.Get(high)
		if last := to; last != nil && last.Text == "1" || to == nil && from != nil && from.Text == "1" {
			unit = strings.TrimSuffix(unit, "s")
		}
		switch {
		case from != nil && to != nil && from.Text == to.Text:
			rules = append(rules, strings.TrimSpace(fmt.Sprintf("exactly %s %s", from.Text, unit)))
		case from != nil && to != nil:
			rules = append(rules, strings.TrimSpace(fmt.Sprintf("%s to %s %s", from.Text, to.Text, unit)))
		case from != nil:
			rules = append(rules, strings.TrimSpace(fmt.Sprintf("at least %s %s", from.Text, unit)))
		case to != nil:
			rules = append(rules, strings.TrimSpace(fmt.Sprintf("at most %s %s", to.Text, unit)))
		}
	}
	span("minLength", "maxLength", "characters")
	span("minimum", "maximum", "")
	span("minItems", "maxItems", "elements")
	for _, limit := range [][2]string{{"exclusiveMinimum", "above"}, {"exclusiveMaximum", "below"}} {
		if value := n.Get(limit[0]); value != nil && value.Kind == tree.Number {
			rules = append(rules, limit[1]+" "+value.Text)
		}
	}
	if step := n.Get("multipleOf"); step != nil {
		rules = append(rules, "a multiple of "+step.Text)
	}
	if pattern := n.Get("pattern").Str(); pattern != "" {
		rules = append(rules, "fits "+pattern)
	}
	if n.Get("uniqueItems").IsTrue() {
		rules = append(rules, "no element twice")
	}
	if n.Get("additionalProperties").IsFalse() {
		rules = append(rules, "nothing else")
	}
	if value := n.Get("default"); value != nil {
		rules = append(rules, "default "+string(value.AppendJSON(nil)))
	}
	if n.Get("deprecated").IsTrue() {
		rules = append(rules, "deprecated")
	}
	return rules
}
