package contract

import (
	"fmt"
	"math"
	"strconv"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/spec/tree"
)

// Schemas that hold one another can make the validator visit a value again and again:
// twice for each level of allOf or anyOf, and once more for each level of the value
// where they lead back to themselves. How often that is can be counted without doing
// it, since the count for a schema and a value is always the same.

const (
	// maxParts bounds the schemas that one schema is put together from.
	maxParts = 100_000
	// maxVisits bounds the visits of one check. One takes less than a microsecond.
	maxVisits = 5_000_000
	// shallow is the depth up to which the visits of a value are not counted.
	shallow = 6
)

var errVisits = &budget.Exhausted{Detail: fmt.Sprintf("its schema leads back to itself, so that checking it takes more than %d visits", maxVisits)}

// inPlace are the keywords whose schemas judge the same value, by shape.
var (
	inPlaceLists   = []string{"allOf", "anyOf", "oneOf"}
	inPlaceSchemas = []string{"not", "if", "then", "else"}
)

// eachInPlace calls visit for every schema that judges the same value as n does.
func (d *Document) eachInPlace(n *tree.Node, visit func(*tree.Node)) {
	for _, key := range inPlaceLists {
		for _, part := range n.Get(key).Elements() {
			visit(part)
		}
	}
	for _, key := range inPlaceSchemas {
		if part := n.Get(key); part != nil {
			visit(part)
		}
	}
	for _, m := range n.Get("dependentSchemas").Entries() {
		visit(m.Value)
	}
	for _, key := range []string{"$ref", "$dynamicRef"} {
		if target := d.target(n.Get(key).Str()); target != nil {
			visit(target)
		}
	}
}

// target is the schema as it was written that a reference leads to; nil for none.
func (d *Document) target(ref string) *tree.Node {
	if ref == "" {
		return nil
	}
	pointer, ok := d.Locate(ref)
	if !ok {
		return nil
	}
	return d.root.At(pointer)
}

// Exploding finds the first schema that is put together from so many others that
// nothing can be done with it, and the pointer to it; nil where there is none.
func (d *Document) Exploding() (found *tree.Node, at string) {
	c := &counting{document: d, most: maxParts, room: math.MaxInt, known: make(map[pair]int)}
	var walk func(n *tree.Node, at string)
	walk = func(n *tree.Node, pointer string) {
		if found != nil {
			return
		}
		if c.visits(pair{schema: n}) >= maxParts {
			found, at = n, pointer
			return
		}
		for i, item := range n.Items {
			walk(item, pointer+"/"+strconv.Itoa(i))
		}
		for _, m := range n.Members {
			walk(m.Value, tree.Join(pointer, m.Key))
		}
	}
	walk(d.root, "")
	return found, at
}

// pair is a schema and the value that it judges, nil for any.
type pair struct{ schema, value *tree.Node }

// counting counts how often schemas are visited.
type counting struct {
	document *Document
	most     int          // visits of one schema
	room     int          // pairs that are counted
	known    map[pair]int // -1 while one is being counted
}

// visits is how many visits judging the value of a pair takes, at most c.most.
func (c *counting) visits(p pair) int {
	if p.schema.Kind != tree.Map {
		return 1
	}
	if count, known := c.known[p]; known {
		return max(count, 0)
	}
	if len(c.known) > c.room {
		return c.most
	}
	c.known[p] = -1
	count := 1
	add := func(schema, value *tree.Node) {
		if count < c.most {
			count = min(c.most, count+c.visits(pair{schema, value}))
		}
	}
	c.document.eachInPlace(p.schema, func(part *tree.Node) { add(part, p.value) })
	if p.value != nil {
		c.eachChild(p.schema, p.value, add)
	}
	c.known[p] = count
	return count
}

// eachChild calls visit for the schemas of the parts of a list or an object.
func (c *counting) eachChild(schema, value *tree.Node, visit func(schema, value *tree.Node)) {
	prefix := schema.Get("prefixItems").Elements()
	for i, item := range value.Elements() {
		if i < len(prefix) {
			visit(prefix[i], item)
		}
		for _, key := range []string{"items", "contains", "unevaluatedItems"} {
			if s := schema.Get(key); s != nil {
				visit(s, item)
			}
		}
	}
	properties, patterns := schema.Get("properties"), schema.Get("patternProperties").Entries()
	for _, m := range value.Entries() {
		if s := properties.Get(m.Key); s != nil {
			visit(s, m.Value)
		}
		for _, p := range patterns { // whether they fit is not asked
			visit(p.Value, m.Value)
		}
		for _, key := range []string{"additionalProperties", "unevaluatedProperties"} {
			if s := schema.Get(key); s != nil {
				visit(s, m.Value)
			}
		}
	}
}

// bearable reports an error where checking a value would take too many visits.
func (s *Schema) bearable(value *tree.Node) error {
	if !deeper(value, shallow) {
		return nil
	}
	c := &counting{document: s.document, most: maxVisits, room: maxVisits / 10, known: make(map[pair]int)}
	if schema := s.document.root.At(s.pointer); schema != nil && c.visits(pair{schema, value}) >= maxVisits {
		return errVisits
	}
	return nil
}

// deeper reports whether a value has more than so many levels.
func deeper(n *tree.Node, levels int) bool {
	if levels < 0 {
		return true
	}
	for _, item := range n.Items {
		if deeper(item, levels-1) {
			return true
		}
	}
	for _, m := range n.Members {
		if deeper(m.Value, levels-1) {
			return true
		}
	}
	return false
}
