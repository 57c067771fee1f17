package client

import (
	"context"
	"net/http"
	"net/url"

	"rapidmimic.example/spec/api"
)

// Values lists what mappings of a service remember under keys, at most 10,000.
func (c *Client) Values(ctx context.Context, service, lane string) ([]api.RememberedValue, error) {
	query := inLane(lane)
	if query == nil {
		query = url.Values{}
	}
	query.Set("limit", "10000")
	list, err := do[api.List[api.RememberedValue]](ctx, c, request{method: http.MethodGet, path: path("services", service, "memory-values"), query: query})
	return list.Items, err
}

// PutValue has a service remember a value; document is YAML or JSON, lasts a time such as 10m, or
// "" for no end.
func (c *Client) PutValue(ctx context.Context, service, key, lane, lasts string, document []byte) (api.RememberedValue, error) {
	query := inLane(lane)
	if lasts != "" {
		if query == nil {
			query = url.Values{}
		}
		query.Set("for", lasts)
	}
	return do[api.RememberedValue](ctx, c, request{method: http.MethodPut, path: path("services", service, "memory-values", key), query: query, body: document})
}

// RemoveValue forgets a value.
func (c *Client) RemoveValue(ctx context.Context, service, key, lane string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("services", service, "memory-values", key), query: inLane(lane)})
	return err
}
