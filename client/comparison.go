package client

import (
	"context"
	"net/http"
	"net/url"

	"rapidmimic.example/spec/api"
)

// CompareCalls holds a call against another, or with "now" against what it would get now, place by place.
// Places that do not differ are left out unless all is set.
func (c *Client) CompareCalls(ctx context.Context, id, with string, all bool) (api.CallComparison, error) {
	query := url.Values{"with": {with}}
	if all {
		query.Set("all", "true")
	}
	return do[api.CallComparison](ctx, c, request{method: http.MethodGet, path: path("calls", id, "comparison"), query: query})
}
