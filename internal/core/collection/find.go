package collection

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec"
)

// finder collects what becomes a Plan.
type finder struct {
	plan  *Plan
	rules map[string]spec.CollectionRule
	paths map[string][]*contract.Operation // by path
	order []string                         // of the paths

	documented contract.Documented // how messages are read; nil where the contract has none
	messages   []*contract.Operation
	why        map[string]string // why operations that share an address are stateless, by id
}

// Find finds the collections of operations by their paths: /berths/{number} is an item of what
// /berths lists; or, where operations share an address, by their names and messages, which speaks
// can read. What is said of collections goes before what is found.
func Find(operations []*contract.Operation, speaks contract.Protocol, memory spec.Memory) *Plan {
	f := &finder{plan: &Plan{roles: make(map[string]*Role)}, rules: memory.Collections, paths: make(map[string][]*contract.Operation), why: make(map[string]string)}
	f.documented, _ = speaks.(contract.Documented)
	for _, op := range operations {
		if op.Skipped != nil {
			continue
		}
		if op.ByMessage {
			f.messages = append(f.messages, op)
			continue
		}
		path := op.Template.String()
		if f.paths[path] == nil {
			f.order = append(f.order, path)
		}
		f.paths[path] = append(f.paths[path], op)
	}
	for _, path := range f.order {
		if list, param, is := itemPath(path); is {
			f.addItems(path, list, param)
		}
	}
	for _, path := range f.order {
		if _, _, is := itemPath(path); !is {
			f.addList(path)
		}
	}
	if f.documented != nil {
		f.addMessages(f.messages)
	}
	f.settle()
	for _, op := range f.messages {
		if f.plan.roles[op.ID] == nil {
			f.plan.Stateless = append(f.plan.Stateless, Stateless{op, cmp.Or(f.why[op.ID], "nothing is created, changed or removed here")})
		}
	}
	for _, path := range f.order {
		for _, op := range f.paths[path] {
			if f.plan.roles[op.ID] == nil {
				f.plan.Stateless = append(f.plan.Stateless, Stateless{op, f.whyStateless(op, path)})
			}
		}
	}
	return f.plan
}

func parts(path string) []string { return strings.Split(strings.Trim(path, "/"), "/") }

func isParam(part string) bool { return strings.HasPrefix(part, "{") && strings.HasSuffix(part, "}") }

// itemPath tells the path of the list and the parameter of the path of an item; is is false for
// any other.
func itemPath(path string) (list, param string, is bool) {
	all := parts(path)
	if len(all) < 2 || !isParam(all[len(all)-1]) || isParam(all[len(all)-2]) || strings.Contains(all[len(all)-2], "{") {
		return "", "", false
	}
	return "/" + strings.Join(all[:len(all)-1], "/"), strings.Trim(all[len(all)-1], "{}"), true
}

// paramsOf are the parameters of a path, in their order.
func paramsOf(path string) (params []string) {
	for _, part := range parts(path) {
		if isParam(part) {
			params = append(params, strings.Trim(part, "{}"))
		}
	}
	return params
}

// nameFor is the name of the collection at a list's path: its last part, with what it is below
// where another has that name.
func (f *finder) nameFor(list string) string {
	for name, rule := range f.rules {
		if rule.At != "" && sameShape(rule.At, list) {
			return name
		}
	}
	all := slices.DeleteFunc(parts(list), isParam)
	name := all[len(all)-1]
	for i := len(all) - 2; f.plan.Named(name) != nil && i >= 0; i-- {
		name = all[i] + "-" + name
	}
	return name
}

// sameShape reports whether two paths differ in the names of their parameters alone.
func sameShape(a, b string) bool {
	x, y := parts(a), parts(b)
	return slices.EqualFunc(x, y, func(x, y string) bool { return x == y || isParam(x) && isParam(y) })
}

// addItems makes the collection of the items at a path.
func (f *finder) addItems(path, list, param string) {
	c := &Collection{Name: f.nameFor(list), At: list, Item: path, nested: len(paramsOf(list)) > 0}
	if f.rules[c.Name].Off {
		return
	}
	verbs := map[string]Verb{"GET": Read, "PUT": Replace, "PATCH": Change, "DELETE": Remove}
	for _, op := range f.paths[path] {
		if verb, known := verbs[op.Method]; known && speaksJSON(op) {
			c.Roles = append(c.Roles, &Role{Operation: op, Verb: verb, Collection: c, params: paramsOf(path), keyed: true})
		}
	}
	if len(c.Roles) == 0 {
		return
	}
	for _, op := range f.paths[list] {
		if role := f.listRole(c, op, list); role != nil {
			c.Roles = append(c.Roles, role)
		}
	}
	if c.does(Read) == nil && c.does(List) == nil { // nobody would see what is remembered
		return
	}
	f.learn(c, param)
	f.take(c)
}

// listRole is what an operation at the path of a list does.
func (f *finder) listRole(c *Collection, op *contract.Operation, path string) *Role {
	role := &Role{Operation: op, Collection: c, params: paramsOf(path)}
	switch {
	case !speaksJSON(op):
		return nil
	case op.Method == "POST":
		role.Verb = Create
	case op.Method == "GET":
		role.Verb = List
	case op.Method == "PUT" && op.Body != nil:
		role.Verb = Replace // the body says which
	case op.Method == "PATCH" && op.Body != nil:
		role.Verb = Change
	default:
		return nil
	}
	return role
}

func (f *finder) take(c *Collection) {
	f.plan.Collections = append(f.plan.Collections, c)
	for _, role := range c.Roles {
		f.plan.roles[role.Operation.ID] = role
	}
}

