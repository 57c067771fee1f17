package client

import (
	"context"

	"rapidmimic.example/spec/api"
)

// Digest returns the digest of a secret, by which mappings of the environment know it.
func (c *Client) Digest(ctx context.Context, secret string) (string, error) {
	made, err := post[api.Digest](ctx, c, path("digests"), api.DigestRequest{Secret: secret})
	return made.Digest, err
}
