package expr

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Known are the names that an expression can use where it stands, each list nil where they
// are not known.
type Known struct {
	Parameters []string // of call.path
	Variables  []string
}

// Mistakes finds what an expression says that compiles and is never meant: parts that a
// call does not have, variables that nothing sets, and comparisons of texts with what is
// none. An expression that does not compile has none.
func Mistakes(text string, known Known) (found []string) {
	env, err := environment()
	if err != nil {
		return nil
	}
	parsed, issues := env.Parse(text)
	if issues.Err() != nil {
		return nil
	}
	say := func(format string, args ...any) {
		if said := fmt.Sprintf(format, args...); !slices.Contains(found, said) {
			found = append(found, said)
		}
	}
	ast.PostOrderVisit(parsed.NativeRep().Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		switch e.Kind() {
		case ast.SelectKind:
			unknownName(e, known, say)
		case ast.CallKind:
			neverTrue(e.AsCall(), say)
		}
	}))
	for i := range found {
		found[i] = fmt.Sprintf("expression %q: %s", text, found[i])
	}
	return found
}

// TemplateMistakes are the mistakes of all expressions in a value, each at its place.
func TemplateMistakes(n *tree.Node, known Known) []problem.Item {
	var items []problem.Item
	eachExpression(n, "", func(n *tree.Node, at, expression string) {
		for _, mistake := range Mistakes(expression, known) {
			items = append(items, problem.Item{At: at, Line: int(n.Line), Col: int(n.Col), Detail: mistake})
		}
	})
	return items
}

// eachExpression calls do with every expression in the texts of a value, and the place of
// the text. Texts that do not compile have none.
func eachExpression(n *tree.Node, at string, do func(n *tree.Node, at, expression string)) {
	switch n.Kind {
	case tree.String:
		pieces, err := cut(n.Text)
		if err != nil {
			return
		}
		for _, piece := range pieces {
			if piece.isExpression {
				do(n, at, piece.text)
			}
		}
	case tree.List:
		for i, item := range n.Items {
			eachExpression(item, at+"/"+strconv.Itoa(i), do)
		}
	case tree.Map:
		for _, m := range n.Members {
			eachExpression(m.Value, tree.Join(at, m.Key), do)
		}
	}
}

// Filled is a text in which something stands for each expression.
func Filled(text, something string) string {
	pieces, err := cut(text)
	if err != nil {
		return text
	}
	var b strings.Builder
	for _, piece := range pieces {
		if piece.isExpression {
			b.WriteString(something)
		} else {
			b.WriteString(piece.text)
		}
	}
	return b.String()
}

// originalParts are all parts of an answer that is being changed.
var originalParts = []string{"status", "headers", "body"}

// unknownName finds a part that call or original does not have, a parameter that the path
// does not have, or a variable that nothing sets.
func unknownName(e ast.Expr, names Known, say func(string, ...any)) {
	parameters := names.Parameters
	of, name := e.AsSelect().Operand(), e.AsSelect().FieldName()
	near := func(known []string) string { return problem.Suggest(name, known, "it has") }
	switch {
	case isName(of, "call") && !slices.Contains(callParts, name):
		say("call has no %q (%s)", name, near(callParts))
	case (isName(of, "original") || isName(of, "upstream")) && !slices.Contains(originalParts, name):
		say("%s has no %q (%s)", of.AsIdent(), name, near(originalParts))
	case names.Variables != nil && variableOf(e) != "" && !slices.Contains(names.Variables, name):
		if len(names.Variables) == 0 {
			say("there is no variable %q: no variables are set", name)
			return
		}
		say("there is no variable %q (%s)", name, problem.Suggest(name, names.Variables, "there is"))
	case parameters != nil && partOf(of) == "path" && !slices.Contains(parameters, name):
		if len(parameters) == 0 {
			say("call.path has no %q: the path has no parameters", name)
			return
		}
		say("call.path has no %q (%s)", name, near(parameters))
	}
}

func isName(e ast.Expr, name string) bool { return e.Kind() == ast.IdentKind && e.AsIdent() == name }

// partOf is the part of the call that an expression is: query for call.query; "" for
// anything else.
func partOf(e ast.Expr) string {
	if e.Kind() == ast.SelectKind && isName(e.AsSelect().Operand(), "call") {
		return e.AsSelect().FieldName()
	}
	return ""
}

// comparisons are the operators that mean nothing between a text and what is none, with
// what follows.
var comparisons = map[string]string{"_==_": equal, "_!=_": equal, "_<_": compared, "_<=_": compared, "_>_": compared, "_>=_": compared}

const (
	equal    = "are never equal"
	compared = "cannot be compared"
)

// neverTrue finds a comparison of a text of the call with a number or a truth value.
func neverTrue(c ast.CallExpr, say func(string, ...any)) {
	args := c.Args()
	if follows := comparisons[c.FunctionName()]; follows != "" && len(args) == 2 {
		for i := range args {
			text, value := textPart(args[i]), literalOf(args[1-i])
			if text == "" || value == "" {
				continue
			}
			say("%s is a text and %s is not, so the two %s: write %q%s", text, value, follows, value, asNumber(text, value))
		}
	}
	if c.FunctionName() == "@in" && len(args) == 2 && args[1].Kind() == ast.ListKind {
		text, elements := textPart(args[0]), args[1].AsList().Elements()
		if text == "" || len(elements) == 0 || slices.ContainsFunc(elements, func(e ast.Expr) bool { return literalOf(e) == "" }) {
			return
		}
		say("%s is a text and %s is not, so the two are never equal: write %q", text, literalOf(elements[0]), literalOf(elements[0]))
	}
}

func asNumber(text, value string) string {
	if value == "true" || value == "false" {
		return ""
	}
	return ", or compare int(" + text + ")"
}

// literalOf is a number or truth value as it is written; "" for anything else.
func literalOf(e ast.Expr) string {
	if e.Kind() != ast.LiteralKind {
		return ""
	}
	switch v := e.AsLiteral().(type) {
	case types.Int, types.Uint, types.Double, types.Bool:
		return fmt.Sprint(v.Value())
	default:
		return ""
	}
}

// textPart is an expression that is a text of the call, as it is written; "" for anything
// else.
func textPart(e ast.Expr) string {
	if part := partOf(e); slices.Contains([]string{"method", "text", "caller", "certificate", "address"}, part) {
		return "call." + part
	}
	var of, key ast.Expr
	name := ""
	switch {
	case e.Kind() == ast.SelectKind && !e.AsSelect().IsTestOnly():
		of, name = e.AsSelect().Operand(), "."+e.AsSelect().FieldName()
	case e.Kind() == ast.CallKind && e.AsCall().FunctionName() == "_[_]" && len(e.AsCall().Args()) == 2:
		of, key = e.AsCall().Args()[0], e.AsCall().Args()[1]
		if key.Kind() != ast.LiteralKind {
			return ""
		}
		name = fmt.Sprintf("[%q]", fmt.Sprint(key.AsLiteral().Value()))
	default:
		return ""
	}
	if part := partOf(of); slices.Contains([]string{"path", "query", "headers", "cookies"}, part) {
		return "call." + part + name
	}
	return ""
}
