package client

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"

	"rapidmimic.example/spec/api"
)

// Walks lists all walks through boundary values, without the calls of their steps.
func (c *Client) Walks(ctx context.Context) ([]api.Walk, error) {
	list, err := do[api.List[api.Walk]](ctx, c, request{method: http.MethodGet, path: path("walks")})
	return list.Items, err
}

// Walk returns one walk.
func (c *Client) Walk(ctx context.Context, name string) (api.Walk, error) {
	return do[api.Walk](ctx, c, request{method: http.MethodGet, path: path("walks", name)})
}

// CreateWalk begins a walk; its first value answers from the next call on.
func (c *Client) CreateWalk(ctx context.Context, wanted api.NewWalk) (api.Walk, error) {
	return c.changeWalk(ctx, http.MethodPost, path("walks"), wanted)
}

// GoInWalk goes to a step of a walk, by its number or its id; 0 is the answer as it is.
func (c *Client) GoInWalk(ctx context.Context, name, to string) (api.Walk, error) {
	return c.changeWalk(ctx, http.MethodPut, path("walks", name, "position"), api.WalkPosition{To: to})
}

// NoteInWalk says of a step of a walk what the program under test made of it.
func (c *Client) NoteInWalk(ctx context.Context, name, step string, note api.WalkNote) (api.Walk, error) {
	return c.changeWalk(ctx, http.MethodPut, path("walks", name, "steps", step), note)
}

// EndWalk ends a walk: the answer is as it was, what was said stays.
func (c *Client) EndWalk(ctx context.Context, name string) (api.Walk, error) {
	return c.changeWalk(ctx, http.MethodPost, path("walks", name, "end"), nil)
}

// RemoveWalk ends a walk and forgets it.
func (c *Client) RemoveWalk(ctx context.Context, name string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("walks", name)})
	return err
}

// WalkReport gives a walk as a report: markdown, html or junit.
func (c *Client) WalkReport(ctx context.Context, name, format string) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, path: path("walks", name, "report"), query: url.Values{"format": {format}}})
}

func (c *Client) changeWalk(ctx context.Context, method, path string, document any) (api.Walk, error) {
	var body []byte
	if document != nil {
		var err error
		if body, err = json.Marshal(document); err != nil {
			return api.Walk{}, err
		}
	}
	return do[api.Walk](ctx, c, request{method: method, path: path, body: body})
}
