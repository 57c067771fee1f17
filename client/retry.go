package client

import (
	"context"
	"net/http"
	"net/url"

	"rapidmimic.example/spec/api"
)

// Retries tells how callers took failures, from the last calls in the log: those that
// which selects by service and lane.
func (c *Client) Retries(ctx context.Context, which CallQuery) ([]api.RetryStory, error) {
	query := url.Values{}
	if which.Service != "" {
		query.Set("service", which.Service)
	}
	if which.Lane != "" {
		query.Set("lane", which.Lane)
	}
	list, err := do[api.List[api.RetryStory]](ctx, c, request{method: http.MethodGet, path: path("calls", "retries"), query: query})
	return list.Items, err
}
