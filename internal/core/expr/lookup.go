package expr

import (
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"rapidmimic.example/spec/tree"
)

// Most expressions look one thing up, call.path.number, or are a constant. Those are answered without
// the interpreter. Where a look-up finds nothing, or anything unusual, the program runs all the same
// and says what is wrong.

// lookup is the way from the call, or from the variables, to a value: path, number.
type lookup struct {
	root string // call or vars
	keys []string
}

// lookupOf is the look-up that an expression is; nil for any other.
func lookupOf(e ast.Expr) *lookup {
	var keys []string
	for e.Kind() == ast.SelectKind && !e.AsSelect().IsTestOnly() {
		keys = append([]string{e.AsSelect().FieldName()}, keys...)
		e = e.AsSelect().Operand()
	}
	if len(keys) == 0 || e.Kind() != ast.IdentKind || e.AsIdent() != "call" && e.AsIdent() != "vars" {
		return nil
	}
	return &lookup{e.AsIdent(), keys}
}

// in finds the value in a scope; ok is false where the program has to be asked.
func (l *lookup) in(s *Scope, parts []string) (found ref.Val, ok bool) {
	values := s.Vars
	if l.root == "call" {
		values = s.call(parts)
	}
	var at any = values
	for _, key := range l.keys {
		switch within := at.(type) {
		case map[string]any:
			at, ok = within[key]
		case object:
			n := within.node.Get(key)
			at, ok = valueOf(n), n != nil
		default:
			return nil, false
		}
		if !ok {
			return nil, false
		}
	}
	switch v := at.(type) {
	case ref.Val:
		return v, true
	case string:
		return types.String(v), true
	default:
		return nil, false
	}
}

// constantOf is what a program gives that looks at nothing and has no loop; nil for any other, and for
// one that fails.
func constantOf(p *Program, e ast.Expr) *tree.Node {
	looks := false
	ast.PostOrderVisit(e, ast.NewExprVisitor(func(e ast.Expr) { looks = looks || e.Kind() == ast.IdentKind }))
	if looks || !isPlain(e) {
		return nil
	}
	n, err := p.Run(&Scope{})
	if err != nil {
		return nil
	}
	return n
}
