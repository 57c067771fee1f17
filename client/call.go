package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"rapidmimic.example/spec/api"
)

// CallQuery selects calls.
type CallQuery struct {
	Service string // "" for all
	Lane    string // "" for all, "-" for calls in none
	Text    string // words that must all occur
	Limit   int    // 0 for the service's default
	After   string // the Next of the page before
	Since   string // a moment (RFC 3339), or how long ago: 10m; "" for no bound
	Until   string // likewise
	Ignored bool   // those, too, that lists leave out: see Client.Ignored
}

func (q CallQuery) values() url.Values {
	values := url.Values{}
	for key, value := range map[string]string{"service": q.Service, "lane": q.Lane, "text": q.Text, "after": q.After, "since": q.Since, "until": q.Until} {
		if value != "" {
			values.Set(key, value)
		}
	}
	if q.Ignored {
		values.Set("ignored", "true")
	}
	if q.Limit > 0 {
		values.Set("limit", strconv.Itoa(q.Limit))
	}
	return values
}

// Calls lists calls, the newest first.
func (c *Client) Calls(ctx context.Context, q CallQuery) (api.Calls, error) {
	return do[api.Calls](ctx, c, request{method: http.MethodGet, path: path("calls"), query: q.values()})
}

// Call returns one call, whole.
func (c *Client) Call(ctx context.Context, id string) (api.CallDetail, error) {
	return do[api.CallDetail](ctx, c, request{method: http.MethodGet, path: path("calls", id)})
}

// ClearCalls empties the log.
func (c *Client) ClearCalls(ctx context.Context) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("calls")})
	return err
}

// Stream is calls as they arrive, and changes as they are made. It is used from one goroutine.
type Stream struct {
	body io.Closer
	text *bufio.Scanner
	// LastEventID is where Stream would resume; see Client.Follow.
	LastEventID string
}

// Follow opens the stream of calls. It has begun when Follow returns: every
// call that finishes afterwards is in it, and every change to the environment. lastEventID resumes an earlier
// stream, "" begins now. The stream ends with ctx.
func (c *Client) Follow(ctx context.Context, q CallQuery, lastEventID string) (*Stream, error) {
	r := request{method: http.MethodGet, path: path("calls", "stream"), query: q.values(), header: http.Header{}}
	if lastEventID != "" {
		r.header.Set("Last-Event-ID", lastEventID)
	}
	resp, err := c.send(ctx, r)
	if err != nil {
		return nil, err
	}
	s := &Stream{body: resp.Body, text: bufio.NewScanner(resp.Body), LastEventID: lastEventID}
	s.text.Buffer(nil, 64<<20)
	return s, nil
}

// Next waits for the next batch. The error is io.EOF when the service ended
// the stream.
func (s *Stream) Next() (api.Batch, error) {
	var event, data string
	for s.text.Scan() {
		field, value, _ := strings.Cut(s.text.Text(), ": ")
		switch field {
		case "id":
			s.LastEventID = value
		case "event":
			event = value
		case "data":
			data = value
		case "":
			if event == "calls" {
				var batch api.Batch
				if err := json.Unmarshal([]byte(data), &batch); err != nil {
					return batch, fmt.Errorf("read event: %w", err)
				}
				return batch, nil
			}
			event, data = "", ""
		}
	}
	if err := s.text.Err(); err != nil {
		return api.Batch{}, fmt.Errorf("read stream: %w", err)
	}
	return api.Batch{}, io.EOF
}

// Close ends the stream.
func (s *Stream) Close() error {
	if err := s.body.Close(); err != nil && !errors.Is(err, context.Canceled) {
		return fmt.Errorf("close stream: %w", err)
	}
	return nil
}
