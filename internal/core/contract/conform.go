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

	"rapidmimic/internal/core/budget"
	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/match"
	"rapidmimic/spec/tree"
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
	Schema      *Schema
	Description string
	Deprecated  bool
	// Example is a value that the contract gives; nil when it gives none.
	Example *tree.Node
}

// Body is what an operation takes.
type Body struct {
	Required bool
	Offers   []*Offer
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
	if whole && len(a.Body) > 0 && len(response.Offers) > 0 {
		contentType := strings.Join(valuesOf(a, "Content-Type"), ", ")
		c.body(response.Offers, contentType, func(offer *Offer) (*tree.Node, error) { return offer.Decode(contentType, a.Body) })
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

func (c *check) header(h *HeaderOffer, values []string) {
	where := "header " + h.Name
	switch {
	case len(values) == 0:
		if h.Required {
			c.add(where, "it is required and missing")
		}
	case h.Schema != nil && !strings.EqualFold(h.Name, "Set-Cookie"):
		p := &Parameter{Name: h.Name, In: "header", Style: "simple", Schema: h.Schema}
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
	case !r.Body.Cut && len(body.Offers) > 0:
		c.body(body.Offers, r.Header.Get("Content-Type"), func(offer *Offer) (*tree.Node, error) { return offer.DecodeRequest(f) })
	}
}

// body holds a body against the offer of its media type.
func (c *check) body(offers []*Offer, contentType string, decode func(*Offer) (*tree.Node, error)) {
	base := call.BaseType(contentType)
	offer := offerOf(offers, base)
	if offer == nil {
		written := make([]string, len(offers))
		for i, offer := range offers {
			written[i] = offer.Written
		}
		c.add("media type", "%q is not one of %s", contentType, strings.Join(written, ", "))
		return
	}
	if offer.Schema == nil {
		return
	}
	value, err := decode(offer)
	switch {
	case err != nil:
		c.add("body", "it is not %s: %v", kindOf(base), err)
	case value != nil:
		c.value("body", offer.Schema, value)
	}
}

// Offer is what the body may be in a media type; nil when that is not taken.
func (b *Body) Offer(contentType string) *Offer { return offerOf(b.Offers, call.BaseType(contentType)) }

func offerOf(offers []*Offer, base string) *Offer {
	i := slices.IndexFunc(offers, func(offer *Offer) bool { return covers(offer.Written, base) })
	if i < 0 {
		return nil
	}
	return offers[i]
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
