package control

import (
	"fmt"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

func (s *server) listOperations(c *gin.Context) {
	seen, service := s.serviceSeen(c)
	if service == nil {
		return
	}
	var operations []*contract.Operation
	if service.Contract != nil {
		operations = service.Contract.Operations
	}
	respondList(s, c, listing[*contract.Operation, api.Operation]{
		items: operations, key: func(op *contract.Operation) string { return op.ID + " " + op.Method + " " + op.Template.String() },
		view: func(op *contract.Operation) api.Operation { return s.operationView(seen, service, op) },
	})
}

func (s *server) getOperation(c *gin.Context) {
	seen, service := s.serviceSeen(c)
	if service == nil {
		return
	}
	op, err := service.FindOperation(c.Param("operation"))
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, s.operationDetail(seen, service, op))
}

// drawFor is the chance of what is shown of an operation: always the same, so
// that a page reads the same when it is loaded again.
func drawFor(op *contract.Operation) *sample.Draw { return sample.NewDraw(0, op.ID, 0) }

// operationView tells how an operation answers when nothing else does.
func (s *server) operationView(seen perspective, service *catalog.Service, op *contract.Operation) api.Operation {
	view := api.Operation{ID: op.ID, Method: op.Method, Path: op.Template.String(), Summary: op.Summary, Tags: op.Tags, Group: op.Group, Deprecated: op.Deprecated, Protocol: service.Protocol().Name(), ByMessage: op.ByMessage}
	if op.Skipped != nil {
		view.Skipped = op.Skipped.Detail
		if op.Skipped.Line > 0 {
			view.Skipped = fmt.Sprintf("line %d: %s", op.Skipped.Line, op.Skipped.Detail)
		}
		if op.Skipped.File != "" {
			view.Skipped = op.Skipped.File + ", " + view.Skipped
		}
		return view
	}
	if calls, ok := s.Log.OperationCalls(seen.calls, service.Spec.Name, op.ID); ok {
		view.Calls = &api.OperationCalls{Total: calls.Total, Deviating: calls.Deviating, Last: calls.Last.UTC()}
	}
	for _, pin := range service.Pins(op.ID) {
		view.Pins = append(view.Pins, pin.Pointer)
	}
	for _, warning := range service.PinWarnings(op.ID) {
		view.PinFaults = append(view.PinFaults, warning.Detail)
	}
	byExample, chosen := service.Spec.Falls(spec.OtherwiseExample), ""
	if byExample {
		chosen = service.Spec.Examples[op.ID]
	}
	for i, m := range answering(service, op) {
		if m.Chosen {
			chosen, view.ExampleOrigin = m.Spec.Answer.Example, m.Origin
			break
		}
		if view.MappedBy = append(view.MappedBy, m.Spec.ID); i == 0 {
			view.MappedOrigin = m.Origin
		}
	}
	if role := service.Collections().Of(op.ID); role != nil && chosen == "" {
		view.Memory = role.Collection.Name
	}
	response := op.Named(chosen)
	if chosen == "" || response == nil {
		chosen, response = "", op.Success
	}
	view.Examples = exampleViews(op, chosen)
	view.Status, view.Body = response.Status, "none"
	mediaTypes := response.MediaTypes
	if chosen != "" {
		mediaTypes = response.With(chosen)
	}
	if len(mediaTypes) == 0 {
		return view
	}
	view.MediaType, view.Body = mediaTypes[0].Name, "generated"
	if used := mediaTypes[0].Used(chosen); used != nil && !mediaTypes[0].Drawn && (byExample || chosen != "") {
		view.Body, view.Example = "example", used.Name
	}
	return view
}

// sampleOf is a body that an operation answers with when nothing else does. Making one compiles its schemas:
// that is for one operation, and not for a list of them.
func sampleOf(service *catalog.Service, op *contract.Operation, examples []api.Example) string {
	chosen, response, mediaTypes := "", op.Success, op.Success.MediaTypes
	if i := slices.IndexFunc(examples, func(e api.Example) bool { return e.Chosen }); i >= 0 {
		chosen = examples[i].Name
		response = op.Named(chosen)
		mediaTypes = response.With(chosen)
	}
	if len(mediaTypes) == 0 {
		return ""
	}
	built, _ := service.Protocol().Answer(&contract.Asked{Operation: op}, contract.Wanted{Status: response.Status, MediaTypes: mediaTypes[:1], Example: chosen, Generate: chosen == "" && !service.Spec.Falls(spec.OtherwiseExample), Draw: func() *sample.Draw { return drawFor(op) }})
	return string(built.Answer.Body)
}

