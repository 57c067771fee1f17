package contract

import (
	"bytes"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"sync"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"rapidmimic/internal/core/sample"
	"rapidmimic/spec/tree"
)

// Document is the text that schemas and their references live in, in the
// dialect of JSON Schema 2020-12.
type Document struct {
	root *tree.Node
	// upgrade turns a schema as written into the 2020-12 dialect.
	upgrade func(*tree.Node) *tree.Node

	mu       sync.Mutex // guards compiler and added
	compiler *jsonschema.Compiler
	added    map[string]bool
}

// NewDocument takes a document and the function that brings one of its schemas
// (with all that is nested in it, not what it refers to) to the 2020-12
// dialect.
func NewDocument(root *tree.Node, upgrade func(*tree.Node) *tree.Node) *Document {
	compiler := jsonschema.NewCompiler()
	compiler.DefaultDraft(jsonschema.Draft2020)
	compiler.UseLoader(noLoader{}) // a document must not make us read files
	compiler.AssertFormat()
	return &Document{root: root, upgrade: upgrade, compiler: compiler, added: make(map[string]bool)}
}

type noLoader struct{}

func (noLoader) Load(url string) (any, error) {
	return nil, fmt.Errorf("%s is not part of the contract", url)
}

// Resolve finds the schema that a local reference names. It implements
// sample.Resolver.
func (d *Document) Resolve(ref string) *tree.Node {
	pointer, ok := strings.CutPrefix(ref, "#")
	if !ok {
		return nil
	}
	found := d.root.At(pointer)
	if found == nil {
		return nil
	}
	return d.upgrade(found)
}

// Schema is one schema of a document: it draws values and checks them.
type Schema struct {
	document *Document
	pointer  string

	resolveOnce sync.Once
	resolved    *tree.Node

	sampleOnce sync.Once
	generator  *sample.Generator

	checkOnce sync.Once
	checker   *jsonschema.Schema
	checkErr  error
}

// Schema returns the schema at a JSON Pointer of the document.
func (d *Document) Schema(pointer string) *Schema { return &Schema{document: d, pointer: pointer} }

// attempts bounds how often a value is drawn again until it is valid.
const attempts = 20

// Generate draws a value. valid is false when no attempt gave one that obeys
// the schema; the last one is returned all the same.
func (s *Schema) Generate(d *sample.Draw) (value *tree.Node, valid bool) {
	s.sampleOnce.Do(func() {
		s.generator = sample.Compile(s.document.Resolve("#"+s.pointer), s.document)
	})
	value = s.generator.Generate(d)
	if s.generator.Exact() {
		return value, true
	}
	for range attempts {
		if s.Check(value) == nil {
			return value, true
		}
		value = s.generator.Generate(d)
	}
	return value, s.Check(value) == nil
}

// Check holds a value against the schema. The error is the validator's and
// names every place that does not fit.
func (s *Schema) Check(value *tree.Node) error {
	s.checkOnce.Do(func() { s.checker, s.checkErr = s.document.compile(s.pointer) })
	if s.checkErr != nil {
		return s.checkErr
	}
	plain, err := jsonschema.UnmarshalJSON(bytes.NewReader(value.AppendJSON(nil)))
	if err != nil {
		return fmt.Errorf("read value: %w", err)
	}
	return s.checker.Validate(plain)
}

const resourceBase = "contract:///"

func (d *Document) compile(pointer string) (*jsonschema.Schema, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if err := d.addLocked(pointer); err != nil {
		return nil, err
	}
	return d.compiler.Compile(resourceURL(pointer))
}

// resourceURL makes a pointer a URL of its own.
func resourceURL(pointer string) string { return resourceBase + hex.EncodeToString([]byte(pointer)) }

// addLocked registers the schema at pointer, and all it refers to, as
// resources of their own: compiling by pointer into a large document costs
// seconds.
func (d *Document) addLocked(pointer string) error {
	if d.added[pointer] {
		return nil
	}
	d.added[pointer] = true
	schema := d.Resolve("#" + pointer)
	if schema == nil {
		return errors.New("#" + pointer + " is not in the contract")
	}
	var refs []string
	rewritten := rewriteRefs(schema, &refs)
	plain, err := jsonschema.UnmarshalJSON(bytes.NewReader(rewritten.AppendJSON(nil)))
	if err != nil {
		return fmt.Errorf("read schema: %w", err)
	}
	if err := d.compiler.AddResource(resourceURL(pointer), plain); err != nil {
		return fmt.Errorf("add schema #%s: %w", pointer, err)
	}
	for _, ref := range refs {
		if err := d.addLocked(ref); err != nil {
			return err
		}
	}
	return nil
}

// rewriteRefs copies a schema with its local references pointing at resources,
// and collects their pointers.
func rewriteRefs(n *tree.Node, refs *[]string) *tree.Node {
	return MapSchema(n, func(schema *tree.Node) *tree.Node {
		ref, ok := strings.CutPrefix(schema.Get("$ref").Str(), "#")
		if !ok {
			return schema
		}
		*refs = append(*refs, ref)
		members := append([]tree.Member(nil), schema.Members...)
		for i := range members {
			if members[i].Key == "$ref" {
				members[i].Value = tree.NewString(resourceURL(ref))
			}
		}
		return tree.NewMap(members...)
	})
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
