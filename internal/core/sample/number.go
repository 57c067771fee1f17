package sample

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"rapidmimic.example/spec/tree"
)

// readNumbers turns exclusive limits into inclusive ones where drawing allows:
// whole numbers step by one, others by a hundredth, by multipleOf, or by less
// where the span is narrow.
func (s *shape) readNumbers(n *tree.Node) {
	if f, ok := n.Get("multipleOf").Float(); ok && f > 0 {
		s.multipleOf = f
	}
	s.minimum, s.maximum = limit(n, "minimum", math.Inf(-1)), limit(n, "maximum", math.Inf(1))
	above, below := limit(n, "exclusiveMinimum", math.Inf(-1)), limit(n, "exclusiveMaximum", math.Inf(1))
	step := s.multipleOf
	if step == 0 {
		step = 0.01
		if slices.Contains(s.types, "integer") {
			step = 1
		} else if room := min(s.maximum, below) - max(s.minimum, above); room < 0.1 {
			step = room / 16
		}
	}
	if above >= s.minimum {
		s.minimum = above + step
	}
	if below <= s.maximum {
		s.maximum = below - step
	}
}

func limit(n *tree.Node, key string, none float64) float64 {
	if f, ok := n.Get(key).Float(); ok {
		return f
	}
	return none
}

func (s *shape) integer(b []byte, d *Draw, h *Hint) []byte {
	low, high := s.span(h, span{1, 1000, 0})
	if like := s.likeNumber(h); like != nil {
		low, high = like.low, like.high
	}
	value := s.stepped(d, math.Ceil(low), math.Floor(high), s.wholeStep())
	if math.Abs(value) < 1<<53 { // then the shortest form of the float is that of the whole number
		return strconv.AppendInt(b, int64(value), 10)
	}
	return strconv.AppendFloat(b, value, 'f', -1, 64)
}

// wholeStep is the distance of whole numbers that are multiples of multipleOf.
func (s *shape) wholeStep() float64 {
	if s.multipleOf == 0 {
		return 1
	}
	for n := 1.0; n <= 1000; n++ {
		if step := n * s.multipleOf; step == math.Floor(step) {
			return step
		}
	}
	return 1
}

func (s *shape) number(b []byte, d *Draw, h *Hint) []byte {
	low, high := s.span(h, span{0, 1000, 2})
	like := s.likeNumber(h)
	if like != nil {
		low, high = like.low, like.high
	}
	if s.multipleOf > 0 {
		return strconv.AppendFloat(b, s.stepped(d, low, high, s.multipleOf), 'f', decimals(s.multipleOf), 64)
	}
	digits := 2
	if like != nil {
		digits = like.digits
	} else if h.numbers != nil {
		digits = h.numbers.digits
	}
	if s.format == "int32" || s.format == "int64" {
		return s.integer(b, d, h)
	}
	value := low + d.rand.Float64()*(high-low)
	power := math.Pow10(digits)
	if rounded := math.Round(value*power) / power; rounded >= low && rounded <= high {
		value = rounded
	}
	return strconv.AppendFloat(b, value, 'f', -1, 64)
}

// likeNumber is where numbers lie that are like the example of the schema, as far as that is usual for
// their name; nil for anywhere.
func (s *shape) likeNumber(h *Hint) *span {
	if s.alike == nil || s.multipleOf > 0 {
		return nil
	}
	like := s.within(s.alike.numbers)
	if like == nil || h.numbers == nil {
		return like
	}
	if low, high := max(like.low, h.numbers.low), min(like.high, h.numbers.high); low < high {
		return &span{low, high, like.digits}
	}
	return like
}

// decimal draws a number written with all its digits after the point.
func decimal(d *Draw, low, high float64, digits int) string {
	return strconv.FormatFloat(low+d.rand.Float64()*(high-low), 'f', digits, 64)
}

// span closes an open range around what is usual for the name, else for any
// number.
func (s *shape) span(h *Hint, usual span) (low, high float64) {
	if h.numbers != nil {
		usual = *h.numbers
	}
	low, high = s.minimum, s.maximum
	openLow, openHigh := math.IsInf(low, -1), math.IsInf(high, 1)
	switch {
	case openLow && openHigh:
		return usual.low, usual.high
	case openLow:
		low = high - max(usual.high, 1)
		if high > usual.low {
			low = max(low, usual.low)
		}
	case openHigh && low < usual.high:
		high = usual.high
	case openHigh:
		high = low + max(usual.high, 1)
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
