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

	"rapidmimic/internal/core/call"
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
	Schema *Schema
}

// Body is what an operation takes.
type Body struct {
	Required bool
	Offers   []*Offer
}

// CheckRequest lists in what a request breaks the contract. segments are those
// of the path relative to the contract.
func (o *Operation) CheckRequest(r *call.Request, segments []string) []call.Deviation {
	c := &check{side: call.OfRequest}
	path := o.Template.Params(segments)
	query, err := url.ParseQuery(r.Query)
	if err != nil {
		c.add("query", "%v", err)
	}
	for _, p := range o.Parameters {
		c.parameter(p, p.values(r, path, query))
	}
	if o.Body != nil {
		c.requestBody(o.Body, r)
	}
	return c.found
}

// CheckAnswer lists in what an answer breaks the contract. whole is false when
// the body was not kept to its end; then it is not looked at.
func (o *Operation) CheckAnswer(a *call.Answer, whole bool) []call.Deviation {
	c := &check{side: call.OfAnswer}
	response := o.Response(a.Status)
	if response == nil {
		keys := make([]string, len(o.Responses))
		for i, r := range o.Responses {
			keys[i] = r.Key
		}
		c.add("status", "%d is no response of operation %s (%s)", a.Status, o.ID, strings.Join(keys, ", "))
		return c.found
	}
	if whole && len(a.Body) > 0 && len(response.Offers) > 0 {
		contentType := ""
		for _, f := range a.Header {
			if strings.EqualFold(f.Name, "Content-Type") {
				contentType = f.Value
			}
		}
		c.body(response.Offers, contentType, a.Body)
	}
	return c.found
}

type check struct {
	side  string
	found []call.Deviation
}

func (c *check) add(where, format string, args ...any) {
	if len(c.found) < call.MaxDeviations {
		c.found = append(c.found, call.Deviation{Side: c.side, Where: where, Detail: fmt.Sprintf(format, args...)})
	}
}

func (c *check) requestBody(body *Body, r *call.Request) {
	switch {
	case r.Body.Size == 0 && len(r.Body.Bytes) == 0:
		if body.Required {
			c.add("body", "it is required and missing")
		}
	case !r.Body.Cut && len(body.Offers) > 0:
		c.body(body.Offers, r.Header.Get("Content-Type"), r.Body.Bytes)
	}
}

// body holds a body against the offer of its media type.
func (c *check) body(offers []*Offer, contentType string, body []byte) {
	base, _, err := mime.ParseMediaType(contentType)
	if err != nil {
		base = strings.ToLower(contentType)
	}
	i := slices.IndexFunc(offers, func(offer *Offer) bool { return covers(offer.Written, base) })
	if i < 0 {
		written := make([]string, len(offers))
		for i, offer := range offers {
			written[i] = offer.Written
		}
		c.add("media type", "%q is not one of %s", contentType, strings.Join(written, ", "))
		return
	}
	if offers[i].Schema == nil || !call.IsJSON(base) {
		return
	}
	value, err := tree.ParseJSON(body)
	if err != nil {
		c.add("body", "it is not JSON: %v", err)
		return
	}
	c.value("body", offers[i].Schema, value)
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
	err := schema.Check(value)
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

func (c *check) parameter(p *Parameter, values []string) {
	where := p.In + " " + p.Name
	if len(values) == 0 {
		if p.Required {
			c.add(where, "it is required and missing")
		}
		return
	}
	if p.Schema == nil || p.In == "cookie" || strings.EqualFold(p.Name, "Authorization") {
		return // values that may be secret are not spoken of
	}
	if value := p.decode(values); value != nil {
		c.value(where, p.Schema, value)
	}
}

// values are the texts that a request gives for a parameter, none when it does
// not have it.
func (p *Parameter) values(r *call.Request, path map[string]string, query url.Values) []string {
	switch p.In {
	case "path":
		if value, ok := path[p.Name]; ok {
			return []string{value}
		}
		return nil
	case "query":
		return query[p.Name]
	case "header":
		if value := r.Header.Get(p.Name); value != "" {
			return []string{value}
		}
		return nil
	default:
		for _, pair := range strings.Split(strings.Join(r.Header["Cookie"], ";"), ";") {
			if name, value, _ := strings.Cut(strings.TrimSpace(pair), "="); name == p.Name {
				return []string{value}
			}
		}
		return nil
	}
}

// separators of lists in one text, by style.
var separators = map[string]string{"spaceDelimited": " ", "pipeDelimited": "|"}

// decode turns the texts of a parameter into a value of the kind its schema
// asks for; nil for objects, whose members are parameters of their own.
func (p *Parameter) decode(values []string) *tree.Node {
	schema := p.Schema.Resolved()
	types := schemaTypes(p.Schema.document, schema)
	switch {
	case slices.Contains(types, "object"):
		return nil
	case !slices.Contains(types, "array"):
		return typed(values[0], types)
	case len(values) == 1 && !(p.Explode && p.Style == "form"):
		separator := separators[p.Style]
		if separator == "" {
			separator = ","
		}
		values = strings.Split(values[0], separator)
	}
	items := schemaTypes(p.Schema.document, schema.Get("items"))
	list := tree.NewList()
	for _, value := range values {
		list.Items = append(list.Items, typed(value, items))
	}
	return list
}

// typed reads a text as the first of the types that it can be.
func typed(text string, types []string) *tree.Node {
	for _, name := range types {
		switch name {
		case "integer", "number":
			if n, err := tree.ParseJSON([]byte(text)); err == nil && n.Kind == tree.Number {
				return n
			}
		case "boolean":
			if text == "true" || text == "false" {
				return tree.NewBool(text == "true")
			}
		case "null":
			if text == "" {
				return &tree.Node{}
			}
		}
	}
	return tree.NewString(text)
}

// schemaTypes are the types that a schema names itself or through a reference.
func schemaTypes(d *Document, schema *tree.Node) []string {
	for range maxFollow {
		ref := schema.Get("$ref").Str()
		if ref == "" {
			break
		}
		schema = d.Resolve(ref)
	}
	n := schema.Get("type")
	if name := n.Str(); name != "" {
		return []string{name}
	}
	var names []string
	if n != nil {
		for _, item := range n.Items {
			names = append(names, item.Str())
		}
	}
	return names
}

// Resolved is the schema in the 2020-12 dialect.
func (s *Schema) Resolved() *tree.Node {
	s.resolveOnce.Do(func() { s.resolved = s.document.Resolve("#" + s.pointer) })
	return s.resolved
}

// StyleOf gives a parameter's style and explode their defaults.
func StyleOf(in, style string, explode *bool) (string, bool) {
	if style == "" {
		style = "simple"
		if in == "query" || in == "cookie" {
			style = "form"
		}
	}
	if explode == nil {
		return style, style == "form"
	}
	return style, *explode
}
