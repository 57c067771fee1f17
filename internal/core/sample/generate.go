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

// generate appends one value of s to b, as JSON: most answers are sent as it, and no tree is made of them. A schema that
// demands values without an end gets null where it must stop, which the caller's check then finds. h is what the
// property's name says about the value.
func (s *shape) generate(b []byte, d *Draw, h *Hint, depth int) []byte {
	d.values++
	if _ = d.Budget.Spend(1); d.spent() || depth >= fullDepth && s.height >= endless {
		return append(b, "null"...)
	}
	if len(s.values) > 0 {
		return pick(d, s.values).AppendJSON(b)
	}
	if len(s.alts) > 0 {
		return s.alternative(d, depth).generate(b, d, h, depth)
	}
	switch s.drawType(d) {
	case "null":
		return append(b, "null"...)
	case "boolean":
		return strconv.AppendBool(b, d.chance(50))
	case "integer":
		return s.integer(b, d, h)
	case "number":
		return s.number(b, d, h)
	case "array":
		return s.list(b, d, h, depth)
	case "object":
		return s.object(b, d, depth)
	default:
		return tree.AppendQuoted(b, s.text(d, h))
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

func (s *shape) list(b []byte, d *Draw, h *Hint, depth int) []byte {
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
	b = append(b, '[')
	plain := d.plain
	var seen map[string]bool
	if s.unique {
		seen = make(map[string]bool)
	}
	for tries, items := 0, 0; items < want && tries < want*8+8 && !d.spent(); tries++ {
		before := len(b)
		if items > 0 {
			b = append(b, ',')
		}
		from := len(b)
		b = s.item(items, want).generate(b, d, h.item, depth+1)
		if s.unique {
			if seen[string(b[from:])] {
				b = b[:before]
				d.plain = true // an example is always the same
				continue
			}
			seen[string(b[from:])] = true
		}
		items++
	}
	d.plain = plain
	return append(b, ']')
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

// member is one of an object that is being drawn: its value stands at b[from:to].
type member struct {
	name     string
	from, to int
}

func (s *shape) object(b []byte, d *Draw, depth int) []byte {
	b = append(b, '{')
	first := len(d.members) // those before are of objects around it
	var chosen []bool
	if s.dependent != nil || s.maxProperties >= 0 {
		chosen = s.choose(d, depth)
	}
	for i, p := range s.props {
		if chosen != nil && !chosen[i] || chosen == nil && !p.required && s.leavesOut(d, p, depth) {
			if chosen != nil || len(d.members)-first >= s.minProperties {
				continue
			}
		}
		b = p.shape.generateMember(b, d, first, p.name, p.hint, depth)
	}
	for _, o := range s.order {
		o.putInOrder(b, d, d.members[first:])
	}
	b = s.appendExtras(b, d, first, depth)
	d.members = d.members[:first]
	return append(b, '}')
}

// generateMember appends a member of the object whose members d has from first on.
func (s *shape) generateMember(b []byte, d *Draw, first int, name string, h *Hint, depth int) []byte {
	if len(d.members) > first {
		b = append(b, ',')
	}
	b = append(tree.AppendQuoted(b, name), ':')
	from := len(b)
	b = s.generate(b, d, h, depth+1)
	d.members = append(d.members, member{name, from, len(b)})
	return b
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
func (s *shape) appendExtras(b []byte, d *Draw, first, depth int) []byte {
	want := s.minProperties
	if len(s.props) == 0 && depth < fullDepth && (s.additional != nil && s.additional.height < endless || len(s.patterns) > 0) {
		want = max(want, d.between(1, 3))
	}
	if s.maxProperties >= 0 {
		want = min(want, s.maxProperties)
	}
	if want = min(want, MaxItems); want <= len(d.members)-first {
		return b
	}
	have := make(map[string]bool, want)
	for _, m := range d.members[first:] {
		have[m.name] = true
	}
	for tries := 0; len(d.members)-first < want && tries < want*4+4 && !d.spent(); tries++ {
		name, of := s.extra(d, len(d.members)-first+1)
		if !have[name] {
			have[name] = true
			b = of.generateMember(b, d, first, name, noHint, depth)
		}
	}
	return b
}

// extra names a property that the schema does not name, with its shape.
func (s *shape) extra(d *Draw, number int) (name string, of *shape) {
	if len(s.patterns) > 0 && (s.closed || s.additional == nil) {
		p := pick(d, s.patterns)
		return p.name.text(d, 1, -1), p.shape
	}
	name, of = noun(d)+strconv.Itoa(number), anything
	if s.names != nil {
		name = parsed(s.names.generate(nil, d, noHint, fullDepth)).Str()
	}
	if s.additional != nil {
		of = s.additional
	}
	return name, of
}
