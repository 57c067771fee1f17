package contract

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/spec/tree"
)

// Changes are what a caller notices of the step from one revision to another.
// Descriptions, examples and the like do not count.
type Changes struct {
	Added, Removed []*Operation
	Changed        []ChangedOperation
}

// ChangedOperation is an operation of both revisions that is not the same.
type ChangedOperation struct {
	Operation   *Operation // as it is in the newer one
	Differences []Difference
	// Effect is that of the worst of them.
	Effect Effect
}

// Difference is one thing that was added, removed or changed.
type Difference struct {
	// Where reads from the outside in: "response 200, application/json, state".
	Where string
	// What is "added", "removed" or "changed".
	What string
	// Before and After are short values, "" for what has none.
	Before, After string
	// Effect is what it means for callers.
	Effect Effect
}

// maxDifferences bounds what is listed for one operation.
const maxDifferences = 50

// Compare tells what changed from older to newer. Operations are the same when
// method and path are.
func Compare(older, newer *Contract) Changes {
	var changes Changes
	olderCalls, newerCalls := older.calls(), newer.calls()
	before := make(map[string]*Operation, len(olderCalls))
	for _, op := range olderCalls {
		before[op.String()] = op
	}
	c := comparison{older: older.document, newer: newer.document, targets: make(map[refPair]*part)}
	var both []*Operation
	var parts []*part
	for _, op := range newerCalls {
		was, ok := before[op.String()]
		if !ok {
			changes.Added = append(changes.Added, op)
			continue
		}
		delete(before, op.String())
		both, parts = append(both, op), append(parts, c.part(was.source, op.source))
	}
	c.settle(parts)
	for i, op := range both {
		if found := parts[i].differences(op.Webhook); len(found) > 0 {
			effects := make([]Effect, len(found))
			for i, d := range found {
				effects[i] = d.Effect
			}
			changes.Changed = append(changes.Changed, ChangedOperation{op, found, worst(effects)})
		}
	}
	for _, op := range olderCalls { // in the order of the document
		if before[op.String()] != nil {
			changes.Removed = append(changes.Removed, op)
		}
	}
	return changes
}

// calls are the operations of a contract, and those of its webhooks.
func (c *Contract) calls() []*Operation {
	all := slices.Clone(c.Operations)
	for _, webhook := range c.Webhooks {
		all = append(all, webhook.Operation)
	}
	return all
}

// SetSource keeps the document and the text of each operation for Compare.
// Readers call it once, before the contract is published.
func (c *Contract) SetSource(document *Document, sources map[*Operation]*tree.Node) {
	c.document = document
	for op, source := range sources {
		op.source = source
	}
}

// comparison compares two documents. What references lead to is compared once,
// however many operations use it: a contract's schemas refer to one another
// all over, and walking them anew for each operation would take minutes.
type comparison struct {
	older, newer *Document
	targets      map[refPair]*part
	pending      []*part // targets that were met and not compared yet
	current      *part   // what is being compared
}

// refPair is a reference on both sides.
type refPair struct{ older, newer string }

// part is an operation, or what a pair of references leads to, without what is
// behind further references.
type part struct {
	found []placed
	refs  []placedRef
	dirty bool // something differs here or behind a reference

	older, newer *tree.Node
}

type placed struct {
	change
	Difference
}

type placedRef struct {
	where []string
	to    *part
}

// part compares two values as far as the next references.
func (c *comparison) part(older, newer *tree.Node) *part {
	p := &part{}
	c.current = p
	c.compare(older, newer, nil)
	return p
}

// settle compares everything that the parts refer to, and finds out which of
// them lead to a difference.
func (c *comparison) settle(parts []*part) {
	all := parts
	for len(c.pending) > 0 {
		p := c.pending[0]
		c.pending = c.pending[1:]
		c.current = p
		c.compare(p.older, p.newer, nil)
		all = append(all, p)
	}
	users := make(map[*part][]*part)
	var spread []*part
	for _, p := range all {
		for _, ref := range p.refs {
			users[ref.to] = append(users[ref.to], p)
		}
		if len(p.found) > 0 {
			p.dirty = true
			spread = append(spread, p)
		}
	}
	for len(spread) > 0 {
		p := spread[0]
		spread = spread[1:]
		for _, user := range users[p] {
			if !user.dirty {
				user.dirty = true
				spread = append(spread, user)
			}
		}
	}
}

