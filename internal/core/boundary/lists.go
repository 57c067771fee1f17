package boundary

import (
	"fmt"
	"math/big"
	"slices"
	"strings"

	"rapidmimic.example/spec/tree"
)

// many is how many elements a long list has, unless they would take more than manyBytes.
const (
	many      = 1_000
	manyBytes = 2 << 20
)

func (c *collector) lists() {
	var items []*tree.Node
	if p := c.field.Present; p != nil && p.Kind == tree.List {
		items = p.Items
	}
	list := func(id, says string, items []*tree.Node) {
		n := tree.NewList(items...)
		c.add(id, says, n, c.field.follows(n)...)
	}
	list("empty", "no element", nil)
	if len(items) == 0 {
		return
	}
	list("one", "one element", items[:1])
	list("duplicate", "its first element twice", append(slices.Clip(slices.Clone(items)), items[0]))
	of := func(n int) []*tree.Node {
		long := make([]*tree.Node, n)
		for i := range long {
			long[i] = items[i%len(items)]
		}
		return long
	}
	if n, ok := c.count("minItems"); ok && n > 0 {
		list("fewest", fmt.Sprintf("%d elements, the fewest", n), of(n))
		list("too-few", fmt.Sprintf("%d elements, one too few", n-1), of(n-1))
	}
	if n, ok := c.count("maxItems"); ok && n <= many {
		list("most", fmt.Sprintf("%d elements, the most", n), of(n))
		list("too-many", fmt.Sprintf("%d elements, one too many", n+1), of(n+1))
	}
	size := max(1, len(c.field.Present.AppendJSON(nil))/len(items))
	if n := min(many, manyBytes/size); n > len(items) {
		list("many", fmt.Sprintf("%d elements", n), of(n))
	}
	c.add("with-null", "null among its elements", tree.NewList(append(slices.Clone(items), &tree.Node{Kind: tree.Null})...))
}

func (c *collector) objects() {
	c.add("empty", "no member", tree.NewMap())
	if p := c.field.Present; p != nil && p.Kind == tree.Map {
		c.add("extra-field", "a member that nobody named", with(p, []string{"unexpected"}, tree.NewString("quay")))
	}
}

// countWords are parts of names that count what is in a list; totalWords such that add it up.
var (
	countWords = []string{"count", "total", "size", "length", "number", "results", "items", "found"}
	totalWords = []string{"total", "sum", "amount"}
)

// follows are the counts and totals of the list at the field, as they would be with another list.
// They stand in the objects around it, whose name says what they are and whose value is right now.
func (f *Field) follows(list *tree.Node) (all []Follow) {
	if len(f.Pointers) != 1 || f.Present == nil {
		return nil
	}
	path := tokens(f.Pointers[0])
	for depth := range len(path) {
		around, at := f.document, ""
		for _, token := range path[:depth] {
			at = tree.Join(at, token)
			around = f.document.At(at)
		}
		for _, m := range around.Entries() {
			if m.Value.Kind != tree.Number {
				continue
			}
			if to := following(m, f.Present.Items, list.Items); to != nil && !tree.Equal(m.Value, to) {
				all = append(all, Follow{tree.Join(at, m.Key), m.Value, to})
			}
		}
	}
	return all
}

// following is what a member beside a list becomes with other elements; nil for one that does not
// follow them.
func following(m tree.Member, present, next []*tree.Node) *tree.Node {
	name := strings.ToLower(m.Key)
	named := func(words []string) bool {
		return slices.ContainsFunc(words, func(word string) bool { return strings.Contains(name, word) })
	}
	if n, ok := m.Value.Int(); ok && n == len(present) && named(countWords) {
		return tree.NewNumber(fmt.Sprint(len(next)))
	}
	if !named(totalWords) || len(present) == 0 {
		return nil
	}
	is, ok := ratOf(m.Value)
	if !ok {
		return nil
	}
	for _, part := range present[0].Entries() {
		if sum, ok := sumOf(present, part.Key); ok && sum.Cmp(is) == 0 {
			total, ok := sumOf(next, part.Key)
			if !ok {
				return nil
			}
			decimals := decimalsOf(m.Value)
			for _, item := range next {
				decimals = max(decimals, decimalsOf(item.Get(part.Key)))
			}
			return tree.NewNumber(total.FloatString(decimals))
		}
	}
	return nil
}

func decimalsOf(n *tree.Node) int {
	_, decimals, _ := strings.Cut(n.Text, ".")
	return len(decimals)
}

func ratOf(n *tree.Node) (*big.Rat, bool) {
	if n == nil || n.Kind != tree.Number || len(n.Text) > 40 || strings.ContainsAny(n.Text, "eE") {
		return nil, false
	}
	return new(big.Rat).SetString(n.Text)
}

// sumOf adds up a member of all elements; false where one has no such number.
func sumOf(items []*tree.Node, key string) (sum *big.Rat, ok bool) {
	sum = new(big.Rat)
	for _, item := range items {
		n, ok := ratOf(item.Get(key))
		if !ok {
			return nil, false
		}
		sum.Add(sum, n)
	}
	return sum, true
}
