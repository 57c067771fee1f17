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
	"maps"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"
	"cel.dev/cel-go/ext"
	"cel.dev/cel-go/interpreter"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/spec/tree"
)

// Scope is what the expressions of one call see.
type Scope struct {
	// Call has the parts of the call: method, path (the parameters), query,
	// headers, body. Its values are strings, numbers, bools, nil, []any,
	// map[string]any, and what Value gives.
	Call map[string]any
	// Part gives a part of the call that Call does not have, when an expression
	// asks for it; nil when there are none. It is asked once for each.
	Part func(name string) any
	// Original is the answer that is being changed: status, headers and body; nil where
	// none is. What the upstream said is called upstream, too.
	Original map[string]any
	// Vars are the variables by name; nil for none.
	Vars map[string]any
	// Base is the address of the service as the call had it, without the path
	// within the service.
	Base string
	Now  time.Time
	// Fake draws a value of a kind (see FakeKinds), Whole a whole number with
	// both ends included. Both are called in the order of the expressions.
	Fake  func(kind string) string
	Whole func(low, high int64) int64
	// Count counts the uses of a counter: 1, 2, 3 …
	Count func(name string) int64
	// JSONPath finds values in a value, XPath texts in an XML document.
	JSONPath func(root *tree.Node, path string) ([]*tree.Node, error)
	XPath    func(document, path string) ([]string, error)
	// Payload gives the content of a payload of the service; nil where there are none.
	Payload func(name string) ([]byte, error)
	// Recall is what the service remembers under a key, nil for nothing; State the state of
	// a thing in a flow.
	Recall func(key string) *tree.Node
	State  func(flow, of string) string
	// Let are the values that an answer names, as they are known so far.
	Let map[string]any
	// Budget is what the call has left; nil stands for no bound.
	Budget *budget.Budget
}

// costLimit bounds what one expression may cost, in CEL's own units.
const costLimit = 100_000

// maxExpression bounds the length of one expression, in characters.
const maxExpression = 4_000

// Program is a compiled expression. It is immutable and safe for concurrent
// use.
type Program struct {
	text    string
	program cel.Program
	parts   []string // of the call that it looks at
	// variables are those that it uses by their names.
	variables []string
	steps     int // what it takes at least
	// lookup is all that it is, or constant all that it gives; nil for any other.
	lookup   *lookup
	constant *tree.Node
}

// LooksAt reports whether the program looks at a part of the call.
func (p *Program) LooksAt(part string) bool { return slices.Contains(p.parts, part) }

// callParts are all parts of a call.
var callParts = []string{"method", "path", "query", "queries", "headers", "cookies", "caller", "certificate", "address", "text", "body"}

// partsOf lists the parts of the call that an expression looks at: all, where it
// uses the call otherwise than by call.NAME.
func partsOf(root ast.Expr) (parts []string) {
	named, idents := make(map[string]bool), 0
	ast.PostOrderVisit(root, ast.NewExprVisitor(func(e ast.Expr) {
		switch {
		case e.Kind() == ast.IdentKind && e.AsIdent() == "call":
			idents++
		case e.Kind() == ast.SelectKind && e.AsSelect().Operand().Kind() == ast.IdentKind && e.AsSelect().Operand().AsIdent() == "call":
			named[e.AsSelect().FieldName()] = true
			idents--
		}
	}))
	if idents != 0 {
		return callParts
	}
	return slices.Sorted(maps.Keys(named))
}

// call is what a program sees of the call.
func (s *Scope) call(parts []string) map[string]any {
	if s.Part == nil {
		return s.Call
	}
	if s.Call == nil {
		s.Call = make(map[string]any, len(parts))
	}
	for _, name := range parts {
		if _, known := s.Call[name]; !known && slices.Contains(callParts, name) {
			s.Call[name] = s.Part(name)
		}
	}
	return s.Call
}

var environment = sync.OnceValues(newEnvironment)

// scopeType is the type of `fake` and `random`, whose functions ask the scope.
var scopeType = cel.ObjectType("rapidmimic.Scope")

type scopeValue struct{ *Scope }

