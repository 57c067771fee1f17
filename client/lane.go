package client

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// Lanes lists the lanes that are open, the first to be opened first.
func (c *Client) Lanes(ctx context.Context) ([]api.Lane, error) {
	list, err := do[api.List[api.Lane]](ctx, c, request{method: http.MethodGet, path: path("lanes")})
	return list.Items, err
}

// Lane returns one open lane.
func (c *Client) Lane(ctx context.Context, name string) (api.Lane, error) {
	return do[api.Lane](ctx, c, request{method: http.MethodGet, path: path("lanes", name)})
}

// LaneYAML returns a lane as a document that can be put back.
func (c *Client) LaneYAML(ctx context.Context, name string) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, path: path("lanes", name), header: yamlAnswer()})
}

// OpenLane opens a lane.
func (c *Client) OpenLane(ctx context.Context, lane spec.Lane) (api.Lane, error) {
	body, err := json.Marshal(lane)
	if err != nil {
		return api.Lane{}, err
	}
	return c.OpenLaneFrom(ctx, body)
}

// OpenLaneFrom opens the lane that a document describes; it is YAML or JSON.
func (c *Client) OpenLaneFrom(ctx context.Context, document []byte) (api.Lane, error) {
	return do[api.Lane](ctx, c, request{method: http.MethodPost, path: path("lanes"), body: document})
}

// PatchLane changes what an open lane says, by a JSON Merge Patch (RFC 7396).
func (c *Client) PatchLane(ctx context.Context, name string, patch []byte) (api.Lane, error) {
	return do[api.Lane](ctx, c, request{method: http.MethodPatch, path: path("lanes", name), body: patch})
}

// PutLane replaces what an open lane says; document is YAML or JSON.
func (c *Client) PutLane(ctx context.Context, name string, document []byte) (api.Lane, error) {
	return do[api.Lane](ctx, c, request{method: http.MethodPut, path: path("lanes", name), body: document})
}

// CloseLane closes a lane and returns what it was.
func (c *Client) CloseLane(ctx context.Context, name string) (api.Lane, error) {
	return do[api.Lane](ctx, c, request{method: http.MethodDelete, path: path("lanes", name)})
}

// PutLaneMappings puts a document of mappings into a lane, above those of everybody.
func (c *Client) PutLaneMappings(ctx context.Context, lane, service string, document []byte) (api.PutReport, error) {
	return do[api.PutReport](ctx, c, request{method: http.MethodPost, path: path("services", service, "mappings"), query: inLane(lane), body: document})
}

// LaneMapping returns one mapping as the calls of a lane find it: its own one, else
// that of its scenario, else that of everybody. "-" stands for the calls in none, ""
// for the definition of everybody.
func (c *Client) LaneMapping(ctx context.Context, lane, service, id string) (api.Mapping, error) {
	return do[api.Mapping](ctx, c, request{method: http.MethodGet, path: path("services", service, "mappings", id), query: inLane(lane)})
}

// LaneMappingYAML is LaneMapping as a document that can be put back.
func (c *Client) LaneMappingYAML(ctx context.Context, lane, service, id string) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, path: path("services", service, "mappings", id), query: inLane(lane), header: yamlAnswer()})
}

// LaneOperations lists operations as the calls of a lane find them; see LaneMapping.
func (c *Client) LaneOperations(ctx context.Context, lane, service string) ([]api.Operation, error) {
	list, err := do[api.List[api.Operation]](ctx, c, request{method: http.MethodGet, path: path("services", service, "operations"), query: inLane(lane)})
	return list.Items, err
}

// LaneOperation returns one operation as the calls of a lane find it; see LaneMapping.
func (c *Client) LaneOperation(ctx context.Context, lane, service, operation string) (api.OperationDetail, error) {
	return do[api.OperationDetail](ctx, c, request{method: http.MethodGet, path: path("services", service, "operations", operation), query: inLane(lane)})
}

// RemoveLaneMapping takes a mapping out of a lane.
func (c *Client) RemoveLaneMapping(ctx context.Context, lane, service, id string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("services", service, "mappings", id), query: inLane(lane)})
	return err
}

// SetLaneImpairment switches an impairment on for a target in a lane, or with "" for
// the calls in none; document is YAML or JSON.
func (c *Client) SetLaneImpairment(ctx context.Context, lane string, target spec.Target, document []byte) (api.Impairment, error) {
	at, query := impairmentOf(target)
	return do[api.Impairment](ctx, c, request{method: http.MethodPut, path: at, query: withLane(query, lane), body: document})
}

// RemoveLaneImpairment switches off what a target has in a lane, with all also what
// is below it. It returns what was on.
func (c *Client) RemoveLaneImpairment(ctx context.Context, lane string, target spec.Target, all bool) (api.Impairments, error) {
	at, query := impairmentOf(target)
	query = withLane(query, lane)
	if all {
		query.Set("all", "true")
	}
	return do[api.Impairments](ctx, c, request{method: http.MethodDelete, path: at, query: query})
}

func withLane(query url.Values, lane string) url.Values {
	if query == nil {
		query = url.Values{}
	}
	if lane != "" {
		query.Set("lane", lane)
	}
	return query
}
