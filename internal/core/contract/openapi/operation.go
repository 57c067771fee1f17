package openapi

import (
	"fmt"
	"strconv"
	"strings"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/match"
	"rapidmimic/spec"
	"rapidmimic/spec/problem"
	"rapidmimic/spec/tree"
)

// operation reads one operation. What keeps it from answering is written into
// Skipped.
func (r *reader) operation(path, method tree.Member, at string) *contract.Operation {
	n := method.Value
	op := &contract.Operation{
		ID:      r.operationID(n, method.Key, path.Key),
		Method:  strings.ToUpper(method.Key),
		Summary: n.Get("summary").Str(),
	}
	skip := func(place *tree.Node, at, format string, args ...any) *contract.Operation {
		item := fault(place, at, format, args...)
		op.Skipped = &item
		return op
	}
	template, err := match.ParseTemplate(path.Key)
	if err != nil {
		return skip(&tree.Node{Line: path.Line, Col: path.Col}, tree.Join("/paths", path.Key), "%v", err)
	}
	op.Template = template
	if n.Kind != tree.Map {
		return skip(n, at, "%s must be an operation, not %s", method.Key, n.Kind)
	}
	responses := n.Get("responses")
	key := successKey(responses)
	if key == "" {
		r.warn(cmpNode(responses, n), at+"/responses", "operation %s has no response; it answers 200 without a body", op.ID)
		op.Success = &contract.Response{Key: "default", Status: 200}
		op.Responses = []*contract.Response{op.Success}
		return op
	}
	for _, m := range responses.Members {
		if strings.HasPrefix(m.Key, "x-") {
			continue
		}
		response, fault := r.response(m, tree.Join(at+"/responses", m.Key))
		switch {
		case fault == nil:
			op.Responses = append(op.Responses, response)
			if m.Key == key {
				op.Success = response
			}
		case m.Key == key:
			op.Skipped = fault
		default:
			r.warn(&tree.Node{Line: fault.Line, Col: fault.Col}, fault.At, "response %s cannot be sent: %s", m.Key, fault.Detail)
		}
	}
	return op
}

// operationID makes up a readable id where the document has none, and keeps
// ids unique.
func (r *reader) operationID(n *tree.Node, method, path string) string {
	id := n.Get("operationId").Str()
	if id == "" {
		id = spec.Slug(method+" "+path, 120)
	}
	unique := id
	for i := 2; r.ids[unique]; i++ {
		unique = id + "-" + strconv.Itoa(i)
	}
	if unique != id {
		r.warn(n.Get("operationId"), "", "operationId %q is used twice; this one is called %q here", id, unique)
	}
	r.ids[unique] = true
	return unique
}

// successKey names the first response with a status of 2xx, else the default
// one, else the first there is; "" when there is none.
func successKey(responses *tree.Node) string {
	if responses == nil || responses.Kind != tree.Map {
		return ""
	}
	for _, fits := range []func(string) bool{
		func(key string) bool { return strings.HasPrefix(key, "2") },
		func(key string) bool { return key == "default" },
		func(key string) bool { return !strings.HasPrefix(key, "x-") },
	} {
		for _, m := range responses.Members {
			if fits(m.Key) {
				return m.Key
			}
		}
	}
	return ""
}

// statusOf turns a response key (200, 2XX, default) into the status sent.
func statusOf(key string) int {
	if status, err := strconv.Atoi(key); err == nil {
		return status
	}
	if len(key) == 3 && key[0] >= '2' && key[0] <= '5' {
		return int(key[0]-'0') * 100
	}
	return 200
}

// response reads one response with its media types. The fault says why it
// cannot be sent: it has a body, but none that we can make.
func (r *reader) response(m tree.Member, at string) (*contract.Response, *problem.Item) {
	n, really, err := r.follow(m.Value, at)
	if err != nil {
		item := fault(m.Value, at, "%v", err)
		return nil, &item
	}
	at = really
	response := &contract.Response{Key: m.Key, Status: statusOf(m.Key)}
	content := n.Get("content")
	if content == nil || len(content.Members) == 0 || response.Status == 204 || response.Status == 304 {
		return response, nil
	}
	var reason string
	for _, media := range content.Members {
		offer, why := r.offer(media, tree.Join(at+"/content", media.Key))
		if offer == nil {
			reason = why
			continue
		}
		response.Offers = append(response.Offers, offer)
	}
	if len(response.Offers) > 0 {
		return response, nil
	}
	item := fault(content, at+"/content", "%s", reason)
	return nil, &item
}

// offer reads one media type, or says why it cannot be answered.
func (r *reader) offer(m tree.Member, at string) (offer *contract.Offer, why string) {
	offer = &contract.Offer{MediaType: concrete(m.Key), Written: m.Key}
	r.readExamples(offer, m.Value, at)
	if m.Value.Get("schema") != nil {
		offer.Schema = r.document.Schema(at + "/schema")
	}
	switch {
	case len(offer.Examples) > 0:
		return offer, ""
	case !call.IsJSON(offer.MediaType):
		return nil, fmt.Sprintf("%s has no example that could be sent as it stands", m.Key)
	case offer.Schema == nil:
		return nil, fmt.Sprintf("%s has neither an example nor a schema", m.Key)
	}
	return offer, ""
}

// concrete makes a range such as */* a type that can be sent.
func concrete(mediaType string) string {
	if strings.Contains(mediaType, "*") {
		return "application/json"
	}
	return mediaType
}

func (r *reader) readExamples(offer *contract.Offer, media *tree.Node, at string) {
	if examples := media.Get("examples"); examples != nil {
		for _, m := range examples.Members {
			named, namedAt, err := r.follow(m.Value, tree.Join(at+"/examples", m.Key))
			if err != nil {
				r.warn(m.Value, tree.Join(at+"/examples", m.Key), "%v", err)
				continue
			}
			r.addExample(offer, contract.Example{Name: m.Key, Summary: named.Get("summary").Str()}, named.Get("value"), namedAt+"/value")
		}
	}
	if len(offer.Examples) > 0 {
		return
	}
	if example := media.Get("example"); example != nil {
		r.addExample(offer, contract.Example{}, example, at+"/example")
	} else if example := r.schemaExample(media.Get("schema")); example != nil {
		r.addExample(offer, contract.Example{}, example, at+"/schema/example")
	}
}

// schemaExample is the example that the schema itself carries.
func (r *reader) schemaExample(schema *tree.Node) *tree.Node {
	schema, _, err := r.follow(schema, "")
	if err != nil {
		return nil
	}
	if example := schema.Get("example"); example != nil {
		return example
	}
	if examples := schema.Get("examples"); examples != nil && len(examples.Items) > 0 {
		return examples.Items[0]
	}
	return nil
}

// addExample keeps an example in the form in which it is sent: JSON for JSON
// types, text as it stands for all others.
func (r *reader) addExample(offer *contract.Offer, e contract.Example, value *tree.Node, at string) {
	switch {
	case value == nil:
		r.warn(nil, at, "example %q has no value", e.Name)
		return
	case call.IsJSON(offer.MediaType):
		e.Body, e.Value = value.AppendJSON(nil), value
	case value.Kind == tree.String:
		e.Body = []byte(value.Text)
	default:
		r.warn(value, at, "an example of %s must be text; this one is %s", offer.MediaType, value.Kind)
		return
	}
	offer.Examples = append(offer.Examples, e)
}
