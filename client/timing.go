package client

import (
	"context"
	"net/http"

	"rapidmimic.example/spec/api"
)

// Timings tells how long the calls of the last five minutes to a service took.
func (c *Client) Timings(ctx context.Context, service string) (api.Timings, error) {
	return do[api.Timings](ctx, c, request{method: http.MethodGet, path: path("services", service, "timings")})
}
