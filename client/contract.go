package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"rapidmimic.example/spec/api"
)

// Import is a contract to be taken in.
type Import struct {
	// Text is a document or a zip archive; From is an address that the service
	// gets it from instead.
	Text []byte
	From string
	// Main names the contract among several files; "" finds it.
	Main string
	// Answers makes a service of a sample or a JSON Schema: the call that it
	// answers, as "GET /berths/{number}".
	Answers string
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
	for key, value := range map[string]string{"file": in.File, "name": in.Name, "into": in.Into, "from": in.From, "main": in.Main, "answers": in.Answers} {
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
// with 0 the one in force. Of a contract with several documents, file names
// one; "" is the one they start from.
func (c *Client) Contract(ctx context.Context, service string, revision int, file string) ([]byte, error) {
	query := url.Values{}
	if file != "" {
		query.Set("file", file)
	}
	return c.contract(ctx, service, revision, query)
}

// ContractArchive returns all documents of a contract that has several, as a
// zip archive.
func (c *Client) ContractArchive(ctx context.Context, service string, revision int) ([]byte, error) {
	return c.contract(ctx, service, revision, url.Values{"as": {"archive"}})
}

func (c *Client) contract(ctx context.Context, service string, revision int, query url.Values) ([]byte, error) {
	target := path("services", service, "contract")
	if revision > 0 {
		target = path("services", service, "revisions", strconv.Itoa(revision))
	}
	return c.text(ctx, request{method: http.MethodGet, path: target, query: query})
}

// Revisions lists the revisions of a contract, the oldest first.
func (c *Client) Revisions(ctx context.Context, service string) ([]api.Revision, error) {
	list, err := do[api.List[api.Revision]](ctx, c, request{method: http.MethodGet, path: path("services", service, "revisions")})
	return list.Items, err
}

// BrokenExamples are the examples of a contract that do not obey their own schemas.
func (c *Client) BrokenExamples(ctx context.Context, service string) (api.BrokenExamples, error) {
	return do[api.BrokenExamples](ctx, c, request{method: http.MethodGet, path: path("services", service, "broken-examples")})
}

// Changes compares a revision with an earlier one; 0 is the one before.
func (c *Client) Changes(ctx context.Context, service string, revision, since int) (api.Changes, error) {
	query := url.Values{}
	if since > 0 {
		query.Set("since", strconv.Itoa(since))
	}
	return do[api.Changes](ctx, c, request{method: http.MethodGet, path: path("services", service, "revisions", strconv.Itoa(revision), "changes"), query: query})
}