// addList gives what stands at the path of a list to the collection that it lists from another
// side, as /berths/{number}/bookings does with what /bookings/{reference} is one of; else makes
// a collection of what can be created and listed there.
func (f *finder) addList(path string) {
	var free []*contract.Operation
	for _, op := range f.paths[path] {
		if f.plan.roles[op.ID] == nil && speaksJSON(op) && (op.Method == "GET" || op.Method == "POST") {
			free = append(free, op)
		}
	}
	all := parts(path)
	if len(free) == 0 || isParam(all[len(all)-1]) {
		return
	}
	below := &Collection{At: path}
	for _, op := range free {
		below.Roles = append(below.Roles, f.listRole(below, op, path))
	}
	f.learn(below, "")
	for _, c := range f.plan.Collections {
		list := parts(c.At)
		if c.Item == "" || len(paramsOf(path)) == 0 || list[len(list)-1] != all[len(all)-1] || !below.schema.Same(c.schema) {
			continue
		}
		if below.does(Create) == nil && parentFieldOf(c, "", all) == "" {
			return // nothing says which items are listed there
		}
		for _, role := range below.Roles {
			role.Collection = c
			c.Roles = append(c.Roles, role)
			f.plan.roles[role.Operation.ID] = role
		}
		if f.paths[c.At] == nil {
			c.At = path
		}
		return
	}
	if below.does(List) == nil || below.does(Create) == nil || below.schema == nil {
		return
	}
	if below.Name = f.nameFor(path); f.rules[below.Name].Off {
		return
	}
	f.take(below)
}

// settle leaves out what nothing is written to, and finds which collection is below which.
func (f *finder) settle() {
	f.plan.Collections = slices.DeleteFunc(f.plan.Collections, func(c *Collection) bool {
		if slices.ContainsFunc(c.Roles, func(r *Role) bool { return r.Verb != Read && r.Verb != List }) {
			return false
		}
		for _, role := range c.Roles {
			delete(f.plan.roles, role.Operation.ID)
		}
		return true
	})
	for _, c := range f.plan.Collections {
		for _, item := range c.start.Items {
			if scalarText(item.Get(c.Key)) == "" {
				c.Unkeyed++
			}
		}
		c.arising = c.does(Create) == nil && c.start.Items == nil && c.start.Generate == 0 && len(c.beginning()) == 0
	}
	for _, c := range f.plan.Collections {
		all := parts(c.At)
		if len(all) < 2 || !isParam(all[len(all)-2]) {
			continue
		}
		above := "/" + strings.Join(all[:len(all)-1], "/")
		for _, parent := range f.plan.Collections {
			if parent != c && parent.Item != "" && sameShape(parent.Item, above) {
				c.Parent, c.ParentField = parent, parentField(c, parent, strings.Trim(all[len(all)-2], "{}"))
			}
		}
	}
}

// parentField is the property of a collection that names an item of the one that it is below.
func parentField(c, parent *Collection, param string) string {
	return named(c, singular(parent.Name), param, parent.Key)
}

// parentFieldOf is parentField by the parts of the path of a list; "" where it is below none.
func parentFieldOf(c *Collection, key string, list []string) string {
	if len(list) < 3 || !isParam(list[len(list)-2]) {
		return ""
	}
	return named(c, singular(list[len(list)-3]), strings.Trim(list[len(list)-2], "{}"), key)
}

func named(c *Collection, one, param, key string) string {
	for _, name := range []string{one, one + plain(param), one + "id", plain(param), one + plain(key)} {
		for _, p := range c.properties {
			if plain(p.Name) == name && p.Name != c.Key && isScalar(p.Schema) {
				return p.Name
			}
		}
	}
	return ""
}

func isScalar(s *contract.Schema) bool {
	types := s.Types()
	return !slices.Contains(types, "object") && !slices.Contains(types, "array")
}

// whyStateless says why an operation touches no collection.
func (f *finder) whyStateless(op *contract.Operation, path string) string {
	list, _, isItem := itemPath(path)
	if !isItem {
		list = path
	}
	last := parts(path)
	for name, rule := range f.rules {
		if rule.Off && (rule.At != "" && sameShape(rule.At, list) || rule.At == "" && f.nameFor(list) == name) {
			return "memory of " + name + " is off"
		}
	}
	switch {
	case op.Method == "GET" && !succeeds(op):
		return "the contract does not say what it answers"
	case !speaksJSON(op):
		return "its answer is not JSON"
	case isItem && op.Method == "POST":
		return "POST to an item has no plain meaning"
	case !isItem && isParam(last[len(last)-1]):
		return "its path names no collection"
	case op.Method == "GET" && isItem:
		return "nothing is created, changed or removed here"
	case op.Method == "GET":
		return "nothing is created here, and no path names an item"
	default:
		return fmt.Sprintf("%s at this path has no plain meaning", op.Method)
	}
}

// speaksJSON reports whether the answer of an operation is JSON, or none: one that reads must
// have some.
func speaksJSON(op *contract.Operation) bool {
	if !succeeds(op) {
		return op.Method != "GET" && op.Success != nil
	}
	return len(op.Success.MediaTypes) == 0 && op.Method != "GET" || jsonOf(op.Success) != nil
}

// succeeds reports whether the contract says what an operation answers that went well.
func succeeds(op *contract.Operation) bool { return op.Success != nil && op.Success.Status < 300 }

// jsonOf is the first JSON of a response; nil for none.
func jsonOf(r *contract.Response) *contract.MediaType {
	if r == nil {
		return nil
	}
	for _, m := range r.MediaTypes {
		if call.IsJSON(m.Name) {
			return m
		}
	}
	return nil
}
