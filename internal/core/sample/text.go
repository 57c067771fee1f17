package sample

import (
	"encoding/base64"
	"fmt"
	"regexp/syntax"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/brianvoe/gofakeit/v7"
)

// text draws a string: by pattern, else by format, else by what the property's
// name says, else words; then brought to the lengths allowed.
func (s *shape) text(d *Draw, name string) string {
	switch {
	case s.pattern != "" && canDrawPattern(s.pattern):
		return d.faker.Regex(s.pattern)
	case formats[s.format] != nil:
		return formats[s.format](d)
	default:
		return s.fitLength(d, byName(d, name))
	}
}

func (s *shape) fitLength(d *Draw, text string) string {
	for s.minLength > utf8.RuneCountInString(text) {
		text += " " + d.faker.NounCommon()
	}
	if s.maxLength >= 0 {
		if runes := []rune(text); len(runes) > s.maxLength {
			text = string(runes[:s.maxLength])
		}
	}
	return text
}

// canDrawPattern reports whether a pattern can be turned round: it must be
// free of what RE2 lacks and of assertions inside the text.
func canDrawPattern(pattern string) bool {
	re, err := syntax.Parse(pattern, syntax.Perl)
	return err == nil && !hasWordBoundary(re)
}

func hasWordBoundary(re *syntax.Regexp) bool {
	if re.Op == syntax.OpWordBoundary || re.Op == syntax.OpNoWordBoundary {
		return true
	}
	for _, sub := range re.Sub {
		if hasWordBoundary(sub) {
			return true
		}
	}
	return false
}

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
	"duration":  func(d *Draw) string { return fmt.Sprintf("PT%dH%dM", d.between(0, 47), d.between(0, 59)) },
	"email":     func(d *Draw) string { return email(d) },
	"idn-email": func(d *Draw) string { return email(d) },
	"uuid":      func(d *Draw) string { return d.faker.UUID() },
	"uri":       func(d *Draw) string { return link(d) },
	"url":       func(d *Draw) string { return link(d) },
	"iri":       func(d *Draw) string { return link(d) },
	"uri-reference": func(d *Draw) string {
		return "/" + d.faker.NounCommon() + "/" + d.faker.DigitN(3)
	},
	"hostname":     func(d *Draw) string { return d.faker.NounCommon() + ".example" },
	"idn-hostname": func(d *Draw) string { return d.faker.NounCommon() + ".example" },
	"ipv4":         func(d *Draw) string { return fmt.Sprintf("192.0.2.%d", d.between(1, 254)) },
	"ipv6":         func(d *Draw) string { return fmt.Sprintf("2001:db8::%x", d.between(1, 65535)) },
	"byte": func(d *Draw) string {
		return base64.StdEncoding.EncodeToString([]byte(d.faker.NounCommon() + " " + d.faker.NounCommon()))
	},
	"json-pointer": func(d *Draw) string { return "/" + d.faker.NounCommon() },
	"regex":        func(d *Draw) string { return "^" + d.faker.NounCommon() + "$" },
}

// email and link stay within names that can never exist (RFC 2606).
func email(d *Draw) string {
	return plain(d.faker.FirstName()) + "." + plain(d.faker.LastName()) + "@" + d.faker.NounCommon() + ".example"
}

func link(d *Draw) string {
	return "https://" + d.faker.NounCommon() + ".example/" + d.faker.NounCommon() + "/" + d.faker.DigitN(3)
}

func plain(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' {
			return r
		}
		return -1
	}, strings.ToLower(s))
}

// named draws values for the words that end a property's name. The first rule
// with a fitting word wins.
var named = []struct {
	words []string
	draw  func(*gofakeit.Faker, *Draw) string
}{
	{[]string{"email", "mail"}, func(_ *gofakeit.Faker, d *Draw) string { return email(d) }},
	{[]string{"phone", "mobile", "telephone", "fax"}, func(f *gofakeit.Faker, _ *Draw) string { return f.PhoneFormatted() }},
	{[]string{"firstname", "givenname", "forename"}, func(f *gofakeit.Faker, _ *Draw) string { return f.FirstName() }},
	{[]string{"lastname", "surname", "familyname"}, func(f *gofakeit.Faker, _ *Draw) string { return f.LastName() }},
	{[]string{"company", "agent", "organisation", "organization", "operator", "employer"}, func(f *gofakeit.Faker, _ *Draw) string { return f.Company() }},
	{[]string{"vessel", "ship", "boat"}, func(_ *gofakeit.Faker, d *Draw) string { return ship(d) }},
	{[]string{"master", "skipper", "owner", "contact", "person", "author", "name"}, func(f *gofakeit.Faker, _ *Draw) string { return f.Name() }},
	{[]string{"city", "town", "port", "harbour", "harbor", "place"}, func(f *gofakeit.Faker, _ *Draw) string { return f.City() }},
	{[]string{"country"}, func(f *gofakeit.Faker, _ *Draw) string { return f.Country() }},
	{[]string{"street", "address"}, func(f *gofakeit.Faker, _ *Draw) string { return f.Street() }},
	{[]string{"zip", "postcode", "postalcode"}, func(f *gofakeit.Faker, _ *Draw) string { return f.Zip() }},
	{[]string{"url", "uri", "link", "href"}, func(_ *gofakeit.Faker, d *Draw) string { return link(d) }},
	{[]string{"currency"}, func(_ *gofakeit.Faker, d *Draw) string { return pick(d, []string{"EUR", "GBP", "NOK", "DKK"}) }},
	{[]string{"colour", "color"}, func(f *gofakeit.Faker, _ *Draw) string { return f.SafeColor() }},
	{[]string{"date", "day"}, func(_ *gofakeit.Faker, d *Draw) string { return formats["date"](d) }},
	{[]string{"time", "at", "from", "until"}, func(_ *gofakeit.Faker, d *Draw) string { return formats["date-time"](d) }},
	{[]string{"id", "number", "code", "reference", "key"}, func(f *gofakeit.Faker, d *Draw) string {
		return strings.ToUpper(f.LetterN(2)) + "-" + f.DigitN(4)
	}},
	{[]string{"description", "note", "notes", "remark", "remarks", "detail", "message", "comment", "text", "reason"}, func(f *gofakeit.Faker, _ *Draw) string {
		return f.Sentence()
	}},
}

func ship(d *Draw) string {
	return pick(d, []string{"Northern", "Grey", "Silver", "Swift", "Bold", "Quiet"}) + " " +
		pick(d, []string{"Gannet", "Fulmar", "Petrel", "Curlew", "Heron", "Tern"})
}

func byName(d *Draw, name string) string {
	last := lastWord(name)
	whole := plain(name)
	for _, rule := range named {
		for _, word := range rule.words {
			if last == word || whole == word {
				return rule.draw(d.faker, d)
			}
		}
	}
	return d.faker.AdjectiveDescriptive() + " " + d.faker.NounCommon()
}

// lastWord is what a name is about: "berthNumber" and "berth_number" are
// numbers.
func lastWord(name string) string {
	start := 0
	for i, r := range name {
		if r == '_' || r == '-' || r == '.' || r == ' ' {
			start = i + 1
		} else if r >= 'A' && r <= 'Z' && i > 0 && name[i-1] >= 'a' {
			start = i
		}
	}
	return strings.ToLower(name[start:])
}
