// Package expr evaluates the expressions that people write into ${…}: the
// Common Expression Language (cel.dev), with the call at hand, the time, and
// drawn values. It is the one package that knows CEL.
//
// An expression touches nothing but its Scope: no file, no network, no other
// call; and what it may cost is limited. Start with CompileTemplate.
package expr

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"sync"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/ext"

	"rapidmimic/spec/tree"
)

// Scope is what the expressions of one call see.
type Scope struct {
	// Call has the parts of the call: method, path (the parameters), query,
	// headers, body. Its values are strings, numbers, bools, nil, []any and
	// map[string]any.
	Call map[string]any
	Now  time.Time
	// Fake draws a value of a kind (see FakeKinds), Whole a whole number with
	// both ends included. Both are called in the order of the expressions.
	Fake  func(kind string) string
	Whole func(low, high int64) int64
}

// FakeKinds are the functions of fake: fake.ship(), fake.town() …
var FakeKinds = []string{"ship", "name", "firstName", "lastName", "company", "town", "country", "street", "email", "phone", "url",
	"word", "sentence", "date", "time", "id", "amount", "uuid"}

// costLimit bounds what one expression may cost, in CEL's own units.
const costLimit = 100_000

// maxExpression bounds the length of one expression, in characters.
const maxExpression = 4_000

// Program is a compiled expression. It is immutable and safe for concurrent
// use.
type Program struct {
	text    string
	program cel.Program
}

var environment = sync.OnceValues(newEnvironment)

// drawType is the type of `fake` and `random`, whose functions draw.
var drawType = cel.ObjectType("rapidmimic.Draw")

type drawValue struct{ *Scope }

func (drawValue) Type() ref.Type                { return drawType }
func (v drawValue) Value() any                  { return v.Scope }
func (v drawValue) Equal(other ref.Val) ref.Val { return types.Bool(other.Type() == drawType) }
func (drawValue) ConvertToNative(reflect.Type) (any, error) {
	return nil, errNoValue
}
func (drawValue) ConvertToType(ref.Type) ref.Val {
	return types.NewErr("it is no value by itself")
}

// The arithmetic of CEL does not mix whole and other numbers; ours widens.
var widened = map[string]string{"_+_": "@add", "_-_": "@subtract", "_*_": "@multiply", "_/_": "@divide"}

func newEnvironment() (*cel.Env, error) {
	options := []cel.EnvOption{
		cel.Variable("call", cel.DynType),
		cel.Variable("@now", cel.TimestampType),
		cel.Variable("fake", drawType),
		cel.Variable("random", drawType),
		cel.Macros(append(append([]cel.Macro(nil), cel.StandardMacros...), timeNow, freshUUID)...),
		cel.ParserExpressionSizeLimit(maxExpression),
		ext.Strings(), ext.Encoders(), ext.Math(),
		cel.Function("whole", cel.MemberOverload("random_whole", []*cel.Type{drawType, cel.IntType, cel.IntType}, cel.IntType,
			cel.FunctionBinding(func(args ...ref.Val) ref.Val {
				low, high := args[1].(types.Int), args[2].(types.Int)
				if high < low {
					return types.NewErr("random.whole(%d, %d): the first must not be above the second", low, high)
				}
				return types.Int(args[0].(drawValue).Whole(int64(low), int64(high)))
			}))),
	}
	for _, kind := range FakeKinds {
		options = append(options, cel.Function(kind, cel.MemberOverload("fake_"+kind, []*cel.Type{drawType}, cel.StringType,
			cel.UnaryBinding(func(v ref.Val) ref.Val { return types.String(v.(drawValue).Fake(kind)) }))))
	}
	for standard, name := range widened {
		options = append(options, cel.Function(name, cel.Overload(name, []*cel.Type{cel.DynType, cel.DynType}, cel.DynType,
			cel.BinaryBinding(func(a, b ref.Val) ref.Val { return calculate(standard, a, b) }))))
	}
	return cel.NewEnv(options...)
}

// now() and uuid() are what the scope says, not functions of the world.
var (
	timeNow = cel.GlobalMacro("now", 0, func(f cel.MacroExprFactory, _ ast.Expr, _ []ast.Expr) (ast.Expr, *cel.Error) {
		return f.NewIdent("@now"), nil
	})
	freshUUID = cel.GlobalMacro("uuid", 0, func(f cel.MacroExprFactory, _ ast.Expr, _ []ast.Expr) (ast.Expr, *cel.Error) {
		return f.NewMemberCall("uuid", f.NewIdent("fake")), nil
	})
)

// Compile compiles one expression. The error says what is wrong and where.
func Compile(text string) (*Program, error) {
	env, err := environment()
	if err != nil {
		return nil, fmt.Errorf("set up expressions: %w", err)
	}
	parsed, issues := env.Parse(text)
	if issues.Err() != nil {
		return nil, said(text, issues)
	}
	factory := ast.NewExprFactory()
	ast.PostOrderVisit(parsed.NativeRep().Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		if e.Kind() == ast.CallKind {
			if name := widened[e.AsCall().FunctionName()]; name != "" && len(e.AsCall().Args()) == 2 {
				e.SetKindCase(factory.NewCall(e.ID(), name, e.AsCall().Args()...))
			}
		}
	}))
	checked, issues := env.Check(parsed)
	if issues.Err() != nil {
		return nil, said(text, issues)
	}
	program, err := env.Program(checked, cel.CostLimit(costLimit), cel.EvalOptions(cel.OptOptimize))
	if err != nil {
		return nil, fmt.Errorf("expression %q: %w", text, err)
	}
	return &Program{text, program}, nil
}

// said is the first thing that CEL finds wrong, without its picture of it.
func said(text string, issues *cel.Issues) error {
	first := issues.Errors()[0]
	message, _, _ := strings.Cut(first.Message, "\n")
	message, _, _ = strings.Cut(message, " expecting ") // what follows is every token there is
	return fmt.Errorf("expression %q, character %d: %s", text, first.Location.Column()+1, message)
}

// Run evaluates the program.
func (p *Program) Run(s *Scope) (*tree.Node, error) {
	out, _, err := p.program.Eval(map[string]any{"call": s.Call, "@now": s.Now, "fake": drawValue{s}, "random": drawValue{s}})
	if err != nil {
		return nil, fmt.Errorf("expression %q: %w", p.text, err)
	}
	n, err := nodeOf(out)
	if err != nil {
		return nil, fmt.Errorf("expression %q: %w", p.text, err)
	}
	return n, nil
}

var errNoValue = errors.New("it is no value that JSON has")

// nodeOf turns what an expression gave into a value of a document.
func nodeOf(v ref.Val) (*tree.Node, error) {
	switch v := v.(type) {
	case types.String:
		return tree.NewString(string(v)), nil
	case types.Timestamp:
		return tree.NewString(v.Time.UTC().Format(time.RFC3339)), nil
	case types.Duration:
		return tree.NewString(v.Duration.String()), nil
	}
	native, err := v.ConvertToNative(types.JSONValueType)
	if err != nil {
		return nil, errNoValue
	}
	text, err := json.Marshal(native)
	if err != nil {
		return nil, errNoValue
	}
	return tree.ParseJSON(text)
}