func exampleViews(op *contract.Operation, chosen string) (views []api.Example) {
	for _, name := range op.ExampleNames() {
		response := op.Named(name)
		views = append(views, api.Example{
			Name: name, Summary: response.With(name)[0].Example(name).Summary, Status: response.Status, Chosen: name == chosen,
		})
	}
	return views
}

// answering are the enabled mappings that answer every call of the operation instead
// of it, the winner first; an example that was chosen is one.
func answering(service *catalog.Service, op *contract.Operation) (mappings []*catalog.Mapping) {
	path := match.Split(nil, op.Template.String())
	fits, _ := service.Fits(op.Method, path, nil)
	for _, fit := range fits {
		on := fit.Value.Spec.Call.Operation
		if fit.Method && fit.Rule.Conditions == nil && (on == op.ID || on == "" && !op.ByMessage) {
			mappings = append(mappings, fit.Value)
		}
	}
	return mappings
}

// try is a call that the operation takes, its address that of the service.
func (s *server) try(service *catalog.Service, op *contract.Operation) call.Request {
	r := service.Protocol().Try(op, drawFor(op))
	r.Address = "/" + service.Spec.Name + r.Address
	return r
}

func (s *server) operationDetail(seen perspective, service *catalog.Service, op *contract.Operation) api.OperationDetail {
	detail := api.OperationDetail{
		Operation: s.operationView(seen, service, op), Description: op.Description,
		Parameters: []api.OperationPart{}, Takes: []api.OperationBody{}, Responses: []api.OperationResponse{},
	}
	if op.Skipped == nil {
		detail.Sample = sampleOf(service, op, detail.Examples)
	}
	for _, p := range op.Parameters {
		part := partView(p.Schema, p.Name, p.Required, p.Description)
		part.In, part.Deprecated = p.In, p.Deprecated
		if p.Example != nil {
			part.Example = contract.Plain(p.Example)
		}
		detail.Parameters = append(detail.Parameters, part)
	}
	for _, fact := range op.Facts {
		detail.Facts = append(detail.Facts, api.OperationFact{Name: fact.Name, Value: fact.Value})
	}
	detail.Security, detail.Callbacks = op.Demands(), callbackViews(op.Callbacks)
	if op.Body != nil {
		detail.BodyRequired, detail.Takes = op.Body.Required, bodyViews(op, op.Body.MediaTypes)
	}
	for _, r := range op.Responses {
		detail.Responses = append(detail.Responses, responseView(op, r))
	}
	try := s.try(service, op)
	relative := try.Path
	if try.Query != "" {
		relative += "?" + try.Query
	}
	detail.Try = api.TestCall{Method: try.Method, Path: relative, Headers: headerLines(try.Header), Body: string(try.Body.Bytes)}
	detail.Curl = try.Curl(s.trafficOf(seen.view.InLane()))
	return detail
}

// partView describes a named value by its schema, which may be nil.
func partView(schema *contract.Schema, name string, required bool, description string) api.OperationPart {
	part := api.OperationPart{Name: name, Type: "anything", Required: required, Description: description}
	if schema == nil {
		return part
	}
	described := schema.Described()
	part.Type, part.Rules = described.Type, described.Rules
	if description == "" {
		part.Description = described.Description
	}
	return part
}

func bodyViews(op *contract.Operation, mediaTypes []*contract.MediaType) []api.OperationBody {
	views := []api.OperationBody{}
	for _, mediaType := range mediaTypes {
		view := api.OperationBody{MediaType: mediaType.Name}
		if body, ok := mediaType.Sample(drawFor(op)); ok {
			view.Sample = string(body)
		}
		for _, f := range mediaType.Fields() {
			view.Fields = append(view.Fields, api.OperationPart{Name: f.Path, Type: f.Type, Required: f.Required, Rules: f.Rules, Description: f.Description})
		}
		views = append(views, view)
	}
	return views
}

func responseView(op *contract.Operation, r *contract.Response) api.OperationResponse {
	view := api.OperationResponse{Status: r.Key, Description: r.Description, Bodies: bodyViews(op, r.MediaTypes)}
	for _, mediaType := range r.MediaTypes {
		for _, e := range mediaType.Examples {
			if e.Name != "" && !slices.Contains(view.Examples, e.Name) {
				view.Examples = append(view.Examples, e.Name)
			}
		}
	}
	for _, h := range r.Headers {
		part := partView(h.Schema, h.Name, h.Required, h.Description)
		if h.Example != nil {
			part.Example = *h.Example
		}
		view.Headers = append(view.Headers, part)
	}
	for _, l := range r.Links {
		view.Links = append(view.Links, api.OperationLink{Name: l.Name, Operation: l.Operation, Description: l.Description})
	}
	return view
}
