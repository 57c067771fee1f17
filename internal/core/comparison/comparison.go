// Package comparison holds two calls against each other, place by place: method, path,
// query, headers, status, and the bodies by their structure.
package comparison

import (
	"bytes"
	"cmp"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/jsonpath"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec/tree"
)

// Place is one place of two calls.
type Place struct {
	// At names it: method, path, query season, request header accept, request body
	// $.vessel.name, status, answer header etag, answer body /Envelope/Body/berth[2]/@id.
	At string
	// Before and After are what stands there, nil for nothing, long values cut.
	Before, After *string
	Differs       bool
}

const (
	// mostPlaces bounds the places of two calls that are told: those that differ, and those that do not.
	mostPlaces = 5_000
	// mostShown is how many bytes of a value are told.
	mostShown = 2_000
	// mostAligned bounds the pairs of elements of two lists that are tried for likeness;
	// longer lists are compared element by element.
	mostAligned = 1_000_000
)

// Result is what two calls have in common, and what not.
type Result struct {
	Places []Place // in the order of a message
	// More is set where places were left out: there were too many.
	More bool
}

// Calls compares two calls.
func Calls(before, after *call.Record) Result {
	c := &comparing{}
	a, b := &before.Request, &after.Request
	c.text("method", a.Method, b.Method)
	c.text("path", a.Address, b.Address)
	if a.Host != b.Host {
		c.text("host", a.Host, b.Host)
	}
	c.values("query ", queryOf(a.Query), queryOf(b.Query))
	c.values("request header ", valuesOf(a.Header.Fields()), valuesOf(b.Header.Fields()))
	c.bodies("request body", body{a.Body, a.Header.Get("Content-Type")}, body{b.Body, b.Header.Get("Content-Type")})
	c.text("status", strconv.Itoa(before.Answer.Status), strconv.Itoa(after.Answer.Status))
	c.values("answer header ", valuesOf(before.Answer.Header), valuesOf(after.Answer.Header))
	c.bodies("answer body", answerOf(before), answerOf(after))
	return c.result
}

// body is one of the two bodies of a call.
type body struct {
	call.Body
	contentType string
}

func answerOf(r *call.Record) body {
	kept := r.Answer.Body
	return body{call.Body{Bytes: kept, Size: r.AnswerSize, Truncated: r.AnswerSize > int64(len(kept))}, r.Answer.Get("Content-Type")}
}

type comparing struct {
	result          Result
	differing, same int
}

func (c *comparing) add(at string, before, after *string) {
	differs := before == nil || after == nil || *before != *after
	count := &c.same
	if differs {
		count = &c.differing
	}
	if *count++; *count > mostPlaces {
		c.result.More = true
		return
	}
	c.result.Places = append(c.result.Places, Place{At: at, Before: shown(before, after), After: shown(after, before), Differs: differs})
}

// shown cuts a long value; where it is cut before it differs from the other, it says so.
func shown(value, other *string) *string {
	if value == nil || len(*value) <= mostShown {
		return value
	}
	cut := strings.ToValidUTF8((*value)[:mostShown], "") + "…"
	if other != nil && *other != *value && strings.HasPrefix(*other, (*value)[:mostShown]) {
		cut += fmt.Sprintf(" (%d bytes, differs further on)", len(*value))
	}
	return &cut
}

func (c *comparing) text(at, before, after string) { c.add(at, &before, &after) }

// named are values by their names, in order.
type named struct {
	names  []string
	values map[string][]string
}

func (n *named) put(name, value string) {
	if n.values == nil {
		n.values = make(map[string][]string)
	}
	if n.values[name] == nil {
		n.names = append(n.names, name)
	}
	n.values[name] = append(n.values[name], value)
}

func queryOf(query string) (n named) {
	for pair := range strings.SplitSeq(query, "&") {
		name, value, _ := strings.Cut(pair, "=")
		if pair != "" {
			n.put(unescaped(name), unescaped(value))
		}
	}
	return n
}

func unescaped(text string) string {
	if plain, err := url.QueryUnescape(text); err == nil {
		return plain
	}
	return text
}

func valuesOf(fields []call.Field) (n named) {
	for _, f := range fields {
		n.put(strings.ToLower(f.Name), f.Value)
	}
	return n
}

// values compares what has a name, several of one name in their order.
func (c *comparing) values(at string, before, after named) {
	for _, name := range union(before.names, after.names) {
		old, now := before.values[name], after.values[name]
		for i := range max(len(old), len(now)) {
			c.add(at+name, element(old, i), element(now, i))
		}
	}
}

