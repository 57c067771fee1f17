package client

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"

	"rapidmimic.example/spec/api"
)

// Boundaries lists the boundary values of a field of an answer, or all pairs of those of several.
func (c *Client) Boundaries(ctx context.Context, service string, choice api.BoundaryChoice) (api.Boundaries, error) {
	query := url.Values{"at": choice.At}
	for name, value := range map[string]string{"mapping": choice.Mapping, "operation": choice.Operation, "call": choice.Call, "only": choice.Only} {
		if value != "" {
			query.Set(name, value)
		}
	}
	if choice.Alone {
		query.Set("alone", "true")
	}
	return do[api.Boundaries](ctx, c, request{method: http.MethodGet, path: path("services", service, "boundary-values"), query: query})
}

// CreateBoundaryScenarios makes a scenario of each boundary value, or one through which calls
// cycle, and returns their names.
func (c *Client) CreateBoundaryScenarios(ctx context.Context, service string, wanted api.NewScenarios) ([]string, error) {
	body, err := json.Marshal(wanted)
	if err != nil {
		return nil, err
	}
	made, err := do[api.MadeScenarios](ctx, c, request{method: http.MethodPost, path: path("services", service, "boundary-scenarios"), body: body})
	return made.Scenarios, err
}
