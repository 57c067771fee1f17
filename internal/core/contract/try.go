package contract

import (
	"cmp"
	"net/textproto"
	"net/url"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// Try makes a request that the operation takes: from the examples of the
// contract, else from data drawn, with what is required and the body. Its
// Address is the path relative to the service.
func (o *Operation) Try(draw *sample.Draw) call.Request {
	r := call.Request{Method: o.Method, Header: call.Header{}}
	path := make(map[string]string)
	query, whole := url.Values{}, ""
	for _, p := range o.Parameters {
		if p.In != "path" && !p.Required {
			continue
		}
		value := p.sample(draw)
		if p.In == "querystring" {
			whole = p.asQuery(value)
			continue
		}
		if call.IsJSON(p.Content) {
			value = tree.NewString(string(value.AppendJSON(nil)))
		}
		switch p.In {
		case "path":
			path[p.Name] = url.PathEscape(p.Schema.Written(value))
		case "query":
			p.addQuery(query, value)
		case "header":
			r.Header[headerName(p.Name)] = []string{p.Schema.Written(value)}
		case "cookie":
			r.Header["Cookie"] = append(r.Header["Cookie"], p.Name+"="+url.QueryEscape(p.Schema.Written(value)))
		}
	}
	for _, name := range o.Template.Names() {
		if path[name] == "" {
			path[name] = "1"
		}
	}
	r.Address, _ = o.Template.Fill(path)
	r.Path, r.Query = r.Address, cmp.Or(whole, query.Encode())
	if len(o.Security) > 0 {
		for _, c := range o.Security[0] {
			c.give(&r)
		}
	}
	if o.Body != nil {
		o.Body.try(&r, draw)
	}
	return r
}

func headerName(name string) string {
	return textproto.CanonicalMIMEHeaderKey(strings.Join(strings.Fields(name), "-"))
}

// sample is a value for a parameter.
func (p *Parameter) sample(draw *sample.Draw) *tree.Node {
	switch {
	case p.Example != nil && (p.Schema == nil || p.Schema.Breach(p.asRead(p.Example)) == ""):
		return p.Example
	case p.Schema != nil:
		value, _ := p.Schema.GenerateNamed(draw, p.Name)
		return value
	default:
		return tree.NewString("1")
	}
}

// asQuery is a value as the whole query.
func (p *Parameter) asQuery(value *tree.Node) string {
	body, _ := (&MediaType{Name: p.Content, Schema: p.Schema}).Encode(value)
	if call.BaseType(p.Content) == formType {
		return string(body)
	}
	return url.QueryEscape(string(body))
}

// asRead is an example as a call would bring it: many write numbers as texts.
func (p *Parameter) asRead(example *tree.Node) *tree.Node {
	if example.Kind == tree.String {
		return p.decode(example.Text)
	}
	return example
}

// addQuery writes a value into a query in the parameter's style.
func (p *Parameter) addQuery(query url.Values, value *tree.Node) {
	switch {
	case value.Kind == tree.List && p.Explode:
		for _, item := range value.Items {
			query.Add(p.Name, p.element(item))
		}
	case value.Kind == tree.Map && p.Style == "deepObject":
		for _, m := range value.Members {
			addMember(query, p.Name+"["+m.Key+"]", m.Value)
		}
	case value.Kind == tree.Map && p.Explode:
		for _, m := range value.Members {
			addMember(query, m.Key, m.Value)
		}
	case value.Kind == tree.List && p.Schema != nil:
		query.Add(p.Name, written(p.Schema.document, p.Schema.Resolved(), value, separators[p.Style]))
	default:
		query.Add(p.Name, Plain(value))
	}
}

// addMember writes a member of an object: a list as pairs of one name, unless it has objects.
func addMember(query url.Values, name string, value *tree.Node) {
	if value.Kind != tree.List || slices.ContainsFunc(value.Items, isObject) {
		query.Add(name, textOrPlain(value))
		return
	}
	for _, item := range value.Items {
		query.Add(name, textOrPlain(item))
	}
}

func isObject(n *tree.Node) bool { return n.Kind == tree.Map }

// element is an element of a list that stands by itself.
func (p *Parameter) element(item *tree.Node) string {
	if item.Kind == tree.List && p.Schema != nil {
		return written(p.Schema.document, itemsOf(p.Schema.document, p.Schema.Resolved(), 0), item, "")
	}
	return textOrPlain(item)
}

// textOrPlain is an element of a list, or a member of an object: objects, and lists of them, have no other
// form than JSON there.
func textOrPlain(n *tree.Node) string {
	if isObject(n) || slices.ContainsFunc(n.Items, isObject) {
		return textOf(n)
	}
	return Plain(n)
}

// try adds a body in the first media type that one can be written in.
func (b *Body) try(r *call.Request, draw *sample.Draw) {
	for _, mediaType := range b.MediaTypes {
		body, ok := mediaType.Sample(draw)
		if ok {
			r.Header["Content-Type"] = []string{mediaType.ContentType()}
			r.Body = call.Body{Bytes: body, Size: int64(len(body))}
			return
		}
	}
	if b.Required && len(b.MediaTypes) > 0 && b.MediaTypes[0].Schema != nil { // something, where nothing is known of its form
		value, _ := b.MediaTypes[0].Schema.Generate(draw)
		body := []byte(textOf(value))
		r.Header["Content-Type"] = []string{b.MediaTypes[0].ContentType()}
		r.Body = call.Body{Bytes: body, Size: int64(len(body))}
	}
}

// Sample is a body in this media type: its first example, else data drawn from its
// schema. ok is false when neither can be written in its media type.
func (o *MediaType) Sample(draw *sample.Draw) (body []byte, ok bool) {
	if len(o.Examples) > 0 {
		return o.Examples[0].Body, true
	}
	switch {
	case o.Item != nil && isStream(o.Name):
		body, _ = o.Stream(draw)
		return body, true
	case o.IsFile():
		return draw.File(o.Name), true
	}
	if !o.CanEncode() {
		return nil, false
	}
	value, _ := o.Schema.Generate(draw)
	return o.Encode(value)
}