func (scopeValue) Type() ref.Type                { return scopeType }
func (v scopeValue) Value() any                  { return v.Scope }
func (v scopeValue) Equal(other ref.Val) ref.Val { return types.Bool(other.Type() == scopeType) }
func (scopeValue) ConvertToNative(reflect.Type) (any, error) {
	return nil, errNoValue
}
func (scopeValue) ConvertToType(ref.Type) ref.Val {
	return types.NewErr("it is no value by itself")
}

// The arithmetic of CEL does not mix whole and other numbers; ours widens.
var widened = map[string]string{"_+_": "@add", "_-_": "@subtract", "_*_": "@multiply", "_/_": "@divide"}

func newEnvironment() (*cel.Env, error) {
	macros := append([]cel.Macro(nil), cel.StandardMacros...)
	for name, counts := range scopeFunctions {
		for _, count := range counts {
			macros = append(macros, cel.GlobalMacro(name, count, func(f cel.MacroExprFactory, _ ast.Expr, args []ast.Expr) (ast.Expr, *cel.Error) {
				if name == "now" {
					return f.NewIdent("@now"), nil
				}
				return f.NewMemberCall(name, f.NewIdent("@scope"), args...), nil
			}))
		}
	}
	options := []cel.EnvOption{
		cel.Variable("call", cel.DynType),
		cel.Variable("original", cel.DynType),
		cel.Variable("upstream", cel.DynType),
		cel.Variable("vars", cel.DynType),
		cel.Variable("@now", cel.TimestampType),
		cel.Variable("@scope", scopeType),
		cel.Variable("fake", scopeType),
		cel.Variable("random", scopeType),
		cel.Variable("jwt", scopeType),
		cel.Variable("@let", cel.DynType),
		cel.Macros(append(macros, listMacros()...)...),
		cel.ParserExpressionSizeLimit(maxExpression),
		ext.Strings(ext.StringsVersion(0)), ext.Encoders(), ext.Math(), // later ones write nested lists without a bound
	}
	for standard, name := range widened {
		options = append(options, cel.Function(name, cel.Overload(name, []*cel.Type{cel.DynType, cel.DynType}, cel.DynType,
			cel.BinaryBinding(func(a, b ref.Val) ref.Val { return calculate(standard, a, b) }))))
	}
	options = append(append(options, scopeOptions()...), memoryOptions()...)
	options = append(options, textOptions()...)
	options = append(options, listOptions()...)
	options = append(options, objectOptions()...)
	options = append(options, decimalOptions()...)
	options = append(options, tokenOptions()...)
	options = append(options, payloadOptions()...)
	return cel.NewEnv(append(options, timeOptions()...)...)
}

// Compile compiles one expression. The error says what is wrong and where. names are those
// of Scope.Let that it can use.
func Compile(text string, names ...string) (*Program, error) {
	env, err := environment()
	if err != nil {
		return nil, fmt.Errorf("set up expressions: %w", err)
	}
	parsed, issues := env.Parse(text)
	if issues.Err() != nil {
		return nil, said(text, issues)
	}
	factory := ast.NewExprFactory()
	hidden, fresh := "", ast.MaxID(parsed.NativeRep())
	ast.PostOrderVisit(parsed.NativeRep().Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		switch e.Kind() {
		case ast.IdentKind:
			if name := e.AsIdent(); slices.Contains(names, name) {
				fresh++
				e.SetKindCase(factory.NewSelect(e.ID(), factory.NewIdent(fresh, "@let"), name))
			}
		case ast.ComprehensionKind:
			if name := e.AsComprehension().IterVar(); slices.Contains(names, name) {
				hidden = name
			}
		case ast.CallKind:
			if name := widened[e.AsCall().FunctionName()]; name != "" && len(e.AsCall().Args()) == 2 {
				e.SetKindCase(factory.NewCall(e.ID(), name, e.AsCall().Args()...))
			}
		}
	}))
	if hidden != "" {
		return nil, fmt.Errorf("expression %q: %s is named by let, so elements of a list need another name", text, hidden)
	}
	checked, issues := env.Check(parsed)
	if issues.Err() != nil {
		return nil, said(text, issues)
	}
	options := []cel.ProgramOption{cel.EvalOptions(cel.OptOptimize), cel.CustomDecoratorV2(bounded)}
	steps := plainSteps
	if !isPlain(checked.NativeRep().Expr()) {
		options, steps = append(options, cel.CostTracking(sized{}), cel.CostLimit(costLimit)), costSteps
	}
	program, err := env.Program(checked, options...)
	if err != nil {
		return nil, fmt.Errorf("expression %q: %w", text, err)
	}
	root := parsed.NativeRep().Expr()
	p := &Program{text: text, program: program, parts: partsOf(root), variables: variablesOf(root), steps: steps, lookup: lookupOf(root)}
	p.constant = constantOf(p, root)
	return p, nil
}

