package control

import (
	"context"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/boundary"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// choiceOf reads whose answer is to be varied from the query.
func choiceOf(c *gin.Context) api.BoundaryChoice {
	return api.BoundaryChoice{Mapping: c.Query("mapping"), Operation: c.Query("operation"), Call: c.Query("call"), At: c.QueryArray("at"), Only: c.Query("only"), Alone: isOn(c, "alone")}
}

// varied finds the answer that is to be varied, and its variants. The choice comes back with the
// mapping or the operation whose answer it is.
func (s *server) varied(ctx context.Context, service *catalog.Service, choice *api.BoundaryChoice) (fields []*boundary.Field, variants []boundary.Variant, err error) {
	document, err := s.answered(ctx, service, choice)
	if err != nil {
		return nil, nil, err
	}
	example, schema, err := service.Example(choice.Mapping, choice.Operation)
	if err != nil {
		return nil, nil, err
	}
	if document == nil {
		document = example
	}
	if document == nil {
		if document, err = s.lastAnswer(ctx, service, choice); err != nil {
			return nil, nil, err
		}
	}
	return boundary.Variants(document, schema, boundary.Choice{Paths: choice.At, Only: boundary.Validity(choice.Only), Alone: choice.Alone})
}

// answered is the answer of the call that a choice names; nil where it names none.
func (s *server) answered(ctx context.Context, service *catalog.Service, choice *api.BoundaryChoice) (*tree.Node, error) {
	if choice.Call == "" {
		return nil, nil
	}
	number, ok := call.ParseID(choice.Call)
	if !ok {
		return nil, problem.New(problem.Invalid, "call must be the id of a call, not %q", choice.Call)
	}
	if err := s.Log.Flush(ctx); err != nil {
		return nil, err
	}
	record, err := s.receivedCall(ctx, service.Spec.Name, number)
	if err != nil {
		return nil, err
	}
	if choice.Mapping == "" && choice.Operation == "" {
		if record.Source == call.FromMapping {
			choice.Mapping, _, _ = strings.Cut(record.By, ", ")
		} else {
			choice.Operation = record.Operation
		}
	}
	return bodyOf(record.Answer, choice.Call)
}

// bodyOf is the body of an answer as a document.
func bodyOf(a call.Answer, of string) (*tree.Node, error) {
	n, err := tree.ParseJSON(a.Body)
	if err != nil {
		return nil, problem.New(problem.Invalid, "the answer to %s is no JSON, and boundary values are for fields of JSON", of)
	}
	return n, nil
}

// lastAnswer is what the mapping or the operation of a choice answered last.
func (s *server) lastAnswer(ctx context.Context, service *catalog.Service, choice *api.BoundaryChoice) (*tree.Node, error) {
	if err := s.Log.Flush(ctx); err != nil {
		return nil, err
	}
	filter := call.Filter{Service: service.Spec.Name, Received: true}
	of := "mapping " + choice.Mapping
	if choice.Mapping == "" {
		filter.Text, of = `"operation:`+choice.Operation+`"`, "operation "+choice.Operation
	}
	lines, err := s.Calls.ListCalls(ctx, filter, 0, 500)
	if err != nil {
		return nil, err
	}
	for _, line := range lines {
		by, _, _ := strings.Cut(line.By, ", ")
		if choice.Mapping != "" && (line.Source != call.FromMapping || by != choice.Mapping) || line.Status >= 300 {
			continue
		}
		record, err := s.Calls.Call(ctx, line.Number)
		if err != nil {
			return nil, err
		}
		if n, err := bodyOf(record.Answer, call.ID(line.Number)); err == nil {
			return n, nil
		}
	}
	return nil, problem.New(problem.Conflict, "nothing is known of the body that %s answers with: call it once, or name a call", of)
}

func boundaryView(v boundary.Variant) api.Boundary {
	return api.Boundary{ID: v.ID, Says: v.Says, Shown: v.Shown, Validity: string(v.Validity), Breach: v.Breach, Follows: v.Follows}
}

func (s *server) listBoundaries(c *gin.Context) {
	service, err := s.shared().FindService(c.Param("service"))
	choice := choiceOf(c)
	var fields []*boundary.Field
	var variants []boundary.Variant
	if err == nil {
		fields, variants, err = s.varied(c.Request.Context(), service, &choice)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	view := api.Boundaries{Fields: []api.BoundaryField{}, Items: []api.Boundary{}}
	for _, f := range fields {
		view.Fields = append(view.Fields, api.BoundaryField{At: f.Path, Pointers: f.Pointers, Present: f.Present, Required: f.Required})
	}
	for _, v := range variants {
		view.Items = append(view.Items, boundaryView(v))
	}
	c.PureJSON(http.StatusOK, view)
}

// createBoundaryScenarios makes a scenario of each value, or one through which calls cycle.
func (s *server) createBoundaryScenarios(c *gin.Context) {
	var wanted api.NewScenarios
	service, err := s.shared().FindService(c.Param("service"))
	if err == nil {
		err = readFields(c, &wanted, "choice")
	}
	var variants []boundary.Variant
	if err == nil {
		_, variants, err = s.varied(c.Request.Context(), service, &wanted.BoundaryChoice)
	}
	var scenarios []spec.Scenario
	if err == nil {
		scenarios, err = boundaryScenarios(service, &wanted, variants)
	}
	if err == nil {
		err = s.keepsOthers(scenarios)
	}
	if err == nil {
		_, _, err = s.Catalog.PutScenarios(c.Request.Context(), scenarios)
	}
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	made := api.MadeScenarios{Scenarios: []string{}}
	for _, scenario := range scenarios {
		made.Scenarios = append(made.Scenarios, scenario.Name)
	}
	c.PureJSON(http.StatusCreated, made)
}

// boundaryLabel is on each scenario that was made of boundary values: it may be made anew.
const boundaryLabel = "boundaries"

// keepsOthers refuses scenarios that would take the place of one that was made otherwise.
func (s *server) keepsOthers(scenarios []spec.Scenario) error {
	snapshot := s.Catalog.Snapshot()
	for _, scenario := range scenarios {
		if have := snapshot.Scenario(scenario.Name); have != nil && !slices.Contains(have.Spec.Labels, boundaryLabel) {
			return problem.New(problem.Exists, "scenario %q already exists, and was not made of boundary values (choose another name)", scenario.Name)
		}
	}
	return nil
}

// mostBoundaryScenarios bounds how many scenarios are made at once.
const mostBoundaryScenarios = 200

func boundaryScenarios(service *catalog.Service, wanted *api.NewScenarios, variants []boundary.Variant) (scenarios []spec.Scenario, err error) {
	base := wanted.Name
	if base == "" {
		base = spec.Slug(strings.Join(append([]string{wanted.Mapping + wanted.Operation}, wanted.At...), " "), 60)
	}
	edits := make([][]spec.EditStep, len(variants))
	for i, v := range variants {
		edits[i] = v.Edit
	}
	add := func(name, title string, edits ...[]spec.EditStep) error {
		m, err := service.Varied(wanted.Mapping, wanted.Operation, edits...)
		scenarios = append(scenarios, spec.Scenario{
			Name: name, Title: title, Labels: []string{boundaryLabel},
			Changes: spec.Changes{Services: map[string]spec.ServiceChanges{service.Spec.Name: {Mappings: spec.Mappings{m}}}},
		})
		return err
	}
	if wanted.Cycle {
		return scenarios, add(base, "Boundary values, one after the other", edits...)
	}
	if len(variants) > mostBoundaryScenarios {
		return nil, problem.New(problem.Invalid, "%d scenarios are more than %d: take cycle, a walk, or fewer values", len(variants), mostBoundaryScenarios)
	}
	for _, v := range variants {
		if err := add(spec.Slug(base+" "+v.ID, 120), v.Says, v.Edit); err != nil {
			return nil, err
		}
	}
	return scenarios, nil
}
