package contract

import (
	"errors"
	"fmt"
	"mime"
	"net/url"
	"slices"
	"strings"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/santhosh-tekuri/jsonschema/v6/kind"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec/tree"
)

// Parameter is one parameter of an operation.
type Parameter struct {
	Name string
	// In is path, query, header or cookie.
	In       string
	Required bool
	// Style and Explode are OpenAPI's, with their defaults filled in.
	Style   string
	Explode bool
	// Schema describes the value; nil when the contract does not.
	Schema *Schema
	// Content is the media type in which the value is written; "" for a text in Style.
	Content     string
	Description string
	Deprecated  bool
	// Example is a value that the contract gives; nil when it gives none.
	Example *tree.Node
}

// Body is what an operation takes.
type Body struct {
	Required   bool
	MediaTypes []*MediaType
}

// CheckRequest lists in what a request breaks the contract. segments are those
// of the path relative to the contract.
func (o *Operation) CheckRequest(f *match.Facts, segments []string) []call.Deviation {
	r, c := f.Request, &check{side: call.OfRequest, budget: f.Budget}
	path := o.Template.Params(segments)
	query, err := url.ParseQuery(r.Query)
	if err != nil {
		c.add("query", "%v", err)
	}
	for _, p := range o.Parameters {
		c.parameter(p, r, path, query)
	}
	if o.Body != nil {
		c.requestBody(o.Body, f)
	}
	return c.found
}

// CheckAnswer lists in what an answer breaks the contract. whole is false when
// the body was not kept to its end; then it is not looked at. What the budget, which
// may be nil, does not reach is not looked at either.
func (o *Operation) CheckAnswer(a *call.Answer, whole bool, b *budget.Budget) []call.Deviation {
	c := &check{side: call.OfAnswer, budget: b}
	response := o.Response(a.Status)
	if response == nil {
		keys := make([]string, len(o.Responses))
		for i, r := range o.Responses {
			keys[i] = r.Key
		}
		c.add("status", "%d is no response of operation %s (%s)", a.Status, o.ID, strings.Join(keys, ", "))
		return c.found
	}
	for _, h := range response.Headers {
		c.header(h, valuesOf(a, h.Name))
	}
	if whole && len(a.Body) > 0 && len(response.MediaTypes) > 0 && !a.IsProven() {
		contentType := strings.Join(valuesOf(a, "Content-Type"), ", ")
		c.body(response.MediaTypes, contentType, a.Body, func(mediaType *MediaType) (*tree.Node, error) { return mediaType.Decode(contentType, a.Body) })
	}
	return c.found
}

func valuesOf(a *call.Answer, name string) (values []string) {
	for _, f := range a.Header {
		if strings.EqualFold(f.Name, name) {
			values = append(values, f.Value)
		}
	}
	return values
}

func (c *check) header(h *ResponseHeader, values []string) {
	where := "header " + h.Name
	switch {
	case len(values) == 0:
		if h.Required {
			c.add(where, "it is required and missing")
		}
	case h.Schema != nil && !strings.EqualFold(h.Name, "Set-Cookie"):
		p := &Parameter{Name: h.Name, In: "header", Style: "simple", Schema: h.Schema, Content: h.Content}
		c.value(where, h.Schema, p.decode(strings.Join(values, ",")))
	}
}

type check struct {
	side   string
	budget *budget.Budget
	found  []call.Deviation
}

// sizeOf counts the values of a document, each worth some steps of a check.
func sizeOf(n *tree.Node) int {
	size := 5
	for _, item := range n.Items {
		size += sizeOf(item)
	}
	for _, m := range n.Members {
		size += sizeOf(m.Value)
	}
	return size
}

func (c *check) add(where, format string, args ...any) {
	if len(c.found) < call.MaxDeviations {
		c.found = append(c.found, call.Deviation{Side: c.side, Where: where, Detail: fmt.Sprintf(format, args...)})
	}
}

