package expr

import (
	"fmt"
	"slices"
	"strconv"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"
)

// objectOptions are the functions on objects, and those that make objects.
func objectOptions() []cel.EnvOption {
	object := cel.MapType(cel.StringType, cel.DynType)
	of := func(name string, args []*cel.Type, do func(o traits.Mapper, args []ref.Val) (ref.Val, error)) cel.EnvOption {
		return cel.Function(name, cel.MemberOverload(sizedPrefix+"object_"+name, append([]*cel.Type{object}, args...), cel.DynType,
			cel.FunctionBinding(func(all ...ref.Val) ref.Val {
				out, err := do(all[0].(traits.Mapper), all[1:])
				if err != nil {
					return types.NewErr("%s: %v", name, err)
				}
				return out
			})))
	}
	return []cel.EnvOption{
		of("merge", []*cel.Type{object}, func(o traits.Mapper, args []ref.Val) (ref.Val, error) {
			out := members(o)
			for key, value := range members(args[0].(traits.Mapper)) {
				out[key] = value
			}
			return types.NewStringInterfaceMap(adapter, out), nil
		}),
		of("without", []*cel.Type{cel.ListType(cel.StringType)}, func(o traits.Mapper, args []ref.Val) (ref.Val, error) {
			out := members(o)
			for _, key := range elements(args[0]) {
				delete(out, fmt.Sprint(key.Value()))
			}
			return types.NewStringInterfaceMap(adapter, out), nil
		}),
		of("keys", nil, func(o traits.Mapper, _ []ref.Val) (ref.Val, error) {
			return types.NewStringList(adapter, namesOf(o)), nil
		}),
		of("values", nil, func(o traits.Mapper, _ []ref.Val) (ref.Val, error) {
			out := []ref.Val{}
			for _, name := range namesOf(o) {
				out = append(out, o.Get(types.String(name)))
			}
			return listOf(out), nil
		}),
		of("entries", nil, func(o traits.Mapper, _ []ref.Val) (ref.Val, error) {
			out := []ref.Val{}
			for _, name := range namesOf(o) {
				out = append(out, types.NewStringInterfaceMap(adapter, map[string]any{"key": name, "value": o.Get(types.String(name))}))
			}
			return listOf(out), nil
		}),
		cel.Function("paged", cel.Overload(sizedPrefix+"paged", []*cel.Type{cel.ListType(cel.DynType), cel.DynType, cel.DynType}, cel.DynType,
			cel.FunctionBinding(func(args ...ref.Val) ref.Val { return paged(elements(args[0]), args[1], args[2]) }))),
	}
}

func members(o traits.Mapper) map[string]any {
	out := make(map[string]any)
	for it := o.Iterator(); it.HasNext() == types.True; {
		key := it.Next()
		out[fmt.Sprint(key.Value())] = o.Get(key)
	}
	return out
}

// namesOf are the keys of an object: as they were written in one of a document, else in
// the order of the alphabet.
func namesOf(o traits.Mapper) []string {
	names := []string{}
	for it := o.Iterator(); it.HasNext() == types.True; {
		names = append(names, fmt.Sprint(it.Next().Value()))
	}
	if _, written := o.(object); !written {
		slices.Sort(names)
	}
	return names
}

// paged is one page of a list, with counts and the numbers of the pages beside it. Pages
// are counted from 1; page and size may be texts, as those of a query are.
func paged(items []ref.Val, page, size ref.Val) ref.Val {
	number, err := countOf("page", page)
	if err != nil {
		return types.WrapErr(err)
	}
	per, err := countOf("size", size)
	if err != nil {
		return types.WrapErr(err)
	}
	pages := (len(items) + per - 1) / per
	from := min((number-1)*per, len(items))
	out := map[string]any{
		"items": listOf(items[from:min(from+per, len(items))]),
		"page":  number, "size": per, "total": len(items), "pages": pages,
		"previous": types.NullValue, "next": types.NullValue,
	}
	links := map[string]any{"self": pageLink(number, per), "first": pageLink(1, per), "last": pageLink(max(pages, 1), per)}
	if number > 1 {
		out["previous"], links["previous"] = number-1, pageLink(number-1, per)
	}
	if number < pages {
		out["next"], links["next"] = number+1, pageLink(number+1, per)
	}
	out["links"] = links
	return types.NewStringInterfaceMap(adapter, out)
}

func pageLink(page, size int) string { return fmt.Sprintf("?page=%d&size=%d", page, size) }

func countOf(what string, v ref.Val) (int, error) {
	n, ok := v.(types.Int)
	if text, isText := v.(types.String); isText {
		parsed, err := strconv.Atoi(string(text))
		n, ok = types.Int(parsed), err == nil
	}
	if !ok || n < 1 || n > 1_000_000 {
		return 0, fmt.Errorf("paged: %s must be a whole number from 1 to 1000000, not %v", what, v.Value())
	}
	return int(n), nil
}