// union are the names of both, those of the first before the others.
func union(before, after []string) []string {
	all := slices.Clone(before)
	known := make(map[string]bool, len(before))
	for _, name := range before {
		known[name] = true
	}
	for _, name := range after {
		if !known[name] {
			all = append(all, name)
		}
	}
	return all
}

func element(values []string, i int) *string {
	if i >= len(values) {
		return nil
	}
	return &values[i]
}

// bodies compares two bodies by what they are: JSON, XML or a form where both are, else
// by their bytes.
func (c *comparing) bodies(at string, before, after body) {
	if before.Size == 0 && after.Size == 0 {
		return
	}
	if before.Size > 0 && after.Size > 0 && !before.Truncated && !after.Truncated {
		if isForm(before) && isForm(after) {
			c.values(at+" ", queryOf(string(before.Bytes)), queryOf(string(after.Bytes)))
			return
		}
		old, err := tree.ParseJSON(before.Bytes)
		if err == nil {
			if now, err := tree.ParseJSON(after.Bytes); err == nil {
				c.nodes(at+" ", "$", old, now)
				return
			}
		} else if old, now := rootOf(before), rootOf(after); old != nil && now != nil && old.Name.Local == now.Name.Local {
			c.elements(at+" ", "", []*xmltree.Node{old}, []*xmltree.Node{now})
			return
		}
	}
	c.add(at, textOf(before), textOf(after))
}

func isForm(b body) bool {
	return call.BaseType(b.contentType) == "application/x-www-form-urlencoded"
}

func rootOf(b body) *xmltree.Node {
	root, err := xmltree.Parse(b.Bytes)
	if err != nil {
		return nil
	}
	return root
}

// textOf is a body as a text; of what is no text, or was not kept whole, its size.
func textOf(b body) *string {
	text := string(b.Bytes)
	switch {
	case b.Size == 0:
		return nil
	case strings.ToValidUTF8(text, "") != text || strings.ContainsRune(text, 0):
		text = fmt.Sprintf("%d bytes that are no text, %x…", b.Size, b.Bytes[:min(16, len(b.Bytes))])
	case b.Truncated:
		text += fmt.Sprintf("… (the first of %d bytes)", b.Size)
	}
	return &text
}

// nodes compares two values of JSON. What is there on one side only is told whole.
func (c *comparing) nodes(at, path string, before, after *tree.Node) {
	switch {
	case before == nil || after == nil || before.Kind != after.Kind,
		len(before.Members)+len(before.Items) == 0 || len(after.Members)+len(after.Items) == 0:
		c.add(at+path, literal(before), literal(after))
	case before.Kind == tree.Map:
		for _, name := range union(namesOf(before), namesOf(after)) {
			c.nodes(at, jsonpath.Child(path, name), before.Get(name), after.Get(name))
		}
	case before.Kind == tree.List:
		for _, p := range aligned(before.Items, after.Items, literals) {
			c.nodes(at, fmt.Sprintf("%s[%d]", path, p.place()), nodeAt(before.Items, p.before), nodeAt(after.Items, p.after))
		}
	default:
		c.add(at+path, literal(before), literal(after))
	}
}

func namesOf(n *tree.Node) []string {
	names := make([]string, len(n.Members))
	for i, m := range n.Members {
		names[i] = m.Key
	}
	return names
}

// literal is a value as JSON, its numbers with the digits that they came with.
func literal(n *tree.Node) *string {
	if n == nil {
		return nil
	}
	text := string(n.AppendJSON(nil))
	return &text
}

func literals(items []*tree.Node) []string {
	texts := make([]string, len(items))
	for i, item := range items {
		texts[i] = *literal(item)
	}
	return texts
}

func nodeAt[T any](items []*T, i int) *T {
	if i < 0 {
		return nil
	}
	return items[i]
}

// elements compares elements of one name below one parent each, by local names and namespaces: prefixes
// are no content.
func (c *comparing) elements(at, path string, before, after []*xmltree.Node) {
	for _, p := range aligned(before, after, texts) {
		one, other := nodeAt(before, p.before), nodeAt(after, p.after)
		here := path + "/" + cmp.Or(one, other).Name.Local
		if max(len(before), len(after)) > 1 {
			here += fmt.Sprintf("[%d]", p.place()+1)
		}
		if one == nil || other == nil {
			c.add(at+here, textOfElement(one), textOfElement(other))
			continue
		}
		if one.Name.Space != other.Name.Space && !(sharesSpace(one) && sharesSpace(other)) {
			c.text(at+here+" namespace", one.Name.Space, other.Name.Space)
		}
		c.values(at+here+"/@", attributesOf(one), attributesOf(other))
		groups, others := groupsOf(one), groupsOf(other)
		if len(groups.names)+len(others.names) == 0 || strings.TrimSpace(one.Text+other.Text) != "" {
			c.text(at+here, strings.TrimSpace(one.Text), strings.TrimSpace(other.Text))
		}
		for _, name := range union(groups.names, others.names) {
			c.elements(at, here, groups.of[name], others.of[name])
		}
	}
}

