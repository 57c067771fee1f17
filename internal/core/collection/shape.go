package collection

import (
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
)

// learn finds the schema of the items of a collection, their key, and where they stand in the
// bodies of its operations. param is that of the path of an item, "" without one.
func (f *finder) learn(c *Collection, param string) {
	rule := f.rules[c.Name]
	for _, role := range c.Roles {
		role.asks = requestSchema(role.Operation)
		if m := jsonOf(role.Operation.Success); m != nil {
			role.answers = m.Schema
		}
		for _, p := range role.Operation.Parameters {
			if p.In == "query" {
				role.queries = append(role.queries, p)
			}
		}
	}
	for _, verb := range []Verb{Read, Change, Replace, Create} {
		role := c.does(verb)
		if role == nil || c.schema != nil {
			continue
		}
		if role.answers != nil {
			found, _ := unwrap(role.answers, param, c.Name)
			if len(found.Properties()) > 0 {
				c.schema = found
			}
		}
	}
	if list := c.does(List); list != nil {
		if list.answers != nil {
			var elements *contract.Schema
			if list.within, elements = listIn(list.answers, c); list.within != nil && c.schema == nil && elements != nil {
				c.schema = elements
			}
			if own := rule.ListPath(); own != nil {
				list.within = own
			}
		}
		if list.within == nil { // it says nothing of a list
			c.Roles = slices.DeleteFunc(c.Roles, func(r *Role) bool { return r == list })
		}
	}
	if c.schema != nil {
		c.properties = c.schema.Properties()
	}
	c.Key, c.start = rule.Key, rule
	if c.Key == "" {
		c.Key = keyOf(c.properties, param, c.Name)
	}
	if p, ok := c.property(c.Key); ok {
		c.keySchema = p.Schema
	} else if param != "" && len(c.Roles) > 0 {
		for _, p := range c.Roles[0].Operation.Parameters {
			if p.In == "path" && p.Name == param {
				c.keySchema = p.Schema
			}
		}
	}
	for _, role := range c.Roles {
		f.place(c, role, param)
	}
	c.Roles = slices.DeleteFunc(c.Roles, func(r *Role) bool {
		return !r.keyed && (r.Verb == Replace || r.Verb == Change) && !slices.ContainsFunc(r.asked(), func(p contract.Property) bool { return p.Name == c.Key })
	})
}

// place finds where the item stands in the bodies of an operation.
func (f *finder) place(c *Collection, role *Role, param string) {
	if role.Verb == List {
		return
	}
	if role.answers != nil {
		found, path := unwrap(role.answers, param, c.Name)
		role.within, role.whole = path, len(path) > 0 || found.Same(c.schema) || len(found.Properties()) == 0
	}
	if role.asks != nil {
		role.asks, role.wrapped = unwrap(role.asks, param, c.Name)
	}
}

func requestSchema(op *contract.Operation) *contract.Schema {
	if op.Body == nil {
		return nil
	}
	for _, m := range op.Body.MediaTypes {
		if m.Schema != nil && (call.IsJSON(m.Name) || strings.HasPrefix(m.Name, "application/x-www-form-urlencoded")) {
			return m.Schema
		}
	}
	return nil
}

// asked are the properties of an item that a request may say.
func (r *Role) asked() []contract.Property {
	if r.asks == nil {
		return nil
	}
	return r.asks.Properties()
}

// unwrap finds the item in a body: the body itself, or the one object in it, as in {"data": …}.
func unwrap(body *contract.Schema, param, name string) (item *contract.Schema, path []string) {
	properties := body.Properties()
	if len(properties) == 0 || keyOf(properties, param, name) != "" && len(properties) > 1 {
		return body, nil
	}
	var inner []contract.Property
	for _, p := range properties {
		if len(p.Schema.Properties()) > 0 && (plain(p.Name) == singular(name) || slices.Contains(envelopes, plain(p.Name)) || len(properties) == 1) {
			inner = append(inner, p)
		}
	}
	if len(inner) == 1 && keyOf(inner[0].Schema.Properties(), param, name) != "" {
		return inner[0].Schema, []string{inner[0].Name}
	}
	return body, nil
}

// envelopes are names of what holds an item, or a list.
var envelopes = []string{"data", "result", "results", "item", "items", "content", "value", "values", "records", "rows", "list", "entries", "payload", "response", "body", "embedded", "resource", "resources"}

// listIn finds the list in a body: the body itself, or the one that is most likely it, at most
// two objects deep. path is nil where there is none, elements nil where nothing is said of them.
func listIn(body *contract.Schema, c *Collection) (path []string, elements *contract.Schema) {
	if slices.Contains(body.Types(), "array") {
		return []string{}, body.Elements()
	}
	best := 0
	var search func(s *contract.Schema, at []string)
	search = func(s *contract.Schema, at []string) {
		for _, p := range s.Properties() {
			here := append(slices.Clone(at), p.Name)
			if slices.Contains(p.Schema.Types(), "array") {
				e, rank := p.Schema.Elements(), 0
				switch {
				case e != nil && c.schema != nil && e.Same(c.schema):
					rank = 5
				case plain(p.Name) == plain(c.Name) || singular(p.Name) == singular(c.Name):
					rank = 4
				case slices.Contains(envelopes, plain(p.Name)):
					rank = 3
				case e != nil && len(e.Properties()) > 0:
					rank = 2
				}
				if rank > best {
					best, path, elements = rank, here, e
				}
			} else if len(at) < 1 && len(p.Schema.Properties()) > 0 {
				search(p.Schema, here)
			}
		}
	}
	search(body, nil)
	return path, elements
}

// keyNames are names of keys, the more likely first.
var keyNames = []string{"id", "uuid", "guid", "key", "code", "number", "reference", "ref", "slug", "identifier", "name"}

// keyOf is the property by which the path of an item names it; "" for none.
func keyOf(properties []contract.Property, param, name string) string {
	find := func(want string) string {
		for _, p := range properties {
			if plain(p.Name) == want && want != "" && isScalar(p.Schema) {
				return p.Name
			}
		}
		return ""
	}
	wanted, one := plain(param), singular(name)
	if key := find(wanted); key != "" {
		return key
	}
	if rest, is := strings.CutPrefix(wanted, one); is {
		if key := find(rest); key != "" {
			return key
		}
	}
	for _, known := range keyNames {
		if strings.HasSuffix(wanted, known) {
			if key := find(known); key != "" {
				return key
			}
		}
	}
	for _, guess := range []string{one + "id", "id", "uuid", "guid", one + "number", one + "code", one + "key", one + "name"} {
		if key := find(guess); key != "" {
			return key
		}
	}
	if wanted != "" {
		for _, known := range keyNames {
			if key := find(known); key != "" {
				return key
			}
		}
	}
	return ""
}
