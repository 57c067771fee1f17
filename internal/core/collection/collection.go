// Package collection lets a service remember: it finds the collections of a contract by their
// paths and schemas, and keeps what calls create, change and remove in them. Start with find.go,
// which says what is understood of a contract; act.go carries an operation out on what memory.go
// keeps. It makes no answers: the engine does, from an Outcome.
package collection

import (
	"net/url"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec"
)

// Verb is what an operation does to its collection.
type Verb string

// The verbs.
const (
	Create  Verb = "create"
	List    Verb = "list"
	Read    Verb = "read"
	Replace Verb = "replace"
	Change  Verb = "change"
	Remove  Verb = "remove"
)

// Plan is what was understood of a contract. It is immutable and safe for concurrent use.
type Plan struct {
	// Collections are in the order of the contract.
	Collections []*Collection
	// Stateless are the operations that answer as if there were no memory.
	Stateless []Stateless
	roles     map[string]*Role // by operation id
}

// Stateless is an operation that touches no collection, and why.
type Stateless struct {
	Operation *contract.Operation
	Why       string
}

// Collection is things of one kind that calls create, read, change and remove.
type Collection struct {
	Name string
	// At is the path of its list, Item that of one of its items; either may be "".
	At, Item string
	// Key is the property that names an item; "" where only the path does.
	Key string
	// Parent is the collection that its list is below; nil for none. ParentField is the property
	// that names the parent's item; "" for none.
	Parent      *Collection
	ParentField string
	Roles       []*Role
	// Unkeyed counts items of the starting data that are left out, since nothing names them.
	Unkeyed int

	schema     *contract.Schema // of an item, as answers have it; nil where the contract says nothing
	keySchema  *contract.Schema // of the key; nil where the contract says nothing
	properties []contract.Property
	start      spec.CollectionRule // what it begins with
	// arising is set where items are there as soon as they are asked for: no call creates one, and
	// it begins with none.
	arising bool
	nested  bool // the path of an item names the parent, too: keys are unique within it
	beside  bool // the key is none of the properties: messages name it, and items have it all the same
}

// Role is what an operation does.
type Role struct {
	Operation  *contract.Operation
	Verb       Verb
	Collection *Collection

	// within leads to the item, or to the list, in the body of the answer; wrapped likewise in
	// that of the request.
	within, wrapped []string
	params          []string // the parameters of its path, in their order
	keyed           bool     // the last of them is the key of an item
	whole           bool     // the answer has the item as it is; else it takes fields of the same names

	// asks is the schema of what a request says of the item, answers that of the whole answer; nil
	// where the contract says nothing. queries are the parameters that narrow a list.
	asks, answers *contract.Schema
	queries       []*contract.Parameter
	// message is set where the message tells the operation: then named leads to the key of the
	// item in it, and queriesAt to what narrows a list.
	message          bool
	named, queriesAt []string
}

// Of is the role of an operation; nil for none.
func (p *Plan) Of(operation string) *Role {
	if p == nil {
		return nil
	}
	return p.roles[operation]
}

// Named is the collection of this name; nil for none.
func (p *Plan) Named(name string) *Collection {
	if p == nil {
		return nil
	}
	if i := slices.IndexFunc(p.Collections, func(c *Collection) bool { return c.Name == name }); i >= 0 {
		return p.Collections[i]
	}
	return nil
}

// Names are those of the collections.
func (p *Plan) Names() (names []string) {
	for _, c := range p.Collections {
		names = append(names, c.Name)
	}
	return names
}

func (c *Collection) property(name string) (p contract.Property, ok bool) {
	if i := slices.IndexFunc(c.properties, func(p contract.Property) bool { return p.Name == name }); i >= 0 && name != "" {
		return c.properties[i], true
	}
	return p, false
}

func (c *Collection) does(verb Verb) *Role {
	if i := slices.IndexFunc(c.Roles, func(r *Role) bool { return r.Verb == verb }); i >= 0 {
		return c.Roles[i]
	}
	return nil
}

// plain is a name without what only its spelling has: berthNumber and berth_number are one.
func plain(name string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case r >= 'A' && r <= 'Z':
			return r + 'a' - 'A'
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9', r > 0x7f:
			return r
		default:
			return -1
		}
	}, name)
}

// singular is the name of one of several, as English mostly forms them.
func singular(name string) string {
	name = plain(name)
	for _, ending := range [][2]string{{"ies", "y"}, {"sses", "ss"}, {"shes", "sh"}, {"ches", "ch"}, {"xes", "x"}, {"ss", "ss"}, {"us", "us"}, {"s", ""}} {
		if stem, is := strings.CutSuffix(name, ending[0]); is && stem != "" {
			return stem + ending[1]
		}
	}
	return name
}

// Path is where an item is read, relative to the service; "" where no path says.
func (c *Collection) Path(item *Item) string {
	for _, role := range c.Roles {
		if !role.keyed {
			continue
		}
		values := map[string]string{role.params[len(role.params)-1]: url.PathEscape(item.Key)}
		for _, name := range role.params[:len(role.params)-1] {
			values[name] = url.PathEscape(item.Under[name])
		}
		if path, ok := role.Operation.Template.Fill(values); ok {
			return path
		}
	}
	return ""
}
