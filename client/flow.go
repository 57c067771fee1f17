package client

import (
	"context"
	"encoding/json"
	"net/http"

	"rapidmimic.example/spec/api"
)

// Flows lists the state machines of a service, and where their things stand.
func (c *Client) Flows(ctx context.Context, service, lane string) ([]api.Flow, error) {
	list, err := do[api.List[api.Flow]](ctx, c, request{method: http.MethodGet, path: path("services", service, "flows"), query: inLane(lane)})
	return list.Items, err
}

// MoveThing sets the state of a thing of a flow by hand; of is "" where there is one.
func (c *Client) MoveThing(ctx context.Context, service, flow, lane string, thing api.FlowThing) (api.Flow, error) {
	body, err := json.Marshal(thing)
	if err != nil {
		return api.Flow{}, err
	}
	return do[api.Flow](ctx, c, request{method: http.MethodPut, path: path("services", service, "flows", flow), query: inLane(lane), body: body})
}
