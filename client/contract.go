package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"rapidmimic/spec/api"
)

// Import is a contract to be taken in.
type Import struct {
	Text []byte
	// File names the service unless Name does; Into names an existing service
	// that gets a new revision.
	File, Name, Into string
	// Revision, with Into and without a Text, takes an earlier revision again.
	Revision int
	// DryRun reports what would happen and changes nothing.
	DryRun bool
}

// Import makes a service of a contract, or a new revision of one.
func (c *Client) Import(ctx context.Context, in Import) (api.ImportReport, error) {
	query := url.Values{}
	for key, value := range map[string]string{"file": in.File, "name": in.Name, "into": in.Into} {
		if value != "" {
			query.Set(key, value)
		}
	}
	if in.Revision > 0 {
		query.Set("revision", strconv.Itoa(in.Revision))
	}
	if in.DryRun {
		query.Set("dryRun", "true")
	}
	return do[api.ImportReport](ctx, c, request{method: http.MethodPost, path: path("imports"), query: query, body: in.Text})
}

// Contract returns the contract of a service as it was imported: a revision, or
// with 0 the one in force.
func (c *Client) Contract(ctx context.Context, service string, revision int) ([]byte, error) {
	if revision == 0 {
		return c.text(ctx, request{method: http.MethodGet, path: path("services", service, "contract")})
	}
	return c.text(ctx, request{method: http.MethodGet, path: path("services", service, "revisions", strconv.Itoa(revision))})
}

// Revisions lists the revisions of a contract, the oldest first.
func (c *Client) Revisions(ctx context.Context, service string) ([]api.Revision, error) {
	list, err := do[api.List[api.Revision]](ctx, c, request{method: http.MethodGet, path: path("services", service, "revisions")})
	return list.Items, err
}

// Changes compares a revision with an earlier one; 0 is the one before.
func (c *Client) Changes(ctx context.Context, service string, revision, since int) (api.Changes, error) {
	query := url.Values{}
	if since > 0 {
		query.Set("since", strconv.Itoa(since))
	}
	return do[api.Changes](ctx, c, request{method: http.MethodGet, path: path("services", service, "revisions", strconv.Itoa(revision), "changes"), query: query})
}
