package client

import (
	"context"

	"rapidmimic.example/spec/api"
)

// Assert tells whether a service has received calls, and waits as long as the
// assertion says for it to hold.
func (c *Client) Assert(ctx context.Context, a api.Assertion) (api.AssertionResult, error) {
	return post[api.AssertionResult](ctx, c, path("calls", "assert"), a)
}
