package collection

import (
	"encoding/json"
	"fmt"
	"slices"
	"sync/atomic"
	"time"

	"rapidmimic.example/spec/tree"
)

// Kept is the memory of a space as it can be kept beyond the process.
type Kept struct {
	Space    Space
	Document []byte // JSON; nil where nothing is left to be kept
}

// keptSpace is the document of a space.
type keptSpace struct {
	Collections map[string]keptCollection `json:"collections,omitempty"`
	Values      []keptValue               `json:"values,omitempty"`
}

type keptCollection struct {
	Like    string            `json:"like"`
	Items   []keptItem        `json:"items"`
	Ended   []string          `json:"ended,omitempty"`
	Highest uint64            `json:"highest,omitempty"`
	Prefix  string            `json:"prefix,omitempty"`
	Width   int               `json:"width,omitempty"`
	Repeats map[string]string `json:"repeats,omitempty"`
}

type keptItem struct {
	ID      string            `json:"id"`
	Key     string            `json:"key"`
	Value   *tree.Node        `json:"value"`
	Version int64             `json:"version"`
	Under   map[string]string `json:"under,omitempty"`
}

type keptValue struct {
	Key   string     `json:"key"`
	Value *tree.Node `json:"value"`
	Until time.Time  `json:"until,omitzero"`
}

// Changed returns the spaces that have changed since known was written, which it brings up to date;
// those that are gone have no document. Calls wait only while it looks at what there is: what is
// looked at is immutable, and written afterwards.
func (m *Memory) Changed(known map[Space]uint64) (changed []Kept, err error) {
	m.mu.Lock()
	spaces := make(map[Space]*space, len(m.spaces))
	for where, s := range m.spaces {
		spaces[where] = s
	}
	m.mu.Unlock()
	for where := range known {
		if spaces[where] == nil {
			delete(known, where)
			changed = append(changed, Kept{Space: where})
		}
	}
	for where, s := range spaces {
		frozen, version := s.freeze(known[where])
		if frozen == nil {
			continue
		}
		document, err := json.Marshal(frozen)
		if err != nil {
			return nil, fmt.Errorf("write what is remembered of %s: %w", where.Service, err)
		}
		known[where] = version
		changed = append(changed, Kept{where, document})
	}
	return changed, nil
}

// freeze is what a space holds now, and its version; nil where that is the one that is known. A
// space that nothing has changed has version 0.
func (s *space) freeze(known uint64) (*keptSpace, uint64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.version == known {
		return nil, known
	}
	frozen := &keptSpace{Collections: make(map[string]keptCollection, len(s.collections))}
	for name, h := range s.collections {
		kept := keptCollection{Like: h.like, Items: make([]keptItem, 0, len(h.byKey)), Highest: h.numbered.highest, Prefix: h.numbered.prefix, Width: h.numbered.width, Repeats: make(map[string]string, len(h.repeats))}
		ids := h.ids()
		for _, item := range h.live() {
			kept.Items = append(kept.Items, keptItem{ids[item], item.Key, item.Value, item.Version, item.Under})
		}
		for id := range h.ended {
			kept.Ended = append(kept.Ended, id)
		}
		slices.Sort(kept.Ended)
		for repeat, id := range h.repeats {
			kept.Repeats[repeat] = id
		}
		frozen.Collections[name] = kept
	}
	for key, v := range s.values {
		frozen.Values = append(frozen.Values, keptValue{key, v.Node, v.Until})
	}
	return frozen, s.version
}

// Restored is the version of a space that was restored, and has not changed since.
const Restored = 1

// Restore brings back what was kept, before the first call. A collection that the contract has
// otherwise by now begins anew.
func (m *Memory) Restore(all []Kept) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.spaces == nil {
		m.spaces = make(map[Space]*space)
	}
	for _, kept := range all {
		var document keptSpace
		if err := json.Unmarshal(kept.Document, &document); err != nil {
			return fmt.Errorf("read what is remembered of %s: %w", kept.Space.Service, err)
		}
		m.spaces[kept.Space] = document.thaw(kept.Space.Lane, &m.changes)
	}
	return nil
}

func (d *keptSpace) thaw(lane string, changes *atomic.Uint64) *space {
	s := &space{lane: lane, changes: changes, collections: make(map[string]*held, len(d.Collections))}
	for name, kept := range d.Collections {
		h := newHeld(kept.Like, nil)
		h.numbered = numbered{kept.Highest, kept.Prefix, kept.Width}
		for _, item := range kept.Items {
			s.keep(h, item.ID, &Item{Key: item.Key, Value: item.Value, Version: item.Version, Under: item.Under})
		}
		for _, id := range kept.Ended {
			h.ended[id] = true
		}
		for repeat, id := range kept.Repeats {
			h.repeats[repeat] = id
		}
		s.collections[name] = h
	}
	for _, v := range d.Values {
		s.put(&Value{Key: v.Key, Node: v.Value, Until: v.Until})
	}
	s.version = Restored
	return s
}
