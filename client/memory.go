package client

import (
	"context"
	"net/http"
	"net/url"

	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/tree"
)

// Memory tells what a service remembers, in a lane or with "" for everybody.
func (c *Client) Memory(ctx context.Context, service, lane string) (api.Memory, error) {
	return do[api.Memory](ctx, c, request{method: http.MethodGet, path: path("services", service, "memory"), query: inLane(lane)})
}

// Remembered lists the items of a collection, at most 10,000.
func (c *Client) Remembered(ctx context.Context, service, collection, lane string) ([]api.RememberedItem, error) {
	query := inLane(lane)
	if query == nil {
		query = url.Values{}
	}
	query.Set("limit", "10000")
	list, err := do[api.List[api.RememberedItem]](ctx, c, request{method: http.MethodGet, path: path("services", service, "memory", collection), query: query})
	return list.Items, err
}

// PutRemembered keeps an item under a key; document is YAML or JSON. under are the parameters of
// the path below which it is, where it does not say so itself.
func (c *Client) PutRemembered(ctx context.Context, service, collection, key, lane string, document []byte, under map[string]string) (api.RememberedItem, error) {
	return do[api.RememberedItem](ctx, c, request{method: http.MethodPut, path: path("services", service, "memory", collection, key), query: belowIn(lane, under), body: document})
}

// RemoveRemembered forgets an item; under is as PutRemembered has it, where several have its key.
func (c *Client) RemoveRemembered(ctx context.Context, service, collection, key, lane string, under map[string]string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("services", service, "memory", collection, key), query: belowIn(lane, under)})
	return err
}

// belowIn says in which lane, and below what, an item is.
func belowIn(lane string, under map[string]string) url.Values {
	query := inLane(lane)
	for name, value := range under {
		if query == nil {
			query = url.Values{}
		}
		query.Add("under", name+"="+value)
	}
	return query
}

// RecordedItems lists the items of a collection that the reads of a recording told of.
func (c *Client) RecordedItems(ctx context.Context, service, recording, collection string) ([]*tree.Node, error) {
	list, err := do[api.List[*tree.Node]](ctx, c, request{method: http.MethodGet, path: path("services", service, "recordings", recording, "items"), query: url.Values{"collection": {collection}}})
	return list.Items, err
}

// ResetMemory takes a collection, with "" all of them, back to its starting data.
func (c *Client) ResetMemory(ctx context.Context, service, collection, lane string) error {
	query := inLane(lane)
	if collection != "" {
		if query == nil {
			query = url.Values{}
		}
		query.Set("collection", collection)
	}
	_, err := do[struct{}](ctx, c, request{method: http.MethodPost, path: path("services", service, "memory-resets"), query: query})
	return err
}
