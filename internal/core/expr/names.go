package expr

import (
	"fmt"
	"slices"
	"strings"

	"cel.dev/cel-go/common/ast"

	"rapidmimic.example/spec/tree"
)

// Payloads lists the payloads that an expression names; none of one that does not compile.
func Payloads(text string) []string { return namesIn(text, "payload", payloadsOf) }

// TemplatePayloads lists the payloads that the expressions of a value name.
func TemplatePayloads(n *tree.Node) []string { return templateNames(n, Payloads) }

// namesIn parses an expression that has a word in it, and finds names.
func namesIn(text, word string, find func(ast.Expr) []string) []string {
	if !strings.Contains(text, word) {
		return nil
	}
	env, err := environment()
	if err != nil {
		return nil
	}
	parsed, issues := env.Parse(text)
	if issues.Err() != nil {
		return nil
	}
	return find(parsed.NativeRep().Expr())
}

// templateNames are those of all expressions of a value, each once.
func templateNames(n *tree.Node, find func(string) []string) (names []string) {
	eachExpression(n, "", func(_ *tree.Node, _, expression string) {
		for _, name := range find(expression) {
			if !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	})
	return names
}

// payloadsOf lists the payloads that an expression names by a literal.
func payloadsOf(root ast.Expr) (names []string) {
	ast.PostOrderVisit(root, ast.NewExprVisitor(func(e ast.Expr) {
		if e.Kind() == ast.CallKind && slices.Contains(payloadNames, e.AsCall().FunctionName()) && len(e.AsCall().Args()) == 1 && e.AsCall().Args()[0].Kind() == ast.LiteralKind {
			names = append(names, fmt.Sprint(e.AsCall().Args()[0].AsLiteral().Value()))
		}
	}))
	return names
}
