package engine

import (
	"net/netip"
	"net/url"
	"strings"

	"rapidmimic/internal/core/answer"
	"rapidmimic/internal/core/call"
	"rapidmimic/internal/core/contract"
	"rapidmimic/internal/core/expr"
	"rapidmimic/internal/core/match"
	"rapidmimic/internal/core/sample"
	"rapidmimic/internal/core/xmltree"
	"rapidmimic/spec/tree"
)

// pin fixes the fields of an answer that are pinned for its operation, and
// returns which.
func (e *Engine) pin(built *answer.Built, p *Placed, r *call.Request, op *contract.Operation, segments []string) (pinned []string, err error) {
	pins := p.Service.Pins(op.ID)
	if len(pins) == 0 || built.Value == nil {
		return nil, nil
	}
	draw, _ := e.draw(p, r, op.ID)
	scope := e.scope(p, r, op.Template.Params(segments), decodedBody(op, r), draw)
	value, pinned, err := answer.Apply(pins, built.Value, scope)
	if err == nil && len(pinned) > 0 {
		built.SetValue(value)
	}
	return pinned, err
}

// scope is what expressions see of a call.
func (e *Engine) scope(p *Placed, r *call.Request, params map[string]string, body *tree.Node, draw *sample.Draw) *expr.Scope {
	return &expr.Scope{
		Call: callValues(r, params, body), Base: baseOf(r), Now: e.now(), Fake: draw.Fake, Whole: draw.Whole,
		Count:    func(name string) int64 { return int64(e.state.Claim("counter/"+p.Service.Spec.ID+"/"+name)) + 1 },
		JSONPath: match.FindJSON, XPath: match.FindXML,
	}
}

// baseOf is the address of the service as the call had it.
func baseOf(r *call.Request) string { return strings.TrimSuffix(r.Address, r.Path) }

// pinXML sets the text of the elements that pins name by their local names,
// from the first element of the body on.
func pinXML(pins []answer.Pin, body []byte, scope *expr.Scope) (pinned []byte, applied []string, err error) {
	root, err := xmltree.Parse(body)
	if err != nil {
		return body, nil, err
	}
	message := root.Child(root.Name.Space, "Body")
	if message == nil || len(message.Children) == 0 {
		return body, nil, nil
	}
	for _, pin := range pins {
		value, err := pin.Value(scope)
		if err != nil {
			return body, nil, err
		}
		found := false
		for _, n := range below(message.Children[0], pin.Path()) {
			n.Text, n.Children, n.QName, found = contract.Plain(value), nil, nil, true
		}
		if found {
			applied = append(applied, pin.Pointer)
		}
	}
	root.Carry() // prefixes that values use
	return append(root.Append([]byte(xmltree.Declaration)), '\n'), applied, nil
}

// below finds elements by the local names on the way to them; * stands for any.
func below(n *xmltree.Node, path []string) []*xmltree.Node {
	if len(path) == 0 {
		return []*xmltree.Node{n}
	}
	var found []*xmltree.Node
	for _, c := range n.Children {
		if path[0] == "*" || path[0] == c.Name.Local {
			found = append(found, below(c, path[1:])...)
		}
	}
	return found
}

// callValues is a call as expressions see it.
func callValues(r *call.Request, params map[string]string, body *tree.Node) map[string]any {
	path := make(map[string]any, len(params))
	for name, value := range params {
		path[name] = value
	}
	query, queries := make(map[string]any), make(map[string]any)
	if values, err := url.ParseQuery(r.Query); err == nil {
		for name, texts := range values {
			query[name], queries[name] = texts[0], texts
		}
	}
	headers := make(map[string]any, len(r.Header))
	for name, texts := range r.Header {
		headers[strings.ToLower(name)] = strings.Join(texts, ", ")
	}
	cookies := make(map[string]any)
	for name, value := range match.Cookies(r) {
		cookies[name] = value
	}
	return map[string]any{
		"method": r.Method, "path": path, "query": query, "queries": queries, "headers": headers, "cookies": cookies, "caller": callerOf(r),
		"address": r.Address, "text": string(r.Body.Bytes), "body": expr.Value(body),
	}
}

// callerOf is the address of the caller without its port.
func callerOf(r *call.Request) string {
	from, err := netip.ParseAddrPort(r.Caller)
	if err != nil {
		return r.Caller
	}
	return from.Addr().Unmap().String()
}
