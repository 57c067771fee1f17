package expr

import (
	"fmt"
	"slices"
	"strconv"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"
)

// The library has functions on lists, too, whose costs it does not count: one range can
// take all memory, one distinct all time. These are counted by the elements that they look
// at, and make (see sized).

// listFunctions take a list and give something; each is called as list.name(…).
var listFunctions = map[string]struct {
	args []*cel.Type
	do   func(items []ref.Val, args []ref.Val) (ref.Val, error)
}{
	"sum":      {nil, func(items, _ []ref.Val) (ref.Val, error) { return addAll(items) }},
	"min":      {nil, func(items, _ []ref.Val) (ref.Val, error) { return extreme(items, -1) }},
	"max":      {nil, func(items, _ []ref.Val) (ref.Val, error) { return extreme(items, 1) }},
	"avg":      {nil, average},
	"first":    {nil, func(items, _ []ref.Val) (ref.Val, error) { return at(items, 0) }},
	"last":     {nil, func(items, _ []ref.Val) (ref.Val, error) { return at(items, len(items)-1) }},
	"sort":     {nil, func(items, _ []ref.Val) (ref.Val, error) { return sortBy(items, items) }},
	"distinct": {nil, func(items, _ []ref.Val) (ref.Val, error) { return distinct(items) }},
	"reverse": {nil, func(items, _ []ref.Val) (ref.Val, error) {
		out := slices.Clone(items)
		slices.Reverse(out)
		return listOf(out), nil
	}},
	"flatten": {nil, func(items, _ []ref.Val) (ref.Val, error) { return flatten(items) }},
	"slice":   {[]*cel.Type{cel.IntType, cel.IntType}, sliced},
	"zip":     {[]*cel.Type{cel.ListType(cel.DynType)}, zipped},
	// what the macros sortBy and groupBy become: the list, and the keys of its elements
	"@sortBy": {[]*cel.Type{cel.ListType(cel.DynType)}, func(items, args []ref.Val) (ref.Val, error) {
		return sortBy(items, elements(args[0]))
	}},
	"@groupBy": {[]*cel.Type{cel.ListType(cel.DynType)}, func(items, args []ref.Val) (ref.Val, error) {
		return groupBy(items, elements(args[0]))
	}},
}

// keyedMacros write list.sortBy(x, key) as a function of the list and of all keys.
var keyedMacros = map[string]string{"sortBy": "@sortBy", "groupBy": "@groupBy"}

func listMacros() (macros []cel.Macro) {
	for name, function := range keyedMacros {
		macros = append(macros, cel.ReceiverMacro(name, 2, func(f cel.MacroExprFactory, target ast.Expr, args []ast.Expr) (ast.Expr, *cel.Error) {
			keys, err := cel.MapMacro.Expander()(f, f.Copy(target), args)
			if err != nil {
				return nil, err
			}
			return f.NewMemberCall(function, target, keys), nil
		}))
	}
	return macros
}

func listOptions() (options []cel.EnvOption) {
	for name, function := range listFunctions {
		args := append([]*cel.Type{cel.ListType(cel.DynType)}, function.args...)
		options = append(options, cel.Function(name, cel.MemberOverload(sizedPrefix+"list_"+name, args, cel.DynType,
			cel.FunctionBinding(func(all ...ref.Val) ref.Val {
				out, err := function.do(elements(all[0]), all[1:])
				if err != nil {
					return types.NewErr("%s: %v", name, err)
				}
				return out
			}))))
	}
	whole := func(n ref.Val) int64 { return int64(n.(types.Int)) }
	return append(options, cel.Function("range",
		cel.Overload(sizedPrefix+"range_to", []*cel.Type{cel.IntType}, cel.ListType(cel.IntType), cel.UnaryBinding(func(n ref.Val) ref.Val { return numbers(0, whole(n)) })),
		cel.Overload(sizedPrefix+"range_from", []*cel.Type{cel.IntType, cel.IntType}, cel.ListType(cel.IntType),
			cel.BinaryBinding(func(low, end ref.Val) ref.Val { return numbers(whole(low), whole(end)) }))))
}

// numbers are the whole numbers from low up to end, which is not among them.
func numbers(low, end int64) ref.Val {
	if end < low || end-low > most || end-low < 0 {
		return types.NewErr("range: from %d to %d are not 0 to %d numbers", low, end, most)
	}
	out := make([]ref.Val, 0, end-low)
	for n := low; n < end; n++ {
		out = append(out, types.Int(n))
	}
	return listOf(out)
}

func listOf(items []ref.Val) ref.Val { return types.NewRefValList(adapter, items) }

// elements are the items of a list.
func elements(v ref.Val) []ref.Val {
	list := v.(traits.Lister)
	out := make([]ref.Val, 0, int(list.Size().(types.Int)))
	for it := list.Iterator(); it.HasNext() == types.True; {
		out = append(out, it.Next())
	}
	return out
}

func at(items []ref.Val, index int) (ref.Val, error) {
	if len(items) == 0 {
		return nil, fmt.Errorf("the list is empty")
	}
	return items[index], nil
}

