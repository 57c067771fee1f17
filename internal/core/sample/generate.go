package sample

import (
	"slices"
	"strconv"

	"rapidmimic.example/spec/tree"
)

const (
	// fullDepth is how deep optional parts are filled in; below it only what is
	// required, so that recursion ends soon.
	fullDepth = 4
	// optionalShare is the percentage of answers that have an optional part.
	optionalShare = 90
	// maxValues bounds the values of one answer, whatever its schema demands.
	maxValues = 50_000
	// MaxItems bounds the elements of one list, and the properties of one object,
	// that are drawn.
	MaxItems = 10_000
	// nullShare is the percentage of values that are null where null is one of
	// several types.
	nullShare = 10
)

// generate makes one value of s. A schema that demands values without an end
// gets null where it must stop, which the caller's check then finds. h is what
// the property's name says about the value.
func (s *shape) generate(d *Draw, h *Hint, depth int) *tree.Node {
	d.values++
	if _ = d.Budget.Spend(1); d.spent() || depth >= fullDepth && s.height >= endless {
		return &tree.Node{}
	}
	if len(s.values) > 0 {
		return pick(d, s.values)
	}
	if len(s.alts) > 0 {
		return s.alternative(d, depth).generate(d, h, depth)
	}
	switch s.drawType(d) {
	case "null":
		return &tree.Node{}
	case "boolean":
		return tree.NewBool(d.chance(50))
	case "integer":
		return s.integer(d, h)
	case "number":
		return s.number(d, h)
	case "array":
		return s.list(d, h, depth)
	case "object":
		return s.object(d, depth)
	default:
		return d.leaf(tree.String, s.text(d, h))
	}
}

func (s *shape) alternative(d *Draw, depth int) *shape {
	if depth < fullDepth {
		ending := make([]*shape, 0, len(s.alts))
		for _, alt := range s.alts {
			if alt.height < endless && !alt.nothing {
				ending = append(ending, alt)
			}
		}
		if len(ending) > 0 {
			return pick(d, ending)
		}
	}
	lowest := s.alts[0]
	for _, alt := range s.alts {
		if alt.height < lowest.height {
			lowest = alt
		}
	}
	return lowest
}

func (s *shape) drawType(d *Draw) string {
	if len(s.types) == 0 {
		return ""
	}
	if len(s.types) > 1 && s.hasType("null") {
		if d.chance(nullShare) {
			return "null"
		}
		for {
			if t := pick(d, s.types); t != "null" {
				return t
			}
		}
	}
	return pick(d, s.types)
}

func (s *shape) list(d *Draw, h *Hint, depth int) *tree.Node {
	low, high := max(s.minItems, 0), s.maxItems
	if high < 0 {
		high = max(low, 3, len(s.prefix)+s.minContains)
	}
	if low == 0 && high > 0 && depth < fullDepth {
		low = 1 // an empty list shows nothing
	}
	if depth >= fullDepth || s.items != nil && s.items.height >= endless {
		high = max(s.minItems, 0)
	}
	if s.items != nil && s.items.nothing && s.contains == nil {
		low, high = len(s.prefix), len(s.prefix)
	}
	want := max(d.between(min(low, high), min(high, low+3)), min(s.minContains+len(s.prefix), max(s.maxItems, high)))
	want = min(want, MaxItems)
	out := tree.NewList()
	plain := d.plain
	var seen map[string]bool
	if s.unique {
		seen = make(map[string]bool)
	}
	for tries := 0; len(out.Items) < want && tries < want*8+8 && !d.spent(); tries++ {
		item := s.item(len(out.Items), want).generate(d, h.item, depth+1)
		if s.unique {
			text := string(item.AppendJSON(nil))
			if seen[text] {
				d.plain = true // an example is always the same
				continue
			}
			seen[text] = true
		}
		out.Items = append(out.Items, item)
	}
	d.plain = plain
	return out
}

var anything = &shape{types: []string{"string"}, minLength: -1, maxLength: -1, height: 1}

