package expr

import (
	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"

	"rapidmimic.example/spec/tree"
)

// FakeKinds are the functions of fake: fake.ship(), fake.town() …
var FakeKinds = []string{"ship", "name", "firstName", "lastName", "company", "town", "country", "street", "email", "phone", "url",
	"word", "sentence", "date", "time", "id", "amount", "uuid"}

// scopeFunctions are those that ask the scope without naming it, with how many
// arguments each takes: CEL itself gives functions no context, so that they are
// rewritten into functions of a value of the scope.
var scopeFunctions = map[string][]int{"now": {0}, "uuid": {0}, "counter": {1}, "jsonpath": {2}, "jsonpathAll": {2}, "xpath": {2}, "xpathAll": {2}, "payload": {1}, "payloadBase64": {1},
	"recall": {1, 2}, "state": {1, 2}}

// most bounds what one function may make: elements of a list, characters;
// mostText the bytes of a text that is put together step by step.
const (
	most     = 100_000
	mostText = 1_000_000
)

func scopeOptions() []cel.EnvOption {
	of := func(name string, args []*cel.Type, result *cel.Type, do func(*Scope, []ref.Val) ref.Val) cel.EnvOption {
		return cel.Function(name, cel.MemberOverload("scope_"+name, append([]*cel.Type{scopeType}, args...), result,
			cel.FunctionBinding(func(all ...ref.Val) ref.Val { return do(all[0].(scopeValue).Scope, all[1:]) })))
	}
	two := func(t *cel.Type) []*cel.Type { return []*cel.Type{t, t} }
	options := []cel.EnvOption{
		of("whole", two(cel.IntType), cel.IntType, func(s *Scope, args []ref.Val) ref.Val {
			low, high := args[0].(types.Int), args[1].(types.Int)
			if high < low {
				return types.NewErr("random.whole(%d, %d): the first must not be above the second", low, high)
			}
			return types.Int(s.Whole(int64(low), int64(high)))
		}),
		of("decimal", two(cel.DynType), cel.DoubleType, drawDecimal),
		of("pick", []*cel.Type{cel.ListType(cel.DynType)}, cel.DynType, func(s *Scope, args []ref.Val) ref.Val {
			list := args[0].(traits.Lister)
			size := int64(list.Size().(types.Int))
			if size == 0 {
				return types.NewErr("random.pick: the list is empty")
			}
			return list.Get(types.Int(s.Whole(0, size-1)))
		}),
		of("counter", []*cel.Type{cel.StringType}, cel.IntType, func(s *Scope, args []ref.Val) ref.Val {
			return types.Int(s.Count(string(args[0].(types.String))))
		}),
		of("jsonpath", []*cel.Type{cel.DynType, cel.StringType}, cel.DynType, first("jsonpath", findJSON)),
		of("jsonpathAll", []*cel.Type{cel.DynType, cel.StringType}, cel.ListType(cel.DynType), findJSON),
		of("xpath", two(cel.StringType), cel.DynType, first("xpath", findXML)),
		of("xpathAll", two(cel.StringType), cel.ListType(cel.DynType), findXML),
	}
	for _, kind := range FakeKinds {
		options = append(options, of(kind, nil, cel.StringType, func(s *Scope, _ []ref.Val) ref.Val { return types.String(s.Fake(kind)) }))
	}
	return options
}

// drawDecimal draws a number with two digits after the point.
func drawDecimal(s *Scope, args []ref.Val) ref.Val {
	low, lowOK := args[0].ConvertToType(types.DoubleType).(types.Double)
	high, highOK := args[1].ConvertToType(types.DoubleType).(types.Double)
	if !lowOK || !highOK || high < low || high-low > 1e15 {
		return types.NewErr("random.decimal takes two numbers, the first not above the second")
	}
	return types.Double(float64(s.Whole(int64(low*100), int64(high*100))) / 100)
}

// first gives what a look-up finds first; an error when it finds nothing.
func first(name string, find func(*Scope, []ref.Val) ref.Val) func(*Scope, []ref.Val) ref.Val {
	return func(s *Scope, args []ref.Val) ref.Val {
		found, ok := find(s, args).(traits.Lister)
		if !ok {
			return find(s, args)
		}
		if found.Size() == types.IntZero {
			return types.NewErr("%s finds nothing at %v", name, args[1].Value())
		}
		return found.Get(types.IntZero)
	}
}

func findJSON(s *Scope, args []ref.Val) ref.Val {
	root, err := nodeOf(args[0])
	if err != nil {
		return types.WrapErr(err)
	}
	if text, ok := args[0].(types.String); ok { // a text that is JSON
		if parsed, err := tree.ParseJSON([]byte(text)); err == nil {
			root = parsed
		}
	}
	found, err := s.JSONPath(root, string(args[1].(types.String)))
	if err != nil {
		return types.WrapErr(err)
	}
	return types.DefaultTypeAdapter.NativeToValue(Value(tree.NewList(found...)))
}

func findXML(s *Scope, args []ref.Val) ref.Val {
	found, err := s.XPath(string(args[0].(types.String)), string(args[1].(types.String)))
	if err != nil {
		return types.WrapErr(err)
	}
	return types.DefaultTypeAdapter.NativeToValue(found)
}
