package expr

import (
	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"rapidmimic.example/spec/tree"
)

// memoryOptions are the functions that ask what the service remembers.
func memoryOptions() []cel.EnvOption {
	of := func(name string, results *cel.Type, overloads map[int]func(*Scope, []ref.Val) ref.Val, types ...*cel.Type) cel.EnvOption {
		var options []cel.FunctionOpt
		for count, do := range overloads {
			id := "scope_" + name + "_" + string(rune('0'+count))
			options = append(options, cel.MemberOverload(id, append([]*cel.Type{scopeType}, types[:count]...), results,
				cel.FunctionBinding(func(all ...ref.Val) ref.Val { return do(all[0].(scopeValue).Scope, all[1:]) })))
		}
		return cel.Function(name, options...)
	}
	recall := func(s *Scope, key ref.Val) *tree.Node {
		if s.Recall == nil {
			return nil
		}
		return s.Recall(string(key.(types.String)))
	}
	state := func(s *Scope, flow, thing string) ref.Val {
		if s.State == nil {
			return types.String("")
		}
		return types.String(s.State(flow, thing))
	}
	return []cel.EnvOption{
		of("recall", cel.DynType, map[int]func(*Scope, []ref.Val) ref.Val{
			1: func(s *Scope, args []ref.Val) ref.Val { return valueOf(recall(s, args[0])) },
			2: func(s *Scope, args []ref.Val) ref.Val {
				if found := recall(s, args[0]); found != nil {
					return valueOf(found)
				}
				return args[1]
			},
		}, cel.StringType, cel.DynType),
		of("state", cel.StringType, map[int]func(*Scope, []ref.Val) ref.Val{
			1: func(s *Scope, args []ref.Val) ref.Val { return state(s, string(args[0].(types.String)), "") },
			2: func(s *Scope, args []ref.Val) ref.Val {
				return state(s, string(args[0].(types.String)), text(args[1]))
			},
		}, cel.StringType, cel.DynType),
	}
}

// text is a value as it stands in the name of a thing.
func text(v ref.Val) string {
	n, err := nodeOf(v)
	if err != nil || n == nil {
		return ""
	}
	if n.Kind == tree.List || n.Kind == tree.Map {
		return string(n.AppendJSON(nil))
	}
	return n.Text
}
