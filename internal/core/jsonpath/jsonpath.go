// Package jsonpath finds values in a document by a JSONPath, as RFC 9535 defines
// it: nothing more is accepted, nothing less.
//
// It works on tree.Node, so that what is found keeps its digits and its order, and
// spends the budget of the call for every value that it visits: what a path costs
// depends on who wrote it and on whose document it is held against. Start with
// Compile.
package jsonpath

import (
	"regexp"
	"strings"

	"rapidmimic.example/internal/core/budget"
	"rapidmimic.example/spec/tree"
)

// Path is a compiled JSONPath. It is immutable and safe for concurrent use.
type Path struct {
	text     string
	segments []segment
	relative bool // begins with @ instead of $
	single   bool // can select one node at most
}

// String is the path as it was written.
func (p *Path) String() string { return p.text }

// segment selects children of each node, or with descend those of the node and
// of all below it.
type segment struct {
	descend   bool
	selectors []selector
}

// selector selects children of one node.
type selector interface {
	selectFrom(r *run, n *tree.Node, found []*tree.Node) []*tree.Node
}

// run is one evaluation.
type run struct {
	root   *tree.Node
	budget *budget.Budget
	err    error
}

// spend notes one step; it reports false when the evaluation must end.
func (r *run) spend(steps int) bool {
	if r.err == nil {
		r.err = r.budget.Spend(steps)
	}
	return r.err == nil
}

// Find returns the nodes that the path selects, in the order of RFC 9535. The
// error is that of the budget.
func (p *Path) Find(root *tree.Node, b *budget.Budget) ([]*tree.Node, error) {
	r := &run{root: root, budget: b}
	found := p.nodes(r, nil)
	if r.err != nil {
		return nil, r.err
	}
	return found, nil
}

// nodes evaluates a query for the current node of a filter, nil outside of one.
func (p *Path) nodes(r *run, current *tree.Node) []*tree.Node {
	from := r.root
	if p.relative {
		from = current
	}
	nodes := []*tree.Node{from}
	if p.single { // as nearly all are: nothing is collected on the way
		if !r.spend(len(p.segments)) {
			return nil
		}
		for _, s := range p.segments {
			if nodes = s.selectors[0].selectFrom(r, nodes[0], nodes[:0]); len(nodes) == 0 {
				return nil
			}
		}
		return nodes
	}
	for _, s := range p.segments {
		var next []*tree.Node
		for _, n := range nodes {
			next = s.from(r, n, next)
		}
		if nodes = next; len(nodes) == 0 || r.err != nil {
			return nil
		}
	}
	return nodes
}

func (s *segment) from(r *run, n *tree.Node, found []*tree.Node) []*tree.Node {
	if !r.spend(1) {
		return nil
	}
	for _, one := range s.selectors {
		found = one.selectFrom(r, n, found)
	}
	if s.descend {
		for c := range children(n) {
			found = s.from(r, c, found)
		}
	}
	return found
}

// children goes through the values directly inside of a node.
func children(n *tree.Node) func(yield func(*tree.Node) bool) {
	return func(yield func(*tree.Node) bool) {
		for _, item := range n.Elements() {
			if !yield(item) {
				return
			}
		}
		for i := range n.Members {
			if !yield(n.Members[i].Value) {
				return
			}
		}
	}
}

// singular reports whether the path is made of names and indexes only.
func (p *Path) singular() bool {
	for _, s := range p.segments {
		if s.descend || len(s.selectors) != 1 {
			return false
		}
		switch s.selectors[0].(type) {
		case byName, byIndex:
		default:
			return false
		}
	}
	return true
}

type byName string

func (s byName) selectFrom(_ *run, n *tree.Node, found []*tree.Node) []*tree.Node {
	if c := n.Get(string(s)); c != nil {
		return append(found, c)
	}
	return found
}

type byIndex int

func (s byIndex) selectFrom(_ *run, n *tree.Node, found []*tree.Node) []*tree.Node {
	items, i := n.Elements(), int(s)
	if i < 0 {
		i += len(items)
	}
	if i >= 0 && i < len(items) {
		return append(found, items[i])
	}
	return found
}

type everyChild struct{}

func (everyChild) selectFrom(r *run, n *tree.Node, found []*tree.Node) []*tree.Node {
	if !r.spend(len(n.Elements()) + len(n.Entries())) {
		return nil
	}
	for c := range children(n) {
		found = append(found, c)
	}
	return found
}

// bySlice selects items from start to end by step; nil stands for the default.
type bySlice struct {
	start, end *int
	step       int
}

func (s bySlice) selectFrom(r *run, n *tree.Node, found []*tree.Node) []*tree.Node {
	items := n.Elements()
	if s.step == 0 || len(items) == 0 {
		return found
	}
	bound := func(given *int, whenLeft, low, high int) int {
		if given == nil {
			return whenLeft
		}
		i := *given
		if i < 0 {
			i += len(items)
		}
		return min(max(i, low), high)
	}
	if s.step > 0 {
		end := bound(s.end, len(items), 0, len(items))
		for i := bound(s.start, 0, 0, len(items)); i < end && r.spend(1); i += s.step {
			found = append(found, items[i])
		}
		return found
	}
	end := bound(s.end, -1, -1, len(items)-1)
	for i := bound(s.start, len(items)-1, -1, len(items)-1); i > end && r.spend(1); i += s.step {
		found = append(found, items[i])
	}
	return found
}

// byFilter selects the children for which a test holds.
type byFilter struct{ test test }

func (s byFilter) selectFrom(r *run, n *tree.Node, found []*tree.Node) []*tree.Node {
	for c := range children(n) {
		if !r.spend(1) {
			return nil
		}
		if s.test.holds(r, c) {
			found = append(found, c)
		}
	}
	return found
}

// plainName is a name that needs no quotes in a path.
var plainName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]*$`)

// Child is the path to a member of what stands at a path.
func Child(path, member string) string {
	if plainName.MatchString(member) {
		return path + "." + member
	}
	return path + "['" + strings.NewReplacer(`\`, `\\`, `'`, `\'`, "\n", `\n`, "\r", `\r`, "\t", `\t`).Replace(member) + "']"
}