// said is the first thing that CEL finds wrong, without its picture of it.
func said(text string, issues *cel.Issues) error {
	first := issues.Errors()[0]
	message, _, _ := strings.Cut(first.Message, "\n")
	message, _, _ = strings.Cut(message, " expecting ") // what follows is every token there is
	if strings.HasSuffix(message, "'<EOF>'") {
		message = "it ends too early"
	}
	return fmt.Errorf("expression %q, character %d: %s", text, first.Location.Column()+1, message)
}

// activation is a scope as CEL looks names up.
type activation struct {
	scope *Scope
	parts []string
}

// ResolveName implements cel.Activation.
func (a *activation) ResolveName(name string) (any, bool) {
	switch name {
	case "call":
		return a.scope.call(a.parts), true
	case "original", "upstream":
		return a.scope.Original, a.scope.Original != nil
	case "vars":
		return a.scope.Vars, true
	case "@now":
		return a.scope.Now, true
	case "@let":
		return a.scope.Let, a.scope.Let != nil
	case "fake", "random", "jwt", "@scope":
		return scopeValue{a.scope}, true
	default:
		return nil, false
	}
}

// Parent implements cel.Activation.
func (a *activation) Parent() cel.Activation { return nil }

// isPlain reports whether an expression has neither loops nor functions beside
// operators: then its length bounds its cost.
func isPlain(root ast.Expr) bool {
	plain := true
	ast.PostOrderVisit(root, ast.NewExprVisitor(func(e ast.Expr) {
		switch e.Kind() {
		case ast.ComprehensionKind:
			plain = false
		case ast.CallKind:
			name := e.AsCall().FunctionName()
			plain = plain && (strings.HasPrefix(name, "_") || strings.HasPrefix(name, "@") || strings.HasPrefix(name, "!") || strings.HasPrefix(name, "-"))
		}
	}))
	return plain
}

// bounded replaces comparisons by such that refuse values with too many parts.
func bounded(i interpreter.InterpretableV2) (interpreter.InterpretableV2, error) {
	c, ok := i.(interpreter.InterpretableCall)
	if !ok || len(c.Args()) != 2 {
		return i, nil
	}
	var compare func(a, b ref.Val) ref.Val
	switch c.Function() {
	case "_==_":
		compare = types.Equal
	case "_!=_":
		compare = func(a, b ref.Val) ref.Val { return types.Bool(types.Equal(a, b) != types.True) }
	case "@in":
		compare = func(a, b ref.Val) ref.Val {
			if among, ok := b.(traits.Container); ok {
				return among.Contains(a)
			}
			return types.MaybeNoSuchOverloadErr(b)
		}
	default:
		return i, nil
	}
	return interpreter.NewCall(c.ID(), c.Function(), c.OverloadID(), c.Args(), func(args ...ref.Val) ref.Val {
		left := mostParts
		if tooLarge(args[0], &left) || tooLarge(args[1], &left) {
			return types.WrapErr(errTooLarge)
		}
		return compare(args[0], args[1])
	}), nil
}

// sizedPrefix begins the names of overloads that cost as much as they look at and make.
const sizedPrefix = "sized_"

// signatureCost is what signing a token, and looking at its signature, costs: some tens of
// them an expression.
const signatureCost = 2_000

// sized tells CEL what functions on lists and objects cost, which it takes for one step.
type sized struct{}

