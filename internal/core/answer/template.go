package answer

import (
	"bytes"
	"encoding/base64"
	"encoding/xml"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Template is the answer of a mapping in which ${…} stands for what expressions
// give. It is immutable.
type Template struct {
	let      []letTemplate
	status   int
	statusOf *expr.Template // nil when the status is the same for every call
	headers  []headerTemplate
	redirect *expr.Template   // nil when the answer is none
	body     *expr.Template   // nil without a body, or with one of bytes
	fault    []*expr.Template // of the texts of a SOAP fault; nil for none
	faultOf  *spec.Fault
	bytes    []byte
	kind     bodyKind
	untyped  bool // no Content-Type is added
	arranged bool // the headers are in an order or a spelling of their own
}

// letTemplate is a value that the rest of the answer uses by its name.
type letTemplate struct {
	name  string
	value *expr.Template
}

type headerTemplate struct {
	name  string
	value *expr.Template
}

// bodyKind says how a body is written, and what it is unless a header says
// otherwise.
type bodyKind struct {
	contentType string
	tree        bool // written as JSON
	escape      func(string) string
}

var (
	asJSON  = bodyKind{contentType: "application/json", tree: true}
	asText  = bodyKind{contentType: "text/plain; charset=utf-8"}
	asXML   = bodyKind{contentType: "application/xml", escape: escapeXML}
	asBytes = bodyKind{contentType: "application/octet-stream"}
)

// Compile compiles the answer of a mapping, in which at is its place. The
// template is nil when the answer is the same for every call, which fixed then
// is.
func Compile(a spec.Answer, at string, payloads Payloads) (fixed call.Answer, template *Template, faults []problem.Item) {
	c := &compiler{at: at}
	t := &Template{status: a.Status.Code}
	t.let = c.let(a.Let)
	c.dynamic = len(a.Remember) > 0 // what nothing uses needs no scope
	if a.Status.Expr != "" {
		t.statusOf = c.compile(tree.NewString(a.Status.Expr), "/status")
	}
	for i, h := range a.Headers {
		t.headers = append(t.headers, headerTemplate{h.Name, c.compile(tree.NewString(h.Value), "/headers/"+strconv.Itoa(i))})
	}
	t.arranged = isArranged(a.Headers)
	switch {
	case a.JSON != nil:
		t.kind, t.body = asJSON, c.compile(a.JSON, "/json")
	case a.Text != nil:
		t.kind, t.body = asText, c.compile(tree.NewString(*a.Text), "/text")
	case a.XML != nil:
		t.kind, t.body = asXML, c.compile(tree.NewString(*a.XML), "/xml")
	case a.Base64 != nil:
		t.kind = asBytes
		t.bytes, _ = base64.StdEncoding.DecodeString(*a.Base64) // checked with the document
	case a.Redirect != "":
		t.redirect = c.compile(tree.NewString(a.Redirect), "/redirect")
		c.dynamic = c.dynamic || strings.HasPrefix(a.Redirect, "/") // it depends on the address that was called
	case a.Payload != "":
		c.payload(t, a.Payload, payloads)
	case a.Fault != nil:
		t.faultOf = a.Fault
		for _, text := range a.Fault.Clone().Texts() {
			t.fault = append(t.fault, c.compile(tree.NewString(*text), "/fault"))
		}
	}
	if a.Recorded != nil {
		t.untyped = a.Recorded.Untyped
	}
	if c.dynamic || len(c.faults) > 0 {
		return call.Answer{Status: a.Status.Code}, t, c.faults
	}
	fixed, _ = t.Render(nil) // which asks for no scope
	if a.Recorded != nil {
		return c.recorded(fixed, a.Recorded, payloads), nil, c.faults
	}
	return fixed, nil, nil
}

func isArranged(headers []spec.Header) bool {
	fields := make([]call.Field, len(headers))
	for i, h := range headers {
		fields[i].Name = h.Name
	}
	return call.IsArranged(fields)
}

type compiler struct {
	at      string
	names   []string // that let has given so far
	dynamic bool
	faults  []problem.Item
}

func (c *compiler) compile(n *tree.Node, at string) *expr.Template {
	compiled, items := expr.CompileTemplate(n, c.names...)
	for _, item := range items {
		item.At = c.at + at + item.At
		c.faults = append(c.faults, item)
	}
	c.dynamic = c.dynamic || !compiled.Fixed()
	return compiled
}

// payload makes a payload the body: its bytes, unless it is a text with
// expressions.
func (c *compiler) payload(t *Template, name string, payloads Payloads) {
	p := c.find(name, "/payload", payloads)
	if p == nil {
		return
	}
	t.kind, t.bytes = p.kind(), p.Bytes
	if !bytes.Contains(p.Bytes, []byte("${")) || !p.isText() {
		return
	}
	n := tree.NewString(string(p.Bytes))
	if t.kind.tree {
		var err error
		if n, err = tree.ParseJSON(p.Bytes); err != nil {
			c.faults = append(c.faults, problem.Item{At: c.at + "/payload", Detail: fmt.Sprintf("payload %q has expressions and is not JSON: %v", name, err)})
			return
		}
	}
	t.body = c.compile(n, "/payload")
}

// find finds a payload; that there is none is a fault.
func (c *compiler) find(name, at string, payloads Payloads) *Payload {
	p := payloads[name]
	if p == nil {
		c.faults = append(c.faults, problem.Item{At: c.at + at, Detail: missing(name, payloads).Error()})
	}
	return p
}

// Render makes the answer to one call. The content type follows the body unless
// a header sets it. The error is that of an expression.
func (t *Template) Render(scope *expr.Scope) (call.Answer, error) {
	out := call.Answer{Status: t.status}
	scope, err := t.Naming(scope)
	if err != nil {
		return out, err
	}
	if t.statusOf != nil {
		status, err := t.statusOf.Text(scope, nil)
		if err != nil {
			return out, fmt.Errorf("status: %w", err)
		}
		if out.Status, err = strconv.Atoi(status); err != nil || out.Status < 200 || out.Status > 999 {
			return out, fmt.Errorf("status: the expression gives %q, expected a number from 200 to 999", status)
		}
	}
	contentType := t.kind.contentType
	for _, h := range t.headers {
		value, err := h.value.Text(scope, nil)
		if err != nil {
			return out, fmt.Errorf("header %s: %w", h.name, err)
		}
		if strings.EqualFold(h.name, "Content-Type") {
			contentType = ""
		}
		out.Header = append(out.Header, call.Field{Name: h.name, Value: oneLine(value)})
	}
	out.Arranged = t.arranged
	if t.redirect != nil {
		target, err := t.redirect.Text(scope, nil)
		if err != nil {
			return out, fmt.Errorf("redirect: %w", err)
		}
		if strings.HasPrefix(target, "/") {
			target = scope.Base + target
		}
		out.Header = append(out.Header, call.Field{Name: "Location", Value: oneLine(target)})
	}
	if out.Status == 204 || out.Status == 304 {
		return out, nil
	}
	if contentType != "" && !t.untyped {
		out.Header = append(out.Header, call.Field{Name: "Content-Type", Value: contentType})
	}
	out.Body, err = t.renderBody(scope)
	return out, err
}

// Fault is the SOAP fault of the answer; nil where it has none. The error is that of an expression.
func (t *Template) Fault(scope *expr.Scope) (*spec.Fault, error) {
	if t.faultOf == nil {
		return nil, nil //nolint:nilnil // there is none
	}
	scope, err := t.Naming(scope)
	if err != nil {
		return nil, err
	}
	made := t.faultOf.Clone()
	texts := made.Texts()
	for i, text := range texts {
		var escape func(string) string
		if i == len(texts)-1 { // the detail
			escape = escapeXML
		}
		if *text, err = t.fault[i].Text(scope, escape); err != nil {
			return nil, fmt.Errorf("fault: %w", err)
		}
	}
	return made, nil
}

func (c *compiler) let(named *tree.Node) (let []letTemplate) {
	for _, m := range named.Entries() {
		let = append(let, letTemplate{m.Key, c.compile(m.Value, tree.Join("/let", m.Key))})
		c.names = append(c.names, m.Key)
	}
	return let
}

// Naming is the scope in which the values are known that let names, and their names; it is let of no answer
// that is compiled.
func Naming(let *tree.Node, scope *expr.Scope) (with *expr.Scope, names []string, err error) {
	c := &compiler{}
	t := &Template{let: c.let(let)}
	if len(c.faults) > 0 {
		return scope, nil, errors.New(c.faults[0].Detail)
	}
	with, err = t.Naming(scope)
	return with, c.names, err
}

// Naming is a scope in which the values are known that the answer names. They are worked out
// once: a scope that has them is returned as it is.
func (t *Template) Naming(scope *expr.Scope) (*expr.Scope, error) {
	if len(t.let) == 0 || scope == nil || scope.Let != nil {
		return scope, nil
	}
	with := *scope
	with.Let = make(map[string]any, len(t.let))
	for _, named := range t.let {
		value, err := named.value.Named(&with)
		if err != nil {
			return scope, fmt.Errorf("let %s: %w", named.name, err)
		}
		with.Let[named.name] = value
	}
	return &with, nil
}

func (t *Template) renderBody(scope *expr.Scope) ([]byte, error) {
	switch {
	case t.body == nil:
		return t.bytes, nil
	case t.kind.tree:
		return t.body.AppendJSON(nil, scope)
	default:
		text, err := t.body.Text(scope, t.kind.escape)
		return []byte(text), err
	}
}

// oneLine makes what an expression gave fit into a header.
func oneLine(value string) string {
	return strings.NewReplacer("\r", " ", "\n", " ", "\x00", " ").Replace(value)
}

func escapeXML(text string) string {
	var b bytes.Buffer
	_ = xml.EscapeText(&b, []byte(text)) // a buffer takes everything
	return b.String()
}
