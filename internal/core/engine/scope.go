package engine

import (
	"net/url"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/internal/core/expr"
	"rapidmimic.example/internal/core/match"
	"rapidmimic.example/internal/core/sample"
	"rapidmimic.example/spec/tree"
)

// pin fixes the fields of an answer that are pinned for its operation, and
// returns which.
func (e *Engine) pin(built *contract.Built, p *Placed, r *call.Request, asked *contract.Asked) (pinned []string, err error) {
	op := asked.Operation
	pins := p.Service.Pins(op.ID)
	if len(pins) == 0 {
		return nil, nil
	}
	scope := e.scope(p, r, func() map[string]string { return op.Template.Params(asked.Segments) }, func() *sample.Draw { return e.drawFor(p, r, op.ID) })
	if body := op.Decoded(&e.ask(p, r).facts); body != nil { // as the contract has it
		part := scope.Part
		scope.Part = func(name string) any {
			if name == "body" {
				return expr.Value(body)
			}
			return part(name)
		}
	}
	*built, pinned, err = p.Service.Protocol().Pin(*built, pins, scope)
	return pinned, err
}

func noParams() map[string]string { return nil }

func noBody() *tree.Node { return nil }

// baseOf is the address of the service as the call had it.
func baseOf(r *call.Request) string { return strings.TrimSuffix(r.Address, r.Path) }

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
	case "certificate":
		return r.Certificate
	case "text":
		return string(match.Plain(r))
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
