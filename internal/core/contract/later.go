package contract

import (
	"strings"
	"sync"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// The validator compiles a schema with everything that it refers to, and takes
// quadratic time for it: minutes where a contract's schemas hang together. So
// where a property or an element is described by a reference, the reference is
// replaced by a keyword of our own, whose schema is compiled when the first
// value comes to it.

const (
	laterKeyword    = "x-rapid-mimic-later"
	laterVocabulary = "urn:rapid-mimic:later"
)

// later is the schema at a pointer, compiled when it is first needed.
type later struct {
	document *Document
	pointer  string
	side     sample.Side

	once   sync.Once
	schema *jsonschema.Schema
}

// Validate implements jsonschema.SchemaExt. A schema that cannot be compiled
// judges nothing.
func (l *later) Validate(ctx *jsonschema.ValidatorContext, v any) {
	l.once.Do(func() { l.schema, _ = l.document.compile(l.pointer, l.side) })
	if l.schema == nil {
		return
	}
	if err := ctx.Validate(l.schema, v, nil); err != nil {
		ctx.AddErr(err)
	}
}

func (d *Document) laterVocabulary(side sample.Side) *jsonschema.Vocabulary {
	return &jsonschema.Vocabulary{
		URL: laterVocabulary,
		Compile: func(_ *jsonschema.CompilerContext, schema map[string]any) (jsonschema.SchemaExt, error) {
			pointer, ok := schema[laterKeyword].(string)
			if !ok {
				return nil, nil
			}
			return &later{document: d, pointer: pointer, side: side}, nil
		},
	}
}

// Keywords whose values describe other values than the schema itself does: the
// parts of an object or a list.
var (
	partKeywords = set("items", "additionalProperties", "contains", "unevaluatedItems", "unevaluatedProperties")
	partsOfMap   = set("properties", "patternProperties")
)

// postponed replaces the references of an object's or a list's parts.
func (d *Document) postponed(m tree.Member) *tree.Node {
	switch {
	case d.isDynamic():
		return m.Value // what a $dynamicRef leads to depends on the way there
	case partKeywords[m.Key]:
		return d.postponedRef(m.Value)
	case partsOfMap[m.Key]:
		members := make([]tree.Member, len(m.Value.Members))
		for i, p := range m.Value.Members {
			p.Value = d.postponedRef(p.Value)
			members[i] = p
		}
		return tree.NewMap(members...)
	case m.Key == "prefixItems":
		items := make([]*tree.Node, len(m.Value.Items))
		for i, item := range m.Value.Items {
			items[i] = d.postponedRef(item)
		}
		return tree.NewList(items...)
	default:
		return m.Value
	}
}

func (d *Document) postponedRef(schema *tree.Node) *tree.Node {
	ref := schema.Get("$ref").Str()
	pointer, ok := d.Locate(ref)
	if ref == "" || !ok || d.root.At(pointer) == nil {
		return schema
	}
	members := make([]tree.Member, 0, len(schema.Members))
	for _, m := range schema.Members {
		if strings.HasPrefix(m.Key, "unevaluated") {
			return schema // needs to know what the reference has seen
		}
		if m.Key == "$ref" {
			m = tree.Member{Key: laterKeyword, Value: tree.NewString(pointer)}
		}
		members = append(members, m)
	}
	return tree.NewMap(members...)
}

// isDynamic reports whether the document uses $dynamicRef.
func (d *Document) isDynamic() bool {
	d.dynamicOnce.Do(func() { d.dynamic = uses(d.root, "$dynamicRef") })
	return d.dynamic
}

func uses(n *tree.Node, key string) bool {
	for _, item := range n.Items {
		if uses(item, key) {
			return true
		}
	}
	for _, m := range n.Members {
		if m.Key == key || uses(m.Value, key) {
			return true
		}
	}
	return false
}
