package client

import (
	"context"
	"net/http"

	"rapidmimic.example/spec/api"
)

// Payloads lists the payloads of a service by name.
func (c *Client) Payloads(ctx context.Context, service string) ([]api.Payload, error) {
	list, err := do[api.List[api.Payload]](ctx, c, request{method: http.MethodGet, path: path("services", service, "payloads")})
	return list.Items, err
}

// Payload returns the bytes of a payload.
func (c *Client) Payload(ctx context.Context, service, name string) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, path: path("services", service, "payloads", name)})
}

// PutPayload gives a service a payload, or replaces it.
func (c *Client) PutPayload(ctx context.Context, service, name string, bytes []byte) (api.Payload, error) {
	return do[api.Payload](ctx, c, request{method: http.MethodPut, path: path("services", service, "payloads", name), body: bytes})
}

// RemovePayload takes a payload away.
func (c *Client) RemovePayload(ctx context.Context, service, name string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("services", service, "payloads", name)})
	return err
}
