package sample

import (
	"math"
	"strconv"
	"strings"

	"rapidmimic/spec/tree"
)

const (
	// fullDepth is how deep optional parts are filled in; below it only what is
	// required, so that recursion ends soon.
	fullDepth = 4
	// optionalShare is the percentage of answers that have an optional part.
	optionalShare = 90
	// maxValues bounds the size of one answer, whatever its schema demands.
	maxValues = 50_000
	// nullShare is the percentage of values that are null where null is one of
	// several types.
	nullShare = 10
)

// generate makes one value of s. A schema that demands values without an end
// gets null where it must stop, which the caller's check then finds. name is the property's name, which tells what
// the value means.
func (s *shape) generate(d *Draw, name string, depth int) *tree.Node {
	if d.values++; d.values > maxValues || depth >= fullDepth && s.height >= endless {
		return &tree.Node{}
	}
	if len(s.values) > 0 {
		return pick(d, s.values)
	}
	if len(s.alts) > 0 {
		return s.alternative(d, depth).generate(d, name, depth)
	}
	switch s.drawType(d) {
	case "null":
		return &tree.Node{}
	case "boolean":
		return tree.NewBool(d.chance(50))
	case "integer":
		return s.integer(d)
	case "number":
		return s.number(d)
	case "array":
		return s.list(d, name, depth)
	case "object":
		return s.object(d, depth)
	default:
		return tree.NewString(s.text(d, name))
	}
}

func (s *shape) alternative(d *Draw, depth int) *shape {
	if depth < fullDepth {
		ending := make([]*shape, 0, len(s.alts))
		for _, alt := range s.alts {
			if alt.height < endless {
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

func (s *shape) list(d *Draw, name string, depth int) *tree.Node {
	low, high := max(s.minItems, 0), s.maxItems
	if high < 0 {
		high = max(low, 3)
	}
	if low == 0 && high > 0 && depth < fullDepth {
		low = 1 // an empty list shows nothing
	}
	if depth >= fullDepth || s.items != nil && s.items.height >= endless {
		high = max(s.minItems, 0)
	}
	want := d.between(min(low, high), min(high, low+3))
	out := tree.NewList()
	for tries := 0; len(out.Items) < want && tries < want*8+8; tries++ {
		item := s.item(len(out.Items)).generate(d, singular(name), depth+1)
		if s.unique && contains(out.Items, item) {
			continue
		}
		out.Items = append(out.Items, item)
	}
	return out
}

var anything = &shape{types: []string{"string"}, minLength: -1, maxLength: -1, height: 1}

func (s *shape) item(i int) *shape {
	switch {
	case i < len(s.prefix):
		return s.prefix[i]
	case s.items != nil:
		return s.items
	default:
		return anything
	}
}

func contains(items []*tree.Node, item *tree.Node) bool {
	for _, have := range items {
		if tree.Equal(have, item) {
			return true
		}
	}
	return false
}

// singular names an element by its list: "vessels" holds a "vessel".
func singular(name string) string { return strings.TrimSuffix(name, "s") }

func (s *shape) object(d *Draw, depth int) *tree.Node {
	members := make([]tree.Member, 0, len(s.props))
	for _, p := range s.props {
		optional := !p.required
		if optional && (depth >= fullDepth || p.shape.height >= endless || !d.chance(optionalShare)) {
			if len(members) >= s.minProperties {
				continue
			}
		}
		members = append(members, tree.Member{Key: p.name, Value: p.shape.generate(d, p.name, depth+1)})
	}
	if s.additional != nil && len(s.props) == 0 && s.additional.height < endless && depth < fullDepth {
		for i := range d.between(1, 3) {
			key := d.faker.NounCommon() + strconv.Itoa(i+1)
			members = append(members, tree.Member{Key: key, Value: s.additional.generate(d, "", depth+1)})
		}
	}
	for i := 1; len(members) < s.minProperties; i++ {
		members = append(members, tree.Member{Key: "extra" + strconv.Itoa(i), Value: s.extra().generate(d, "", depth+1)})
	}
	return tree.NewMap(members...)
}

func (s *shape) extra() *shape {
	if s.additional != nil {
		return s.additional
	}
	return anything
}

func (s *shape) integer(d *Draw) *tree.Node {
	low, high := s.range64(1, 1000)
	low, high = math.Ceil(low), math.Floor(high)
	step := 1.0
	if s.multipleOf >= 1 && s.multipleOf == math.Floor(s.multipleOf) {
		step = s.multipleOf
	}
	return tree.NewNumber(strconv.FormatFloat(s.stepped(d, low, high, step), 'f', -1, 64))
}

func (s *shape) number(d *Draw) *tree.Node {
	low, high := s.range64(0, 1000)
	if s.multipleOf > 0 {
		value := s.stepped(d, low, high, s.multipleOf)
		return tree.NewNumber(strconv.FormatFloat(value, 'f', decimals(s.multipleOf), 64))
	}
	value := low + d.rand.Float64()*(high-low)
	if rounded := math.Round(value*100) / 100; rounded >= low && rounded <= high {
		value = rounded
	}
	return tree.NewNumber(strconv.FormatFloat(value, 'f', -1, 64))
}

// range64 closes an open range around usual, a span that reads well.
func (s *shape) range64(usualLow, usualHigh float64) (low, high float64) {
	low, high = s.minimum, s.maximum
	switch {
	case math.IsInf(low, -1) && math.IsInf(high, 1):
		return usualLow, usualHigh
	case math.IsInf(low, -1):
		low = high - usualHigh
		if high > usualLow {
			low = max(low, usualLow)
		}
	case math.IsInf(high, 1):
		high = low + usualHigh
	}
	return low, high
}

// stepped draws a multiple of step between low and high. 0.3/0.1 is a little
// less than 3, hence the slack.
func (s *shape) stepped(d *Draw, low, high, step float64) float64 {
	const slack = 1e-9
	first, last := math.Ceil(low/step-slack), math.Floor(high/step+slack)
	if last <= first {
		return first * step
	}
	span := min(last-first, 1<<52)
	return (first + math.Floor(d.rand.Float64()*(span+1))) * step
}

// decimals counts the digits after the point in the shortest form of f.
func decimals(f float64) int {
	_, fraction, _ := strings.Cut(strconv.FormatFloat(f, 'f', -1, 64), ".")
	return len(fraction)
}
