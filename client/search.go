package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"rapidmimic.example/spec/api"
)

// Search finds services, mappings, operations, scenarios and lanes with all words of a text in their id or in
// what is told of them, the nearest first, at most limit of them.
func (c *Client) Search(ctx context.Context, text string, limit int) (api.SearchResult, error) {
	query := url.Values{"text": {text}, "limit": {strconv.Itoa(limit)}}
	return do[api.SearchResult](ctx, c, request{method: http.MethodGet, path: path("search"), query: query})
}
