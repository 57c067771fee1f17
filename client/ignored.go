package client

import (
	"context"
	"encoding/json"
	"net/http"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// Ignored tells which calls lists leave out unless they are asked for, and how many of each
// rule there are.
func (c *Client) Ignored(ctx context.Context) (api.Ignored, error) {
	return do[api.Ignored](ctx, c, request{method: http.MethodGet, path: path("ignored")})
}

// PutIgnored says which calls lists leave out. etag may demand the version that was read, ""
// for none.
func (c *Client) PutIgnored(ctx context.Context, ignored spec.Ignored, etag string) (api.Ignored, error) {
	body, err := json.Marshal(ignored)
	if err != nil {
		return api.Ignored{}, err
	}
	return do[api.Ignored](ctx, c, request{method: http.MethodPut, path: path("ignored"), body: body, header: ifMatch(etag)})
}

// Ignore adds a rule.
func (c *Client) Ignore(ctx context.Context, rule api.IgnoreRequest) (api.Ignored, error) {
	body, err := json.Marshal(rule)
	if err != nil {
		return api.Ignored{}, err
	}
	return do[api.Ignored](ctx, c, request{method: http.MethodPost, path: path("ignored"), body: body})
}
