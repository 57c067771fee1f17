package client

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// Impairments lists what is switched on, and what mappings have of themselves.
func (c *Client) Impairments(ctx context.Context) (api.Impairments, error) {
	return c.LaneImpairments(ctx, "")
}

// LaneImpairments is Impairments as a lane has them.
func (c *Client) LaneImpairments(ctx context.Context, lane string) (api.Impairments, error) {
	return do[api.Impairments](ctx, c, request{method: http.MethodGet, path: path("impairments"), query: inLane(lane)})
}

// impairmentOf is the address of what is on for a target.
func impairmentOf(target spec.Target) (string, url.Values) {
	if target.Service == "" {
		return path("impairments"), nil
	}
	query := url.Values{}
	if target.Operation != "" {
		query.Set("operation", target.Operation)
	}
	if target.Mapping != "" {
		query.Set("mapping", target.Mapping)
	}
	return path("services", target.Service, "impairments"), query
}

// SetImpairment switches an impairment on for a target, instead of what it had;
// document is YAML or JSON.
func (c *Client) SetImpairment(ctx context.Context, target spec.Target, document []byte) (api.Impairment, error) {
	return c.SetLaneImpairment(ctx, "", target, document)
}

// RemoveImpairment switches off what a target has, with all also what is below
// it. It returns what was on.
func (c *Client) RemoveImpairment(ctx context.Context, target spec.Target, all bool) (api.Impairments, error) {
	return c.RemoveLaneImpairment(ctx, "", target, all)
}

// SwitchImpairments switches all impairments off, or those that are kept on
// again.
func (c *Client) SwitchImpairments(ctx context.Context, off bool) (api.Impairments, error) {
	body, err := json.Marshal(api.ImpairmentSwitch{Off: off})
	if err != nil {
		return api.Impairments{}, err
	}
	return do[api.Impairments](ctx, c, request{method: http.MethodPatch, path: path("impairments"), body: body})
}

// ResetImpairments sets draws, limits and advice back to their start, of one
// service or with "" of all.
func (c *Client) ResetImpairments(ctx context.Context, service string) error {
	query := url.Values{}
	if service != "" {
		query.Set("service", service)
	}
	_, err := do[struct{}](ctx, c, request{method: http.MethodPost, path: path("impairments", "reset"), query: query})
	return err
}
