package client

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// Services lists all services by name.
func (c *Client) Services(ctx context.Context) ([]api.Service, error) {
	return all[api.Service](ctx, c, request{method: http.MethodGet, path: path("services")})
}

// ServicesYAML returns all services as documents.
func (c *Client) ServicesYAML(ctx context.Context) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, path: path("services"), header: yamlAnswer()})
}

// Service returns one service by name or id.
func (c *Client) Service(ctx context.Context, service string) (api.Service, error) {
	return do[api.Service](ctx, c, request{method: http.MethodGet, path: path("services", service)})
}

// ServiceYAML returns one service as a document.
func (c *Client) ServiceYAML(ctx context.Context, service string) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, path: path("services", service), header: yamlAnswer()})
}

// PutService creates a service or replaces its settings; a document with another name
// renames it. tag is the ETag the write is based on, "" for any.
func (c *Client) PutService(ctx context.Context, service string, document spec.Service, tag string) (api.Service, error) {
	body, err := json.Marshal(document)
	if err != nil {
		return api.Service{}, fmt.Errorf("write service: %w", err)
	}
	return do[api.Service](ctx, c, request{method: http.MethodPut, path: path("services", service), query: url.Values{"rename": {"true"}}, body: body, header: ifMatch(tag)})
}

// CreateService makes a service without a contract.
func (c *Client) CreateService(ctx context.Context, document spec.Service) (api.Service, error) {
	return post[api.Service](ctx, c, path("services"), document)
}

// PatchService changes some settings of a service by a JSON Merge Patch.
func (c *Client) PatchService(ctx context.Context, service string, patch []byte) (api.Service, error) {
	return do[api.Service](ctx, c, request{method: http.MethodPatch, path: path("services", service), body: patch})
}

// RemoveService removes a service with its contract and mappings.
func (c *Client) RemoveService(ctx context.Context, service string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("services", service)})
	return err
}
