package client

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"

	"rapidmimic.example/spec/api"
)

// Marks lists the moments that were named, the oldest first.
func (c *Client) Marks(ctx context.Context) ([]api.Mark, error) {
	return all[api.Mark](ctx, c, request{method: http.MethodGet, path: path("marks")})
}

// SetMark names this moment.
func (c *Client) SetMark(ctx context.Context, name string) (api.Mark, error) {
	body, err := json.Marshal(api.MarkRequest{Name: name})
	if err != nil {
		return api.Mark{}, err
	}
	return do[api.Mark](ctx, c, request{method: http.MethodPost, path: path("marks"), body: body})
}

// RemoveMark forgets a mark.
func (c *Client) RemoveMark(ctx context.Context, name string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("marks", name)})
	return err
}

// BackTo makes all definitions and switches what they were at a mark; a dry run only says
// what would be another.
func (c *Client) BackTo(ctx context.Context, mark string, dryRun bool) (api.Return, error) {
	query := url.Values{}
	if dryRun {
		query.Set("dryRun", "true")
	}
	return do[api.Return](ctx, c, request{method: http.MethodPost, path: path("marks", mark, "returns"), query: query})
}

// Differences lists what is another than it was at a moment: the name of a mark, an entry, how
// long ago, or a time.
func (c *Client) Differences(ctx context.Context, since string) ([]api.EntryItem, error) {
	return all[api.EntryItem](ctx, c, request{method: http.MethodGet, path: path("differences"), query: url.Values{"since": {since}}})
}
