package client

import (
	"context"
	"net/http"
	"net/url"

	"rapidmimic/spec/api"
)

// Retries tells how callers took failures, from the last calls in the log; of one
// service, or with "" of all.
func (c *Client) Retries(ctx context.Context, service string) ([]api.RetryStory, error) {
	query := url.Values{}
	if service != "" {
		query.Set("service", service)
	}
	list, err := do[api.List[api.RetryStory]](ctx, c, request{method: http.MethodGet, path: path("calls", "retries"), query: query})
	return list.Items, err
}