// item is the shape of element i of a list of the given size: the last ones
// are those that must be contained.
func (s *shape) item(i, size int) *shape {
	switch {
	case i < len(s.prefix):
		return s.prefix[i]
	case s.contains != nil && i >= size-s.minContains:
		return s.contains
	case s.items != nil:
		return s.items
	default:
		return anything
	}
}

func containsValue(items []*tree.Node, item *tree.Node) bool {
	return slices.ContainsFunc(items, func(have *tree.Node) bool { return tree.Equal(have, item) })
}

func (s *shape) object(d *Draw, depth int) *tree.Node {
	members := make([]tree.Member, 0, len(s.props)+1)
	var chosen []bool
	if s.dependent != nil || s.maxProperties >= 0 {
		chosen = s.choose(d, depth)
	}
	for i, p := range s.props {
		if chosen != nil && !chosen[i] || chosen == nil && !p.required && s.leavesOut(d, p, depth) {
			if chosen != nil || len(members) >= s.minProperties {
				continue
			}
		}
		members = append(members, tree.Member{Key: p.name, Value: p.shape.generate(d, p.hint, depth+1)})
	}
	for _, o := range s.order {
		o.putInOrder(d, members)
	}
	return tree.NewMap(s.appendExtras(members, d, depth)...)
}

// leavesOut decides whether an optional property is left out.
func (s *shape) leavesOut(d *Draw, p property, depth int) bool {
	return depth >= fullDepth || p.shape.height >= endless || p.shape.nothing || !d.chance(d.optional)
}

// choose decides which properties an object has where they depend on one
// another or may not be too many.
func (s *shape) choose(d *Draw, depth int) []bool {
	chosen, count := make([]bool, len(s.props)), 0
	for i, p := range s.props {
		if chosen[i] = p.required; p.required {
			count++
		}
	}
	for i, p := range s.props {
		if !chosen[i] && (s.maxProperties < 0 || count < s.maxProperties) && (count < s.minProperties || !s.leavesOut(d, p, depth)) {
			chosen[i] = true
			count++
		}
	}
	for changed := true; changed; {
		changed = false
		for i, p := range s.props {
			for _, name := range s.dependent[p.name] {
				j := slices.IndexFunc(s.props, func(other property) bool { return other.name == name })
				if chosen[i] && j >= 0 && !chosen[j] {
					chosen[j], changed = true, true
				}
			}
		}
	}
	return chosen
}

// appendExtras adds properties that the schema does not name: some where it
// names none at all, and as many as it takes to have enough.
func (s *shape) appendExtras(members []tree.Member, d *Draw, depth int) []tree.Member {
	want := s.minProperties
	if len(s.props) == 0 && depth < fullDepth && (s.additional != nil && s.additional.height < endless || len(s.patterns) > 0) {
		want = max(want, d.between(1, 3))
	}
	if s.maxProperties >= 0 {
		want = min(want, s.maxProperties)
	}
	if want = min(want, MaxItems); want <= len(members) {
		return members
	}
	have := make(map[string]bool, len(members))
	for _, m := range members {
		have[m.Key] = true
	}
	for tries := 0; len(members) < want && tries < want*4+4 && !d.spent(); tries++ {
		name, of := s.extra(d, len(members)+1)
		if !have[name] {
			have[name] = true
			members = append(members, tree.Member{Key: name, Value: of.generate(d, noHint, depth+1)})
		}
	}
	return members
}

// extra names a property that the schema does not name, with its shape.
func (s *shape) extra(d *Draw, number int) (name string, of *shape) {
	if len(s.patterns) > 0 && (s.closed || s.additional == nil) {
		p := pick(d, s.patterns)
		return p.name.text(d, 1, -1), p.shape
	}
	name, of = noun(d)+strconv.Itoa(number), anything
	if s.names != nil {
		name = s.names.generate(d, noHint, fullDepth).Str()
	}
	if s.additional != nil {
		of = s.additional
	}
	return name, of
}
