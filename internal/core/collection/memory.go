package collection

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"rapidmimic.example/spec/tree"
)

// Memory is what services remember. It lives as long as the process; its zero value is ready to
// use, from any number of goroutines.
type Memory struct {
	mu     sync.Mutex // guards what follows
	spaces map[Space]*space
	limits Limits
	// changes counts those of all spaces, so that one that is made anew has no version of the old.
	changes atomic.Uint64

	turns sync.Map // Space → turn
}

// turn is taken by the call that recalls and remembers: it holds one while one is in it.
type turn chan struct{}

// Space is whose memory it is: that of a service (by its id) for everybody, or in a lane; with a
// scenario that brings its own, that is named.
type Space struct{ Service, Lane, With string }

// shared is the space that a lane sees until it is written to.
func (s Space) shared() Space { return Space{Service: s.Service, With: s.With} }

// Limits bound what one service remembers for everybody, or in one lane.
type Limits struct {
	Items int   // of all collections
	Bytes int64 // of their documents
}

// DefaultLimits are those of a Memory of which nothing else is said.
var DefaultLimits = Limits{Items: 50_000, Bytes: 64 << 20}

// Item is one thing that is remembered. Its Value is immutable.
type Item struct {
	Key   string
	Value *tree.Node
	// Version goes up with each change; 1 is how it began.
	Version int64
	// Under are the parameters of the path at which it was created, by which it is found there.
	Under map[string]string

	used  uint64 // when it was last used, in calls of its space
	bytes int64
	gone  bool
}

// space is the memory of one Space.
type space struct {
	mu          sync.Mutex // guards what follows; taken after that of Memory
	lane        string     // "" for everybody's
	collections map[string]*held
	values      map[string]*Value // by key
	items       int               // of collections, and values
	bytes       int64
	clock       uint64
	version     uint64 // goes up with each change; 0 where there was none
	changes     *atomic.Uint64
	peeks       bool // what is done changes nothing
	evicted     int64
}

// held are the items of one collection, in the order in which they came.
type held struct {
	like    string // what the keys and paths of the collection were when it began
	order   []*Item
	byKey   map[string]*Item
	removed int // of order
	of      *Collection
	// ended are the items that were removed from a collection whose items arise: they do not
	// come into being again. So many are known as of repeats.
	ended map[string]bool
	// numbered is the highest of the keys that end in a number, also of items that are gone: no
	// key is given twice.
	numbered numbered
	// repeats are the items that calls with an Idempotency-Key created, by it.
	repeats map[string]string
}

// mostKnown bounds what is known of repeats and of ended items; then all is forgotten.
const mostKnown = 10_000

// signature changes when what is held cannot be used any more.
func (c *Collection) signature() string { return c.At + " " + c.Item + " " + c.Key }

// identity is by what an item is told from all others of its collection.
func (c *Collection) identity(key string, under map[string]string) string {
	if !c.nested {
		return key
	}
	var b strings.Builder
	for _, param := range paramsOf(c.At) {
		b.WriteString(under[param])
		b.WriteByte(0)
	}
	return b.String() + key
}

func (h *held) add(id string, item *Item) {
	h.numbered.take(item.Key)
	h.order = append(h.order, item)
	h.byKey[id] = item
}

// ids are the identities of the items.
func (h *held) ids() map[*Item]string {
	ids := make(map[*Item]string, len(h.byKey))
	for id, item := range h.byKey {
		ids[item] = id
	}
	return ids
}

// live are the items that are still there.
func (h *held) live() []*Item { return h.compacted(0) }

// compacted is the order without those that are gone, where more are than some.
func (h *held) compacted(more int) []*Item {
	if h.removed > more {
		h.order = slices.DeleteFunc(slices.Clone(h.order), func(i *Item) bool { return i.gone })
		h.removed = 0
	}
	return h.order
}

func newHeld(like string, c *Collection) *held {
	return &held{like: like, byKey: make(map[string]*Item), of: c, ended: make(map[string]bool), repeats: make(map[string]string)}
}

// of is what a space holds of a collection, begun with what its contract gives as examples.
func (s *space) of(c *Collection) *held {
	h := s.collections[c.Name]
	if h != nil {
		h.of = c // as the contract has it now
	}
	if h == nil || h.like != c.signature() {
		if h != nil {
			for _, item := range h.live() {
				s.forget(item)
			}
		}
		h = newHeld(c.signature(), c)
		s.collections[c.Name] = h
		for _, item := range c.beginning() {
			if id := c.identity(item.Key, item.Under); h.byKey[id] == nil {
				s.keep(h, id, item)
			}
		}
	}
	return h
}

