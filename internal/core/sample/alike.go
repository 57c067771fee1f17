package sample

import (
	"math"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"rapidmimic.example/spec/tree"
)

// alike draws values like the example that a schema gives for its value: of numbers the same size, of
// texts the same form.
type alike struct {
	text func(*Draw) string // nil where the example is none of a text
	// varies is set where two texts differ.
	varies  bool
	numbers *span // nil where the example is no number
}

// longestAlike is how long, in bytes, an example may be that texts are drawn by.
const longestAlike = 200

// alikeOf reads the example of a schema; nil where it has none that helps.
func alikeOf(n *tree.Node) *alike {
	example := n.Get("example")
	if all := n.Get("examples"); example == nil && all != nil && len(all.Items) > 0 {
		example = all.Items[0]
	}
	if example != nil && example.Kind == tree.Number && slices.Equal(typesOf(n), []string{"string"}) {
		example = tree.NewString(example.Text) // written without quotes
	}
	switch {
	case example == nil:
		return nil
	case example.Kind == tree.String:
		text, varies := formOf(example.Text)
		if text == nil || !holdsLength(n, example.Text) && !varies {
			return nil
		}
		return &alike{text: text, varies: varies}
	case example.Kind == tree.Number:
		return &alike{numbers: around(example)}
	}
	return nil
}

func holdsLength(n *tree.Node, text string) bool {
	length, low, high := utf8.RuneCountInString(text), count(n, "minLength"), count(n, "maxLength")
	return length >= low && (high < 0 || length <= high)
}

// known are forms of texts that a format tells better than their letters.
var known = []struct {
	form   *regexp.Regexp
	format string
}{
	{regexp.MustCompile(`^\d{4}-\d\d-\d\d$`), "date"},
	{regexp.MustCompile(`^\d{4}-\d\d-\d\d[Tt ]\d\d:\d\d`), "date-time"},
	{regexp.MustCompile(`^[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}$`), "uuid"},
	{regexp.MustCompile(`^(\d{1,3}\.){3}\d{1,3}$`), "ipv4"},
	{regexp.MustCompile(`^[^@\s]+@[^@\s]+\.[^@\s]+$`), "email"},
	{regexp.MustCompile(`^https?://`), "uri"},
}

// clock is a time of day, whose digits mean what they say.
var clock = regexp.MustCompile(`\d:\d`)

// formOf draws texts of the form of an example: its digits are drawn anew, all else stays.
func formOf(example string) (text func(*Draw) string, varies bool) {
	if example == "" || len(example) > longestAlike {
		return nil, false
	}
	for _, k := range known {
		if k.form.MatchString(example) {
			return formats[k.format], true
		}
	}
	if !strings.ContainsAny(example, "0123456789") || clock.MatchString(example) {
		return func(*Draw) string { return example }, false
	}
	return func(d *Draw) string {
		b := []byte(example)
		for i, c := range b {
			switch {
			case c == '0': // what is filled up with zeros stays so
			case '1' <= c && c <= '9':
				b[i] = byte('1' + d.rand.IntN(9))
			}
		}
		return string(b)
	}, true
}

// around is where numbers like an example lie; nil for one of which nothing follows.
func around(example *tree.Node) *span {
	value, ok := example.Float()
	size := math.Abs(value)
	if !ok || value == 0 || math.IsInf(value, 0) || size > 1<<52 {
		return nil
	}
	room := size / 2
	switch {
	case size >= 1e8: // a point in time, or an id
		room = size / 20
	case value == math.Floor(value) && value >= 1900 && value <= 2100: // a year
		room = 5
	}
	low, high := value-room, value+room
	if value == math.Floor(value) {
		low, high = math.Ceil(low), math.Floor(high)
	}
	digits := decimals(value)
	if _, fraction, found := strings.Cut(example.Text, "."); found {
		digits = len(fraction)
	}
	return &span{low, high, min(digits, 6)}
}

// within is the span as far as the limits of the shape and of its format allow; nil where none of it is.
func (s *shape) within(like *span) *span {
	if like == nil {
		return nil
	}
	low, high := max(like.low, s.minimum), min(like.high, s.maximum)
	if s.format == "int32" {
		low, high = max(low, math.MinInt32), min(high, math.MaxInt32)
	}
	if slices.Contains(s.types, "integer") {
		low, high = math.Ceil(low), math.Floor(high)
	}
	if low > high {
		return nil
	}
	return &span{low, high, like.digits}
}
