package recording

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/jsonpath"
	"rapidmimic.example/internal/core/xmltree"
	"rapidmimic.example/spec/tree"
)

// Difference is one place in which an answer is not what it was.
type Difference struct {
	At       string // status, header content-type, body $.berths[*].free
	Recorded string // what stood there, "" for nothing
	Now      string
}

// Comparing says how answers are compared.
type Comparing struct {
	// Ignore lists what does not count: names of headers, and paths as differences have
	// them, with all that is below.
	Ignore []string
	// Values compares values, too, save moments, drawn identifiers and secrets; else
	// what a body is made of counts, and not what it says.
	Values bool
}

// matter are the headers that programs go by.
var matter = []string{"Content-Type", "Location", "Allow", "Cache-Control", "Content-Language", "Content-Disposition", "Retry-After", "Www-Authenticate", "Link"}

// mostDifferences bounds what is told of one pair of answers.
const mostDifferences = 50

// Compare says in what an answer differs from the recorded one.
func Compare(recorded, now Exchange, how Comparing) []Difference {
	d := &differing{how: how}
	if recorded.Status != now.Status {
		d.add("status", fmt.Sprint(recorded.Status), fmt.Sprint(now.Status))
	}
	for _, name := range matter {
		before, after := headerOf(recorded.Header, name), headerOf(now.Header, name)
		if name == "Content-Type" {
			before, after = mediaTypeOf(before), mediaTypeOf(after)
		} else if !how.Values { // what a page is called today is a value
			before, after = present(before), present(after)
		}
		if before != after {
			d.add("header "+strings.ToLower(name), before, after)
		}
	}
	if recorded.Method != "HEAD" && recorded.Status == now.Status {
		d.bodies(recorded, now)
	}
	return d.found
}

func headerOf(fields []call.Field, name string) string {
	a := call.Answer{Header: fields}
	return a.Get(name)
}

func present(value string) string {
	if value == "" {
		return ""
	}
	return "present"
}

// mediaTypeOf is a content type in one spelling: `a/b; charset=utf-8`.
func mediaTypeOf(value string) string {
	parts := strings.Split(strings.ToLower(value), ";")
	for i, part := range parts {
		parts[i] = strings.TrimSpace(part)
	}
	return strings.Join(parts, "; ")
}

type differing struct {
	how   Comparing
	found []Difference
}

func (d *differing) add(at, recorded, now string) {
	ignored := func(one string) bool {
		place := strings.TrimPrefix(strings.TrimPrefix(at, "body "), "header ")
		rest, below := strings.CutPrefix(place, one)
		return strings.EqualFold(place, one) || below && (rest[0] == '.' || rest[0] == '[' || rest[0] == '/')
	}
	if len(d.found) < mostDifferences && !slices.ContainsFunc(d.how.Ignore, ignored) {
		d.found = append(d.found, Difference{at, short(recorded), short(now)})
	}
}

// mostShown is how many bytes of a value a difference tells.
const mostShown = 200

func short(text string) string {
	if len(text) > mostShown {
		return strings.ToValidUTF8(text[:mostShown], "") + "…"
	}
	return text
}

func (d *differing) bodies(recorded, now Exchange) {
	before, beforeErr := valueOf(recorded)
	after, afterErr := valueOf(now)
	switch {
	case (len(recorded.Answer) == 0) != (len(now.Answer) == 0):
		d.add("body", fmt.Sprintf("%d bytes", len(recorded.Answer)), fmt.Sprintf("%d bytes", len(now.Answer)))
	case len(recorded.Answer) == 0:
	case beforeErr == nil && afterErr == nil:
		d.shapes("$", shapeOf(before), shapeOf(after))
		if d.how.Values {
			d.values("$", before, after)
		}
	case (beforeErr == nil) != (afterErr == nil):
		d.add("body", notation(beforeErr), notation(afterErr))
	case d.how.Values && !bytes.Equal(recorded.Answer, now.Answer):
		d.add("body", string(recorded.Answer[:min(len(recorded.Answer), mostShown+4)]), string(now.Answer[:min(len(now.Answer), mostShown+4)]))
	}
}

func notation(err error) string {
	if err == nil {
		return "JSON or XML"
	}
	return "neither JSON nor XML"
}

// valueOf is the body of an answer as a value: JSON, or XML by the local names of its
// elements.
func valueOf(x Exchange) (*tree.Node, error) {
	n, err := tree.ParseJSON(x.Answer)
	if err == nil {
		return n, nil
	}
	root, err := xmltree.Parse(x.Answer)
	if err != nil {
		return nil, err
	}
	return tree.NewMap(tree.Member{Key: root.Name.Local, Value: elementValue(root)}), nil
}

// elementValue is an element as a value: a text, or an object of lists by the names of
// its attributes and children.
func elementValue(n *xmltree.Node) *tree.Node {
	if len(n.Children) == 0 && len(n.Attrs) == 0 {
		return tree.NewString(strings.TrimSpace(n.Text))
	}
	var members []tree.Member
	at := make(map[string]int)
	for _, a := range n.Attrs {
		members = append(members, tree.Member{Key: "@" + a.Name.Local, Value: tree.NewString(a.Value)})
	}
	for _, c := range n.Children {
		i, known := at[c.Name.Local]
		if !known {
			i, at[c.Name.Local] = len(members), len(members)
			members = append(members, tree.Member{Key: c.Name.Local, Value: tree.NewList()})
		}
		members[i].Value.Items = append(members[i].Value.Items, elementValue(c))
	}
	return tree.NewMap(members...)
}

