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

// SignIn tells at which provider of OpenID Connect people sign in.
func (c *Client) SignIn(ctx context.Context) (api.SignIn, error) {
	return do[api.SignIn](ctx, c, request{method: http.MethodGet, path: path("sign-in")})
}

// BeginSession gets a token for who signed in at the provider, by the ID token that it gave.
func (c *Client) BeginSession(ctx context.Context, idToken string) (api.NewToken, error) {
	body, err := json.Marshal(api.SessionRequest{IDToken: idToken})
	if err != nil {
		return api.NewToken{}, err
	}
	return do[api.NewToken](ctx, c, request{method: http.MethodPost, path: path("sessions"), body: body})
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
