package client

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"

	"rapidmimic.example/spec/api"
)

// Recordings lists the recordings of a service, the newest first.
func (c *Client) Recordings(ctx context.Context, service string) ([]api.Recording, error) {
	list, err := do[api.List[api.Recording]](ctx, c, request{method: http.MethodGet, path: path("services", service, "recordings")})
	return list.Items, err
}

// Recording returns a recording by its id or name.
func (c *Client) Recording(ctx context.Context, service, id string) (api.Recording, error) {
	return do[api.Recording](ctx, c, request{method: http.MethodGet, path: path("services", service, "recordings", id)})
}

// StartRecording captures the calls to a service from the next one on, or keeps
// calls that were made before.
func (c *Client) StartRecording(ctx context.Context, service string, start api.RecordingStart) (api.Recording, error) {
	return post[api.Recording](ctx, c, path("services", service, "recordings"), start)
}

// TryRecording tells which of the last calls to a service a recording would have
// captured.
func (c *Client) TryRecording(ctx context.Context, service string, start api.RecordingStart) (api.RecordingTrial, error) {
	return post[api.RecordingTrial](ctx, c, path("services", service, "recording-trials"), start)
}

// StopRecording ends a recording.
func (c *Client) StopRecording(ctx context.Context, service, id string, stop api.RecordingStop) (api.RecordingReport, error) {
	return post[api.RecordingReport](ctx, c, path("services", service, "recordings", id, "stop"), stop)
}

// Attend says that somebody attends to a recording; see api.RecordingStart.
func (c *Client) Attend(ctx context.Context, service, id string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodPut, path: path("services", service, "recordings", id, "attendance")})
	return err
}

// MakeMappings makes mappings of a recording, or with DryRun proposes them.
func (c *Client) MakeMappings(ctx context.Context, service, id string, how api.MakeMappings) (api.RecordingReport, error) {
	return post[api.RecordingReport](ctx, c, path("services", service, "recordings", id, "mappings"), how)
}

// RecordedCalls lists the calls of a recording in their order, those after one of them
// where its id is given.
func (c *Client) RecordedCalls(ctx context.Context, service, id, after string) ([]api.RecordedCall, error) {
	list, err := do[api.List[api.RecordedCall]](ctx, c, request{method: http.MethodGet, path: path("services", service, "recordings", id, "calls"),
		query: url.Values{"after": {after}}})
	return list.Items, err
}

// CheckRecording is RecordedCalls with each call held against the contract that
// is in force.
func (c *Client) CheckRecording(ctx context.Context, service, id string) ([]api.RecordedCall, error) {
	list, err := do[api.List[api.RecordedCall]](ctx, c, request{method: http.MethodGet, path: path("services", service, "recordings", id, "calls"),
		query: url.Values{"check": {"true"}}})
	return list.Items, err
}

// Latencies tells how long operations took at the upstream, in one recording, or with ""
// in all of the service.
func (c *Client) Latencies(ctx context.Context, service, recording string) ([]api.MeasuredLatency, error) {
	target := path("services", service, "latencies")
	if recording != "" {
		target = path("services", service, "recordings", recording, "latencies")
	}
	list, err := do[api.List[api.MeasuredLatency]](ctx, c, request{method: http.MethodGet, path: target})
	return list.Items, err
}

// Replay sends the requests of a recording to a real service again. It takes as long as
// that does.
func (c *Client) Replay(ctx context.Context, service, id string, how api.ReplayRequest) (api.DriftReport, error) {
	return post[api.DriftReport](ctx, c, path("services", service, "recordings", id, "replays"), how)
}

// CompareRecordings tells in what the answers of another recording differ.
func (c *Client) CompareRecordings(ctx context.Context, service, id, other string, how api.Comparing) (api.DriftReport, error) {
	query := url.Values{"ignore": how.Ignore}
	if how.Values {
		query.Set("values", "true")
	}
	return do[api.DriftReport](ctx, c, request{method: http.MethodGet, path: path("services", service, "recordings", id, "comparisons", other), query: query})
}

// ProposedContract returns a WSDL contract that is made of the messages of a recording.
func (c *Client) ProposedContract(ctx context.Context, service, id string) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, path: path("services", service, "recordings", id, "contract")})
}

// RecordingHAR returns a recording as HAR 1.2.
func (c *Client) RecordingHAR(ctx context.Context, service, id string) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, path: path("services", service, "recordings", id, "har")})
}

// HARImport says which entries of a HAR document are taken.
type HARImport struct {
	Name string
	Host string // only those to this host
	Base string // only those below this address, which is that of the service
	// Static takes pictures, styles, scripts and fonts too.
	Static bool
}

// ImportHAR makes a recording of a HAR document.
func (c *Client) ImportHAR(ctx context.Context, service string, document []byte, how HARImport) (api.RecordingReport, error) {
	query := url.Values{"name": {how.Name}, "host": {how.Host}, "base": {how.Base}}
	if how.Static {
		query.Set("static", "true")
	}
	return do[api.RecordingReport](ctx, c, request{method: http.MethodPost, path: path("services", service, "recording-imports"), query: query, body: document})
}

// RemoveRecording removes a recording with its calls.
func (c *Client) RemoveRecording(ctx context.Context, service, id string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("services", service, "recordings", id)})
	return err
}

// post sends a body as JSON.
func post[T any](ctx context.Context, c *Client, target string, body any) (out T, err error) {
	text, err := json.Marshal(body)
	if err != nil {
		return out, fmt.Errorf("write request: %w", err)
	}
	return do[T](ctx, c, request{method: http.MethodPost, path: target, body: text})
}
