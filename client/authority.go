package client

import (
	"context"
	"net/http"

	"rapidmimic.example/spec/api"
)

// RotateAuthority makes another authority instead of the present one.
func (c *Client) RotateAuthority(ctx context.Context) (api.Authority, error) {
	return do[api.Authority](ctx, c, request{method: http.MethodPost, path: path("authority", "rotations")})
}

// Authority returns the certificate authority of the proxy; it is made on first
// use.
func (c *Client) Authority(ctx context.Context) (api.Authority, error) {
	return do[api.Authority](ctx, c, request{method: http.MethodGet, path: path("authority")})
}
