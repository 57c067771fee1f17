package openapi

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// operation reads one operation. What keeps it from answering is written into
// Skipped.
func (r *reader) operation(path, method tree.Member, at string) *contract.Operation {
	n := method.Value
	op := &contract.Operation{
		ID:      r.operationID(n, method.Key, path.Key),
		Method:  methodOf(method.Key),
		Summary: n.Get("summary").Str(), Description: n.Get("description").Str(), Deprecated: n.Get("deprecated").IsTrue(),
	}
	if tags := n.Get("tags"); tags != nil {
		for _, tag := range tags.Items {
			op.Tags = append(op.Tags, tag.Str())
		}
		if len(op.Tags) > 0 {
			op.Group = r.groupOf(op.Tags[0])
		}
	}
	skip := func(place *tree.Node, at, format string, args ...any) *contract.Operation {
		item := fault(place, at, format, args...)
		op.Skipped = &item
		return op
	}
	plain, _, _ := strings.Cut(path.Key, "#") // which some write to tell operations apart that share a path
	template, err := match.ParseTemplate(plain)
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
			fault.Detail = fmt.Sprintf("response %s cannot be sent: %s", m.Key, fault.Detail)
			r.contract.Warnings = append(r.contract.Warnings, *fault)
		}
	}
	return op
}

// methodOf is the method of a key: those of the document are written in small letters, all others as
// they are.
func methodOf(key string) string {
	if slices.Contains(methods, key) {
		return strings.ToUpper(key)
	}
	return key
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
	response := &contract.Response{Key: m.Key, Status: statusOf(m.Key), Description: n.Get("description").Str()}
	r.readHeaders(response, n.Get("headers"), at+"/headers")
	r.readLinks(response, n.Get("links"), at+"/links")
	content := n.Get("content")
	if content == nil || len(content.Members) == 0 || response.Status == 204 || response.Status == 304 {
		return response, nil
	}
	var reason string
	for _, media := range content.Members {
		mediaType, why := r.mediaType(media, tree.Join(at+"/content", media.Key))
		if mediaType == nil {
			reason, response.Unwritten = why, append(response.Unwritten, media.Key)
			continue
		}
		response.MediaTypes = append(response.MediaTypes, mediaType)
	}
	if len(response.MediaTypes) > 0 {
		return response, nil
	}
	item := fault(content, at+"/content", "%s", reason)
	return nil, &item
}

// mediaType reads one media type, or says why it cannot be answered.
func (r *reader) mediaType(m tree.Member, at string) (mediaType *contract.MediaType, why string) {
	mediaType = &contract.MediaType{Name: sample.OfRange(m.Key), Written: m.Key}
	if m.Value.Get("schema") != nil {
		mediaType.Schema = r.document.Schema(at + "/schema")
	}
	if m.Value.Get("itemSchema") != nil {
		mediaType.Item = r.document.Schema(at + "/itemSchema")
	}
	r.readExamples(mediaType, m.Value, at) // whose form may follow from the schema
	switch {
	case len(mediaType.Examples) > 0, mediaType.IsFile():
		return mediaType, ""
	case mediaType.Schema == nil && mediaType.Item == nil:
		return nil, fmt.Sprintf("%s has neither an example nor a schema", m.Key)
	case !mediaType.CanEncode():
		return nil, fmt.Sprintf("%s has no example that could be sent as it stands", m.Key)
	}
	return mediaType, ""
}

