package expr

import (
	"fmt"
	"reflect"
	"runtime"
	"strings"
	"sync/atomic"

	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/common/types/traits"

	"rapidmimic.example/spec/tree"
)

// Value is a value of a document as expressions take it. Objects and lists are
// looked into when an expression asks, and never copied: a large body costs what an
// expression reads of it. They remember how they were written, when an expression
// gives them back whole. Nil is null.
func Value(n *tree.Node) any { return valueOf(n) }

var adapter = types.DefaultTypeAdapter

func valueOf(n *tree.Node) ref.Val {
	if n == nil {
		return types.NullValue
	}
	switch n.Kind {
	case tree.Bool:
		return types.Bool(n.IsTrue())
	case tree.String:
		return types.String(n.Text)
	case tree.Number:
		if i, ok := n.Int(); ok && !strings.ContainsAny(n.Text, ".eE") {
			return types.Int(i)
		}
		f, _ := n.Float()
		return types.Double(f)
	case tree.List:
		return list{n}
	case tree.Map:
		return object{n}
	default:
		return types.NullValue
	}
}

// list is a list of a document.
type list struct{ node *tree.Node }

// values are the items, which the library knows how to work with.
func (l list) values() traits.Lister {
	items := make([]ref.Val, len(l.node.Items))
	for i, item := range l.node.Items {
		items[i] = valueOf(item)
	}
	return types.NewRefValList(adapter, items)
}

// Size implements traits.Lister, as do all below.
func (l list) Size() ref.Val                { return types.Int(len(l.node.Items)) }
func (l list) Type() ref.Type               { return types.ListType }
func (l list) Value() any                   { return l.values().Value() }
func (l list) Iterator() traits.Iterator    { return l.values().Iterator() }
func (l list) Add(other ref.Val) ref.Val    { return l.values().(traits.Adder).Add(other) }
func (l list) Contains(one ref.Val) ref.Val { return l.values().Contains(one) }

func (l list) Get(index ref.Val) ref.Val {
	at, err := types.GetOrError(index)
	if err != nil {
		return types.WrapErr(err)
	}
	if at < 0 || at >= len(l.node.Items) {
		return types.NewErr("index %d is out of range in a list of %d", at, len(l.node.Items))
	}
	return valueOf(l.node.Items[at])
}

func (l list) Equal(other ref.Val) ref.Val {
	if same, ok := other.(list); ok && same.node == l.node {
		return types.True
	}
	return l.values().Equal(other)
}

func (l list) ConvertToType(t ref.Type) ref.Val {
	if t == types.ListType {
		return l
	}
	return l.values().ConvertToType(t)
}

func (l list) ConvertToNative(t reflect.Type) (any, error) { return l.values().ConvertToNative(t) }

// object is an object of a document.
type object struct{ node *tree.Node }

// values are the members, which the library knows how to work with.
func (o object) values() traits.Mapper {
	members := make(map[string]any, len(o.node.Members))
	for _, m := range o.node.Members {
		members[m.Key] = valueOf(m.Value)
	}
	return types.NewStringInterfaceMap(adapter, members)
}

// Size implements traits.Mapper, as do all below.
func (o object) Size() ref.Val  { return types.Int(len(o.node.Members)) }
func (o object) Type() ref.Type { return types.MapType }
func (o object) Value() any     { return o.values().Value() }

func (o object) Find(key ref.Val) (ref.Val, bool) {
	name, ok := key.(types.String)
	if !ok {
		return types.MaybeNoSuchOverloadErr(key), false
	}
	found := o.node.Get(string(name))
	if found == nil {
		return nil, false
	}
	return valueOf(found), true
}

func (o object) Get(key ref.Val) ref.Val {
	found, ok := o.Find(key)
	if !ok && found == nil {
		return types.NewErr("no such key: %v", key.Value())
	}
	return found
}

func (o object) Contains(key ref.Val) ref.Val {
	found, ok := o.Find(key)
	if !ok && found != nil {
		return found // what is wrong with the key
	}
	return types.Bool(ok)
}

func (o object) Iterator() traits.Iterator {
	names := make([]string, len(o.node.Members))
	for i, m := range o.node.Members {
		names[i] = m.Key
	}
	return types.NewStringList(adapter, names).Iterator()
}

func (o object) Equal(other ref.Val) ref.Val {
	if same, ok := other.(object); ok && same.node == o.node {
		return types.True
	}
	return o.values().Equal(other)
}

func (o object) ConvertToType(t ref.Type) ref.Val {
	if t == types.MapType {
		return o
	}
	return o.values().ConvertToType(t)
}

func (o object) ConvertToNative(t reflect.Type) (any, error) { return o.values().ConvertToNative(t) }

// errTooLarge says that a value has more parts than an expression may make.
var errTooLarge = fmt.Errorf("the value has more than %d parts", mostParts)

// mostParts bounds the parts of a value that an expression makes or compares. The
// library's limit of costs does not see lists that hold one list many times.
const mostParts = 200_000

// yieldEvery is how many parts are looked at, or lists put together, before other
// goroutines are offered the processor: the library's loops do not do that.
const yieldEvery = 256

// listsAdded counts lists put together, of all programs.
var listsAdded atomic.Uint32

// tooLarge reports whether a value has more parts than left, which it takes.
func tooLarge(v ref.Val, left *int) bool {
	if *left--; *left < 0 {
		return true
	}
	if *left%yieldEvery == 0 {
		runtime.Gosched()
	}
	switch v := v.(type) {
	case list, object, types.String: // as large as what it came from
		return false
	case traits.Lister:
		for it := v.Iterator(); it.HasNext() == types.True; {
			if tooLarge(it.Next(), left) {
				return true
			}
		}
	case traits.Mapper:
		for it := v.Iterator(); it.HasNext() == types.True; {
			if tooLarge(v.Get(it.Next()), left) {
				return true
			}
		}
	}
	return false
}
