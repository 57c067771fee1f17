package contract

import (
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// Document is the text that schemas and their references live in, in the
// dialect of JSON Schema 2020-12.
type Document struct {
	root *tree.Node
	// upgrade turns a schema as written into the 2020-12 dialect.
	upgrade func(*tree.Node) *tree.Node

	targetsOnce sync.Once
	targets     map[string]string // anchors and $ids → pointers

	dynamicOnce sync.Once
	dynamic     bool // $dynamicRef is used

	mu    sync.Mutex // guards sides
	sides [2]checkers

	patterns       patterns
	discriminators discriminators

	draw func(pointer []string, d *sample.Draw) *tree.Node // nil where the schemas say how
}

// DrawnBy has values drawn by what knows more of them than the schemas say. draw is given the tokens
// of a schema's pointer, and returns nil for what it does not know either.
func (d *Document) DrawnBy(draw func(pointer []string, d *sample.Draw) *tree.Node) *Document {
	d.draw = draw
	return d
}

// checkers compiles the schemas of one side of a call.
type checkers struct {
	compiler *jsonschema.Compiler
	added    map[string]bool // pointers
}

// NewDocument takes a document and the function that brings one of its schemas
// (with all that is nested in it, not what it refers to) to the 2020-12
// dialect.
func NewDocument(root *tree.Node, upgrade func(*tree.Node) *tree.Node) *Document {
	d := &Document{root: root, upgrade: upgrade}
	for i := range d.sides {
		compiler := jsonschema.NewCompiler()
		compiler.DefaultDraft(jsonschema.Draft2020)
		compiler.UseLoader(noLoader{}) // a document must not make us read files
		compiler.UseRegexpEngine(d.patterns.compile)
		compiler.AssertFormat()
		for _, format := range strictFormats {
			compiler.RegisterFormat(format)
		}
		compiler.RegisterVocabulary(d.laterVocabulary(sample.Side(i)))
		compiler.AssertVocabs()
		d.sides[i] = checkers{compiler, make(map[string]bool)}
	}
	return d
}

type noLoader struct{}

func (noLoader) Load(url string) (any, error) {
	return nil, fmt.Errorf("%s is not part of the contract", url)
}

// Resolve finds the schema that a reference within the document names. It
// implements sample.Resolver.
func (d *Document) Resolve(ref string) *tree.Node {
	pointer, ok := d.Locate(ref)
	if !ok {
		return nil
	}
	found := d.root.At(strings.TrimPrefix(pointer, plainPrefix))
	if found == nil {
		return nil
	}
	return d.kinded(pointer, d.upgrade(found))
}

// Has reports whether a reference leads somewhere in the document.
func (d *Document) Has(ref string) bool {
	pointer, ok := d.Locate(ref)
	return ok && d.root.At(pointer) != nil
}

// Locate finds where in the document a reference leads: by pointer, by anchor,
// or by the $id of a schema. ok is false for a reference to somewhere else.
func (d *Document) Locate(ref string) (pointer string, ok bool) {
	base, fragment, _ := strings.Cut(ref, "#")
	if base == "" && strings.HasPrefix(fragment, plainPrefix) {
		return fragment, true
	}
	if base == "" && (fragment == "" || fragment[0] == '/') {
		if unescaped, err := url.PathUnescape(fragment); err == nil && d.root.At(fragment) == nil {
			return unescaped, true
		}
		return fragment, true
	}
	d.targetsOnce.Do(func() {
		d.targets = make(map[string]string)
		if self := d.root.Get("$self").Str(); self != "" {
			d.targets[self] = ""
		}
		d.index(d.root, "")
	})
	if base != "" {
		if pointer, ok = d.targets[base]; !ok || fragment == "" {
			return pointer, ok
		}
		if fragment[0] == '/' {
			return pointer + fragment, true
		}
	}
	pointer, ok = d.targets["#"+fragment]
	return pointer, ok
}

// index remembers every anchor and $id, the first of each.
func (d *Document) index(n *tree.Node, at string) {
	for i, item := range n.Items {
		d.index(item, at+"/"+strconv.Itoa(i))
	}
	for _, m := range n.Members {
		name := m.Value.Str()
		switch m.Key {
		case "$anchor", "$dynamicAnchor":
			name = "#" + name
		case "$id":
		default:
			d.index(m.Value, tree.Join(at, m.Key))
			continue
		}
		if _, known := d.targets[name]; !known && name != "" {
			d.targets[name] = at
		}
	}
}

// Schema is one schema of a document: it draws values and checks them, for one
// side of a call.
type Schema struct {
	document *Document
	pointer  string
	side     sample.Side

	resolveOnce sync.Once
	resolved    *tree.Node

	sampleOnce sync.Once
	generator  *sample.Generator

	checkOnce sync.Once
	checker   *jsonschema.Schema
	checkErr  error
}

// Schema returns the schema of answers at a JSON Pointer of the document.
func (d *Document) Schema(pointer string) *Schema {
	return &Schema{document: d, pointer: pointer, side: sample.ForAnswer}
}

// RequestSchema returns the schema of requests at a JSON Pointer of the
// document.
func (d *Document) RequestSchema(pointer string) *Schema {
	return &Schema{document: d, pointer: pointer, side: sample.ForRequest}
}

// Pointer is where the schema stands in its document.
func (s *Schema) Pointer() string { return s.pointer }

// attempts bounds how often a value is drawn again until it is valid.
const attempts = 42

// Generate draws a value. valid is false when no attempt gave one that obeys
// the schema; the last one is returned all the same.
func (s *Schema) Generate(d *sample.Draw) (value *tree.Node, valid bool) {
	return s.GenerateNamed(d, "")
}

// GenerateNamed draws a value that suits a name, as Generate does.
func (s *Schema) GenerateNamed(d *sample.Draw, name string) (value *tree.Node, valid bool) {
	if s.document.draw != nil {
		if value = s.document.draw(tree.Tokens(s.pointer), d); value != nil {
			return value, s.Check(value) == nil
		}
	}
	generator := s.compiled()
	value = generator.Generate(d, name)
	if generator.Exact() {
		return value, true
	}
	if generator.Hopeless() {
		return value, false
	}
	for attempt := range attempts {
		if s.Check(value) == nil {
			return value, true
		}
		if d.Budget.Err() != nil {
			return value, false
		}
		d.Again(attempt + 1)
		value = generator.Generate(d, name)
	}
	return value, s.Check(value) == nil
}

// AppendJSON draws a value as Generate does, and appends it to b as JSON. No tree is made of one that is certain to obey.
func (s *Schema) AppendJSON(b []byte, d *sample.Draw) (text []byte, valid bool) {
	if s.document.draw == nil && s.compiled().Exact() {
		return s.generator.AppendJSON(b, d, ""), true
	}
	value, valid := s.Generate(d)
	return value.AppendJSON(b), valid
}

func (s *Schema) compiled() *sample.Generator {
	s.sampleOnce.Do(func() {
		s.generator = sample.Compile(s.document.Resolve("#"+s.pointer), s.document, s.side)
	})
	return s.generator
}

// Check holds a value against the schema. The error is the validator's and
// names every place that does not fit, or that of a budget: then the value was not
// looked at to the end.
func (s *Schema) Check(value *tree.Node) error {
	s.checkOnce.Do(func() { s.checker, s.checkErr = s.document.compile(s.pointer, s.side) })
	if s.checkErr != nil {
		return s.checkErr
	}
	if err := s.bearable(value); err != nil {
		return err
	}
	return s.document.patterns.within(func() error { return s.validate(value) })
}

// validate asks the validator, which panics on some schemas that lead back to
// themselves: then the value was not looked at to the end.
func (s *Schema) validate(value *tree.Node) (err error) {
	defer func() {
		if fault := recover(); fault != nil {
			err = &budget.Exhausted{Detail: fmt.Sprintf("its schema makes the validator fail: %v", fault)}
		}
	}()
	return s.checker.Validate(plain(value))
}

// plain turns a value into what the validator takes.
func plain(n *tree.Node) any {
	switch n.Kind {
	case tree.Bool:
		return n.IsTrue()
	case tree.Number:
		return json.Number(tree.BoundedNumber(n.Text)) // the validator expands exponents
	case tree.String:
		return n.Text
	case tree.List:
		list := make([]any, len(n.Items))
		for i, item := range n.Items {
			list[i] = plain(item)
		}
		return list
	case tree.Map:
		object := make(map[string]any, len(n.Members))
		for _, m := range n.Members {
			object[m.Key] = plain(m.Value)
		}
		return object
	default:
		return nil
	}
}

const resourceBase = "contract:///"

func (d *Document) compile(pointer string, side sample.Side) (*jsonschema.Schema, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if err := d.addLocked(pointer, side); err != nil {
		return nil, err
	}
	return d.sides[side].compiler.Compile(resourceURL(pointer))
}

// resourceURL makes a pointer a URL of its own.
func resourceURL(pointer string) string { return resourceBase + hex.EncodeToString([]byte(pointer)) }

// addLocked registers the schema at pointer, and all it refers to, as
// resources of their own: compiling by pointer into a large document costs
// seconds.
func (d *Document) addLocked(pointer string, side sample.Side) error {
	checkers := d.sides[side]
	if checkers.added[pointer] {
		return nil
	}
	checkers.added[pointer] = true
	schema := d.Resolve("#" + pointer)
	if schema == nil {
		return errors.New("#" + pointer + " is not in the contract")
	}
	var refs []string
	rewritten := MapSchema(schema, func(n *tree.Node) *tree.Node { return d.rewritten(n, side, &refs) })
	if err := checkers.compiler.AddResource(resourceURL(pointer), plain(rewritten)); err != nil {
		return fmt.Errorf("add schema #%s: %w", pointer, err)
	}
	for _, ref := range refs {
		if err := d.addLocked(ref, side); err != nil {
			return err
		}
	}
	return nil
}

// rewritten is one schema with its references pointing at resources, whose
// pointers it collects, and without demands for properties that have no place
// on this side.
func (d *Document) rewritten(schema *tree.Node, side sample.Side, refs *[]string) *tree.Node {
	kinds := schema.Get(sample.KindsKey)
	told := judgedByKind(kinds)
	members := make([]tree.Member, 0, len(schema.Members))
	for _, m := range schema.Members {
		switch m.Key {
		case sample.KindsKey:
			continue
		case kinds.Get(sample.KindsInstead).Str():
			continue // which it says better
		case "allOf":
			m.Value = tree.NewList(slices.Concat(m.Value.Items, told)...)
			told = nil
		case "$ref", "$dynamicRef":
			if pointer, ok := d.Locate(m.Value.Str()); ok {
				*refs = append(*refs, pointer)
				target := resourceURL(pointer)
				if _, anchor, _ := strings.Cut(m.Value.Str(), "#"); m.Key == "$dynamicRef" && anchor != "" && anchor[0] != '/' {
					target += "#" + anchor
				}
				m.Value = tree.NewString(target)
			}
		case "$id": // every reference is rewritten, and two resources must not share one
			continue
		case "required":
			m.Value = d.demanded(m.Value, schema.Get("properties"), side)
		default:
			m.Value = d.postponed(m)
		}
		members = append(members, m)
	}
	if told != nil {
		members = append(members, tree.Member{Key: "allOf", Value: tree.NewList(told...)})
	}
	return tree.NewMap(members...)
}

// demanded leaves out of `required` what has no place on this side: readOnly
// properties in requests, writeOnly ones in answers.
func (d *Document) demanded(required, properties *tree.Node, side sample.Side) *tree.Node {
	if properties == nil || required.Kind != tree.List {
		return required
	}
	key := "writeOnly"
	if side == sample.ForRequest {
		key = "readOnly"
	}
	return tree.NewList(slices.DeleteFunc(slices.Clone(required.Items), func(name *tree.Node) bool {
		property := properties.Get(name.Str())
		return property.Get(key).IsTrue() || property.Get("$ref") != nil && d.Resolve(property.Get("$ref").Str()).Get(key).IsTrue()
	})...)
}

// Keywords whose values are schemas, by shape. Everything else in a schema is
// data, even when it looks like one: a property may be called "items".
var (
	schemaKeywords = set("items", "additionalProperties", "not", "if", "then", "else", "contains",
		"propertyNames", "unevaluatedItems", "unevaluatedProperties", "contentSchema")
	schemaListKeywords = set("allOf", "oneOf", "anyOf", "prefixItems")
	schemaMapKeywords  = set("properties", "patternProperties", "dependentSchemas", "$defs", "definitions")
)

func set(words ...string) map[string]bool {
	s := make(map[string]bool, len(words))
	for _, w := range words {
		s[w] = true
	}
	return s
}

// MapSchema copies a schema, calling change on it and on every schema inside,
// the outermost first. Only what change or nested schemas alter is copied.
func MapSchema(n *tree.Node, change func(*tree.Node) *tree.Node) *tree.Node {
	if n == nil || n.Kind != tree.Map {
		return n
	}
	n = change(n)
	members := make([]tree.Member, len(n.Members))
	for i, m := range n.Members {
		switch {
		case schemaKeywords[m.Key] && m.Value.Kind == tree.Map:
			m.Value = MapSchema(m.Value, change)
		case schemaListKeywords[m.Key]:
			items := make([]*tree.Node, len(m.Value.Items))
			for j, item := range m.Value.Items {
				items[j] = MapSchema(item, change)
			}
			m.Value = tree.NewList(items...)
		case schemaMapKeywords[m.Key]:
			inner := make([]tree.Member, len(m.Value.Members))
			for j, p := range m.Value.Members {
				p.Value = MapSchema(p.Value, change)
				inner[j] = p
			}
			m.Value = tree.NewMap(inner...)
		}
		members[i] = m
	}
	out := tree.NewMap(members...)
	out.Line, out.Col = n.Line, n.Col
	return out
}
