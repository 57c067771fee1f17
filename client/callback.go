package client

import (
	"context"
	"net/http"

	"rapidmimic.example/spec/api"
)

// Webhooks lists the calls that the contract of a service declares as webhooks.
func (c *Client) Webhooks(ctx context.Context, service string) ([]api.Callback, error) {
	list, err := do[api.List[api.Callback]](ctx, c, request{method: http.MethodGet, path: path("services", service, "webhooks")})
	return list.Items, err
}

// SendWebhook has a service make the call of a webhook, in a lane or with "" in none. document, JSON or
// YAML, stands above the contract, as a callback of a mapping does.
func (c *Client) SendWebhook(ctx context.Context, service, webhook, lane string, document []byte) (api.CallbackResult, error) {
	return do[api.CallbackResult](ctx, c, request{method: http.MethodPost, path: path("services", service, "webhooks", webhook, "calls"), query: inLane(lane), body: document})
}
