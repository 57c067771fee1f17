package client

import (
	"context"
	"net/http"
	"net/url"

	"rapidmimic.example/spec/api"
)

// Timeline tells how many calls came in the last quarter of an hour, to a service or with "" to all, in a lane
// or with "" in any.
func (c *Client) Timeline(ctx context.Context, service, lane string) (api.Timeline, error) {
	return do[api.Timeline](ctx, c, request{method: http.MethodGet, path: path("calls", "timeline"), query: url.Values{"service": {service}, "lane": {lane}}})
}
