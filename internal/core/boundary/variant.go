package boundary

import (
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/contract"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// Variant is an answer in which a field has a boundary value, or several fields have one each.
type Variant struct {
	ID       string   `json:"id"`
	Says     string   `json:"says"`
	Shown    string   `json:"shown"` // the value, shortened
	Validity Validity `json:"validity"`
	Breach   string   `json:"breach,omitempty"`
	// Follows are counts and totals that are changed with it.
	Follows []string `json:"follows,omitempty"`
	// Edit makes it of the answer as it is.
	Edit []spec.EditStep `json:"edit"`
}

// Choice says which variants are wanted.
type Choice struct {
	// Paths are the fields; of several, all pairs of their values are combined.
	Paths []string
	// Only are valid or invalid ones alone; "" for all.
	Only Validity
	// Alone leaves counts and totals as they are.
	Alone bool
}

// MostVariants bounds how many there are of one answer.
const MostVariants = 2_000

// mostBytes bounds what all variants of an answer take.
const mostBytes = 16 << 20

// Variants are those of a document. schema is that of the document; nil for none.
func Variants(document *tree.Node, schema *contract.Schema, c Choice) (fields []*Field, variants []Variant, err error) {
	switch c.Only {
	case "", Valid, Invalid:
	default:
		return nil, nil, problem.New(problem.Invalid, "only must be valid or invalid, not %q", c.Only)
	}
	if len(c.Paths) == 0 {
		return nil, nil, problem.New(problem.Invalid, "say which field, such as $.dues.amount")
	}
	var values [][]Value
	var sizes [][]int // of the values, in bytes
	var counts []int
	for _, path := range c.Paths {
		f, err := At(document, path, schema)
		if err != nil {
			return nil, nil, problem.New(problem.Invalid, "%v", err)
		}
		of := slices.DeleteFunc(f.Values(), func(v Value) bool { return c.Only != "" && v.Validity != c.Only })
		if len(c.Paths) > 1 {
			of = append([]Value{{ID: "as-it-is", Says: "as it is", Node: f.Present, Validity: Valid}}, of...)
		}
		bytes := make([]int, len(of))
		for i, v := range of {
			if v.Node != nil {
				bytes[i] = len(f.Pointers) * len(v.Node.AppendJSON(nil))
			}
		}
		fields, values, sizes, counts = append(fields, f), append(values, of), append(sizes, bytes), append(counts, len(of))
	}
	combinations := Pairs(counts)
	if len(combinations) > MostVariants {
		return nil, nil, problem.New(problem.Invalid, "%d combinations are more than %d: name fewer fields, or valid values only", len(combinations), MostVariants)
	}
	total := 0
	for _, one := range combinations {
		chosen := make([]*Value, len(one))
		for i, index := range one {
			chosen[i] = &values[i][index]
			total += sizes[i][index]
		}
		if total > mostBytes {
			return nil, nil, problem.New(problem.Invalid, "%d variants take more than %d MB: name fewer fields, or valid values only", len(combinations), mostBytes>>20)
		}
		variants = append(variants, variant(fields, chosen, c.Alone))
	}
	return fields, variants, nil
}

// variant puts one value of each field together.
func variant(fields []*Field, chosen []*Value, alone bool) Variant {
	out := Variant{Validity: Valid, Edit: []spec.EditStep{}}
	var ids, says, shown []string
	for i, v := range chosen {
		ids, says, shown = append(ids, v.ID), append(says, v.Says), append(shown, shortened(v.Node))
		if v.Validity != Valid && (out.Validity != Invalid || v.Validity == Invalid) {
			out.Validity = v.Validity
		}
		if out.Breach == "" && v.Breach != "" {
			out.Breach = v.Breach
		}
		if v.Node != nil && v.Node == fields[i].Present {
			continue // as it is
		}
		out.Edit = append(out.Edit, fields[i].edit(v)...)
		for _, follow := range v.Follows {
			if alone {
				break
			}
			out.Follows = append(out.Follows, fmt.Sprintf("%s from %s to %s", follow.Pointer, follow.From.Text, follow.To.Text))
			out.Edit = append(out.Edit, spec.EditStep{Op: "replace", Path: "/body" + follow.Pointer, Value: follow.To})
		}
	}
	out.ID, out.Says, out.Shown = strings.Join(ids, "+"), strings.Join(says, "; "), strings.Join(shown, ", ")
	return out
}

// edit makes the answer have a value at all places of the field.
func (f *Field) edit(v *Value) (steps []spec.EditStep) {
	for i := len(f.Pointers) - 1; i >= 0; i-- {
		step := spec.EditStep{Op: "add", Path: "/body" + f.Pointers[i], Value: literal(v.Node)}
		switch {
		case v.Node == nil:
			step.Op = "remove"
		case f.element || f.Pointers[i] == "":
			step.Op = "replace"
		}
		steps = append(steps, step)
	}
	return steps
}

// literal is a value whose texts hold no expressions, whatever is in them.
func literal(n *tree.Node) *tree.Node {
	if n == nil {
		return nil
	}
	switch n.Kind {
	case tree.String:
		if strings.Contains(n.Text, "${") {
			return tree.NewString(strings.ReplaceAll(n.Text, "${", "$${"))
		}
	case tree.List:
		items := make([]*tree.Node, len(n.Items))
		for i, item := range n.Items {
			items[i] = literal(item)
		}
		return tree.NewList(items...)
	case tree.Map:
		members := slices.Clone(n.Members)
		for i := range members {
			members[i].Value = literal(members[i].Value)
		}
		return tree.NewMap(members...)
	}
	return n
}

// mostShown bounds how much of a value is shown, in characters.
const mostShown = 80

func shortened(n *tree.Node) string {
	if n == nil {
		return "(missing)"
	}
	text := []rune(string(n.AppendJSON(nil)))
	if len(text) > mostShown {
		return string(text[:mostShown-1]) + "…"
	}
	return string(text)
}
