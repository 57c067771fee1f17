package answer

import (
	"bytes"
	"errors"
	"fmt"
	"maps"
	"net/textproto"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Edit changes messages that were made elsewhere: what is merged into the body, then a
// JSON Patch, in whose texts ${…} stands for expressions. It is immutable.
type Edit struct {
	with  *expr.Template // nil for nothing
	steps *expr.Template // nil for none
	count int
}

// CompileEdit compiles the steps of an edit, in which at is their place; nil for
// none.
func CompileEdit(steps []spec.EditStep, at string) (*Edit, []problem.Item) {
	return compileEdit(nil, steps, "", at)
}

// CompileChange compiles what an answer, in which at is its place, changes of the one
// that it starts from; nil for nothing.
func CompileChange(a spec.Answer, at string) (*Edit, []problem.Item) {
	return compileEdit(a.With, a.Edit, at+"/with", at+"/edit")
}

func compileEdit(with *tree.Node, steps []spec.EditStep, withAt, stepsAt string) (edit *Edit, faults []problem.Item) {
	if with == nil && len(steps) == 0 {
		return nil, nil
	}
	edit = &Edit{count: len(steps)}
	compile := func(n *tree.Node, at string) *expr.Template {
		template, wrong := expr.CompileTemplate(n)
		for _, item := range wrong {
			item.At = at + item.At
			faults = append(faults, item)
		}
		return template
	}
	if with != nil {
		edit.with = compile(with, withAt)
		edit.count++
	}
	if len(steps) == 0 {
		return edit, faults
	}
	lowered := slices.Clone(steps)
	for i := range lowered { // names of headers have no case
		lowered[i].Path, lowered[i].From = lowerHeader(lowered[i].Path), lowerHeader(lowered[i].From)
	}
	n, err := tree.From(lowered)
	if err != nil {
		return nil, append(faults, problem.Item{At: stepsAt, Detail: err.Error()})
	}
	edit.steps = compile(n, stepsAt)
	return edit, faults
}

func lowerHeader(pointer string) string {
	if strings.HasPrefix(pointer, "/headers/") {
		return strings.ToLower(pointer)
	}
	return pointer
}

// Steps is how many steps the edit has; what is merged is one.
func (e *Edit) Steps() int { return e.count }

// apply applies the edit to a document. It is not applied, and the document comes
// back as it was, where a test does not hold: why says which.
func (e *Edit) apply(document *tree.Node, scope *expr.Scope) (edited *tree.Node, why string, err error) {
	if edited, err = e.merge(document, scope); err != nil || e.steps == nil {
		return edited, "", err
	}
	steps, err := e.steps.Render(scope)
	if err != nil {
		return nil, "", err
	}
	inXML, others := stepsInXML(edited.Get("body"), steps)
	text, err := tree.Patch(edited.AppendJSON(nil), others.AppendJSON(nil))
	if err == nil {
		edited, err = tree.ParseJSON(text)
	}
	if err == nil && len(inXML) > 0 {
		edited, err = withXML(edited, inXML, scope)
	}
	if errors.Is(err, tree.ErrTest) || errors.Is(err, match.ErrTest) {
		return document, err.Error(), nil
	}
	if err != nil {
		return nil, "", err
	}
	return edited, "", nil
}

// stepsInXML parts the steps that go into a body of XML, whose paths go on after /body as XPaths, from
// all others.
func stepsInXML(body, steps *tree.Node) (inXML []match.XMLStep, others *tree.Node) {
	if body == nil || body.Kind != tree.String || !strings.HasPrefix(strings.TrimSpace(body.Text), "<") {
		return nil, steps
	}
	others = tree.NewList()
	for _, step := range steps.Items {
		if path, in := strings.CutPrefix(step.Get("path").Str(), "/body/"); in {
			value := ""
			if n := step.Get("value"); n != nil {
				value = plainText(n)
			}
			inXML = append(inXML, match.XMLStep{Op: step.Get("op").Str(), Path: "/" + path, Value: value})
		} else {
			others.Items = append(others.Items, step)
		}
	}
	return inXML, others
}

func plainText(n *tree.Node) string {
	if n.Kind == tree.String {
		return n.Text
	}
	return string(n.AppendJSON(nil))
}

// withXML carries out steps in a body of XML.
func withXML(document *tree.Node, steps []match.XMLStep, scope *expr.Scope) (*tree.Node, error) {
	for _, step := range steps {
		if step.Op == "move" || step.Op == "copy" {
			return nil, fmt.Errorf("%s is not for a body of XML, which has add, replace, remove and test", step.Op)
		}
	}
	var b *budget.Budget
	if scope != nil {
		b = scope.Budget
	}
	edited, err := match.EditXML([]byte(document.Get("body").Str()), steps, b)
	if err != nil {
		return nil, fmt.Errorf("the body of XML: %w", err)
	}
	members := slices.Clone(document.Members)
	for i, m := range members {
		if m.Key == "body" {
			members[i].Value = tree.NewString(string(edited))
		}
	}
	return tree.NewMap(members...), nil
}

// merge merges what is to be merged into the body of a document.
func (e *Edit) merge(document *tree.Node, scope *expr.Scope) (*tree.Node, error) {
	if e.with == nil {
		return document, nil
	}
	with, err := e.with.Render(scope)
	if err != nil {
		return nil, err
	}
	if body := document.Get("body"); with.Kind == tree.Map && body.Kind != tree.Map && body.Kind != tree.Null {
		return nil, fmt.Errorf("with is merged into an object, and the body is %s (edit changes that)", body.Kind)
	}
	patch := tree.NewMap(tree.Member{Key: "body", Value: with})
	text, err := tree.MergePatch(document.AppendJSON(nil), patch.AppendJSON(nil))
	if err != nil {
		return nil, err
	}
	return tree.ParseJSON(text)
}

// Answer edits an answer, its body decoded. The scope is given it as `original`. skipped says which test did not hold, "" when the
// answer was edited.
func (e *Edit) Answer(got call.Answer, scope *expr.Scope) (edited call.Answer, skipped string, err error) {
	header := make(call.Header)
	for _, f := range got.Header {
		name := textproto.CanonicalMIMEHeaderKey(f.Name)
		header[name] = append(header[name], f.Value)
	}
	headers, body := headerValue(header), bodyValue(got.Body)
	document := tree.NewMap(tree.Member{Key: "status", Value: tree.NewNumber(strconv.Itoa(got.Status))},
		tree.Member{Key: "headers", Value: headers}, tree.Member{Key: "body", Value: body})
	scope.Original = map[string]any{"status": int64(got.Status), "headers": expr.Value(headers), "body": expr.Value(body)}
	changed, skipped, err := e.apply(document, scope)
	if err != nil || skipped != "" {
		return got, skipped, err
	}
	status, whole := changed.Get("status").Int()
	if !whole || status < 200 || status > 999 {
		return got, "", fmt.Errorf("/status became %s, expected a number from 200 to 999", changed.Get("status").AppendJSON(nil))
	}
	edited.Status = status
	if header, err = headerOf(changed.Get("headers")); err != nil {
		return got, "", err
	}
	for _, name := range slices.Sorted(maps.Keys(header)) {
		for _, value := range header[name] {
			edited.Header = append(edited.Header, call.Field{Name: name, Value: value})
		}
	}
	edited.Body = bodyOf(changed.Get("body"), body, got.Body)
	return edited, "", nil
}

// Request edits a request on its way to the upstream; its path is relative to
// the service.
func (e *Edit) Request(r *call.Request, scope *expr.Scope) (edited *call.Request, skipped string, err error) {
	query, body := queryValue(r.Query), bodyValue(r.Body.Bytes)
	changed, skipped, err := e.apply(tree.NewMap(
		tree.Member{Key: "method", Value: tree.NewString(r.Method)},
		tree.Member{Key: "path", Value: tree.NewString(r.Path)},
		tree.Member{Key: "query", Value: query},
		tree.Member{Key: "headers", Value: headerValue(r.Header)},
		tree.Member{Key: "body", Value: body},
	), scope)
	if err != nil || skipped != "" {
		return r, skipped, err
	}
	out := *r
	if out.Method = strings.ToUpper(changed.Get("method").Str()); out.Method == "" {
		return r, "", errors.New("/method must be a text such as GET")
	}
	if out.Path = changed.Get("path").Str(); !strings.HasPrefix(out.Path, "/") {
		return r, "", errors.New("/path must be a text that begins with /")
	}
	if after := changed.Get("query"); !same(after, query) { // else it stays as it was written
		if out.Query, err = queryOf(after); err != nil {
			return r, "", err
		}
	}
	if out.Header, err = headerOf(changed.Get("headers")); err != nil {
		return r, "", err
	}
	out.Body.Bytes = bodyOf(changed.Get("body"), body, r.Body.Bytes)
	out.Body.Size = int64(len(out.Body.Bytes))
	return &out, "", nil
}

// headerValue is a header as an object: a text for each name in lower case, a
// list where it occurs several times.
func headerValue(h call.Header) *tree.Node {
	var members []tree.Member
	for _, name := range slices.Sorted(maps.Keys(h)) {
		members = append(members, tree.Member{Key: strings.ToLower(name), Value: listed(h[name])})
	}
	return tree.NewMap(members...)
}

func listed(texts []string) *tree.Node {
	if len(texts) == 1 {
		return tree.NewString(texts[0])
	}
	list := tree.NewList()
	for _, text := range texts {
		list.Items = append(list.Items, tree.NewString(text))
	}
	return list
}

// texts are the values of one name, as listed made them.
func texts(n *tree.Node) ([]string, bool) {
	items := []*tree.Node{n}
	if n.Kind == tree.List {
		items = n.Items
	}
	var out []string
	for _, item := range items {
		if item.Kind == tree.Map || item.Kind == tree.List || item.Kind == tree.Null {
			return nil, false
		}
		out = append(out, item.Text)
	}
	return out, true
}

func headerOf(n *tree.Node) (call.Header, error) {
	if n == nil || n.Kind != tree.Map {
		return nil, errors.New("/headers must stay an object of headers by name")
	}
	h := make(call.Header, len(n.Members))
	for _, m := range n.Members {
		values, ok := texts(m.Value)
		if !ok {
			return nil, fmt.Errorf("/headers/%s must be a text or a list of texts", m.Key)
		}
		for i := range values {
			values[i] = oneLine(values[i])
		}
		h[textproto.CanonicalMIMEHeaderKey(m.Key)] = values
	}
	return h, nil
}

// queryValue is a query as an object, parameters in their order.
func queryValue(query string) *tree.Node {
	values, _ := url.ParseQuery(query) // what can be read counts
	var members []tree.Member
	seen := make(map[string]bool)
	for pair := range strings.SplitSeq(query, "&") {
		name, _, _ := strings.Cut(pair, "=")
		if name, err := url.QueryUnescape(name); err == nil && values.Has(name) && !seen[name] {
			seen[name] = true
			members = append(members, tree.Member{Key: name, Value: listed(values[name])})
		}
	}
	return tree.NewMap(members...)
}

func queryOf(n *tree.Node) (string, error) {
	if n == nil || n.Kind != tree.Map {
		return "", errors.New("/query must stay an object of parameters by name")
	}
	var pairs []string
	for _, m := range n.Members {
		values, ok := texts(m.Value)
		if !ok {
			return "", fmt.Errorf("/query/%s must be a text or a list of texts", m.Key)
		}
		for _, value := range values {
			pairs = append(pairs, url.QueryEscape(m.Key)+"="+url.QueryEscape(value))
		}
	}
	return strings.Join(pairs, "&"), nil
}

// bodyValue is a body as a value: JSON as such, other texts as a text, null for
// none and for bytes that are no text.
func bodyValue(body []byte) *tree.Node {
	if n, err := tree.ParseJSON(body); err == nil {
		return n
	}
	if len(body) == 0 || !utf8.Valid(body) {
		return &tree.Node{Kind: tree.Null}
	}
	return tree.NewString(string(body))
}

// same reports whether two values are written alike.
func same(a, b *tree.Node) bool {
	return a != nil && b != nil && bytes.Equal(a.AppendJSON(nil), b.AppendJSON(nil))
}

// bodyOf is the body of an edited value; one that was not touched stays as it
// was, byte by byte.
func bodyOf(n, before *tree.Node, original []byte) []byte {
	switch {
	case n == nil, n.Kind == tree.Null && before.Kind != tree.Null:
		return nil
	case same(n, before):
		return original
	case n.Kind == tree.String && (before.Kind == tree.String || before.Kind == tree.Null):
		if _, err := tree.ParseJSON(original); err != nil {
			return []byte(n.Text)
		}
	}
	return n.AppendJSON(nil)
}
