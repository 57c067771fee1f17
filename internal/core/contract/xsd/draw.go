package xsd

import (
	"encoding/base64"
	"encoding/hex"
	"math"
	"strconv"
	"strings"
	"unicode/utf8"

	"rapidmimic.example/internal/core/sample"
)

// draw makes a text of this type. h is what the name of the element or attribute says.
func (s *Simple) draw(d *sample.Draw, h *sample.Hint) string {
	switch {
	case s.Values != nil:
		return s.Values[d.Whole(0, int64(len(s.Values)-1))]
	case s.Union != nil:
		return s.Union[d.Whole(0, int64(len(s.Union)-1))].draw(d, h)
	case s.List != nil:
		var items []string
		low, high := max(s.Length[0], 1), s.Length[1]
		if high < 0 {
			high = low + 2
		}
		for range min(d.Whole(int64(low), int64(max(low, high))), sample.MaxItems) {
			items = append(items, s.List.draw(d, h))
		}
		return strings.Join(items, " ")
	case s.drawing != nil:
		if text, ok := s.drawing.Draw(d, max(s.Length[0], 0), s.Length[1]); ok {
			return text
		}
	}
	return s.drawKind(d, h)
}

func (s *Simple) drawKind(d *sample.Draw, h *sample.Hint) string {
	switch s.Kind {
	case "boolean":
		return strconv.FormatBool(d.Whole(0, 1) == 1)
	case "decimal", "integer", "float", "double":
		return s.drawNumber(d, h)
	case "duration":
		return "PT" + strconv.FormatInt(d.Whole(0, 47), 10) + "H" + strconv.FormatInt(d.Whole(0, 59), 10) + "M"
	case "dateTime":
		return s.within(d.Fake("time"))
	case "date":
		return s.within(d.Fake("date"))
	case "time":
		return s.within(d.Fake("time")[11:])
	case "gYear":
		return s.within(d.Fake("date")[:4])
	case "gYearMonth":
		return s.within(d.Fake("date")[:7])
	case "gMonthDay":
		return "-" + d.Fake("date")[4:]
	case "gDay":
		return "--" + d.Fake("date")[7:]
	case "gMonth":
		return "-" + d.Fake("date")[4:7]
	case "hexBinary", "base64Binary":
		return s.drawBytes(d)
	case "anyURI":
		return s.fit(d, d.Fake("url"))
	case "language":
		return "en"
	case "Name", "NCName", "NMTOKEN", "ID", "IDREF", "ENTITY", "QName", "NOTATION":
		return s.fit(d, d.Fake("word")+strconv.FormatInt(d.Whole(1, 1<<40), 36))
	default:
		return s.fit(d, d.Text(h))
	}
}

func (s *Simple) within(text string) string {
	if s.earliest != "" && text < s.earliest {
		return s.earliest
	}
	if s.latest != "" && text > s.latest {
		return s.latest
	}
	return text
}

// fit brings a text to the lengths allowed.
func (s *Simple) fit(d *sample.Draw, text string) string {
	if s.collapse {
		text = collapsed(text)
	}
	if length := utf8.RuneCountInString(text); length < s.Length[0] {
		b := []byte(text)
		for length < s.Length[0] && len(b) < sample.MaxLength {
			word := d.Fake("word")
			b, length = append(b, word...), length+utf8.RuneCountInString(word)
		}
		text = string(b)
	}
	if most := s.Length[1]; most >= 0 && utf8.RuneCountInString(text) > most {
		text = string([]rune(text)[:most])
		if s.collapse { // nothing may be left at the end that is taken off
			text = strings.ReplaceAll(text, " ", "x")
		}
	}
	return text
}

func (s *Simple) drawBytes(d *sample.Draw) string {
	low, high := max(s.Length[0], 0), s.Length[1]
	if high < 0 {
		high = low + 12
	}
	b := make([]byte, min(d.Whole(int64(low), int64(max(low, high))), sample.MaxLength))
	for i := range b {
		b[i] = byte(d.Whole(0, 255))
	}
	if s.Kind == "hexBinary" {
		return strings.ToUpper(hex.EncodeToString(b))
	}
	return base64.StdEncoding.EncodeToString(b)
}

func (s *Simple) drawNumber(d *sample.Draw, h *sample.Hint) string {
	low, high, digits := s.span(h)
	if s.totalDigits > 0 {
		whole := s.totalDigits - max(s.fraction, 0)
		most := math.Pow10(min(max(whole, 0), 15)) - 1
		high, low = min(high, most), max(low, -most)
	}
	if s.Kind == "integer" || s.fraction == 0 {
		return s.drawWhole(d, low, high)
	}
	if s.fraction >= 0 {
		digits = min(digits, s.fraction)
	}
	if s.totalDigits > 0 {
		digits = min(digits, max(0, s.totalDigits-1))
	}
	f := low + float64(d.Whole(0, 1<<30))/(1<<30)*(high-low)
	text := strconv.FormatFloat(f, 'f', digits, 64)
	for extra := digits; s.checkRange(text) != "" && extra < 12; extra++ { // rounding left the range
		text = strconv.FormatFloat(f, 'f', extra, 64)
	}
	return text
}

// span is where a number is drawn from: between the limits that a schema states, and
// where it states none what is usual for the name. The limits of a built-in type only
// bound it: two thousand million is an int, yet nobody's number of berths.
func (s *Simple) span(h *sample.Hint) (low, high float64, digits int) {
	low, high, digits = h.Span()
	least, most := math.Inf(-1), math.Inf(1)
	if s.low != nil {
		least = s.low.near
	}
	if s.high != nil {
		most = s.high.near
	}
	low = max(low, least)
	if s.earliest != "" {
		if low = least; high <= low {
			high = low + 1000
		}
	}
	if s.latest != "" && most-low < 1e6 {
		high = most
	}
	if high = min(high, most); low > high || low == high && s.highOpen {
		low = max(high-1000, least)
	}
	return low, high, digits
}

func (s *Simple) drawWhole(d *sample.Draw, low, high float64) string {
	least, most := int64(math.Ceil(max(low, -9e18))), int64(math.Floor(min(high, 9e18)))
	if s.lowOpen && float64(least) == low {
		least++
	}
	if s.highOpen && float64(most) == high {
		most--
	}
	return strconv.FormatInt(d.Whole(least, max(least, most)), 10)
}
