package client

import (
	"context"
	"encoding/json"
	"net/http"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// Lines lists the lines that connections can have.
func (c *Client) Lines(ctx context.Context) ([]api.Line, error) {
	list, err := do[api.List[api.Line]](ctx, c, request{method: http.MethodGet, path: path("lines")})
	return list.Items, err
}

// PutLine makes or changes a line.
func (c *Client) PutLine(ctx context.Context, name string, line spec.Line) (api.Line, error) {
	body, err := json.Marshal(line)
	if err != nil {
		return api.Line{}, err
	}
	return do[api.Line](ctx, c, request{method: http.MethodPut, path: path("lines", name), body: body})
}

// RemoveLine removes a line, or takes back what was changed of one that every
// environment has.
func (c *Client) RemoveLine(ctx context.Context, name string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("lines", name)})
	return err
}
