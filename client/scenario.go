package client

import (
	"context"
	"encoding/json"
	"net/http"
	"net/url"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// Scenarios lists all scenarios.
func (c *Client) Scenarios(ctx context.Context) ([]api.Scenario, error) {
	list, err := do[api.List[api.Scenario]](ctx, c, request{method: http.MethodGet, path: path("scenarios")})
	return list.Items, err
}

// Scenario returns one scenario.
func (c *Client) Scenario(ctx context.Context, name string) (api.Scenario, error) {
	return do[api.Scenario](ctx, c, request{method: http.MethodGet, path: path("scenarios", name)})
}

// ScenarioYAML returns a scenario as a document that can be put back.
func (c *Client) ScenarioYAML(ctx context.Context, name string) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, path: path("scenarios", name), header: yamlAnswer()})
}

// PutScenario makes or replaces a scenario; document is YAML or JSON.
func (c *Client) PutScenario(ctx context.Context, name string, document []byte) (api.Scenario, error) {
	return do[api.Scenario](ctx, c, request{method: http.MethodPut, path: path("scenarios", name), body: document})
}

// PutScenarios makes or replaces the scenarios of a document, all or none; it is YAML
// or JSON.
func (c *Client) PutScenarios(ctx context.Context, document []byte) ([]api.Scenario, error) {
	list, err := do[api.List[api.Scenario]](ctx, c, request{method: http.MethodPost, path: path("scenarios"), body: document})
	return list.Items, err
}

// MakeScenarios is PutScenarios where none of them may be there already.
func (c *Client) MakeScenarios(ctx context.Context, document []byte) ([]api.Scenario, error) {
	list, err := do[api.List[api.Scenario]](ctx, c, request{method: http.MethodPost, path: path("scenarios"), body: document, header: onlyNew()})
	return list.Items, err
}

// RemoveScenario removes a scenario that is on nowhere.
func (c *Client) RemoveScenario(ctx context.Context, name string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodDelete, path: path("scenarios", name)})
	return err
}

// inLane is a query that names a lane, "" for none.
func inLane(lane string) url.Values { return withLane(nil, lane) }

// ActiveScenario tells which scenario is on, in a lane or with "" in none.
func (c *Client) ActiveScenario(ctx context.Context, lane string) (api.ActiveScenario, error) {
	return do[api.ActiveScenario](ctx, c, request{method: http.MethodGet, path: path("activations"), query: inLane(lane)})
}

// UseScenario switches a scenario on instead of the one that was, for a time, or
// with 0 until it is switched off.
func (c *Client) UseScenario(ctx context.Context, lane, name string, lasts spec.Duration) (api.ActiveScenario, error) {
	body, err := json.Marshal(api.UseScenario{Scenario: name, For: lasts})
	if err != nil {
		return api.ActiveScenario{}, err
	}
	return do[api.ActiveScenario](ctx, c, request{method: http.MethodPut, path: path("activations"), query: inLane(lane), body: body})
}

// LeaveScenario switches off the scenario that is on.
func (c *Client) LeaveScenario(ctx context.Context, lane string) (api.ActiveScenario, error) {
	return do[api.ActiveScenario](ctx, c, request{method: http.MethodDelete, path: path("activations"), query: inLane(lane)})
}

// ResetScenario sets positions, counters, draws and limits back to their start;
// definitions stay.
func (c *Client) ResetScenario(ctx context.Context, lane string) error {
	_, err := do[struct{}](ctx, c, request{method: http.MethodPost, path: path("activations", "reset"), query: inLane(lane)})
	return err
}

// DraftScenario proposes a scenario of what is on, or of calls. It keeps nothing.
func (c *Client) DraftScenario(ctx context.Context, draft api.ScenarioDraft) (api.ScenarioProposal, error) {
	body, err := json.Marshal(draft)
	if err != nil {
		return api.ScenarioProposal{}, err
	}
	return do[api.ScenarioProposal](ctx, c, request{method: http.MethodPost, path: path("scenario-drafts"), body: body})
}