func addAll(items []ref.Val) (ref.Val, error) {
	var total ref.Val = types.IntZero
	for i, item := range items {
		if !isNumber(item) {
			return nil, fmt.Errorf("element %d is %s, and no number", i, kind(item))
		}
		if total = calculate("_+_", total, item); types.IsError(total) {
			return nil, total.(*types.Err)
		}
	}
	return total, nil
}

func isNumber(v ref.Val) bool { return whole(v) || fractional(v) || v.Type() == decimalType }

func average(items, _ []ref.Val) (ref.Val, error) {
	if len(items) == 0 {
		return nil, fmt.Errorf("the list is empty")
	}
	total, err := addAll(items)
	if err != nil {
		return nil, err
	}
	count := ref.Val(types.Int(len(items)))
	if whole(total) { // 7 / 2 is 3.5 here
		count = types.Double(len(items))
	}
	return calculate("_/_", total, count), nil
}

// compare orders two values: numbers, texts, times, durations and truth values, each with
// its own.
func compare(a, b ref.Val) (int, error) {
	if isNumber(a) && isNumber(b) && a.Type() != b.Type() {
		if a.Type() == decimalType || b.Type() == decimalType {
			return toDecimal(a).Cmp(toDecimal(b).Decimal), nil
		}
		a, b = a.ConvertToType(types.DoubleType), b.ConvertToType(types.DoubleType)
	}
	comparer, ok := a.(traits.Comparer)
	if ok && a.Type() == b.Type() {
		if order, ok := comparer.Compare(b).(types.Int); ok {
			return int(order), nil
		}
	}
	return 0, fmt.Errorf("%s and %s have no order", kind(a), kind(b))
}

// extreme is the element that none is beyond, in the direction of sign.
func extreme(items []ref.Val, sign int) (ref.Val, error) {
	found, err := at(items, 0)
	for _, item := range items[min(1, len(items)):] {
		order, wrong := compare(item, found)
		if wrong != nil {
			return nil, wrong
		}
		if order*sign > 0 {
			found = item
		}
	}
	return found, err
}

// sortBy orders elements by their keys; what is equal keeps its order.
func sortBy(items, keys []ref.Val) (ref.Val, error) {
	order := make([]int, len(items))
	for i := range order {
		order[i] = i
	}
	var failed error
	slices.SortStableFunc(order, func(a, b int) int {
		c, err := compare(keys[a], keys[b])
		if err != nil && failed == nil {
			failed = err
		}
		return c
	})
	out := make([]ref.Val, len(items))
	for i, from := range order {
		out[i] = items[from]
	}
	return listOf(out), failed
}

// keyOf tells a value from others: two have the same when they are equal.
func keyOf(v ref.Val) (string, error) {
	if isNumber(v) {
		return "n" + toDecimal(v).String(), nil
	}
	n, err := nodeOf(v)
	if err != nil {
		return "", err
	}
	return strconv.Itoa(int(n.Kind)) + string(n.AppendJSON(nil)), nil
}

func distinct(items []ref.Val) (ref.Val, error) {
	seen := make(map[string]bool, len(items))
	var out []ref.Val
	for _, item := range items {
		key, err := keyOf(item)
		if err != nil {
			return nil, err
		}
		if !seen[key] {
			seen[key], out = true, append(out, item)
		}
	}
	return listOf(out), nil
}

// groupBy gathers elements by their keys, written as texts.
func groupBy(items, keys []ref.Val) (ref.Val, error) {
	groups := make(map[string][]ref.Val)
	for i, item := range items {
		n, err := nodeOf(keys[i])
		if err != nil {
			return nil, err
		}
		name := n.Text
		if name == "" {
			name = string(n.AppendJSON(nil))
		}
		groups[name] = append(groups[name], item)
	}
	out := make(map[string]any, len(groups))
	for name, group := range groups {
		out[name] = listOf(group)
	}
	return types.NewStringInterfaceMap(adapter, out), nil
}

// flatten takes lists within a list apart, one level deep.
func flatten(items []ref.Val) (ref.Val, error) {
	var out []ref.Val
	for _, item := range items {
		inner, ok := item.(traits.Lister)
		if !ok {
			out = append(out, item)
			continue
		}
		if out = append(out, elements(inner)...); len(out) > most {
			return nil, fmt.Errorf("more than %d elements", most)
		}
	}
	return listOf(out), nil
}

// sliced are the elements from one index up to another; an index below 0 counts from the
// end, and what lies beyond the list is not there.
func sliced(items, args []ref.Val) (ref.Val, error) {
	index := func(v ref.Val) int {
		i := int(v.(types.Int))
		if i < 0 {
			i += len(items)
		}
		return min(max(i, 0), len(items))
	}
	from, to := index(args[0]), index(args[1])
	return listOf(items[from:max(from, to)]), nil
}

// zipped pairs the elements of two lists, as many as the shorter one has.
func zipped(items, args []ref.Val) (ref.Val, error) {
	others := elements(args[0])
	out := make([]ref.Val, min(len(items), len(others)))
	for i := range out {
		out[i] = listOf([]ref.Val{items[i], others[i]})
	}
	return listOf(out), nil
}
