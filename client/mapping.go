package client

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// Mappings lists the mappings of a service in the order in which they were
// made.
func (c *Client) Mappings(ctx context.Context, service string) ([]api.Mapping, error) {
	return c.SelectMappings(ctx, service, Selection{})
}

// Selection says which mappings are meant: all that meet every demand given.
type Selection struct {
	IDs   []string
	Label string
	Text  string // in id, title, method, path, operation or a label
	// Origin is "everybody" for mappings that everybody has; in lists as a lane sees them
	// also "scenario", "lane", or one of them: scenario "storm".
	Origin string
	// Problem means those that never answer, then those that break the contract, then
	// those that did not answer since the start; for lists alone.
	Problem bool
	// Lane lists them as the calls of a lane find them, or with "-" those in none:
	// what lanes and scenarios add comes first. For lists alone.
	Lane string
}

func (s Selection) query() url.Values {
	q := url.Values{}
	for _, id := range s.IDs {
		q.Add("id", id)
	}
	if s.Label != "" {
		q.Set("label", s.Label)
	}
	if s.Text != "" {
		q.Set("text", s.Text)
	}
	if s.Origin != "" {
		q.Set("origin", s.Origin)
	}
	if s.Lane != "" {
		q.Set("lane", s.Lane)
	}
	if s.Problem {
		q.Set("problem", "true")
	}
	return q
}

// SelectMappings lists some of the mappings of a service.
func (c *Client) SelectMappings(ctx context.Context, service string, which Selection) ([]api.Mapping, error) {
	return all[api.Mapping](ctx, c, request{method: http.MethodGet, path: path("services", service, "mappings"), query: which.query()})
}

// Mapping returns one mapping.
func (c *Client) Mapping(ctx context.Context, service, id string) (api.Mapping, error) {
	return c.LaneMapping(ctx, "", service, id)
}

// MappingYAML returns one mapping as a document that can be put back.
func (c *Client) MappingYAML(ctx context.Context, service, id string) ([]byte, error) {
	return c.LaneMappingYAML(ctx, "", service, id)
}

// PutMappings puts a document, in JSON or YAML, of one or many mappings: all
// of them or none.
func (c *Client) PutMappings(ctx context.Context, service string, document []byte) (api.PutReport, error) {
	return do[api.PutReport](ctx, c, request{method: http.MethodPost, path: path("services", service, "mappings"), body: document})
}

// PutMapping creates or replaces one mapping; tag is the ETag the write is
// based on, "" for any.
func (c *Client) PutMapping(ctx context.Context, service string, m spec.Mapping, tag string) (api.Mapping, error) {
	body, err := json.Marshal(m)
	if err != nil {
		return api.Mapping{}, fmt.Errorf("write mapping: %w", err)
	}
	return do[api.Mapping](ctx, c, request{method: http.MethodPut, path: path("services", service, "mappings", m.ID), body: body, header: ifMatch(tag)})
}

// PatchMapping changes one mapping by a JSON Merge Patch; tag is as for PutMapping.
func (c *Client) PatchMapping(ctx context.Context, service, id string, patch []byte, tag string) (api.Mapping, error) {
	return do[api.Mapping](ctx, c, request{method: http.MethodPatch, path: path("services", service, "mappings", id), body: patch, header: ifMatch(tag)})
}

// RemoveMapping removes one mapping.
func (c *Client) RemoveMapping(ctx context.Context, service, id string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("services", service, "mappings", id)})
	return err
}

// EditMappings changes the mappings that are meant alike, all or none, and returns the ids
// of those that changed.
func (c *Client) EditMappings(ctx context.Context, service string, which Selection, edit api.MappingsEdit) ([]string, error) {
	body, err := json.Marshal(edit)
	if err != nil {
		return nil, fmt.Errorf("write edit: %w", err)
	}
	out, err := do[api.Changed](ctx, c, request{method: http.MethodPatch, path: path("services", service, "mappings"), query: which.query(), body: body})
	return out.Changed, err
}

