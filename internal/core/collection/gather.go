package collection

import (
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// Told is the answer to a call of an operation, such as one that was recorded.
type Told struct {
	Role   *Role
	Answer *tree.Node
}

// Gathered are the items that reads and lists told of, each as it was told first: what the
// collection began with, no more than one may. Answers of other operations tell nothing.
func (c *Collection) Gathered(all []Told) (items []*tree.Node) {
	known := make(map[string]bool)
	add := func(item *tree.Node) {
		if item == nil || item.Kind != tree.Map || len(items) >= spec.MaxStartingItems {
			return
		}
		key := scalarText(item.Get(c.Key))
		if c.ParentField != "" {
			key += "\x00" + scalarText(item.Get(c.ParentField))
		}
		if item.Get(c.Key) != nil && !known[key] {
			known[key] = true
			items = append(items, item)
		}
	}
	for _, told := range all {
		if told.Role == nil || told.Role.Collection != c || told.Answer == nil {
			continue
		}
		found := told.Answer.Path(told.Role.within...)
		switch told.Role.Verb {
		case List:
			for _, item := range found.Elements() {
				add(item)
			}
		case Read:
			add(found)
		}
	}
	return items
}
