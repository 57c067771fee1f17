package tree

import (
	"cmp"
	"strconv"
	"strings"
)

// Limits of a number that Bounded keeps: within them exact arithmetic takes
// microseconds, beyond them a few characters can ask for gigabytes.
const (
	maxExponent = 1_000
	maxDigits   = 1_000
)

// decimal is a number as 0.DIGITS × 10^point, its digits without zeros at
// either end. It is never expanded: 1e999999999 has one digit.
type decimal struct {
	negative bool
	digits   string // "" for zero
	point    int64
}

// readDecimal reads a number as JSON writes it. An exponent that no int64 holds
// is the largest of its sign.
func readDecimal(text string) (d decimal) {
	text, d.negative = strings.CutPrefix(text, "-")
	if i := strings.IndexAny(text, "eE"); i >= 0 {
		d.point = readExponent(text[i+1:])
		text = text[:i]
	}
	whole, fraction, _ := strings.Cut(strings.TrimPrefix(text, "+"), ".")
	d.point += int64(len(whole))
	digits := whole + fraction
	d.digits = strings.TrimLeft(digits, "0")
	d.point -= int64(len(digits) - len(d.digits))
	if d.digits = strings.TrimRight(d.digits, "0"); d.digits == "" {
		return decimal{}
	}
	return d
}

func readExponent(text string) int64 {
	const most = 1 << 40                   // far enough that lengths of texts can be added
	n, _ := strconv.ParseInt(text, 10, 64) // out of range it is the nearest there is
	return min(max(n, -most), most)
}

func (d decimal) sign() int {
	switch {
	case d.digits == "":
		return 0
	case d.negative:
		return -1
	default:
		return 1
	}
}

// CompareNumbers compares two numbers as JSON writes them, by their values and
// exactly. It takes time by the lengths of the texts, whatever the exponents.
func CompareNumbers(a, b string) int {
	x, y := readDecimal(a), readDecimal(b)
	if c := cmp.Compare(x.sign(), y.sign()); c != 0 || x.sign() == 0 {
		return c
	}
	c := cmp.Compare(x.point, y.point)
	if c == 0 {
		c = cmp.Compare(x.digits, y.digits) // a prefix is smaller
	}
	return c * x.sign()
}

// BoundedNumber is a number for those who compute exactly: one whose exponent or
// whose digits are beyond what that can take comes back with the exponent, or the
// digits, that are the most. All others come back as they are.
func BoundedNumber(text string) string {
	if len(text) <= 8 && !strings.ContainsAny(text, "eE") {
		return text
	}
	d := readDecimal(text)
	if len(d.digits) <= maxDigits && d.point <= maxExponent && d.point >= -maxExponent && len(text) <= 2*maxDigits {
		return text
	}
	if d.digits == "" {
		return "0"
	}
	sign := ""
	if d.negative {
		sign = "-"
	}
	digits := d.digits[:min(len(d.digits), maxDigits)]
	point := min(max(d.point, -maxExponent), maxExponent)
	return sign + "0." + digits + "e" + strconv.FormatInt(point, 10)
}

// CanonicalNumber is a text that two numbers, as JSON writes them, share when they are
// equal: 1e2 and 100.0 do.
func CanonicalNumber(text string) string {
	d := readDecimal(text)
	return strconv.FormatBool(d.negative) + d.digits + "e" + strconv.FormatInt(d.point, 10)
}