// RemoveMappings removes the mappings that are meant and returns their ids.
func (c *Client) RemoveMappings(ctx context.Context, service string, which Selection) ([]string, error) {
	out, err := do[api.Changed](ctx, c, request{method: http.MethodDelete, path: path("services", service, "mappings"), query: which.query()})
	return out.Changed, err
}

// LoosenMapping has a mapping answer a call, too, that its conditions did not fit.
func (c *Client) LoosenMapping(ctx context.Context, service, id string, how api.LooseningRequest) (api.Loosening, error) {
	return post[api.Loosening](ctx, c, path("services", service, "mappings", id, "loosenings"), how)
}

// CopyMappings copies or moves the mappings that are meant, all or none, and returns the
// ids of the copies.
func (c *Client) CopyMappings(ctx context.Context, service string, which Selection, to api.MappingCopy) ([]string, error) {
	return c.changeMappings(ctx, service, "copies", which, to)
}

// ResetMappings sets sequences and counts of the mappings that are meant back to their
// start, and returns their ids.
func (c *Client) ResetMappings(ctx context.Context, service string, which Selection) ([]string, error) {
	return c.changeMappings(ctx, service, "resets", which, struct{}{})
}

// RestoreMappings brings back the removed mappings that are meant, all or none, and
// returns their ids. An empty selection means all that were removed.
func (c *Client) RestoreMappings(ctx context.Context, service string, which Selection) ([]string, error) {
	return c.changeMappings(ctx, service, "restores", which, struct{}{})
}

func (c *Client) changeMappings(ctx context.Context, service, how string, which Selection, body any) ([]string, error) {
	text, err := json.Marshal(body)
	if err != nil {
		return nil, fmt.Errorf("write request: %w", err)
	}
	out, err := do[api.Changed](ctx, c, request{method: http.MethodPost, path: path("services", service, "mappings", how), query: which.query(), body: text})
	return out.Changed, err
}

// CopyMapping copies or moves a mapping.
func (c *Client) CopyMapping(ctx context.Context, service, id string, to api.MappingCopy) (api.Mapping, error) {
	return post[api.Mapping](ctx, c, path("services", service, "mappings", id, "copies"), to)
}

// MappingVersions lists the states that a mapping was in, the newest first.
func (c *Client) MappingVersions(ctx context.Context, service, id string) ([]api.MappingVersion, error) {
	list, err := do[api.List[api.MappingVersion]](ctx, c, request{method: http.MethodGet, path: path("services", service, "mappings", id, "versions")})
	return list.Items, err
}

// RemovedMappings lists the removals of mappings that are gone.
func (c *Client) RemovedMappings(ctx context.Context, service string) ([]api.MappingVersion, error) {
	list, err := do[api.List[api.MappingVersion]](ctx, c, request{method: http.MethodGet, path: path("services", service, "removed-mappings")})
	return list.Items, err
}

// MappingVersionYAML returns one state of a mapping as a document.
func (c *Client) MappingVersionYAML(ctx context.Context, service, id string, version int64) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, header: yamlAnswer(),
		path: path("services", service, "mappings", id, "versions", strconv.FormatInt(version, 10))})
}

// RestoreMapping makes an earlier state the present one; with 0 the last one in
// which the mapping was there.
func (c *Client) RestoreMapping(ctx context.Context, service, id string, version int64) (api.Mapping, error) {
	return do[api.Mapping](ctx, c, request{method: http.MethodPost, path: path("services", service, "mappings", id, "restore"),
		body: fmt.Appendf(nil, `{"version":%d}`, version)})
}

// ResetPositions sets the sequence of a mapping back to its start.
func (c *Client) ResetPositions(ctx context.Context, service, id string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("services", service, "mappings", id, "positions")})
	return err
}

// ResetCounts counts the calls of a mapping anew.
func (c *Client) ResetCounts(ctx context.Context, service, id string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("services", service, "mappings", id, "counts")})
	return err
}

// TryMapping tells what a mapping would do if it were kept.
func (c *Client) TryMapping(ctx context.Context, service string, trial api.TrialRequest) (api.Trial, error) {
	return post[api.Trial](ctx, c, path("services", service, "trials"), trial)
}
