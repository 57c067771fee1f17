package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"rapidmimic.example/spec/api"
)

// ActivityQuery says which entries of the activity are wanted; the zero value all of them.
type ActivityQuery struct {
	Service, By string
	// Since is how long ago the oldest one may be; 0 for any.
	Since time.Duration
	// Limit is how many are wanted at most; 0 for 100. After is the entry behind which the
	// list goes on.
	Limit int
	After string
}

// Activity lists who changed what, the newest first.
func (c *Client) Activity(ctx context.Context, q ActivityQuery) (api.List[api.Entry], error) {
	query := url.Values{}
	for name, value := range map[string]string{"service": q.Service, "by": q.By, "after": q.After} {
		if value != "" {
			query.Set(name, value)
		}
	}
	if q.Since > 0 {
		query.Set("since", q.Since.String())
	}
	if q.Limit > 0 {
		query.Set("limit", strconv.Itoa(q.Limit))
	}
	return do[api.List[api.Entry]](ctx, c, request{method: http.MethodGet, path: path("activity"), query: query})
}

// Entry returns an entry of the activity, with each definition before and after.
func (c *Client) Entry(ctx context.Context, id string) (api.EntryDetail, error) {
	return do[api.EntryDetail](ctx, c, request{method: http.MethodGet, path: path("activity", id)})
}

// Undo takes an entry back, and returns the entry that this made.
func (c *Client) Undo(ctx context.Context, id string) (api.Entry, error) {
	return do[api.Entry](ctx, c, request{method: http.MethodPost, path: path("activity", id, "undo")})
}

// LastEntry is the entry that the last write of this client made, "" for none.
func (c *Client) LastEntry() string {
	if last := c.lastEntry.Load(); last != nil {
		return *last
	}
	return ""
}
