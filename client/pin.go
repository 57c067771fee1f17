package client

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// Pins tells which fields of what an operation answers are fixed.
func (c *Client) Pins(ctx context.Context, service, operation string) (api.Pins, error) {
	return do[api.Pins](ctx, c, request{method: http.MethodGet, path: path("services", service, "operations", operation, "pins")})
}

// PutPins fixes fields of what an operation answers, instead of those that were fixed; tag
// is the ETag that the write is based on, "" for any.
func (c *Client) PutPins(ctx context.Context, service, operation string, pins spec.Pins, tag string) (api.Pins, error) {
	body, err := json.Marshal(map[string]any{"pins": pins})
	if err != nil {
		return api.Pins{}, fmt.Errorf("write pins: %w", err)
	}
	return do[api.Pins](ctx, c, request{method: http.MethodPut, path: path("services", service, "operations", operation, "pins"), body: body, header: ifMatch(tag)})
}
