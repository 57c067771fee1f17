package tree

import (
	"errors"
	"fmt"
	"reflect"
	"strconv"
	"strings"
	"sync"
	"time"

	"rapidmimic.example/spec/problem"
)

// Decoder is implemented by types that read themselves, such as a value that
// may be one name or a list of names.
type Decoder interface {
	// DecodeTree reads n. The error says what was expected instead; a
	// *problem.Error may name places relative to n.
	DecodeTree(n *Node) error
}

// Decode reads n into the struct that v points to, by its json tags, and
// reports everything that does not fit: unknown keys (with the likely
// intended one) and wrong kinds, each at its place. Fields without a key keep
// the value they had, so defaults are set before. what names the thing in
// messages, such as "mapping".
//
// Fields of type *Node take any value as it stands.
func Decode(n *Node, v any, what string) []problem.Item {
	d := &decoding{}
	d.value(n, reflect.ValueOf(v).Elem(), "", what)
	return d.items
}

type decoding struct{ items []problem.Item }

func (d *decoding) fault(n *Node, at, format string, args ...any) {
	d.items = append(d.items, problem.Item{
		At: at, Line: int(n.Line), Col: int(n.Col), Detail: fmt.Sprintf(format, args...),
	})
}

func (d *decoding) wrongKind(n *Node, at, what string, want Kind) {
	d.fault(n, at, "%s must be %s, not %s", what, want, shown(n))
}

// shown is a value as a message names it: what it says, or of what kind it is.
func shown(n *Node) string {
	if n.Kind == String || n.Kind == Number || n.Kind == Bool {
		return strconv.Quote(n.Text)
	}
	return n.Kind.String()
}

var nodeType = reflect.TypeFor[*Node]()

func (d *decoding) value(n *Node, v reflect.Value, at, what string) {
	if v.Type() == nodeType {
		v.Set(reflect.ValueOf(n))
		return
	}
	if self, ok := v.Addr().Interface().(Decoder); ok {
		d.self(n, self, at, what)
		return
	}
	if moment, ok := v.Addr().Interface().(*time.Time); ok {
		if err := moment.UnmarshalText([]byte(n.Text)); err != nil || n.Kind != String {
			d.fault(n, at, "%s must be a moment such as 2026-12-01T10:00:00Z, not %q", what, n.Text)
		}
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		if n.Kind == Null {
			return
		}
		target := reflect.New(v.Type().Elem())
		d.value(n, target.Elem(), at, what)
		v.Set(target)
	case reflect.Struct:
		d.structure(n, v, at, what)
	case reflect.Slice:
		d.list(n, v, at, what)
	case reflect.Map:
		d.dictionary(n, v, at, what)
	case reflect.String:
		if n.Kind != String && n.Kind != Number {
			d.wrongKind(n, at, what, String)
			return
		}
		v.SetString(n.Text) // a number stays as it was written: 01234, 1.0
	case reflect.Bool:
		if n.Kind != Bool {
			d.fault(n, at, "%s must be true or false, not %s", what, shown(n))
			return
		}
		v.SetBool(n.Text == "true")
	case reflect.Int, reflect.Int64:
		d.integer(n, v, at, what)
	default:
		panic("tree: cannot decode into " + v.Type().String())
	}
}

func (d *decoding) self(n *Node, self Decoder, at, what string) {
	err := self.DecodeTree(n)
	var places *problem.Error
	switch {
	case err == nil:
	case errors.As(err, &places) && len(places.Items) > 0:
		for _, item := range places.Items {
			item.At = at + item.At
			d.items = append(d.items, item)
		}
	default:
		d.fault(n, at, "%s %v", what, err)
	}
}

func (d *decoding) integer(n *Node, v reflect.Value, at, what string) {
	if n.Kind != Number {
		d.wrongKind(n, at, what, Number)
		return
	}
	i, err := strconv.ParseInt(n.Text, 10, 64)
	if err != nil {
		d.fault(n, at, "%s must be a whole number, not %s", what, n.Text)
		return
	}
	v.SetInt(i)
}

