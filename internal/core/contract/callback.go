package contract

import (
	"fmt"
	"net/textproto"
	"net/url"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// Callback is a call that a contract has its service make: after an answer of the operation that
// declares it, or, as a webhook, when something happened.
type Callback struct {
	Name string
	// Address says where it goes, in runtime expressions of OpenAPI; "" for a webhook.
	Address string
	// Operation is what is called there: its method, parameters and body.
	Operation *Operation
}

// Callback returns the callback of this name, nil for none.
func (o *Operation) Callback(name string) *Callback { return calledBy(o.Callbacks, name) }

// Webhook returns the webhook of this name, nil for none.
func (c *Contract) Webhook(name string) *Callback { return calledBy(c.Webhooks, name) }

func calledBy(all []*Callback, name string) *Callback {
	for _, c := range all {
		if c.Name == name {
			return c
		}
	}
	return nil
}

// Draw makes the request of the callback: from the examples of the contract, else from data drawn. Its
// parameters that stand in the path are filled into address. Of bodies, any of which may be nil, the
// values stand in its body where that has places for them; a later one counts more.
func (c *Callback) Draw(address string, draw *sample.Draw, bodies ...*tree.Node) (target string, r call.Request) {
	r = c.Operation.Try(draw)
	r.Body.Bytes = c.echo(r.Body.Bytes, call.BaseType(r.Header.Get("Content-Type")), bodies)
	for _, p := range c.Operation.Parameters {
		if p.In == "path" {
			address = strings.ReplaceAll(address, "{"+p.Name+"}", url.PathEscape(Plain(p.sample(draw))))
		}
	}
	if r.Query == "" {
		return address, r
	}
	glue := "?"
	if strings.Contains(address, "?") {
		glue = "&"
	}
	return address + glue + r.Query, r
}

// echo gives a body that is JSON the values of others.
func (c *Callback) echo(body []byte, mediaType string, bodies []*tree.Node) []byte {
	if !call.IsJSON(mediaType) {
		return body
	}
	value, err := tree.ParseJSON(body)
	if err != nil {
		return body
	}
	var schema *Schema
	for _, m := range c.Operation.Body.MediaTypes {
		if call.BaseType(m.Name) == mediaType {
			schema = m.Schema
		}
	}
	for _, other := range bodies {
		value, _ = Echo(value, schema, other, nil)
	}
	return value.AppendJSON(nil)
}

// Exchange is a call and its answer, of which runtime expressions of OpenAPI take values.
type Exchange struct {
	Request *call.Request
	// URL is the address that was called, in full.
	URL string
	// Path are the parameters of the path.
	Path map[string]string
	// Body is that of the request, AnswerBody that of the answer; they give nil where there is none.
	Body, AnswerBody func() *tree.Node
	// Answer is nil where there is none yet.
	Answer *call.Answer
}

// Value is what a runtime expression stands for; ok is false where it has no value.
func (x *Exchange) Value(expression string) (value string, ok bool) {
	switch expression {
	case "$url":
		return x.URL, x.URL != ""
	case "$method":
		return x.Request.Method, true
	case "$statusCode":
		if x.Answer == nil {
			return "", false
		}
		return strconv.Itoa(x.Answer.Status), true
	}
	if of, is := strings.CutPrefix(expression, "$request."); is {
		return x.part(of, x.Request.Header.Get, x.Body)
	}
	if of, is := strings.CutPrefix(expression, "$response."); is && x.Answer != nil {
		return x.part(of, x.Answer.Get, x.AnswerBody)
	}
	return "", false
}

// part is a part of one of the messages.
func (x *Exchange) part(of string, header func(string) string, body func() *tree.Node) (value string, ok bool) {
	source, name, _ := strings.Cut(of, ".")
	switch source {
	case "header":
		value = header(textproto.CanonicalMIMEHeaderKey(name))
		return value, value != ""
	case "path":
		value, ok = x.Path[name]
		return value, ok
	case "query":
		query, _ := url.ParseQuery(x.Request.Query) // what can be read counts
		return query.Get(name), query.Has(name)
	}
	pointer, is := strings.CutPrefix(of, "body")
	whole := body()
	if !is || whole == nil {
		return "", false
	}
	found := whole.At(strings.TrimPrefix(pointer, "#"))
	if found == nil || found.Kind == tree.Null {
		return "", false
	}
	return Plain(found), true
}

// Fill is an address with values for its runtime expressions, which stand in braces, or are all of it.
// What stands in braces and begins without $ is left as it is.
func (x *Exchange) Fill(address string) (string, error) {
	if strings.HasPrefix(address, "$") {
		value, ok := x.Value(address)
		if !ok {
			return "", noValue(address)
		}
		return value, nil
	}
	var b strings.Builder
	for {
		before, rest, found := strings.Cut(address, "{$")
		b.WriteString(before)
		if !found {
			return b.String(), nil
		}
		inner, after, closed := strings.Cut(rest, "}")
		value, ok := x.Value("$" + inner)
		if !closed || !ok {
			return "", noValue("$" + inner)
		}
		b.WriteString(value)
		address = after
	}
}

func noValue(expression string) error {
	return fmt.Errorf("%s has no value in this call", expression)
}
