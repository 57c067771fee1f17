package engine

import (
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
	scope := e.scope(p, r, func() map[string]string { return op.Template.Params(segments) }, func() *sample.Draw { return e.drawFor(p, r, op.ID) })
	if body := decodedBody(op, &e.ask(p, r).facts); body != nil { // as the contract has it
		part := scope.Part
		scope.Part = func(name string) any {
			if name == "body" {
				return expr.Value(body)
			}
			return part(name)
		}
	}
	value, pinned, err := answer.Apply(pins, built.Value, scope)
	if err == nil && len(pinned) > 0 {
		built.SetValue(value)
	}
	return pinned, err
}

func noParams() map[string]string { return nil }

func noBody() *tree.Node { return nil }

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

// pathPart are the parameters of a path as expressions see them.
func pathPart(params map[string]string) map[string]any {
	values := make(map[string]any, len(params))
	for param, value := range params {
		values[param] = value
	}
	return values
}

// callPart is a part of a call, other than the path, as expressions see it.
func callPart(name string, r *call.Request, body func() *tree.Node) any {
	values := make(map[string]any)
	switch name {
	case "method":
		return r.Method
	case "address":
		return r.Address
	case "caller":
		return r.CallerHost()
	case "text":
		return string(r.Body.Bytes)
	case "body":
		return expr.Value(body())
	case "query", "queries":
		query, _ := url.ParseQuery(r.Query) // what can be read counts
		for param, texts := range query {
			if values[param] = texts; name == "query" {
				values[param] = texts[0]
			}
		}
	case "headers":
		for header, texts := range r.Header {
			values[strings.ToLower(header)] = strings.Join(texts, ", ")
		}
	case "cookies":
		for cookie, value := range match.Cookies(r) {
			values[cookie] = value
		}
	}
	return values
}
