package expr

import (
	"fmt"
	"slices"
	"strings"

	"cel.dev/cel-go/common/ast"

	"rapidmimic.example/spec/tree"
)

// scopeNames stand for what a scope has beside variables.
var scopeNames = []string{"call", "original", "upstream", "fake", "random", "jwt", "@now", "@scope", "@let"}

// variablesOf lists the variables that an expression demands by their names.
func variablesOf(root ast.Expr) (names []string) {
	ast.PostOrderVisit(root, ast.NewExprVisitor(func(e ast.Expr) {
		if name := variableOf(e); name != "" && !slices.Contains(names, name) {
			names = append(names, name)
		}
	}))
	return names
}

// variableOf is the name of the variable that an expression is; "" for anything else, and
// where it is only asked whether there is one.
func variableOf(e ast.Expr) string {
	if e.Kind() == ast.SelectKind && !e.AsSelect().IsTestOnly() && isName(e.AsSelect().Operand(), "vars") {
		return e.AsSelect().FieldName()
	}
	return ""
}

// withoutVariable says of an error that a variable is not there, where that is why.
func (p *Program) withoutVariable(s *Scope, err error) error {
	for _, name := range p.variables {
		if _, there := s.Vars[name]; !there && strings.HasSuffix(err.Error(), "no such key: "+name) {
			return fmt.Errorf("variable %s has no value here", name)
		}
	}
	return err
}

// Variables lists the variables that an expression demands by their names; none of one that
// does not compile.
func Variables(text string) []string { return namesIn(text, "vars", variablesOf) }

// TemplateVariables lists the variables that the expressions of a value demand.
func TemplateVariables(n *tree.Node) []string { return templateNames(n, Variables) }

// BesideVariables says what the expressions of a text use beside variables; "" for nothing.
// What does not compile uses nothing.
func BesideVariables(text string) (detail string) {
	eachExpression(tree.NewString(text), "", func(_ *tree.Node, _, expression string) {
		env, err := environment()
		if err != nil {
			return
		}
		parsed, issues := env.Parse(expression)
		if issues.Err() != nil {
			return
		}
		ast.PostOrderVisit(parsed.NativeRep().Expr(), ast.NewExprVisitor(func(e ast.Expr) {
			if e.Kind() == ast.IdentKind && slices.Contains(scopeNames, e.AsIdent()) {
				detail = fmt.Sprintf("expression %q: only variables are known here, as vars.NAME", expression)
			}
		}))
	})
	return detail
}
