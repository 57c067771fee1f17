package client

import (
	"context"
	"encoding/json"
	"maps"
	"net/http"
	"slices"
	"strconv"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// VariableOwner says whose variables are meant: those of a service, a scenario or a lane,
// one of them; else those of the environment. Set is the name of a set, which only the
// environment and services have.
type VariableOwner struct{ Service, Scenario, Lane, Set string }

func (o VariableOwner) path() string {
	switch {
	case o.Service != "":
		return path("services", o.Service)
	case o.Scenario != "":
		return path("scenarios", o.Scenario)
	case o.Lane != "":
		return path("lanes", o.Lane)
	default:
		return path("variables")
	}
}

// Variables returns those of the environment.
func (c *Client) Variables(ctx context.Context) (api.Variables, error) {
	return do[api.Variables](ctx, c, request{method: http.MethodGet, path: path("variables")})
}

// VariablesYAML returns them as a document that can be put back.
func (c *Client) VariablesYAML(ctx context.Context) ([]byte, error) {
	return c.text(ctx, request{method: http.MethodGet, path: path("variables"), header: yamlAnswer()})
}

// PutVariables replaces the variables of the environment; document is YAML or JSON. etag
// may demand the version that was read, "" for none.
func (c *Client) PutVariables(ctx context.Context, document []byte, etag string) (api.Variables, error) {
	return do[api.Variables](ctx, c, request{method: http.MethodPut, path: path("variables"), body: document, header: ifMatch(etag)})
}

// ServiceVariables lists the variables as the calls of a service see them, in a lane where
// one is named.
func (c *Client) ServiceVariables(ctx context.Context, service, lane string) ([]api.Variable, error) {
	return all[api.Variable](ctx, c, request{method: http.MethodGet, path: path("services", service, "variables"), query: inLane(lane)})
}

// UseVariables puts a set of variables in use everywhere; "" for none.
func (c *Client) UseVariables(ctx context.Context, set string) (api.Variables, error) {
	return do[api.Variables](ctx, c, request{method: http.MethodPatch, path: path("variables"), body: []byte(`{"variableSet":` + strconv.Quote(set) + `}`)})
}

// SetVariables sets variables of an owner, and leaves the others. It is the only way in
// which the client sends the values of secrets: documents never hold them.
func (c *Client) SetVariables(ctx context.Context, of VariableOwner, variables map[string]spec.Variable) error {
	return c.patchVariables(ctx, of, func(_ *tree.Node, at string) (steps []any, err error) {
		for _, name := range slices.Sorted(maps.Keys(variables)) {
			v := variables[name]
			var value any = v.Value
			if v.Secret {
				value = map[string]any{"secret": true, "value": v.Value}
			}
			steps = append(steps, map[string]any{"op": "add", "path": tree.Join(at, name), "value": value})
		}
		return steps, nil
	})
}

// RemoveVariables takes variables of an owner away.
func (c *Client) RemoveVariables(ctx context.Context, of VariableOwner, names []string) error {
	return c.patchVariables(ctx, of, func(have *tree.Node, at string) (steps []any, err error) {
		var known []string
		for _, m := range have.Entries() {
			known = append(known, m.Key)
		}
		for _, name := range names {
			if !slices.Contains(known, name) {
				return nil, problem.New(problem.NotFound, "there is no variable %q (%s)", name, problem.Suggest(name, known, "there is"))
			}
			steps = append(steps, map[string]any{"op": "remove", "path": tree.Join(at, name)})
		}
		return steps, nil
	})
}

// patchVariables changes the variables of an owner by a JSON Patch; steps makes it for those
// that are there, and their place in the document.
func (c *Client) patchVariables(ctx context.Context, of VariableOwner, steps func(have *tree.Node, at string) ([]any, error)) error {
	text, err := c.text(ctx, request{method: http.MethodGet, path: of.path()})
	if err != nil {
		return err
	}
	document, err := tree.ParseJSON(text)
	if err != nil {
		return err
	}
	keys := []string{"variables"}
	if of.Set != "" {
		keys = []string{"variableSets", of.Set}
	}
	var patch []any
	at, have := "", document
	for _, key := range keys {
		at = tree.Join(at, key)
		if have = have.Get(key); have == nil {
			patch = append(patch, map[string]any{"op": "add", "path": at, "value": map[string]any{}})
		}
	}
	more, err := steps(have, at)
	if err != nil {
		return err
	}
	body, err := json.Marshal(append(patch, more...))
	if err != nil {
		return err
	}
	_, err = c.text(ctx, request{method: http.MethodPatch, path: of.path(), body: body, header: http.Header{"Content-Type": {"application/json-patch+json"}}})
	return err
}
