package engine

import (
	"net/url"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/tree"
)

// followed is the path, relative to the service, that the first link of a
// response to a GET operation leads to, all parameters filled in from the
// answer or from the path of the call. It is "" unless the answer has a
// Location header for it.
func followed(r *call.Request, service *catalog.Service, links []contract.Link, built *contract.Built, params map[string]string) string {
	if built.Answer.Get("Location") == "" {
		return ""
	}
	exchange := contract.Exchange{Request: r, Path: params, Answer: &built.Answer, Body: noBody, AnswerBody: func() *tree.Node { return built.Tree() }}
	for _, link := range links {
		op := service.Operation(link.Operation)
		if op == nil || op.Method != "GET" {
			continue
		}
		values := make(map[string]string, len(link.Parameters))
		for _, p := range link.Parameters {
			value, ok := p.Expression, true
			if strings.HasPrefix(value, "$") {
				value, ok = exchange.Value(value)
			}
			if ok && value != "" {
				values[strings.TrimPrefix(p.Name, "path.")] = url.PathEscape(value)
			}
		}
		if target, ok := op.Template.Fill(values); ok {
			return target
		}
	}
	return ""
}