func (d *decoding) list(n *Node, v reflect.Value, at, what string) {
	if n.Kind != List {
		d.wrongKind(n, at, what, List)
		return
	}
	out := reflect.MakeSlice(v.Type(), len(n.Items), len(n.Items))
	if one, ok := singular[what]; ok {
		what = one
	}
	for i, item := range n.Items {
		d.value(item, out.Index(i), Join(at, strconv.Itoa(i)), what)
	}
	v.Set(out)
}

// singular is what messages call an element of a list or an object, where its key does not
// say.
var singular = map[string]string{"where": "condition", "all": "condition", "any": "condition", "none": "condition", "sequence": "answer", "choose": "choice", "send": "step", "edit": "step",
	"scenarios": "scenario", "variables": "variable", "impairments": "impairment", "mappings": "mapping"}

// dictionary reads an object with free keys into a map.
func (d *decoding) dictionary(n *Node, v reflect.Value, at, what string) {
	if n.Kind != Map {
		d.wrongKind(n, at, what, Map)
		return
	}
	out := reflect.MakeMapWithSize(v.Type(), len(n.Members))
	if one, ok := singular[what]; ok {
		what = one
	}
	for _, m := range n.Members {
		value := reflect.New(v.Type().Elem()).Elem()
		d.value(m.Value, value, Join(at, m.Key), what+" "+m.Key)
		out.SetMapIndex(reflect.ValueOf(m.Key), value)
	}
	v.Set(out)
}

func (d *decoding) structure(n *Node, v reflect.Value, at, what string) {
	if n.Kind != Map {
		d.wrongKind(n, at, what, Map)
		return
	}
	fields := fieldsOf(v.Type())
	for _, m := range n.Members {
		i, ok := fields.index[m.Key]
		if !ok {
			detail := fmt.Sprintf("%q is not a key of %s (%s)", m.Key, what, problem.Suggest(m.Key, fields.names, "it has"))
			d.items = append(d.items, problem.Item{At: Join(at, m.Key), Line: int(m.Line), Col: int(m.Col), Detail: detail})
			continue
		}
		d.value(m.Value, v.FieldByIndex(i), Join(at, m.Key), m.Key)
	}
}

type structFields struct {
	names []string
	index map[string][]int // way to the field
}

// Keys are the keys that the documents of a struct can have, in their order.
func Keys(v any) []string {
	t := reflect.TypeOf(v)
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	return fieldsOf(t).names
}

// knownFields holds what fieldsOf found: there are but a few types.
var knownFields sync.Map // reflect.Type → structFields

func fieldsOf(t reflect.Type) structFields {
	if known, ok := knownFields.Load(t); ok {
		return known.(structFields)
	}
	f := structFields{index: make(map[string][]int)}
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ",")
		if t.Field(i).Anonymous && name == "" {
			inner := fieldsOf(t.Field(i).Type)
			for _, name := range inner.names {
				f.names = append(f.names, name)
				f.index[name] = append([]int{i}, inner.index[name]...)
			}
			continue
		}
		if name == "" || name == "-" {
			continue
		}
		f.names = append(f.names, name)
		f.index[name] = []int{i}
	}
	knownFields.Store(t, f)
	return f
}

// Locate fills in line and column of items whose JSON Pointer leads into n.
// An item whose place does not exist gets that of the nearest one above it.
func Locate(n *Node, items []problem.Item) []problem.Item {
	for i := range items {
		if items[i].Line > 0 {
			continue
		}
		for at := items[i].At; ; at = at[:strings.LastIndexByte(at, '/')] {
			if found := n.At(at); found != nil {
				items[i].Line, items[i].Col = int(found.Line), int(found.Col)
				break
			}
			if at == "" {
				break
			}
		}
	}
	return items
}
