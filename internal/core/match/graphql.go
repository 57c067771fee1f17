package match

import (
	"net/url"
	"strings"

	"github.com/vektah/gqlparser/v2/ast"
	"github.com/vektah/gqlparser/v2/parser"

	"rapidmimic.example/spec/tree"
)

// maxGraphQLTokens bounds how much of a document is read.
const maxGraphQLTokens = 20_000

// readGraphQL reads what a GraphQL request asks for: the type and name of its
// operation, and its top fields. A request of something else gives nothing.
func (f *Facts) readGraphQL() url.Values {
	text, name := f.query().Get("query"), f.query().Get("operationName")
	if n, err := f.JSON(); err == nil && n.Kind == tree.Map {
		text, name = n.Get("query").Str(), n.Get("operationName").Str()
	} else if strings.HasPrefix(f.Request.Header.Get("Content-Type"), "application/graphql") {
		text = string(f.Plain())
	}
	asked := url.Values{}
	if text == "" {
		return asked
	}
	document, err := parser.ParseQueryWithTokenLimit(&ast.Source{Input: text}, maxGraphQLTokens)
	if err != nil {
		return asked
	}
	operation := document.Operations.ForName(name)
	if operation == nil {
		return asked
	}
	asked.Set("type", string(operation.Operation))
	if operation.Name != "" {
		asked.Set("name", operation.Name)
	}
	for _, selected := range operation.SelectionSet {
		if field, ok := selected.(*ast.Field); ok {
			asked.Add("field", field.Name)
		}
	}
	return asked
}