func (r *reader) readExamples(mediaType *contract.MediaType, media *tree.Node, at string) {
	if examples := media.Get("examples"); examples != nil {
		for _, m := range examples.Members {
			named, namedAt, err := r.follow(m.Value, tree.Join(at+"/examples", m.Key))
			if err != nil {
				r.warn(m.Value, tree.Join(at+"/examples", m.Key), "%v", err)
				continue
			}
			r.addExample(mediaType, contract.Example{Name: m.Key, Summary: named.Get("summary").Str()}, named.Get("value"), namedAt+"/value")
		}
	}
	if len(mediaType.Examples) > 0 {
		return
	}
	if example := media.Get("example"); example != nil {
		r.addExample(mediaType, contract.Example{}, example, at+"/example")
	} else if example := r.schemaExample(media.Get("schema")); example != nil {
		r.addExample(mediaType, contract.Example{}, example, at+"/schema/example")
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

// addExample keeps an example in the form in which it is sent: a text as it
// stands in any type but JSON, everything else in the media type's media type.
func (r *reader) addExample(mediaType *contract.MediaType, e contract.Example, value *tree.Node, at string) {
	switch {
	case value == nil:
		r.warn(nil, at, "example %q has no value", e.Name)
		return
	case value.Kind == tree.String && !call.IsJSON(mediaType.Name):
		e.Body = []byte(value.Text)
	default:
		body, ok := mediaType.Encode(value)
		if !ok {
			r.warn(value, at, "an example of %s must be text; this one is %s", mediaType.Name, value.Kind)
			return
		}
		e.Body, e.Value = body, value
	}
	mediaType.Examples = append(mediaType.Examples, e)
}

func (r *reader) readHeaders(response *contract.Response, headers *tree.Node, at string) {
	if headers == nil {
		return
	}
	for _, m := range headers.Members {
		n, really, err := r.follow(m.Value, tree.Join(at, m.Key))
		if err != nil {
			r.warn(m.Value, tree.Join(at, m.Key), "%v", err)
			continue
		}
		if contract.OfConnection(m.Key) || !isToken(m.Key) {
			continue // follows from the body, the connection or the moment
		}
		header := &contract.ResponseHeader{Name: m.Key, Required: n.Get("required").IsTrue(), Description: n.Get("description").Str()}
		switch {
		case n.Get("schema") != nil:
			header.Schema = r.document.Schema(really + "/schema")
		case n.Get("type") != nil: // Swagger 2.0 writes the schema into the header
			header.Schema = r.document.Schema(really)
		case len(n.Get("content").Entries()) > 0:
			m := n.Get("content").Entries()[0]
			header.Content = m.Key
			if m.Value.Get("schema") != nil {
				header.Schema = r.document.Schema(tree.Join(really+"/content", m.Key) + "/schema")
			}
		}
		if example := r.headerExample(n); example != nil {
			text := header.Written(example)
			header.Example = &text
		}
		response.Headers = append(response.Headers, header)
	}
}

func isToken(name string) bool {
	return name != "" && strings.Trim(name, "!#$%&'*+-.^_`|~0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz") == ""
}

// headerExample is the example of a header, of its schema, or the first of its
// named ones.
func (r *reader) headerExample(n *tree.Node) *tree.Node {
	if example := n.Get("example"); example != nil {
		return example
	}
	if named := n.Get("examples"); named != nil && len(named.Members) > 0 {
		if first, _, err := r.follow(named.Members[0].Value, ""); err == nil {
			return first.Get("value")
		}
	}
	if schema := n.Get("schema"); schema != nil {
		return r.schemaExample(schema)
	}
	return nil
}

func (r *reader) readLinks(response *contract.Response, links *tree.Node, at string) {
	if links == nil {
		return
	}
	for _, m := range links.Members {
		n, really, err := r.follow(m.Value, tree.Join(at, m.Key))
		if err != nil {
			r.warn(m.Value, tree.Join(at, m.Key), "%v", err)
			continue
		}
		link := contract.Link{Name: m.Key, Description: n.Get("description").Str(), Operation: n.Get("operationId").Str()}
		if ref := n.Get("operationRef").Str(); ref != "" {
			link.Operation = ref
		}
		if parameters := n.Get("parameters"); parameters != nil {
			for _, p := range parameters.Members {
				link.Parameters = append(link.Parameters, contract.LinkParameter{Name: p.Key, Expression: contract.Plain(p.Value)})
			}
		}
		response.Links = append(response.Links, link)
		r.links = append(r.links, linkAt{response, len(response.Links) - 1, n, really})
	}
}

// linkAt is a link of a response with the place where it stands.
type linkAt struct {
	response *contract.Response
	index    int
	node     *tree.Node
	at       string
}

// checkLinks finds the operations that links lead to, once all are known, and
// leaves out links that lead nowhere.
func (r *reader) checkLinks() {
	for _, l := range r.links {
		link := &l.response.Links[l.index]
		id := r.linked(link.Operation)
		if id == "" {
			r.warn(l.node, l.at, "link %q leads to %q, which is no operation of the contract", link.Name, link.Operation)
		}
		link.Operation = id
	}
	for _, l := range r.links {
		l.response.Links = slices.DeleteFunc(l.response.Links, func(link contract.Link) bool { return link.Operation == "" })
	}
}

// linked is the id of the operation that a link names by its operationId or by
// a reference; "" when there is none.
func (r *reader) linked(name string) string {
	for _, op := range r.contract.Operations {
		if op.ID == name {
			return op.ID
		}
	}
	pointer, _ := r.document.Locate(name)
	target := r.root.At(pointer)
	for _, op := range r.contract.Operations {
		if target != nil && r.nodes[op] == target {
			return op.ID
		}
	}
	return ""
}