// shape is what a value is made of: its kinds, the members of its objects, whatever the
// number and the order, and the elements of its lists taken together.
type shape struct {
	values  int // that were taken together
	kinds   map[string]int
	members map[string]*shape
	names   []string // of the members, in their order
	element *shape
}

func newShape() *shape {
	return &shape{kinds: make(map[string]int), members: make(map[string]*shape)}
}

func shapeOf(n *tree.Node) *shape {
	s := newShape()
	s.take(n)
	return s
}

func (s *shape) take(n *tree.Node) {
	s.values++
	s.kinds[n.Kind.String()]++
	switch n.Kind {
	case tree.Map:
		for _, m := range n.Members {
			if s.members[m.Key] == nil {
				s.members[m.Key] = newShape()
				s.names = append(s.names, m.Key)
			}
			s.members[m.Key].take(m.Value)
		}
	case tree.List:
		for _, item := range n.Items {
			if s.element == nil {
				s.element = newShape()
			}
			s.element.take(item)
		}
	}
}

// kindsText lists the kinds, null apart: it says that there is nothing, not what there is.
func (s *shape) kindsText() string {
	var kinds []string
	for kind := range s.kinds {
		if kind != tree.Null.String() {
			kinds = append(kinds, kind)
		}
	}
	slices.Sort(kinds)
	return strings.Join(kinds, " or ")
}

// fits reports whether all kinds of other are among its own. Null says that there is
// nothing, and not what there could be.
func (s *shape) fits(other *shape) bool {
	null := tree.Null.String()
	for kind := range other.kinds {
		if kind != null && s.kinds[kind] == 0 && s.kinds[null] < s.values {
			return false
		}
	}
	return true
}

// shapes tells where what a body is made of differs: kinds and members that are new, and
// members that were always there and are gone. An empty list tells nothing of its
// elements.
func (d *differing) shapes(path string, before, after *shape) {
	if !before.fits(after) {
		d.add("body "+path, before.kindsText(), after.kindsText())
	}
	objects := before.kinds[tree.Map.String()]
	for _, name := range before.names {
		if after.members[name] == nil && len(after.members) > 0 && before.members[name].values >= objects {
			d.add("body "+jsonpath.Child(path, name), before.members[name].kindsText(), "")
		}
	}
	for _, name := range after.names {
		switch have := before.members[name]; {
		case have != nil:
			d.shapes(jsonpath.Child(path, name), have, after.members[name])
		case len(before.members) > 0:
			d.add("body "+jsonpath.Child(path, name), "", after.members[name].kindsText())
		}
	}
	if before.element != nil && after.element != nil {
		d.shapes(path+"[*]", before.element, after.element)
	}
}

// values tells where values differ that are there in both.
func (d *differing) values(path string, before, after *tree.Node) {
	switch {
	case before.Kind == tree.Map && after.Kind == tree.Map:
		for _, m := range before.Members {
			if other := after.Get(m.Key); other != nil {
				d.values(jsonpath.Child(path, m.Key), m.Value, other)
			}
		}
	case before.Kind == tree.List && after.Kind == tree.List:
		if len(before.Items) != len(after.Items) {
			d.add("body "+path, fmt.Sprintf("%d elements", len(before.Items)), fmt.Sprintf("%d elements", len(after.Items)))
		}
		for i := range min(len(before.Items), len(after.Items)) {
			d.values(fmt.Sprintf("%s[%d]", path, i), before.Items[i], after.Items[i])
		}
	case before.Kind != after.Kind, tree.Equal(before, after), isMoment(before.Text) && isMoment(after.Text):
	default:
		if _, secret := secretIn(before.Text); !secret {
			d.add("body "+path, before.Text, after.Text)
		}
	}
}

// isMoment reports whether a value is a time or a drawn identifier, which differ each
// time.
func isMoment(value string) bool {
	return whole.MatchString(value) || epoch.MatchString(value) || len(value) >= 19 && stamped.MatchString(value)
}

// Pair is two calls of two recordings that ask for the same.
type Pair struct{ Before, After Exchange }

// Pairs puts calls of two recordings together that ask for the same, in their order;
// what only one of them asks comes beside.
func Pairs(before, after []Exchange, noise func(string) bool) (pairs []Pair, onlyBefore, onlyAfter []Exchange) {
	keyed := func(exchanges []Exchange) map[string][]Exchange {
		known, byAsk := knownOf(exchanges), make(map[string][]Exchange)
		for _, x := range exchanges {
			key := x.Method + " " + x.Path + "\x00" + askOf(x, known, noise).key
			byAsk[key] = append(byAsk[key], x)
		}
		return byAsk
	}
	was, is := keyed(before), keyed(after)
	byNumber := func(a, b Exchange) int { return int(int64(a.Number) - int64(b.Number)) }
	for key, calls := range was {
		others := is[key]
		for i, x := range calls {
			if i < len(others) {
				pairs = append(pairs, Pair{x, others[i]})
			} else if len(others) == 0 {
				onlyBefore = append(onlyBefore, x)
			}
		}
	}
	for key, calls := range is {
		if len(was[key]) == 0 {
			onlyAfter = append(onlyAfter, calls...)
		}
	}
	slices.SortFunc(pairs, func(a, b Pair) int { return byNumber(a.Before, b.Before) })
	slices.SortFunc(onlyBefore, byNumber)
	slices.SortFunc(onlyAfter, byNumber)
	return pairs, onlyBefore, onlyAfter
}
