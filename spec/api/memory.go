package api

import "rapidmimic.example/spec/tree"

// Memory is what a service remembers, for everybody or in a lane.
type Memory struct {
	On bool `json:"on"`
	// Own is set of a lane that has been written to: it has a copy of its own since.
	Own         bool         `json:"own,omitempty"`
	Collections []Collection `json:"collections"`
	// Stateless are the operations that touch no collection.
	Stateless []StatelessOperation `json:"stateless"`
	Bytes     int64                `json:"bytes"`
	// Evicted counts items that were forgotten for others, since there were too many.
	Evicted int64 `json:"evicted,omitempty"`
}

// Collection is what was understood of a collection, and how many items it has.
type Collection struct {
	Name string `json:"name"`
	At   string `json:"at"`             // the path of its list
	Item string `json:"item,omitempty"` // that of an item
	Key  string `json:"key,omitempty"`  // the property that names an item
	// Parent is the collection that it is below, ParentField the property that names the
	// parent's item.
	Parent      string `json:"parent,omitempty"`
	ParentField string `json:"parentField,omitempty"`
	Items       int    `json:"items"`
	// Unkeyed counts items of the starting data that are left out, since nothing names them.
	Unkeyed    int                   `json:"unkeyed,omitempty"`
	Operations []CollectionOperation `json:"operations"`
}

// CollectionOperation is what an operation does to its collection: create, list, read, replace,
// change or remove.
type CollectionOperation struct {
	Operation string `json:"operation"`
	Call      string `json:"call"` // method and path
	Does      string `json:"does"`
}

// StatelessOperation is an operation that touches no collection, and why.
type StatelessOperation struct {
	Operation string `json:"operation"`
	Call      string `json:"call"`
	Why       string `json:"why"`
}

// RememberedItem is an item of a collection, without its secrets.
type RememberedItem struct {
	Key     string            `json:"key"`
	Version int64             `json:"version"`         // goes up with each change
	Under   map[string]string `json:"under,omitempty"` // parameters of the path at which it is listed
	Value   *tree.Node        `json:"value"`
}
