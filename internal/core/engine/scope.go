package engine

import (
	"net/url"
	"strings"

	"rapidmimic/internal/core/answer"
	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/expr"
	"rapidmimic/spec/tree"
)

// pin fixes the fields of an answer that are pinned for its operation, and
// returns which.
func (e *Engine) pin(built *answer.Built, p *Placed, r *call.Request, op *contract.Operation, segments []string) (pinned []string, err error) {
	pins := p.Service.Pins(op.ID)
	if len(pins) == 0 || built.Value == nil {
		return nil, nil
	}
	draw, _ := e.draw(p, r, op)
	scope := &expr.Scope{
		Call: callValues(r, op.Template.Params(segments), decodedBody(op, r)), Now: e.now(),
		Fake: draw.Fake, Whole: draw.Whole,
	}
	value, pinned, err := answer.Apply(pins, built.Value, scope)
	if err == nil && len(pinned) > 0 {
		built.SetValue(value)
	}
	return pinned, err
}

// callValues is a call as expressions see it.
func callValues(r *call.Request, params map[string]string, body *tree.Node) map[string]any {
	path := make(map[string]any, len(params))
	for name, value := range params {
		path[name] = value
	}
	query := make(map[string]any)
	if values, err := url.ParseQuery(r.Query); err == nil {
		for name, texts := range values {
			query[name] = texts[0]
		}
	}
	headers := make(map[string]any, len(r.Header))
	for name, texts := range r.Header {
		headers[strings.ToLower(name)] = strings.Join(texts, ", ")
	}
	return map[string]any{
		"method": r.Method, "path": path, "query": query, "headers": headers, "address": r.Address, "body": plainValue(body),
	}
}

// plainValue is a value of a document as expressions take it; whole numbers
// stay whole.
func plainValue(n *tree.Node) any {
	if n == nil {
		return nil
	}
	switch n.Kind {
	case tree.Bool:
		return n.IsTrue()
	case tree.String:
		return n.Text
	case tree.Number:
		if i, ok := n.Int(); ok && !strings.ContainsAny(n.Text, ".eE") {
			return int64(i)
		}
		f, _ := n.Float()
		return f
	case tree.List:
		list := make([]any, len(n.Items))
		for i, item := range n.Items {
			list[i] = plainValue(item)
		}
		return list
	case tree.Map:
		object := make(map[string]any, len(n.Members))
		for _, m := range n.Members {
			object[m.Key] = plainValue(m.Value)
		}
		return object
	default:
		return nil
	}
}
