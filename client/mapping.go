package client

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"

	"rapidmimic/spec"
	"rapidmimic/spec/api"
)

// Mappings lists the mappings of a service in the order in which they were
// made.
func (c *Client) Mappings(ctx context.Context, service string) ([]api.Mapping, error) {
	return all[api.Mapping](ctx, c, request{method: http.MethodGet, path: path("services", service, "mappings")})
}

// Mapping returns one mapping.
func (c *Client) Mapping(ctx context.Context, service, id string) (api.Mapping, error) {
	return do[api.Mapping](ctx, c, request{method: http.MethodGet, path: path("services", service, "mappings", id)})
}

// MappingYAML returns one mapping as a document that can be put back.
func (c *Client) MappingYAML(ctx context.Context, service, id string) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, path: path("services", service, "mappings", id), header: yamlAnswer()})
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

// RemoveMapping removes one mapping.
func (c *Client) RemoveMapping(ctx context.Context, service, id string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("services", service, "mappings", id)})
	return err
}