func (c *check) requestBody(body *Body, f *match.Facts) {
	r := f.Request
	switch {
	case r.Body.Size == 0 && len(r.Body.Bytes) == 0:
		if body.Required {
			c.add("body", "it is required and missing")
		}
	case !r.Body.Truncated && len(body.MediaTypes) > 0:
		c.body(body.MediaTypes, r.Header.Get("Content-Type"), f.Plain(), func(mediaType *MediaType) (*tree.Node, error) { return mediaType.DecodeRequest(f) })
	}
}

// body holds a body against the media type of its media type.
func (c *check) body(mediaTypes []*MediaType, contentType string, bytes []byte, decode func(*MediaType) (*tree.Node, error)) {
	base := call.BaseType(contentType)
	mediaType := mediaTypeOf(mediaTypes, base)
	if mediaType == nil {
		written := make([]string, len(mediaTypes))
		for i, mediaType := range mediaTypes {
			written[i] = mediaType.Written
		}
		c.add("media type", "%q is not one of %s", contentType, strings.Join(written, ", "))
		return
	}
	if mediaType.Item != nil && isStream(base) {
		c.items(mediaType, contentType, bytes)
	}
	if mediaType.Schema == nil {
		return
	}
	value, err := decode(mediaType)
	switch {
	case err != nil:
		c.add("body", "it is not %s: %v", kindOf(base), err)
	case value != nil:
		c.value("body", mediaType.Schema, value)
	}
}

// items holds the items of a stream against their schema.
func (c *check) items(mediaType *MediaType, contentType string, body []byte) {
	items, err := mediaType.readStream(contentType, body)
	for i, item := range items {
		c.value(fmt.Sprintf("body item %d", i+1), mediaType.Item, item)
	}
	if err != nil {
		c.add("body", "it is not %s: %v", call.BaseType(contentType), err)
	}
}

// MediaType is what the body may be in a media type; nil when that is not taken.
func (b *Body) MediaType(contentType string) *MediaType {
	return mediaTypeOf(b.MediaTypes, call.BaseType(contentType))
}

func mediaTypeOf(mediaTypes []*MediaType, base string) *MediaType {
	i := slices.IndexFunc(mediaTypes, func(mediaType *MediaType) bool { return covers(mediaType.Written, base) })
	if i < 0 {
		return nil
	}
	return mediaTypes[i]
}

// covers reports whether a media type or range of a contract takes in base.
func covers(written, base string) bool {
	own, _, err := mime.ParseMediaType(written)
	if err != nil {
		own = written
	}
	prefix, isRange := strings.CutSuffix(own, "*")
	return own == base || own == "*/*" || isRange && strings.HasPrefix(base, prefix)
}

// value holds a value against a schema and adds each place that breaks it.
func (c *check) value(where string, schema *Schema, value *tree.Node) {
	err := c.budget.Spend(sizeOf(value))
	if err == nil {
		err = schema.Check(value)
	}
	var exhausted *budget.Exhausted
	if errors.As(err, &exhausted) {
		_ = c.budget.Fail(err) // who asked for the check sees it
	}
	var invalid *jsonschema.ValidationError
	if !errors.As(err, &invalid) {
		return // a schema that cannot be compiled judges nothing
	}
	for _, leaf := range leaves(invalid, nil) {
		at := where
		if len(leaf.InstanceLocation) > 0 {
			at += " /" + strings.Join(leaf.InstanceLocation, "/")
		}
		c.add(at, "%s", reason(leaf.ErrorKind))
	}
}

// reason says what a validator found, without the words of Go's parsers.
func reason(found jsonschema.ErrorKind) string {
	if format, ok := found.(*kind.Format); ok {
		return fmt.Sprintf("'%v' is not a valid %s", format.Got, format.Want)
	}
	return found.LocalizedString(english)
}

var english = message.NewPrinter(language.English)

// leaves are the failures that have no other failure as their cause.
func leaves(e *jsonschema.ValidationError, found []*jsonschema.ValidationError) []*jsonschema.ValidationError {
	if len(e.Causes) == 0 {
		return append(found, e)
	}
	for _, cause := range e.Causes {
		found = leaves(cause, found)
	}
	return found
}

// Resolved is the schema in the 2020-12 dialect.
func (s *Schema) Resolved() *tree.Node {
	s.resolveOnce.Do(func() { s.resolved = s.document.Resolve("#" + s.pointer) })
	return s.resolved
}