// differences collects what differs in p and behind its references, each part
// once, at the nearest of the places that lead to it. callersGet is set where the callers of the
// contract are those who are called.
func (p *part) differences(callersGet bool) []Difference {
	var found []Difference
	seen := map[*part]bool{p: true}
	for queue := []placedRef{{nil, p}}; len(queue) > 0 && len(found) < maxDifferences; queue = queue[1:] {
		here := queue[0]
		for _, d := range here.to.found {
			if len(found) < maxDifferences {
				d.where, d.callersGet = slices.Concat(here.where, d.where), callersGet
				d.Where, d.Effect = readable(d.where), d.effect()
				found = append(found, d.Difference)
			}
		}
		for _, ref := range here.to.refs {
			if ref.to.dirty && !seen[ref.to] {
				seen[ref.to] = true
				queue = append(queue, placedRef{slices.Concat(here.where, ref.where), ref.to})
			}
		}
	}
	return found
}

// silent are keys that change nothing for a caller.
var silent = set("description", "summary", "title", "example", "examples", "tags", "operationId", "externalDocs", "deprecated", "links")

// compare adds the differences of two values that stand at the same place.
func (c *comparison) compare(a, b *tree.Node, where []string) {
	if c.reference(a, b, where) {
		return
	}
	a, b = follow(c.older, a), follow(c.newer, b)
	if a == nil || b == nil || len(c.current.found) >= maxDifferences {
		return
	}
	switch {
	case a.Kind != b.Kind:
		c.add(where, "changed", a, b)
	case a.Kind == tree.Map:
		c.compareMaps(a, b, where)
	case a.Kind == tree.List:
		c.compareLists(a, b, where)
	case a.Text != b.Text:
		c.add(where, "changed", a, b)
	}
}

// reference notes a pair of references, to be compared once, and reports
// whether a and b are one.
func (c *comparison) reference(a, b *tree.Node, where []string) bool {
	pair := refPair{a.Get("$ref").Str(), b.Get("$ref").Str()}
	older, newer := follow(c.older, a), follow(c.newer, b)
	if pair.older == "" || pair.newer == "" || older == a || newer == b {
		return false
	}
	target := c.targets[pair]
	if target == nil {
		target = &part{older: older, newer: newer}
		c.targets[pair] = target
		c.pending = append(c.pending, target)
	}
	c.current.refs = append(c.current.refs, placedRef{where, target})
	return true
}

// follow resolves a reference without changing the dialect: both sides are as
// they were written.
func follow(d *Document, n *tree.Node) *tree.Node {
	for range maxFollow {
		ref := n.Get("$ref").Str()
		pointer, _ := d.Locate(ref)
		target := d.root.At(pointer)
		if target == nil || ref == "" || ref[0] != '#' {
			return n
		}
		n = target
	}
	return n
}

const maxFollow = 20

// isNamedList reports whether m is a list of which an absent one is the same
// as an empty one.
func isNamedList(m tree.Member) bool {
	return m.Value.Kind == tree.List && (m.Key == "parameters" || m.Key == "required")
}

func (c *comparison) compareMaps(a, b *tree.Node, where []string) {
	for _, m := range a.Members {
		if ignored(m.Key, where) {
			continue
		}
		if other := b.Get(m.Key); other != nil {
			c.compare(m.Value, other, place(where, m.Key))
		} else if isNamedList(m) {
			c.compareLists(m.Value, tree.NewList(), place(where, m.Key))
		} else {
			c.add(place(where, m.Key), "removed", m.Value, nil)
		}
	}
	for _, m := range b.Members {
		switch {
		case a.Get(m.Key) != nil || ignored(m.Key, where):
		case isNamedList(m):
			c.compareLists(tree.NewList(), m.Value, place(where, m.Key))
		default:
			c.add(place(where, m.Key), "added", nil, m.Value)
		}
	}
}

// ignored leaves out silent keys, unless they are names: a property may be
// called "title".
func ignored(key string, where []string) bool {
	if len(where) > 0 && (where[len(where)-1] == "properties" || where[len(where)-1] == "callbacks") {
		return false
	}
	return silent[key] || strings.HasPrefix(key, "x-")
}

// place appends a step; the caller's slice is never shared.
func place(where []string, step string) []string { return append(slices.Clip(where), step) }

