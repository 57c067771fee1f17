package client

import (
	"context"

	"rapidmimic.example/spec/api"
)

// Operations lists what the contract of a service lets a caller do.
func (c *Client) Operations(ctx context.Context, service string) ([]api.Operation, error) {
	return c.LaneOperations(ctx, "", service)
}

// Operation returns everything that a caller wants to know of an operation.
func (c *Client) Operation(ctx context.Context, service, operation string) (api.OperationDetail, error) {
	return c.LaneOperation(ctx, "", service, operation)
}

// TestCall lets the environment send a call to a service.
func (c *Client) TestCall(ctx context.Context, service string, test api.TestCall) (api.TestCallResult, error) {
	return post[api.TestCallResult](ctx, c, path("services", service, "test-calls"), test)
}

// Explain tells what a call to a service would get, and why, without making it.
func (c *Client) Explain(ctx context.Context, service string, test api.TestCall) (api.ExplainResult, error) {
	return post[api.ExplainResult](ctx, c, path("services", service, "explain"), test)
}
