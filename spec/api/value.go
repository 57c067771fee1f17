package api

import (
	"time"

	"rapidmimic.example/spec/tree"
)

// RememberedValue is what mappings remember under a key, without its secrets.
type RememberedValue struct {
	Key   string     `json:"key"`
	Value *tree.Node `json:"value"`
	// Until is when it is forgotten; nil for never.
	Until *time.Time `json:"until,omitempty"`
}