func (s *space) changed() { s.version = Restored + s.changes.Add(1) }

func (s *space) keep(h *held, id string, item *Item) {
	item.bytes = int64(len(item.Value.AppendJSON(nil))) + itemOverhead
	item.used = s.clock
	s.items++
	s.bytes += item.bytes
	s.changed()
	delete(h.ended, id)
	h.add(id, item)
}

// itemOverhead is what an item takes beside its document, in bytes.
const itemOverhead = 200

func (s *space) forget(item *Item) {
	s.items--
	s.bytes -= item.bytes
	item.gone = true
}

func (s *space) remove(h *held, id string) {
	item := h.byKey[id]
	delete(h.byKey, id)
	s.changed()
	s.forget(item)
	h.removed++
	h.compacted(len(h.order) / 2)
}

// replace puts another value in the place of an item's. It is another item: whoever was told of
// the old one may still look at it.
func (s *space) replace(h *held, id string, value *tree.Node) *Item {
	old := h.byKey[id]
	next := &Item{Key: old.Key, Value: value, Version: old.Version + 1, Under: old.Under, used: s.clock}
	if s.peeks {
		return next
	}
	next.bytes = int64(len(value.AppendJSON(nil))) + itemOverhead
	h.order[slices.Index(h.order, old)] = next
	h.byKey[id] = next
	s.changed()
	s.bytes += next.bytes - old.bytes
	return next
}

func (s *space) exceeds(l Limits) bool { return s.items > l.Items || s.bytes > l.Bytes }

// within makes room, by forgetting what was used least recently: a hundredth more than it has
// to, so that not each call that follows looks for the oldest.
func (s *space) within(l Limits) {
	if !s.exceeds(l) {
		return
	}
	type place struct {
		in   *held
		id   string
		used uint64
	}
	all := make([]place, 0, s.items)
	for key, v := range s.values {
		all = append(all, place{nil, key, v.used})
	}
	for _, h := range s.collections {
		for id, item := range h.byKey {
			all = append(all, place{h, id, item.used})
		}
	}
	slices.SortFunc(all, func(a, b place) int { return cmp.Compare(a.used, b.used) })
	for _, one := range all {
		if s.items <= l.Items-l.Items/100 && s.bytes <= l.Bytes-l.Bytes/100 {
			return
		}
		if one.in == nil {
			s.forgetValue(one.id)
		} else {
			s.remove(one.in, one.id)
		}
		s.evicted++
	}
}

// copy is a space of its own with the same items.
func (s *space) copy() *space {
	s.mu.Lock()
	defer s.mu.Unlock()
	c := &space{collections: make(map[string]*held, len(s.collections)), clock: s.clock, changes: s.changes}
	c.changed()
	for name, h := range s.collections {
		own := &held{like: h.like, byKey: make(map[string]*Item, len(h.byKey)), of: h.of, ended: maps.Clone(h.ended), numbered: h.numbered, repeats: maps.Clone(h.repeats)}
		ids := h.ids()
		for _, item := range h.live() {
			same := *item
			own.add(ids[item], &same)
			c.items++
			c.bytes += item.bytes
		}
		c.collections[name] = own
	}
	for key, v := range s.values {
		same := *v
		if c.values == nil {
			c.values = make(map[string]*Value, len(s.values))
		}
		c.values[key] = &same
		c.items++
		c.bytes += v.bytes
	}
	return c
}

// at is the space to read from, or to write to: a lane has a copy of its own from when it is
// first written to.
func (m *Memory) at(where Space, write bool) *space {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.spaces == nil {
		m.spaces = make(map[Space]*space)
	}
	if own := m.spaces[where]; own != nil {
		return own
	}
	shared := m.spaces[where.shared()]
	if shared == nil {
		shared = &space{collections: make(map[string]*held), changes: &m.changes}
		m.spaces[where.shared()] = shared
	}
	if where.Lane == "" || !write {
		return shared
	}
	own := shared.copy()
	own.lane = where.Lane
	m.spaces[where] = own
	return own
}

