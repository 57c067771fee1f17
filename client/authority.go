package client

import (
	"context"
	"net/http"

	"rapidmimic.example/spec/api"
)

// Authority returns the certificate authority of the proxy; it is made on first
// use.
func (c *Client) Authority(ctx context.Context) (api.Authority, error) {
	return do[api.Authority](ctx, c, request{method: http.MethodGet, path: path("authority")})
}
