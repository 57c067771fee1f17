package spec

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Given is a document that somebody gives to be kept, as it was written.
type Given[T any] struct {
	Document T
	// ETag is the version that the document was read at, as the API writes it:
	// "12" with its quotation marks. "" for a document that says none.
	ETag string
	// Node is what the document was read from; it knows its places.
	Node *tree.Node
	// At is where the document stands in the text: /1 in a list, "" where it is all.
	At string
	// Alone is set where it is all that was given, and not one of a list.
	Alone bool
}

// Named reports whether the document gives its own id or name.
func (g Given[T]) Named(key string) bool { return g.Node.Get(key) != nil }

// Documents are the given ones without what was said about them.
func Documents[T any](given []Given[T]) []T {
	documents := make([]T, len(given))
	for i := range given {
		documents[i] = given[i].Document
	}
	return documents
}

// kind is how the documents of one noun are read.
type kind[T any] struct {
	noun string // "mapping"
	key  string // of what names one: "id"
	// several is the key of a document that holds several: "mappings".
	several string
	// added are the keys that the API adds to a document that it gives, beside etag.
	// A document with an etag is one that was read: they are passed over in it.
	added []string
	// always is set where they are passed over in every document.
	always bool
	// read reads one document, called name unless it gives a name itself.
	read func(n *tree.Node, name string) (T, []problem.Item)
	name func(*T) string
}

// list reads a text that holds one document, a list of them, or a list under the key
// of the noun or the "items" of the API. The faults of all of them are reported
// together; then nothing is returned.
func (k kind[T]) list(text []byte) ([]Given[T], error) {
	n, err := parse(text, "the document")
	if err != nil {
		return nil, err
	}
	nodes, prefix := k.documentsIn(n)
	given, items := k.all(nodes, prefix)
	if prefix == "" {
		given[0].Alone = true
	}
	return given, problem.FromItems("the document cannot be used", items)
}

// one reads a text that holds one document, called name unless it gives a name
// itself.
func (k kind[T]) one(text []byte, name string) (Given[T], error) {
	n, err := parse(text, "the "+k.noun)
	if err != nil {
		return Given[T]{}, err
	}
	given, items := k.given(n, name)
	return given, problem.FromItems("the "+k.noun+" cannot be used", items)
}

// all reads documents that stand together; prefix is how their places begin, "" for
// one that stands alone.
func (k kind[T]) all(nodes []*tree.Node, prefix string) (all []Given[T], items []problem.Item) {
	all = make([]Given[T], 0, len(nodes))
	seen := make(map[string]int, len(nodes))
	for i, node := range nodes {
		given, faults := k.given(node, "")
		if prefix != "" {
			given.At = prefix + strconv.Itoa(i)
		}
		name := k.name(&given.Document)
		if first, ok := seen[name]; ok && len(faults) == 0 {
			faults = append(faults, problem.Item{At: "/" + k.key, Line: int(node.Line), Col: int(node.Col),
				Detail: fmt.Sprintf("%s %q is used by %s %d of this document too", k.key, name, k.noun, first+1)})
		}
		seen[name] = i
		for _, fault := range faults {
			fault.At = given.At + fault.At
			items = append(items, fault)
		}
		all = append(all, given)
	}
	return all, items
}

func (k kind[T]) given(n *tree.Node, name string) (given Given[T], items []problem.Item) {
	given.Node = n
	n, given.ETag, items = k.asWritten(n)
	document, faults := k.read(n, name)
	given.Document = document
	return given, append(items, faults...)
}

// documentsIn are the documents that a text holds.
func (k kind[T]) documentsIn(n *tree.Node) (nodes []*tree.Node, prefix string) {
	if n.Kind == tree.List {
		return n.Items, "/"
	}
	for _, key := range []string{k.several, "items"} {
		list := n.Get(key)
		others := slices.ContainsFunc(n.Members, func(m tree.Member) bool { return m.Key != key && m.Key != "next" })
		if list != nil && list.Kind == tree.List && !others {
			return list.Items, "/" + key + "/"
		}
	}
	return []*tree.Node{n}, ""
}

// asWritten takes out of a document what the API added when it was read.
func (k kind[T]) asWritten(n *tree.Node) (document *tree.Node, etag string, items []problem.Item) {
	tag := n.Get("etag")
	if tag == nil && !k.always {
		return n, "", nil
	}
	if tag != nil {
		var err error
		if etag, err = readTag(tag); err != nil {
			items = append(items, problem.Item{At: "/etag", Line: int(tag.Line), Col: int(tag.Col), Detail: err.Error()})
		}
	}
	if n.Kind != tree.Map {
		return n, etag, items
	}
	members := slices.DeleteFunc(slices.Clone(n.Members), func(m tree.Member) bool {
		return m.Key == "etag" || slices.Contains(k.added, m.Key)
	})
	document = tree.NewMap(members...)
	document.Line, document.Col = n.Line, n.Col
	return document, etag, items
}

// readTag reads a version with or without its quotation marks; "" and null are none.
func readTag(n *tree.Node) (string, error) {
	if n.Kind == tree.Null {
		return "", nil
	}
	bare := strings.Trim(n.Text, `"`)
	if n.Kind != tree.String && n.Kind != tree.Number || strings.ContainsAny(bare, "\" \t\r\n") {
		return "", fmt.Errorf("etag must be a version as the API gives it, such as %q; leave it out to write whatever is there now", `"12"`)
	}
	if bare == "" {
		return "", nil
	}
	return `"` + bare + `"`, nil
}

// WithETag is a document with the version it has, as the API gives it.
func WithETag(document *tree.Node, etag string) *tree.Node {
	if etag == "" {
		return document
	}
	return tree.NewMap(append(slices.Clone(document.Members), tree.Member{Key: "etag", Value: tree.NewString(strings.Trim(etag, `"`))})...)
}

// Besides are the faults of a second look at a document of which a first one found some:
// those at places that it has, or right below, and that are not at or below one of them.
// What is missing at its top may be misspelt, and was told.
func Besides(first, second []problem.Item, n *tree.Node) []problem.Item {
	if len(first) == 0 {
		return second
	}
	var more []problem.Item
	for _, item := range second {
		told := slices.ContainsFunc(first, func(f problem.Item) bool {
			return item.At == f.At || strings.HasPrefix(item.At, f.At+"/") || strings.HasPrefix(f.At, item.At+"/")
		})
		above := item.At[:max(0, strings.LastIndexByte(item.At, '/'))]
		if !told && (n.At(item.At) != nil || above != "" && n.At(above) != nil) {
			more = append(more, item)
		}
	}
	return more
}
