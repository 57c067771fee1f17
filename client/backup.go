package client

import (
	"context"
	"io"
	"net/http"
)

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