// ForgetLane takes all services back to the beginning in a lane, with "" for everybody.
func (m *Memory) ForgetLane(lane string) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for s := range m.spaces {
		if s.Lane == lane {
			delete(m.spaces, s)
		}
	}
	m.forgetTurns(func(s Space) bool { return s.Lane == lane })
}

// forgetTurns keeps the turns from becoming ever more. A call that holds one still may.
func (m *Memory) forgetTurns(which func(Space) bool) {
	m.turns.Range(func(where, _ any) bool {
		if which(where.(Space)) {
			m.turns.Delete(where)
		}
		return true
	})
}

// KeepOnly forgets what services remembered that are gone, and the collections of those whose
// memory was switched off; what mappings remember does not depend on that. on tells of each
// service that is there, by its id.
func (m *Memory) KeepOnly(on map[string]bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for where, s := range m.spaces {
		collections, there := on[where.Service]
		switch {
		case !there:
			delete(m.spaces, where)
		case !collections && where.With == "":
			s.mu.Lock()
			for name := range s.collections {
				s.drop(name)
			}
			s.mu.Unlock()
		}
	}
	m.forgetTurns(func(where Space) bool { _, there := on[where.Service]; return !there })
}

// Reset takes one collection back to the beginning, or with "" all of them, and forgets all
// values, for everybody or in a lane.
func (m *Memory) Reset(where Space, collection string) {
	if collection == "" && where.Lane == "" {
		m.mu.Lock()
		defer m.mu.Unlock()
		delete(m.spaces, where)
		return
	}
	s := m.at(where, true)
	s.mu.Lock()
	defer s.mu.Unlock()
	for name := range s.collections {
		if collection == "" || collection == name {
			s.drop(name)
		}
	}
	if collection == "" {
		for key := range s.values {
			s.forgetValue(key)
		}
	}
}

// drop forgets a collection, which begins anew when it is asked for.
func (s *space) drop(collection string) {
	for _, item := range s.collections[collection].live() {
		s.forget(item)
	}
	delete(s.collections, collection)
	s.changed()
}

// State is how much a space holds.
type State struct {
	// Own is set of a lane that has been written to, and does not see what the others do.
	Own     bool
	Items   map[string]int // by collection
	Bytes   int64
	Evicted int64 // forgotten for others, since there were too many
}

// State tells how much is remembered.
func (m *Memory) State(where Space, p *Plan) State {
	s := m.at(where, false)
	s.mu.Lock()
	defer s.mu.Unlock()
	state := State{Own: s.lane != "", Items: make(map[string]int), Evicted: s.evicted}
	for _, c := range p.Collections {
		state.Items[c.Name] = len(s.of(c).live())
	}
	state.Bytes = s.bytes
	return state
}

// Items lists what is remembered of a collection.
func (m *Memory) Items(where Space, c *Collection) []*Item {
	s := m.at(where, false)
	s.mu.Lock()
	defer s.mu.Unlock()
	return slices.Clone(s.of(c).live())
}

// Put keeps an item by hand, in the place of the one that has its key; created is false where
// there was one. problem says why it cannot be kept; "" for kept.
func (m *Memory) Put(where Space, c *Collection, value *tree.Node, key string, under map[string]string) (item *Item, created bool, problem string) {
	s := m.at(where, true)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.clock++
	h := s.of(c)
	if key == "" {
		key = scalarText(value.Get(c.Key))
	}
	if key == "" {
		return nil, false, "it has no " + c.Key + " to be known by"
	}
	if _, known := c.property(c.Key); known && value.Get(c.Key) == nil {
		value = with(value, c.Key, c.KeyNode(key))
	}
	under = c.placed(value, under)
	id := c.identity(key, under)
	if h.byKey[id] != nil {
		return s.replace(h, id, value), false, ""
	}
	item = &Item{Key: key, Value: value, Version: 1, Under: under}
	s.keep(h, id, item)
	s.within(m.bounds())
	return item, true, ""
}

// Remove forgets an item by hand; false where there is none.
func (m *Memory) Remove(where Space, c *Collection, item *Item) bool {
	s := m.at(where, true)
	s.mu.Lock()
	defer s.mu.Unlock()
	h, id := s.of(c), c.identity(item.Key, item.Under)
	if h.byKey[id] == nil {
		return false
	}
	s.remove(h, id)
	s.removeBelow(c, item.Key)
	return true
}

func (m *Memory) bounds() Limits {
	if m.limits == (Limits{}) {
		return DefaultLimits
	}
	return m.limits
}
