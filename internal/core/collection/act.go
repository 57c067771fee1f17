package collection

import (
	"maps"
	"net/url"
	"slices"
	"time"

	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// Call is what a call asks of a collection.
type Call struct {
	Role *Role
	// Params are those of the path, by name.
	Params map[string]string
	Query  url.Values
	// Body is that of the request as a tree; nil for none. Patch is set where it is a JSON
	// Patch.
	Body  *tree.Node
	Patch bool
	// IfMatch is the ETag that the item must have; "" for any.
	IfMatch string
	// Repeat is the Idempotency-Key of a call that creates; "" for none.
	Repeat string
	Now    time.Time
	// Draw gives the chance for what the service makes up. It is asked at most once.
	Draw func() *sample.Draw
}

// Result is what became of a Call.
type Result int

// The results.
const (
	Done     Result = iota
	Missing         // there is no such item
	Conflict        // there is one with that key already
	Invalid         // what the item would be breaks its schema
	Stale           // the item has another ETag than was demanded
)

// Outcome is what a call found or did.
type Outcome struct {
	Result Result
	// Collection and Key are what was looked for: of a missing parent, that of the parent.
	Collection *Collection
	Key        string
	// Item is the one that was created, read, changed or removed; nil for lists, and where
	// there is none.
	Item    *Item
	Created bool
	// Repeated is set where a call before, with the same Idempotency-Key, created it.
	Repeated bool
	// Items are the page of a list, Found how many fit in all, Next where the next page
	// begins, "" after the last.
	Items []*Item
	Found int
	Page  Page
	// Left is how many items the collection has afterwards.
	Left int
	// Detail says what is wrong, for Invalid.
	Detail string
}

// Do carries a call out. With peek nothing is changed.
func (m *Memory) Do(where Space, call Call, peek bool) Outcome {
	if call.Role.Verb == List {
		return m.list(where, &call)
	}
	s := m.at(where, call.Role.Verb != Read && !peek)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.clock++
	s.peeks = peek
	defer func() { s.peeks = false }()
	outcome := s.do(&call)
	s.within(m.bounds())
	return outcome
}

// list filters and sorts what there is at one moment; nothing waits for it.
func (m *Memory) list(where Space, call *Call) Outcome {
	c := call.Role.Collection
	if call.Role.message {
		call.Query = call.Role.queryOf(call.Body)
	}
	s := m.at(where, false)
	s.mu.Lock()
	gone, key := s.missingParent(call)
	items := slices.Clone(s.of(c).live())
	s.mu.Unlock()
	if gone != nil {
		return Outcome{Result: Missing, Collection: gone, Key: key}
	}
	out := Outcome{Collection: c}
	out.list(call, items)
	return out
}

func (s *space) do(call *Call) Outcome {
	c := call.Role.Collection
	if gone, found := s.missingParent(call); gone != nil {
		return Outcome{Result: Missing, Collection: gone, Key: found}
	}
	h := s.of(c)
	out := Outcome{Collection: c}
	if call.Role.Verb == Create {
		return s.create(call, h)
	}
	switch {
	case call.Role.keyed:
		out.Key = call.Params[call.lastParam()]
	case call.Role.message:
		out.Key = scalarText(call.Body.Path(call.Role.named...))
	default:
		out.Key = scalarText(call.item().Get(c.Key))
	}
	id := c.identity(out.Key, call.Params)
	item := h.byKey[id]
	if c.arising && item == nil && !h.ended[id] && out.Key != "" {
		item = s.arise(call, h, id, out.Key)
	}
	switch {
	case item == nil && call.Role.Verb == Replace && call.Role.Operation.Response(201) != nil && call.Role.Operation.Response(201).Key == "201":
		return s.create(call, h)
	case item == nil:
		out.Result = Missing
		return out
	case call.IfMatch != "" && call.IfMatch != "*" && call.IfMatch != item.ETag():
		out.Result, out.Item = Stale, item
		return out
	}
	item.used = s.clock
	out.Item, out.Left = item, len(h.byKey)
	switch call.Role.Verb {
	case Remove:
		out.Left = max(0, out.Left-1)
		if s.peeks {
			return out
		}
		s.remove(h, id)
		s.removeBelow(c, out.Key)
		if c.arising {
			h.ended[id] = true
			forgetMany(h.ended)
		}
	case Replace, Change:
		value, wrong := c.changed(item, call)
		if wrong != "" {
			out.Result, out.Detail = Invalid, wrong
			return out
		}
		if h.byKey[id] == nil { // it arose, for who only looks
			item.Value = value
			return out
		}
		out.Item = s.replace(h, id, value)
	}
	return out
}

// forgetMany empties what is known when it is too much.
func forgetMany[V any](known map[string]V) {
	if len(known) > mostKnown {
		clear(known)
	}
}

// arise makes an item that a call asks for, from what the contract says of it.
func (s *space) arise(call *Call, h *held, id, key string) *Item {
	c := call.Role.Collection
	value := tree.NewMap()
	if c.schema != nil {
		value, _ = c.schema.Generate(call.draw())
	}
	if _, known := c.property(c.Key); known && value.Kind == tree.Map {
		value = with(value, c.Key, c.KeyNode(key))
	}
	under := maps.Clone(call.Params)
	delete(under, call.lastParam())
	item := &Item{Key: key, Value: value, Version: 1, Under: c.placed(value, under)}
	if !s.peeks {
		s.keep(h, id, item)
	}
	return item
}

// lastParam is the parameter that names the item.
func (call *Call) lastParam() string {
	if len(call.Role.params) == 0 {
		return ""
	}
	return call.Role.params[len(call.Role.params)-1]
}

// item is the item in the body of a request.
func (call *Call) item() *tree.Node {
	if inner := call.Body.Path(call.Role.wrapped...); inner != nil {
		return inner
	}
	return call.Body
}

// missingParent is the collection above whose item the path names and which does not have it.
func (s *space) missingParent(call *Call) (c *Collection, key string) {
	params := call.Role.params
	if call.Role.keyed && len(params) > 0 {
		params = params[:len(params)-1]
	}
	parent := call.Role.Collection.Parent
	if parent == nil || len(params) == 0 || parent.does(Create) == nil && len(s.of(parent).byKey) == 0 {
		return nil, "" // where no call creates one, none can be missed
	}
	key = call.Params[params[len(params)-1]]
	above := make(map[string]string) // by the names that the parent's path has for them
	for i, name := range paramsOf(parent.At) {
		if i < len(params) {
			above[name] = call.Params[params[i]]
		}
	}
	if s.of(parent).byKey[parent.identity(key, above)] != nil {
		return nil, ""
	}
	return parent, key
}

// removeBelow forgets what was below an item that is gone.
func (s *space) removeBelow(parent *Collection, key string) {
	for _, h := range s.collections {
		if h.of.Parent == nil || h.of.Parent.Name != parent.Name {
			continue
		}
		above := paramsOf(h.of.At)
		for id, item := range h.byKey {
			if item.Under[underOf(parent)] == key || len(above) > 0 && item.Under[above[len(above)-1]] == key {
				s.remove(h, id)
			}
		}
	}
}

// underOf is the parameter by which items below a collection know the one that they are below.
func underOf(parent *Collection) string {
	params := paramsOf(parent.Item)
	if len(params) == 0 {
		return ""
	}
	return params[len(params)-1]
}

func (s *space) create(call *Call, h *held) Outcome {
	c := call.Role.Collection
	out := Outcome{Collection: c}
	if before := h.byKey[h.repeats[call.Repeat]]; before != nil && call.Repeat != "" {
		out.Item, out.Key, out.Created, out.Repeated, out.Left = before, before.Key, true, true, len(h.byKey)
		return out
	}
	key := ""
	if call.Role.keyed {
		key = call.Params[call.lastParam()]
	}
	under := maps.Clone(call.Params)
	if call.Role.keyed {
		delete(under, call.lastParam())
	}
	value, key, taken := c.composed(call, h, key)
	under = c.placed(value, under)
	out.Key = key
	id := c.identity(key, under)
	if taken || h.byKey[id] != nil {
		out.Result, out.Item = Conflict, h.byKey[id]
		return out
	}
	out.Item, out.Created = &Item{Key: key, Value: value, Version: 1, Under: under}, true
	if s.peeks {
		out.Left = len(h.byKey) + 1
		return out
	}
	s.keep(h, id, out.Item)
	if call.Repeat != "" {
		h.repeats[call.Repeat] = id
		forgetMany(h.repeats)
	}
	out.Left = len(h.byKey)
	return out
}

// placed are the parameters under which an item is found: those of the path, else what its
// fields say.
func (c *Collection) placed(value *tree.Node, under map[string]string) map[string]string {
	if c.Parent == nil || c.ParentField == "" {
		return under
	}
	if text := scalarText(value.Get(c.ParentField)); text != "" {
		under = maps.Clone(under)
		if under == nil {
			under = make(map[string]string)
		}
		under[underOf(c.Parent)] = text
		if params := paramsOf(c.At); len(params) > 0 {
			under[params[len(params)-1]] = text
		}
	}
	return under
}

// fits reports whether an item is found at a path with parameters.
func (c *Collection) fits(item *Item, role *Role, params map[string]string) bool {
	return !slices.ContainsFunc(role.params, func(name string) bool { return item.Under[name] != params[name] })
}