// CallCost implements CEL's estimator of actual costs.
func (sized) CallCost(_, overload string, args []ref.Val, result ref.Val) *uint64 {
	if overload == "scope_sign" || overload == "scope_verify" {
		cost := uint64(signatureCost)
		return &cost
	}
	if !strings.HasPrefix(overload, sizedPrefix) {
		return nil
	}
	cost := uint64(1)
	for _, v := range append(args[:len(args):len(args)], result) {
		if sizer, ok := v.(traits.Sizer); ok {
			if size, ok := sizer.Size().(types.Int); ok {
				cost += uint64(size)
			}
		}
	}
	return &cost
}

// Steps that running a program takes from the budget: one without loops, and one
// that may cost as much as costLimit.
const (
	plainSteps = 20
	costSteps  = 200
)

// Run evaluates the program. An error of the budget is wrapped.
func (p *Program) Run(s *Scope) (*tree.Node, error) {
	if p.constant != nil {
		return p.constant, s.Budget.Spend(p.steps)
	}
	out, err := p.value(s)
	var n *tree.Node
	if err == nil {
		n, err = nodeOf(out)
	}
	if err != nil {
		return nil, fmt.Errorf("expression %q: %w", p.text, err)
	}
	return n, nil
}

// value evaluates the program; what it gives is not looked at yet.
func (p *Program) value(s *Scope) (ref.Val, error) {
	if err := s.Budget.Spend(p.steps); err != nil {
		return nil, err
	}
	if p.lookup != nil {
		if found, ok := p.lookup.in(s, p.parts); ok {
			return found, nil
		}
	}
	out, details, err := p.program.Eval(&activation{s, p.parts})
	if cost := details.ActualCost(); cost != nil {
		_ = s.Budget.Spend(int(*cost)) // who works on sees it
	}
	if err == nil {
		err = s.Budget.Err()
	}
	if err != nil {
		err = p.withoutVariable(s, err)
	}
	return out, err
}

var errNoValue = errors.New("it is no value that JSON has")

// nodeOf turns what an expression gave into a value of a document, unless it has
// too many parts.
func nodeOf(v ref.Val) (*tree.Node, error) {
	if left := mostParts; tooLarge(v, &left) {
		return nil, errTooLarge
	}
	return written(v)
}

// written is nodeOf for a value that is not too large.
func written(v ref.Val) (*tree.Node, error) {
	switch v := v.(type) {
	case types.String:
		return tree.NewString(string(v)), nil
	case types.Int:
		return tree.NewNumber(strconv.FormatInt(int64(v), 10)), nil
	case types.Double:
		text, err := json.Marshal(float64(v))
		if err != nil { // infinity, or no number
			return nil, errNoValue
		}
		return tree.NewNumber(string(text)), nil
	case types.Bool:
		return tree.NewBool(bool(v)), nil
	case types.Timestamp:
		return tree.NewString(v.Time.UTC().Format(time.RFC3339)), nil
	case types.Duration:
		return tree.NewString(v.Duration.String()), nil
	case number:
		return tree.NewNumber(v.text()), nil
	}
	switch v := v.(type) {
	case object:
		return v.node, nil
	case list:
		return v.node, nil
	}
	if list, ok := v.(traits.Lister); ok {
		out := tree.NewList()
		for it := list.Iterator(); it.HasNext() == types.True; {
			item, err := written(it.Next())
			if err != nil {
				return nil, err
			}
			out.Items = append(out.Items, item)
		}
		return out, nil
	}
	if object, ok := v.(traits.Mapper); ok {
		return objectOf(object)
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

// objectOf is an object that an expression made, ordered by its keys.
func objectOf(object traits.Mapper) (*tree.Node, error) {
	var members []tree.Member
	for it := object.Iterator(); it.HasNext() == types.True; {
		key := it.Next()
		name, ok := key.(types.String)
		if !ok {
			return nil, errors.New("the keys of an object must be texts")
		}
		value, err := written(object.Get(key))
		if err != nil {
			return nil, err
		}
		members = append(members, tree.Member{Key: string(name), Value: value})
	}
	slices.SortFunc(members, func(a, b tree.Member) int { return strings.Compare(a.Key, b.Key) })
	return tree.NewMap(members...), nil
}
