package contract

import (
	"errors"
	"slices"
	"strconv"
	"strings"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"rapidmimic.example/spec/tree"
)

// Property is what a schema says of one property of an object.
type Property struct {
	Name   string
	Schema *Schema
	// Required is set where the object must have it, ReadOnly where only answers do,
	// WriteOnly where only requests do.
	Required, ReadOnly, WriteOnly bool
	Format                        string
	// Default and Example are nil where the schema has none.
	Default, Example *tree.Node
}

// LooseFormat begins formats that values are not held against: what XML Schema calls a dateTime is
// most often a date-time, and needs no zone.
const LooseFormat = "xs:"

// deepest bounds how many references and combinations are followed to a property.
const deepest = 20

// Properties lists the properties of an object as the schema has them, with those of what it
// refers to and of all that it combines; of alternatives, those of the first that is an object.
// None for what is no object.
func (s *Schema) Properties() []Property {
	var list []Property
	s.document.properties(s.pointer, s, &list, deepest)
	return list
}

// Property is the property of this name; ok is false where there is none.
func (s *Schema) Property(name string) (p Property, ok bool) {
	list := s.Properties()
	if i := slices.IndexFunc(list, func(p Property) bool { return p.Name == name }); i >= 0 {
		return list[i], true
	}
	return p, false
}

// Breach says in what a value does not obey the schema; "" where it does, and where the schema
// cannot judge.
func (s *Schema) Breach(value *tree.Node) string {
	var invalid *jsonschema.ValidationError
	if err := s.Check(value); errors.As(err, &invalid) {
		return breach(err)
	}
	return ""
}

// Elements is the schema of the elements of a list; nil where the schema says nothing of them.
func (s *Schema) Elements() *Schema {
	at, n := s.document.follow(s.pointer)
	if n.Get("items") == nil {
		return nil
	}
	return s.document.sided(at+"/items", s)
}

// Types are the types that the schema allows; none for any.
func (s *Schema) Types() []string {
	return schemaTypes(s.document, s.document.Resolve("#"+s.pointer))
}

// Same reports whether two schemas are one piece of the document, by whichever references.
func (s *Schema) Same(other *Schema) bool {
	if s == nil || other == nil || s.document != other.document {
		return false
	}
	a, _ := s.document.follow(s.pointer)
	b, _ := s.document.follow(other.pointer)
	return a == b
}

// sided is the schema at a pointer, for the side of a call of another one.
func (d *Document) sided(pointer string, of *Schema) *Schema {
	return &Schema{document: d, pointer: pointer, side: of.side}
}

// follow leads from a schema to the one that it refers to, or that it only makes nullable.
func (d *Document) follow(pointer string) (at string, n *tree.Node) {
	at, n = pointer, d.root.At(pointer)
	for range deepest {
		next := ""
		if ref := n.Get("$ref").Str(); ref != "" {
			if found, ok := d.Locate(ref); ok {
				next = found
			}
		} else if n.Get("properties") == nil {
			next = d.only(at, n)
		}
		if next == "" || d.root.At(next) == nil {
			return at, n
		}
		at, n = next, d.root.At(next)
	}
	return at, n
}

// only is the pointer of the one thing that a schema combines with nothing, or with null.
func (d *Document) only(at string, n *tree.Node) (pointer string) {
	for _, word := range []string{"allOf", "oneOf", "anyOf"} {
		for i, part := range n.Get(word).Elements() {
			if part.Get("type").Str() == "null" || part.Get("enum") != nil && part.Get("type") == nil && len(part.Get("enum").Elements()) == 1 && part.Get("enum").Elements()[0].Kind == tree.Null {
				continue
			}
			if pointer != "" {
				return ""
			}
			pointer = at + "/" + word + "/" + strconv.Itoa(i)
		}
	}
	return pointer
}

func (d *Document) properties(pointer string, of *Schema, list *[]Property, depth int) {
	if depth == 0 {
		return
	}
	at, n := d.follow(pointer)
	required := requiredOf(n)
	for _, m := range n.Get("properties").Entries() {
		_, full := d.follow(tree.Join(at+"/properties", m.Key))
		p := Property{
			Name: m.Key, Schema: d.sided(tree.Join(at+"/properties", m.Key), of), Required: slices.Contains(required, m.Key),
			ReadOnly: m.Value.Get("readOnly").IsTrue() || full.Get("readOnly").IsTrue(), WriteOnly: m.Value.Get("writeOnly").IsTrue() || full.Get("writeOnly").IsTrue(),
			Format: strings.TrimPrefix(full.Get("format").Str(), LooseFormat), Default: first(m.Value.Get("default"), full.Get("default")), Example: exampleIn(m.Value, full),
		}
		if i := slices.IndexFunc(*list, func(have Property) bool { return have.Name == p.Name }); i >= 0 {
			p.Required = p.Required || (*list)[i].Required
			(*list)[i] = p
			continue
		}
		*list = append(*list, p)
	}
	for i := range n.Get("allOf").Elements() {
		d.properties(at+"/allOf/"+strconv.Itoa(i), of, list, depth-1)
	}
	for _, word := range []string{"oneOf", "anyOf"} {
		for i := range n.Get(word).Elements() {
			if before := len(*list); before == 0 {
				d.properties(at+"/"+word+"/"+strconv.Itoa(i), of, list, depth-1)
			}
		}
	}
	for i := range *list {
		if slices.Contains(required, (*list)[i].Name) {
			(*list)[i].Required = true
		}
	}
}

func first(nodes ...*tree.Node) *tree.Node {
	for _, n := range nodes {
		if n != nil {
			return n
		}
	}
	return nil
}

func exampleIn(nodes ...*tree.Node) *tree.Node {
	for _, n := range nodes {
		if example := n.Get("example"); example != nil {
			return example
		}
		if several := n.Get("examples").Elements(); len(several) > 0 {
			return several[0]
		}
	}
	return nil
}

// Keyword is what the schema says by a word of JSON Schema, such as maximum, also in what it
// refers to and in all that it combines; nil for nothing.
func (s *Schema) Keyword(word string) *tree.Node {
	return s.document.keyword(s.pointer, word, deepest)
}

func (d *Document) keyword(pointer, word string, depth int) *tree.Node {
	if said := d.root.At(pointer).Get(word); said != nil || depth == 0 {
		return said
	}
	at, n := d.follow(pointer)
	if said := n.Get(word); said != nil {
		return said
	}
	for i := range n.Get("allOf").Elements() {
		if said := d.keyword(at+"/allOf/"+strconv.Itoa(i), word, depth-1); said != nil {
			return said
		}
	}
	return nil
}
