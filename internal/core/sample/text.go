package sample

import (
	"encoding/base64"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"
)

// text draws a string: by pattern, else by format, else by what the property's
// name or its description says, else words; then brought to the lengths
// allowed.
func (s *shape) text(d *Draw, h *Hint) string {
	text := s.draw(d, h)
	d.room -= len(text)
	return text
}

func (s *shape) draw(d *Draw, h *Hint) string {
	switch {
	case s.drawing != nil && s.ofFormat != nil:
		text := s.formatted(d)
		for _, spelled := range []string{text, strings.ToUpper(text), strings.ToLower(text)} {
			if s.drawing.fits(spelled) {
				return spelled
			}
		}
		return s.drawing.text(d, max(s.minLength, 0), s.maxLength)
	case s.drawing != nil:
		return s.drawing.text(d, max(s.minLength, 0), s.maxLength)
	case s.encoding == "base64" || s.encoding == "base64url" || s.format == "byte" && s.holds != "":
		return s.fitEncoded(d)
	case s.ofFormat != nil:
		return s.formatted(d)
	case s.likeExample(d) && s.alike.varies:
		return s.fitLength(d, s.alike.text(d))
	case h.text != nil:
		return s.fitLength(d, h.text(d))
	case s.described != nil:
		return s.fitLength(d, s.described(d))
	case s.likeExample(d):
		return s.alike.text(d)
	default:
		return s.fitLength(d, adjectiveAndNoun(d))
	}
}

// likeExample reports whether texts are drawn by the example of the schema.
func (s *shape) likeExample(d *Draw) bool { return s.alike != nil && s.alike.text != nil && !d.plain }

// fitEncoded draws bytes, in base64: a file where it is said what they are.
func (s *shape) fitEncoded(d *Draw) string {
	alphabet := base64.StdEncoding
	if s.encoding == "base64url" {
		alphabet = base64.URLEncoding
	}
	content := d.File(s.holds)
	if content == nil {
		content = []byte(noun(d) + " " + noun(d))
	}
	text := alphabet.EncodeToString(content)
	if s.maxLength >= 0 && len(text) > s.maxLength {
		text = alphabet.EncodeToString(d.bytes(s.maxLength / 4 * 3))
	}
	if len(text) < s.minLength {
		text = alphabet.EncodeToString(d.bytes((s.minLength + 3) / 4 * 3))
	}
	return text
}

// formatted draws by format until the length is allowed, a bounded number of
// times.
func (s *shape) formatted(d *Draw) (text string) {
	for range 8 {
		text = s.ofFormat(d)
		if n := len(text); n >= s.minLength && (s.maxLength < 0 || n <= s.maxLength) {
			break
		}
	}
	return text
}

func (s *shape) fitLength(d *Draw, text string) string {
	length := utf8.RuneCountInString(text)
	if length < s.minLength {
		b := []byte(text)
		for length < s.minLength && len(b) < min(d.room, MaxLength) {
			if d.Budget.Spend(1) != nil {
				break
			}
			word := " " + nouns.draw(d)
			b, length = append(b, word...), length+utf8.RuneCountInString(word)
		}
		text = string(b)
	}
	if s.maxLength >= 0 && length > s.maxLength {
		return string([]rune(text)[:s.maxLength])
	}
	return text
}

// maxText bounds the texts of one answer together, in bytes, whatever their
// schemas demand. MaxLength bounds the length of one text.
const (
	maxText   = 4 << 20
	MaxLength = 1 << 20
)

// The dates drawn lie around these years, whatever the clock says: data of a
// seed must not change from one day to the next.
var (
	firstDay = time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	lastDay  = time.Date(2027, 12, 31, 23, 59, 59, 0, time.UTC)
)

func (d *Draw) moment() time.Time {
	span := int64(lastDay.Sub(firstDay) / time.Second)
	return firstDay.Add(time.Duration(d.rand.Int64N(span)) * time.Second)
}

// formats draw the values of JSON Schema's and OpenAPI's formats.
var formats = map[string]func(*Draw) string{
	"date-time": func(d *Draw) string { return d.moment().Format(time.RFC3339) },
	"date":      func(d *Draw) string { return d.moment().Format(time.DateOnly) },
	"time":      func(d *Draw) string { return d.moment().Format("15:04:05Z") },
	"duration": func(d *Draw) string {
		return "PT" + strconv.Itoa(d.between(0, 47)) + "H" + strconv.Itoa(d.between(0, 59)) + "M"
	},
	"email":         email,
	"idn-email":     email,
	"uuid":          func(d *Draw) string { return d.faker.UUID() },
	"uri":           link,
	"url":           link,
	"iri":           link,
	"uri-reference": func(d *Draw) string { return "/" + noun(d) + "/" + digits(d, 3) },
	"iri-reference": func(d *Draw) string { return "/" + noun(d) + "/" + digits(d, 3) },
	"uri-template":  func(d *Draw) string { return "/" + noun(d) + "/{id}" },
	"hostname":      func(d *Draw) string { return noun(d) + ".example" },
	"idn-hostname":  func(d *Draw) string { return noun(d) + ".example" },
	"ipv4":          func(d *Draw) string { return "192.0.2." + strconv.Itoa(d.between(1, 254)) },
	"ipv6":          func(d *Draw) string { return "2001:db8::" + strconv.FormatInt(int64(d.between(1, 65535)), 16) },
	"byte": func(d *Draw) string {
		return base64.StdEncoding.EncodeToString([]byte(noun(d) + " " + noun(d)))
	},
	"password":              func(d *Draw) string { return letters(d, 10) + digits(d, 3) },
	"json-pointer":          func(d *Draw) string { return "/" + noun(d) },
	"relative-json-pointer": func(d *Draw) string { return "1/" + noun(d) },
	"regex":                 func(d *Draw) string { return "^" + noun(d) + "$" },
}
