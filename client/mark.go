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

// SetMark names this moment; everyNight is as in SetNightly.
func (c *Client) SetMark(ctx context.Context, name, everyNight string) (api.Mark, error) {
	body, err := json.Marshal(api.MarkRequest{Name: name, EveryNight: everyNight})
	if err != nil {
		return api.Mark{}, err
	}
	return do[api.Mark](ctx, c, request{method: http.MethodPost, path: path("marks"), body: body})
}

// SetNightly lets everything come back to a mark every night at a time, as "03:00" in the zone
// of the service; with "" not any more. One mark at most is the nightly one.
func (c *Client) SetNightly(ctx context.Context, mark, at string) (api.Mark, error) {
	body, err := json.Marshal(api.MarkPatch{EveryNight: at})
	if err != nil {
		return api.Mark{}, err
	}
	return do[api.Mark](ctx, c, request{method: http.MethodPatch, path: path("marks", mark), body: body})
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