// compareLists compares lists of things that have names by their names
// (parameters), all others as sets: order means nothing to a caller. Schemas have
// no name (those of allOf, oneOf): of those that are not the same on both sides, see
// pairs.
func (c *comparison) compareLists(a, b *tree.Node, where []string) {
	var gone, come []*tree.Node
	for _, item := range a.Items {
		if other := c.counterpart(item, b, c.older, c.newer); other != nil {
			c.compare(item, other, place(where, itemName(follow(c.older, item))))
		} else {
			gone = append(gone, item)
		}
	}
	for _, item := range b.Items {
		if c.counterpart(item, a, c.newer, c.older) == nil {
			come = append(come, item)
		}
	}
	gone, come = c.pairs(gone, come, where)
	for _, item := range gone {
		c.add(place(where, itemName(follow(c.older, item))), "removed", item, nil)
	}
	for _, item := range come {
		c.add(place(where, itemName(follow(c.newer, item))), "added", nil, item)
	}
}

// pairs compares schemas of a list with what they became: that of the same reference or
// title, and where as many are left on both sides, that of the same rank. It returns what
// is in no pair.
func (c *comparison) pairs(gone, come []*tree.Node, where []string) (goneLeft, comeLeft []*tree.Node) {
	taken := make(map[*tree.Node]bool)
	pair := func(was, is *tree.Node, step string) {
		taken[was], taken[is] = true, true
		c.compare(was, is, place(where, step))
	}
	for _, was := range gone {
		name := schemaName(was)
		for _, is := range come {
			if name != "" && !taken[is] && !taken[was] && schemaName(is) == name {
				pair(was, is, name)
			}
		}
	}
	left := func(all []*tree.Node) []*tree.Node {
		return slices.DeleteFunc(slices.Clone(all), func(n *tree.Node) bool { return taken[n] })
	}
	gone, come = left(gone), left(come)
	isMap := func(n *tree.Node) bool { return n.Kind == tree.Map && n.Get("name") == nil }
	if len(gone) != len(come) || !slices.ContainsFunc(gone, isMap) {
		return gone, come
	}
	for i, was := range gone {
		if isMap(was) && isMap(come[i]) {
			pair(was, come[i], "")
		}
	}
	return left(gone), left(come)
}

// schemaName is what a schema of a list is called: the last part of its reference, or its
// title; "" for nothing.
func schemaName(n *tree.Node) string {
	if ref := n.Get("$ref").Str(); ref != "" {
		return ref[strings.LastIndexByte(ref, '/')+1:]
	}
	return n.Get("title").Str()
}

func (c *comparison) counterpart(item, list *tree.Node, mine, theirs *Document) *tree.Node {
	item = follow(mine, item)
	name := item.Get("name").Str()
	for _, other := range list.Items {
		there := follow(theirs, other)
		if name != "" && there.Get("name").Str() == name && there.Get("in").Str() == item.Get("in").Str() {
			return other
		}
		if name == "" && tree.Equal(item, there) {
			return other
		}
	}
	return nil
}

// itemName tells an item of a list: a parameter by where it stands and its
// name, a value by itself.
func itemName(n *tree.Node) string {
	if name := n.Get("name").Str(); name != "" {
		return n.Get("in").Str() + " " + name
	}
	return short(n)
}

func (c *comparison) add(where []string, what string, before, after *tree.Node) {
	if len(c.current.found) < maxDifferences {
		c.current.found = append(c.current.found, placed{change{where: where, what: what, before: before, after: after}, Difference{What: what, Before: short(before), After: short(after)}})
	}
}

// short is a value as it fits into a line; "" for objects and lists.
func short(n *tree.Node) string {
	if n == nil || n.Kind == tree.Map || n.Kind == tree.List {
		return ""
	}
	text := string(n.AppendJSON(nil))
	return text[:min(len(text), 60)]
}

// readable joins the steps to a place, leaving out what only holds together.
func readable(where []string) string {
	var parts []string
	for i := 0; i < len(where); i++ {
		step := where[i]
		switch {
		case step == "callbacks" && i == 0 && len(where) > 1:
			i++
			parts = append(parts, "callback "+where[i])
			if len(where) > ofCallback { // its address and its method
				i += 2
			}
		case step == "responses" && i+1 < len(where):
			i++
			parts = append(parts, "response "+where[i])
		case step == "parameters" && i+1 < len(where):
			i++
			parts = append(parts, "parameter "+where[i])
		case step == "requestBody":
			parts = append(parts, "request body")
		case (step == "required" || step == "enum") && i+1 < len(where):
			i++
			parts = append(parts, fmt.Sprintf("%s %s", step, strings.Trim(where[i], `"`)))
		case step == "content" || step == "schema" || step == "properties" || step == "":
		case step == "items":
			parts = append(parts, "each item")
		default:
			parts = append(parts, step)
		}
	}
	return cmp.Or(strings.Join(parts, ", "), "the operation")
}
