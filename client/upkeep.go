package client

import (
	"context"
	"encoding/json"
	"io"
	"net/http"

	"rapidmimic.example/spec/api"
)

// LogLevel tells how much the service writes to its own log.
func (c *Client) LogLevel(ctx context.Context) (api.LogLevel, error) {
	return do[api.LogLevel](ctx, c, request{method: http.MethodGet, path: path("log-level")})
}

// SetLogLevel has it write more, or less, until it stops: debug, info, warn or error.
func (c *Client) SetLogLevel(ctx context.Context, level string) (api.LogLevel, error) {
	body, err := json.Marshal(api.LogLevel{Level: level})
	if err != nil {
		return api.LogLevel{}, err
	}
	return do[api.LogLevel](ctx, c, request{method: http.MethodPut, path: path("log-level"), body: body})
}

// Backup writes all that the environment needs as an archive. Where it fails, what was written
// is none.
func (c *Client) Backup(ctx context.Context, w io.Writer) error {
	resp, err := c.send(ctx, request{method: http.MethodGet, path: path("backup")})
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	_, err = io.Copy(w, resp.Body)
	return err
}
