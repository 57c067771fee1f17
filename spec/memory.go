package spec

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Memory says whether a service remembers what calls create, and what its collections are where
// that does not follow from the contract. Written, it is on, off, or the collections by name:
//
//	memory: { berths: { at: /berths, key: number, list: $.berths }, dues: off }
type Memory struct {
	On bool
	// Collections correct what the contract tells, by the names of collections.
	Collections map[string]CollectionRule
}

// CollectionRule is what is said of one collection; what is left out follows from the contract.
type CollectionRule struct {
	// Off leaves the collection to the contract's examples.
	Off bool `json:"-"`
	// At is the path of its list: /berths.
	At string `json:"at,omitempty"`
	// Key is the property that names an item.
	Key string `json:"key,omitempty"`
	// List is where in the answer of the list its items are: $.berths, or $ for the whole.
	List string `json:"list,omitempty"`
	// Operations are what does what, where operations share an address: create,
	// read, list, replace, change, remove, each the id of one.
	Operations map[string]string `json:"operations,omitempty"`
	// Items are what the collection begins with, instead of the examples of the contract; an
	// empty list for nothing. Generate begins with so many that are drawn from the schema.
	Items    []*tree.Node `json:"items,omitzero"`
	Generate int          `json:"generate,omitempty"`
}

// IsZero reports whether nothing is said of the collection.
func (c CollectionRule) IsZero() bool {
	return !c.Off && c.At+c.Key+c.List == "" && c.Operations == nil && c.Items == nil && c.Generate == 0
}

// Doings are what operations do to a collection.
var Doings = []string{"create", "list", "read", "replace", "change", "remove"}

// MaxStartingItems bounds what a collection begins with.
const MaxStartingItems = 10_000

// TooManyStartingItems is the fault of a collection that is to begin with more.
func TooManyStartingItems(at string) problem.Item {
	return problem.Item{At: at, Detail: fmt.Sprintf("a collection begins with at most %d items", MaxStartingItems)}
}

// IsZero reports whether a service remembers nothing, and nothing is said of it.
func (m Memory) IsZero() bool { return !m.On && len(m.Collections) == 0 }

// Over lays what is said of the memory above what another says: each key counts where it is given.
func (m Memory) Over(below Memory) Memory {
	out := Memory{On: m.On, Collections: maps.Clone(below.Collections)}
	if out.Collections == nil {
		out.Collections = make(map[string]CollectionRule)
	}
	for name, rule := range m.Collections {
		merged := out.Collections[name]
		merged.Off = rule.Off
		merged.At, merged.Key, merged.List = cmp.Or(rule.At, merged.At), cmp.Or(rule.Key, merged.Key), cmp.Or(rule.List, merged.List)
		if rule.Operations != nil {
			merged.Operations = rule.Operations
		}
		if rule.Items != nil || rule.Generate > 0 {
			merged.Items, merged.Generate = rule.Items, rule.Generate
		}
		out.Collections[name] = merged
	}
	return out
}

// DecodeTree reads on, off, or collections.
func (m *Memory) DecodeTree(n *tree.Node) error {
	if on, is := switched(n); is {
		*m = Memory{On: on}
		return nil
	}
	if n.Kind != tree.Map {
		return errors.New("must be on, off, or what is to be known of collections, such as `memory: { berths: { key: number } }`")
	}
	m.On, m.Collections = true, make(map[string]CollectionRule)
	var items []problem.Item
	for _, member := range n.Members {
		var rule CollectionRule
		if on, is := switched(member.Value); is {
			rule.Off = !on
		} else {
			for _, item := range tree.Decode(member.Value, &rule, "collection") {
				item.At = tree.Join("", member.Key) + item.At
				items = append(items, item)
			}
		}
		m.Collections[member.Key] = rule
	}
	return problem.FromItems("the memory cannot be used", items)
}

// switched reads on and off; ok is false for anything else.
func switched(n *tree.Node) (on, ok bool) {
	if n.Kind == tree.Bool {
		return n.IsTrue(), true
	}
	return n.Str() == "on", n.Str() == "on" || n.Str() == "off"
}

// MarshalJSON writes what DecodeTree reads.
func (m Memory) MarshalJSON() ([]byte, error) {
	if len(m.Collections) == 0 {
		return json.Marshal(map[bool]string{true: "on", false: "off"}[m.On])
	}
	return json.Marshal(m.Collections)
}

// MarshalJSON writes off for a collection that is.
func (c CollectionRule) MarshalJSON() ([]byte, error) {
	if c.Off {
		return []byte(`"off"`), nil
	}
	type plain CollectionRule
	return json.Marshal(plain(c))
}

// UnmarshalJSON reads what MarshalJSON writes.
func (m *Memory) UnmarshalJSON(text []byte) error {
	n, err := tree.ParseJSON(text)
	if err != nil {
		return err
	}
	if n.Kind == tree.Null {
		*m = Memory{}
		return nil
	}
	return m.DecodeTree(n)
}

func (m Memory) faults() (items []problem.Item) {
	for _, name := range slices.Sorted(maps.Keys(m.Collections)) {
		rule, at := m.Collections[name], tree.Join("/memory", name)
		if rule.At != "" && !strings.HasPrefix(rule.At, "/") {
			items = append(items, problem.Item{At: at + "/at", Detail: "must be the path of the list, such as /berths"})
		}
		for _, does := range slices.Sorted(maps.Keys(rule.Operations)) {
			if !slices.Contains(Doings, does) {
				items = append(items, problem.Item{At: tree.Join(at+"/operations", does), Detail: fmt.Sprintf("%q is nothing that an operation does (%s)", does, problem.Suggest(does, Doings, "there is"))})
			}
		}
		if n := max(len(rule.Items), rule.Generate); n > MaxStartingItems || rule.Generate < 0 {
			items = append(items, TooManyStartingItems(at))
		}
		if rule.Items != nil && rule.Generate > 0 {
			items = append(items, problem.Item{At: at + "/generate", Detail: "say either items or generate"})
		}
		for i, item := range rule.Items {
			if item.Kind != tree.Map {
				items = append(items, problem.Item{At: at + "/items/" + strconv.Itoa(i), Detail: "an item is an object"})
			}
		}
		if rule.List != "" && rule.ListPath() == nil {
			items = append(items, problem.Item{At: at + "/list", Detail: "must be $ or the way to a list by its names, such as $.berths"})
		}
	}
	return items
}

// ListPath are the names that lead to the list; none for the whole, nil where List says nothing
// or cannot be read.
func (c CollectionRule) ListPath() []string {
	rest, ok := strings.CutPrefix(c.List, "$")
	if !ok {
		return nil
	}
	if rest == "" {
		return []string{}
	}
	if rest[0] != '.' || strings.ContainsAny(rest, "[]*'\"") {
		return nil
	}
	names := strings.Split(rest[1:], ".")
	if slices.Contains(names, "") {
		return nil
	}
	return names
}
