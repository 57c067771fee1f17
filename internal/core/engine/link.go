package engine

import (
	"net/url"
	"strings"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec/tree"
)

// followed is the path, relative to the service, that the first link of a
// response to a GET operation leads to, all parameters filled in from the
// answer or from the path of the call. It is "" unless the answer has a
// Location header for it.
func followed(service *catalog.Service, links []contract.Link, built *contract.Built, params map[string]string) string {
	if built.Answer.Get("Location") == "" {
		return ""
	}
	for _, link := range links {
		op := service.Operation(link.Operation)
		if op == nil || op.Method != "GET" {
			continue
		}
		values := make(map[string]string, len(link.Parameters))
		for _, p := range link.Parameters {
			if value := evaluate(p.Expression, built.Value, params); value != "" {
				values[strings.TrimPrefix(p.Name, "path.")] = url.PathEscape(value)
			}
		}
		if target, ok := op.Template.Fill(values); ok {
			return target
		}
	}
	return ""
}

// evaluate is the value of a runtime expression of OpenAPI; "" when it needs
// something else than the answer's body or the path of the call.
func evaluate(expression string, body *tree.Node, params map[string]string) string {
	if pointer, ok := strings.CutPrefix(expression, "$response.body#"); ok && body != nil {
		if found := body.At(pointer); found != nil {
			return contract.Plain(found)
		}
		return ""
	}
	if name, ok := strings.CutPrefix(expression, "$request.path."); ok {
		return params[name]
	}
	if strings.HasPrefix(expression, "$") {
		return ""
	}
	return expression
}
