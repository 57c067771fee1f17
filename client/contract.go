package client

import (
	"context"
	"net/http"
	"net/url"

	"rapidmimic/spec/api"
)

// Import is a contract to be taken in.
type Import struct {
	Text []byte
	// File names the service unless Name does; Into names an existing service
	// that gets a new revision.
	File, Name, Into string
}

// Import makes a service of a contract, or a new revision of one.
func (c *Client) Import(ctx context.Context, in Import) (api.ImportReport, error) {
	query := url.Values{}
	for key, value := range map[string]string{"file": in.File, "name": in.Name, "into": in.Into} {
		if value != "" {
			query.Set(key, value)
		}
	}
	return do[api.ImportReport](ctx, c, request{method: http.MethodPost, path: path("imports"), query: query, body: in.Text})
}

// Contract returns the contract of a service as it was imported.
func (c *Client) Contract(ctx context.Context, service string) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, path: path("services", service, "contract")})
}