// sharesSpace reports whether an element is in the namespace of the one around it, where that was told.
func sharesSpace(n *xmltree.Node) bool {
	return n.Parent != nil && n.Parent.Name.Space == n.Name.Space
}

func attributesOf(n *xmltree.Node) (attributes named) {
	for _, a := range n.Attrs {
		attributes.put(a.Name.Local, a.Value)
	}
	return attributes
}

// groups are the children of an element by their local names.
type groups struct {
	names []string
	of    map[string][]*xmltree.Node
}

func groupsOf(n *xmltree.Node) groups {
	g := groups{of: make(map[string][]*xmltree.Node)}
	for _, child := range n.Children {
		name := child.Name.Local
		if g.of[name] == nil {
			g.names = append(g.names, name)
		}
		g.of[name] = append(g.of[name], child)
	}
	return g
}

// texts are elements as texts that are alike where the elements are.
func texts(nodes []*xmltree.Node) []string {
	all := make([]string, len(nodes))
	for i, n := range nodes {
		var b bytes.Buffer
		write(&b, n)
		all[i] = b.String()
	}
	return all
}

func write(b *bytes.Buffer, n *xmltree.Node) {
	fmt.Fprintf(b, "<%s", n.Name.Local)
	for _, a := range n.Attrs {
		fmt.Fprintf(b, " %s=%q", a.Name.Local, a.Value)
	}
	b.WriteByte('>')
	b.Write(xmltree.Escape(strings.TrimSpace(n.Text)))
	for _, child := range n.Children {
		write(b, child)
	}
	fmt.Fprintf(b, "</%s>", n.Name.Local)
}

func textOfElement(n *xmltree.Node) *string {
	if n == nil {
		return nil
	}
	return &texts([]*xmltree.Node{n})[0]
}

// pair are the indices of two elements that belong together, -1 for none.
type pair struct{ before, after int }

// place is where the pair stands, after rather than before.
func (p pair) place() int {
	if p.after >= 0 {
		return p.after
	}
	return p.before
}

// aligned pairs the elements of two lists by texts that are alike where they are.
func aligned[T any](before, after []*T, texts func([]*T) []string) []pair {
	if len(before) == 1 && len(after) == 1 { // whatever they are
		return []pair{{0, 0}}
	}
	return align(texts(before), texts(after))
}

// align pairs the elements of two lists: those that are alike, in as many pairs as their
// order allows, and what stands between them one by one.
func align(before, after []string) (pairs []pair) {
	head := 0
	for head < min(len(before), len(after)) && before[head] == after[head] {
		pairs = append(pairs, pair{head, head})
		head++
	}
	tail := 0
	for tail < min(len(before), len(after))-head && before[len(before)-1-tail] == after[len(after)-1-tail] {
		tail++
	}
	i, j := head, head
	between := func(toBefore, toAfter int) {
		for i < toBefore || j < toAfter {
			p := pair{-1, -1}
			if i < toBefore {
				p.before, i = i, i+1
			}
			if j < toAfter {
				p.after, j = j, j+1
			}
			pairs = append(pairs, p)
		}
	}
	for _, p := range common(before[head:len(before)-tail], after[head:len(after)-tail]) {
		between(head+p.before, head+p.after)
		pairs = append(pairs, pair{i, j})
		i, j = i+1, j+1
	}
	between(len(before)-tail, len(after)-tail)
	for ; i < len(before); i, j = i+1, j+1 {
		pairs = append(pairs, pair{i, j})
	}
	return pairs
}

// common is a longest common subsequence; none where the lists are too long to look.
func common(before, after []string) (pairs []pair) {
	if len(before)*len(after) > mostAligned {
		return nil
	}
	width := len(after) + 1
	best := make([]int32, (len(before)+1)*width)
	for i := len(before) - 1; i >= 0; i-- {
		for j := len(after) - 1; j >= 0; j-- {
			if before[i] == after[j] {
				best[i*width+j] = best[(i+1)*width+j+1] + 1
			} else {
				best[i*width+j] = max(best[(i+1)*width+j], best[i*width+j+1])
			}
		}
	}
	for i, j := 0, 0; i < len(before) && j < len(after); {
		switch {
		case before[i] == after[j]:
			pairs = append(pairs, pair{i, j})
			i, j = i+1, j+1
		case best[(i+1)*width+j] >= best[i*width+j+1]:
			i++
		default:
			j++
		}
	}
	return pairs
}
