package client

import (
	"context"
	"encoding/json"
	"net/http"

	"rapidmimic.example/spec/api"
)

// Me tells who the environment takes us for.
func (c *Client) Me(ctx context.Context) (api.Me, error) {
	return do[api.Me](ctx, c, request{method: http.MethodGet, path: path("me")})
}

// LogIn is Me for who begins to use a token: it leaves a name in the activity.
func (c *Client) LogIn(ctx context.Context) (api.Me, error) {
	return do[api.Me](ctx, c, request{method: http.MethodPost, path: path("logins")})
}

// Tokens lists the tokens by name.
func (c *Client) Tokens(ctx context.Context) ([]api.Token, error) {
	return all[api.Token](ctx, c, request{method: http.MethodGet, path: path("tokens")})
}

// CreateToken creates a token. Its secret is told this once.
func (c *Client) CreateToken(ctx context.Context, wanted api.TokenRequest) (api.NewToken, error) {
	body, err := json.Marshal(wanted)
	if err != nil {
		return api.NewToken{}, err
	}
	return do[api.NewToken](ctx, c, request{method: http.MethodPost, path: path("tokens"), body: body})
}

// RevokeToken takes a token away, by name or id.
func (c *Client) RevokeToken(ctx context.Context, nameOrID string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("tokens", nameOrID)})
	return err
}
