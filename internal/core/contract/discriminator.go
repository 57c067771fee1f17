package contract

import (
	"slices"
	"strings"
	"sync"

	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// A discriminator is a property that says which of several schemas a value obeys: those of a oneOf
// or anyOf, or those of a component's descendants, which have it in their allOf. JSON Schema knows
// nothing of it. So a schema that has one is resolved with the keyword of sample.KindsKey beside
// it, which says what is told apart by what: data are drawn by it, and for the validator it becomes
// if and then.

// plainPrefix begins the pointer of a component that stands for itself alone: not for those that
// descend from it, and without a demand that its discriminator says so.
const plainPrefix = "/x-rapid-mimic-plain"

// discriminators is what is known of those of a document.
type discriminators struct {
	once sync.Once
	used bool
	// bases are the components in the allOf of each component, and children the other way round, by
	// their pointers.
	bases, children map[string][]string

	mu       sync.Mutex // guards what follows
	kinds    map[string]*tree.Node
	mappings map[*tree.Node]mapping // by the discriminator
}

// mapping is that of a discriminator: the names of components by their pointers.
type mapping map[string][]string

// mappingOf reads the mapping of a discriminator, once.
func (d *Document) mappingOf(discriminator *tree.Node) mapping {
	k := &d.discriminators
	k.mu.Lock()
	defer k.mu.Unlock()
	if known := k.mappings[discriminator]; known != nil {
		return known
	}
	m := make(mapping)
	for _, entry := range discriminator.Get("mapping").Entries() {
		pointer := d.mapped(entry.Value.Str())
		if pointer == "" {
			continue
		}
		m[pointer] = append(m[pointer], entry.Key)
	}
	k.mappings[discriminator] = m
	return m
}

// discriminates reports whether anything in the document has a discriminator, and looks for
// descendants when it is asked first.
func (d *Document) discriminates() bool {
	k := &d.discriminators
	k.once.Do(func() {
		if k.used = uses(d.root, "discriminator"); !k.used {
			return
		}
		k.bases, k.children = make(map[string][]string), make(map[string][]string)
		k.kinds, k.mappings = make(map[string]*tree.Node), make(map[*tree.Node]mapping)
		d.eachComponent(func(pointer string, component *tree.Node) {
			for _, part := range component.Get("allOf").Elements() {
				if base, ok := d.Locate(part.Get("$ref").Str()); ok && part.Get("$ref") != nil {
					k.bases[pointer] = append(k.bases[pointer], base)
					k.children[base] = append(k.children[base], pointer)
				}
			}
		})
	})
	return k.used
}

// eachComponent visits the schemas that have names.
func (d *Document) eachComponent(visit func(pointer string, component *tree.Node)) {
	all := func(at string, n *tree.Node) {
		for _, m := range n.Entries() {
			if m.Value.Kind == tree.Map {
				visit(tree.Join(at, m.Key), m.Value)
			}
		}
	}
	document := func(at string, n *tree.Node) {
		all(at+"/components/schemas", n.Get("components").Get("schemas"))
		all(at+"/definitions", n.Get("definitions"))
	}
	document("", d.root)
	for _, m := range d.root.Entries() {
		if !strings.HasPrefix(m.Key, "x-") || m.Value.Kind != tree.Map {
			continue
		}
		for _, file := range m.Value.Entries() { // beside the contract
			at := tree.Join(tree.Join("", m.Key), file.Key)
			document(at, file.Value)
			all(at, file.Value)
		}
	}
}

// descendants are the components that have one in their allOf, or one of its descendants.
func (d *Document) descendants(pointer string) (all []string) {
	waiting := d.discriminators.children[pointer]
	for len(waiting) > 0 && len(all) < maxKinds {
		next := waiting[0]
		waiting = waiting[1:]
		if next != pointer && !slices.Contains(all, next) {
			all = append(all, next)
			waiting = append(slices.Clone(waiting), d.discriminators.children[next]...)
		}
	}
	return all
}

// maxKinds bounds how many schemas one discriminator tells apart.
const maxKinds = 2_000

// inherited is the discriminator of a component, its own or that of one in its allOf; nil for none.
func (d *Document) inherited(pointer string, depth int) *tree.Node {
	if own := d.root.At(pointer).Get("discriminator"); own != nil || depth == 0 {
		return own
	}
	for _, base := range d.discriminators.bases[pointer] {
		if found := d.inherited(base, depth-1); found != nil {
			return found
		}
	}
	return nil
}

// kinded adds to a schema that was resolved at a pointer, and to all that is nested in it, what
// discriminators tell apart.
func (d *Document) kinded(pointer string, n *tree.Node) *tree.Node {
	if !d.discriminates() {
		return n
	}
	plain := strings.HasPrefix(pointer, plainPrefix)
	n = MapSchema(n, d.withAlternatives)
	own := strings.TrimPrefix(pointer, plainPrefix)
	if bases := d.discriminators.bases[own]; bases != nil {
		n = d.onPlainBases(n)
	}
	if plain || n.Get(sample.KindsKey) != nil || d.inherited(own, deepest) == nil {
		return n
	}
	kinds := d.descended(own)
	if kinds == nil {
		return n
	}
	return tree.NewMap(append(slices.Clone(n.Members), tree.Member{Key: sample.KindsKey, Value: kinds})...)
}

// onPlainBases has the allOf of a component lead to what its bases are by themselves.
func (d *Document) onPlainBases(n *tree.Node) *tree.Node {
	members := slices.Clone(n.Members)
	for i, m := range members {
		if m.Key != "allOf" {
			continue
		}
		list := tree.NewList()
		for _, part := range m.Value.Elements() {
			if base, ok := d.Locate(part.Get("$ref").Str()); ok && part.Get("$ref") != nil && d.inherited(base, deepest) != nil {
				part = reference(plainPrefix + base)
			}
			list.Items = append(list.Items, part)
		}
		members[i].Value = list
	}
	return tree.NewMap(members...)
}

func reference(pointer string) *tree.Node {
	return tree.NewMap(tree.Member{Key: "$ref", Value: tree.NewString("#" + pointer)})
}

// withAlternatives adds to a oneOf or anyOf with a discriminator what it tells apart.
func (d *Document) withAlternatives(n *tree.Node) *tree.Node {
	discriminator := n.Get("discriminator")
	property := discriminator.Get("propertyName").Str()
	if property == "" {
		return n
	}
	for _, word := range []string{"oneOf", "anyOf"} {
		var pointers []string
		for _, part := range n.Get(word).Elements() {
			pointer, ok := d.Locate(part.Get("$ref").Str())
			if part.Get("$ref") == nil || !ok {
				return n // nothing names it
			}
			pointers = append(pointers, pointer)
		}
		if kinds := d.kindsOf(property, discriminator, pointers); kinds != nil {
			kinds.Members = append(kinds.Members, tree.Member{Key: sample.KindsInstead, Value: tree.NewString(word)})
			return tree.NewMap(append(slices.Clone(n.Members), tree.Member{Key: sample.KindsKey, Value: kinds})...)
		}
	}
	return n
}

// descended is what the discriminator of a component tells apart: itself, and what descends from it.
func (d *Document) descended(pointer string) *tree.Node {
	k := &d.discriminators
	k.mu.Lock()
	known, ok := k.kinds[pointer]
	k.mu.Unlock()
	if ok {
		return known
	}
	discriminator := d.inherited(pointer, deepest)
	all := append(d.descendants(pointer), pointer)
	kinds := d.kindsOf(discriminator.Get("propertyName").Str(), discriminator, all)
	if kinds != nil && len(all) == 1 && len(discriminator.Get("mapping").Entries()) == 0 {
		kinds.Members = append(kinds.Members, tree.Member{Key: sample.KindsOpen, Value: tree.NewBool(true)}) // nothing is told apart
	}
	k.mu.Lock()
	k.kinds[pointer] = kinds
	k.mu.Unlock()
	return kinds
}

// mapped is the pointer of the component that a mapping names, by a reference or by its name; ""
// for none.
func (d *Document) mapped(name string) string {
	if name == "" {
		return ""
	}
	if strings.Contains(name, "#") {
		pointer, _ := d.Locate(name)
		return pointer
	}
	for _, at := range []string{"/components/schemas", "/definitions"} {
		if pointer := tree.Join(at, name); d.root.At(pointer) != nil {
			return pointer
		}
	}
	return ""
}

// kindsOf says by which values of a property schemas are told apart; nil where they are not.
func (d *Document) kindsOf(property string, discriminator *tree.Node, pointers []string) *tree.Node {
	if property == "" || len(pointers) == 0 {
		return nil
	}
	names, count := make([][]string, len(pointers)), make(map[string]int)
	for i, pointer := range pointers {
		names[i] = d.namesOf(property, discriminator, pointer)
		for _, name := range names[i] {
			count[name]++
		}
	}
	list, taken := tree.NewList(), make(map[string]bool)
	for i, pointer := range pointers {
		if slices.ContainsFunc(names[i], func(name string) bool { return count[name] > 1 }) {
			names[i] = narrowed(names[i], pointer)
		}
		texts := tree.NewList()
		for _, name := range names[i] {
			if taken[name] {
				return nil // it tells nothing
			}
			taken[name] = true
			texts.Items = append(texts.Items, tree.NewString(name))
		}
		list.Items = append(list.Items, tree.NewMap(
			tree.Member{Key: sample.KindNames, Value: texts},
			tree.Member{Key: "$ref", Value: tree.NewString("#" + plainPrefix + pointer)},
		))
	}
	kinds := tree.NewMap(tree.Member{Key: sample.KindsProperty, Value: tree.NewString(property)}, tree.Member{Key: sample.KindsList, Value: list})
	if otherwise := d.mapped(discriminator.Get("defaultMapping").Str()); otherwise != "" {
		kinds.Members = append(kinds.Members, tree.Member{Key: sample.KindsOtherwise, Value: tree.NewString(plainPrefix + otherwise)})
	}
	return kinds
}

// namesOf are the values by which a component says what it is, the best first: those that it is
// mapped to, then its name; of those that its own schema allows, if it lists some.
func (d *Document) namesOf(property string, discriminator *tree.Node, pointer string) (names []string) {
	names = slices.Clone(d.mappingOf(discriminator)[pointer])
	tokens := tree.Tokens(pointer)
	own := tokens[len(tokens)-1]
	if !slices.Contains(names, own) {
		names = append(names, own)
	}
	p, _ := d.Schema(pointer).Property(property)
	if p.Schema == nil {
		return names
	}
	var allowed []string
	if fixed := p.Schema.Keyword("const"); fixed != nil {
		allowed = []string{fixed.Text}
	}
	for _, value := range p.Schema.Keyword("enum").Elements() {
		allowed = append(allowed, value.Text)
	}
	if allowed == nil {
		return names
	}
	if both := slices.DeleteFunc(slices.Clone(names), func(name string) bool { return !slices.Contains(allowed, name) }); len(both) > 0 {
		return both
	}
	return allowed // it says so itself
}

// narrowed are the values that are spelled as the name of a component, where several have the same
// list of values; else all.
func narrowed(names []string, pointer string) []string {
	tokens := tree.Tokens(pointer)
	for _, name := range names {
		if strings.EqualFold(name, tokens[len(tokens)-1]) {
			return []string{name}
		}
	}
	return names
}

// judgedByKind turns what a discriminator tells apart into schemas that the validator knows, of which
// a value must obey all.
func judgedByKind(kinds *tree.Node) (all []*tree.Node) {
	if kinds == nil || kinds.Get(sample.KindsOpen).IsTrue() {
		return nil
	}
	property := kinds.Get(sample.KindsProperty).Str()
	names := tree.NewList()
	says := func(values *tree.Node) *tree.Node {
		enum := tree.NewMap(tree.Member{Key: "enum", Value: values})
		return tree.NewMap(tree.Member{Key: "properties", Value: tree.NewMap(tree.Member{Key: property, Value: enum})})
	}
	required := tree.Member{Key: "required", Value: tree.NewList(tree.NewString(property))}
	for _, kind := range kinds.Get(sample.KindsList).Elements() {
		own := kind.Get(sample.KindNames)
		names.Items = append(names.Items, own.Items...)
		pointer := strings.TrimPrefix(kind.Get("$ref").Str(), "#")
		all = append(all, tree.NewMap(
			tree.Member{Key: "if", Value: tree.NewMap(append(says(own).Members, required)...)},
			tree.Member{Key: "then", Value: tree.NewMap(tree.Member{Key: laterKeyword, Value: tree.NewString(pointer)})},
		))
	}
	whole := says(names)
	if otherwise := kinds.Get(sample.KindsOtherwise).Str(); otherwise != "" { // what no kind names
		named := tree.NewMap(append(whole.Members, required)...)
		return append(all, tree.NewMap(
			tree.Member{Key: "if", Value: tree.NewMap(tree.Member{Key: "not", Value: named})},
			tree.Member{Key: "then", Value: tree.NewMap(tree.Member{Key: laterKeyword, Value: tree.NewString(otherwise)})},
		))
	}
	if kinds.Get(sample.KindsInstead) != nil {
		whole.Members = append(whole.Members, required)
	}
	return append(all, whole)
}
