package answer

import (
	"bytes"
	"encoding/xml"
	"strconv"
	"strings"

	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/expr"
	"rapidmimic/spec"
	"rapidmimic/spec/problem"
	"rapidmimic/spec/tree"
)

// Template is the answer of a mapping in which ${…} stands for what expressions
// give. It is immutable.
type Template struct {
	status  int
	headers []headerTemplate
	body    *expr.Template // nil without a body
	kind    string         // json, text or xml
}

type headerTemplate struct {
	name  string
	value *expr.Template
}

// Compile compiles the answer of a mapping. The template is nil when the answer
// is the same for every call, which fixed then is.
func Compile(a spec.Answer) (fixed call.Answer, template *Template, faults []problem.Item) {
	t := &Template{status: a.Status}
	dynamic := false
	compile := func(n *tree.Node, at string) *expr.Template {
		compiled, items := expr.CompileTemplate(n)
		for _, item := range items {
			item.At = at + item.At
			faults = append(faults, item)
		}
		dynamic = dynamic || !compiled.Fixed()
		return compiled
	}
	for i, h := range a.Headers {
		t.headers = append(t.headers, headerTemplate{h.Name, compile(tree.NewString(h.Value), "/answer/headers/"+strconv.Itoa(i))})
	}
	switch {
	case a.JSON != nil:
		t.kind, t.body = "json", compile(a.JSON, "/answer/json")
	case a.Text != nil:
		t.kind, t.body = "text", compile(tree.NewString(*a.Text), "/answer/text")
	case a.XML != nil:
		t.kind, t.body = "xml", compile(tree.NewString(*a.XML), "/answer/xml")
	}
	if dynamic || len(faults) > 0 {
		return call.Answer{Status: a.Status}, t, faults
	}
	fixed, _ = t.Render(nil) // which asks for no scope
	return fixed, nil, nil
}

// contentTypes are those of bodies whose headers name none.
var contentTypes = map[string]string{"json": "application/json", "text": "text/plain; charset=utf-8", "xml": "application/xml"}

// Render makes the answer to one call. The content type follows the body unless
// a header sets it. The error is that of an expression.
func (t *Template) Render(scope *expr.Scope) (call.Answer, error) {
	out := call.Answer{Status: t.status}
	contentType := contentTypes[t.kind]
	for _, h := range t.headers {
		value, err := h.value.Text(scope, nil)
		if err != nil {
			return out, err
		}
		if strings.EqualFold(h.name, "Content-Type") {
			contentType = ""
		}
		out.Header = append(out.Header, call.Field{Name: h.name, Value: strings.NewReplacer("\r", " ", "\n", " ").Replace(value)})
	}
	if contentType != "" {
		out.Header = append(out.Header, call.Field{Name: "Content-Type", Value: contentType})
	}
	if t.body == nil {
		return out, nil
	}
	if t.kind == "json" {
		n, err := t.body.Render(scope)
		if err != nil {
			return out, err
		}
		out.Body = n.AppendJSON(nil)
		return out, nil
	}
	var escape func(string) string
	if t.kind == "xml" {
		escape = escapeXML
	}
	text, err := t.body.Text(scope, escape)
	out.Body = []byte(text)
	return out, err
}

func escapeXML(text string) string {
	var b bytes.Buffer
	_ = xml.EscapeText(&b, []byte(text)) // a buffer takes everything
	return b.String()
}
