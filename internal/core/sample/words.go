package sample

import (
	"strings"
	"time"
)

// Hint is what the name of a value says about it. It is immutable.
type Hint struct {
	// text draws a fitting text; nil when the name says nothing.
	text func(*Draw) string
	// numbers are the usual span of a number of this name; nil likewise.
	numbers *span
	item    *Hint // for the elements of a list of this name
}

// span is a range of numbers that reads well, with digits after the point.
type span struct {
	low, high float64
	digits    int
}

var noHint = func() *Hint {
	h := &Hint{}
	h.item = h
	return h
}()

// HintOf reads a name.
func HintOf(name string) *Hint { return hintOf(name, "") }

// hintOf reads the name of a property, and where that says nothing, what the
// schema says about it in words.
func hintOf(name, description string) *Hint {
	if name == "" && description == "" {
		return noHint
	}
	h := &Hint{text: textByName(name), numbers: numbersByName(name), item: noHint}
	if h.text == nil {
		h.text = textByDescription(description)
	}
	if single := singular(name); single != name {
		h.item = &Hint{text: textByName(single), numbers: numbersByName(single), item: noHint}
	}
	return h
}

// singular names an element by its list: "vessels" holds a "vessel".
func singular(name string) string {
	if rest, ok := strings.CutSuffix(name, "ies"); ok && rest != "" {
		return rest + "y"
	}
	return strings.TrimSuffix(name, "s")
}

// rule draws values for the words that end a property's name, or are the whole
// of it.
type rule struct {
	words string // separated by spaces
	draw  func(*Draw) string
}

// rules for texts; the first with a fitting word wins.
var rules = []rule{
	{"email mail", email},
	{"phone mobile telephone fax tel phonenumber", func(d *Draw) string { return d.faker.PhoneFormatted() }},
	{"firstname givenname forename", firstNames.draw},
	{"lastname surname familyname", lastNames.draw},
	{"username login nickname", func(d *Draw) string { return plainFirstNames.draw(d) + digits(d, 2) }},
	{"filename file", func(d *Draw) string { return noun(d) + pick(d, []string{".pdf", ".csv", ".png"}) }},
	{"hostname host domain server", func(d *Draw) string { return noun(d) + ".example" }},
	{"company agent organisation organization operator employer supplier companyname", func(d *Draw) string { return d.faker.Company() }},
	{"vessel ship boat vesselname shipname", ship},
	{"master skipper owner contact person author name fullname sender recipient customer consignee consignor", func(d *Draw) string { return firstNames.draw(d) + " " + lastNames.draw(d) }},
	{"city town port harbour harbor place location municipality", func(d *Draw) string { return d.faker.City() }},
	{"countrycode", func(d *Draw) string { return d.faker.CountryAbr() }},
	{"country nationality flag", func(d *Draw) string { return d.faker.Country() }},
	{"region province county", func(d *Draw) string { return d.faker.State() }},
	{"street address line1 addressline", func(d *Draw) string { return d.faker.Street() }},
	{"zip postcode postalcode zipcode", func(d *Draw) string { return d.faker.Zip() }},
	{"url uri link href website homepage", link},
	{"currency currencycode", func(d *Draw) string { return pick(d, []string{"EUR", "GBP", "NOK", "DKK"}) }},
	{"language locale languagecode lang", func(d *Draw) string { return pick(d, []string{"en", "nb", "da", "de", "fr"}) }},
	{"timezone", func(d *Draw) string {
		return pick(d, []string{"Europe/Oslo", "Europe/London", "UTC"})
	}},
	{"colour color", func(d *Draw) string { return d.faker.SafeColor() }},
	{"date day birthday birthdate", formats["date"]},
	{"time at from until timestamp datetime since", formats["date-time"]},
	{"amount price total cost fee sum balance", func(d *Draw) string { return decimal(d, 1, 900, 2) }},
	{"latitude lat", func(d *Draw) string { return decimal(d, -90, 90, 5) }},
	{"longitude lon lng", func(d *Draw) string { return decimal(d, -180, 180, 5) }},
	{"imo", func(d *Draw) string { return "9" + digits(d, 6) }},
	{"callsign", func(d *Draw) string { return strings.ToUpper("sk" + letters(d, 1) + digits(d, 2)) }},
	{"version", func(d *Draw) string { return decimal(d, 1, 9, 1) + ".0" }},
	{"ip ipaddress", formats["ipv4"]},
	{"uuid guid", func(d *Draw) string { return d.faker.UUID() }},
	{"token secret password hash checksum etag", func(d *Draw) string { return letters(d, 8) + digits(d, 8) }},
	{"id number code reference key ref no sku", func(d *Draw) string { return strings.ToUpper(letters(d, 2)) + "-" + digits(d, 4) }},
	{"status state", func(d *Draw) string { return pick(d, []string{"open", "pending", "done", "closed"}) }},
	{"unit", func(d *Draw) string { return pick(d, []string{"m", "kg", "l", "t"}) }},
	{"description note notes remark remarks detail details message comment comments text reason summary body content", sentenceOf},
}

// ruleByWord finds the rule of a word.
var ruleByWord = func() map[string]func(*Draw) string {
	byWord := make(map[string]func(*Draw) string)
	for _, r := range rules {
		for _, word := range strings.Fields(r.words) {
			byWord[word] = r.draw
		}
	}
	return byWord
}()

// textByName finds how to draw for a name: by all its words together, else by
// the last one, which says what the name is about.
func textByName(name string) func(*Draw) string {
	parts := wordsOf(name)
	if len(parts) == 0 {
		return nil
	}
	if draw := ruleByWord[strings.Join(parts, "")]; draw != nil {
		return draw
	}
	if len(parts) > 1 {
		if draw := ruleByWord[strings.Join(parts[len(parts)-2:], "")]; draw != nil {
			return draw
		}
	}
	return ruleByWord[parts[len(parts)-1]]
}

// telling are phrases of descriptions that say what a text is, the more
// special first.
var telling = []struct{ phrase, word string }{
	{"e-mail", "email"}, {"email", "email"}, {"phone", "phone"}, {"iso 4217", "currency"}, {"iso 3166", "countrycode"},
	{"iso 639", "language"}, {"time zone", "timezone"}, {"first name", "firstname"}, {"given name", "firstname"}, {"last name", "lastname"},
	{"family name", "lastname"}, {"surname", "lastname"}, {"uuid", "uuid"}, {"url", "url"}, {"web address", "url"},
	{"host name", "hostname"}, {"ip address", "ip"}, {"post code", "zip"}, {"postal code", "zip"}, {"call sign", "callsign"},
	{"country", "country"}, {"currency", "currency"}, {"street", "street"}, {"town", "town"}, {"city", "city"}, {"ship", "ship"}, {"vessel", "vessel"},
	{"company", "company"}, {"rfc 3339", "timestamp"}, {"date and time", "timestamp"}, {"timestamp", "timestamp"}, {"name of the person", "name"},
	{"full name", "name"}, {"identifier", "id"}, {"reference", "reference"}, {"remark", "remark"}, {"free text", "text"}, {"sentence", "text"},
}

func textByDescription(description string) func(*Draw) string {
	description = strings.ToLower(description)
	for _, t := range telling {
		if strings.Contains(description, t.phrase) {
			return ruleByWord[t.word]
		}
	}
	return nil
}

// spans of numbers, by the last word of a name.
var spans = map[string]span{
	"latitude": {-90, 90, 5}, "lat": {-90, 90, 5}, "longitude": {-180, 180, 5}, "lon": {-180, 180, 5}, "lng": {-180, 180, 5},
	"amount": {1, 900, 2}, "price": {1, 900, 2}, "total": {1, 900, 2}, "cost": {1, 900, 2}, "fee": {1, 90, 2}, "tax": {0, 90, 2},
	"percent": {0, 100, 1}, "percentage": {0, 100, 1}, "ratio": {0, 1, 3}, "rate": {0, 1, 3}, "rating": {1, 5, 1},
	"year": {2020, 2027, 0}, "month": {1, 12, 0}, "day": {1, 28, 0}, "hour": {0, 23, 0}, "minute": {0, 59, 0}, "age": {18, 80, 0},
	"count": {0, 40, 0}, "quantity": {1, 20, 0}, "page": {1, 9, 0}, "limit": {10, 100, 0}, "offset": {0, 100, 0}, "version": {1, 9, 0},
	"status": {200, 200, 0}, "port": {1024, 65535, 0}, "temperature": {-10, 30, 1}, "height": {0, 12, 2}, "depth": {1, 30, 1},
	"length": {5, 180, 1}, "width": {2, 40, 1}, "draught": {1, 12, 1}, "weight": {1, 900, 1}, "metres": {1, 180, 1}, "meters": {1, 180, 1}, "knots": {0, 40, 1},
	"size": {1, 5000, 0}, "bytes": {100, 900000, 0}, "duration": {1, 240, 0}, "seconds": {1, 240, 0}, "minutes": {1, 240, 0}, "days": {1, 30, 0},
}

func numbersByName(name string) *span {
	parts := wordsOf(name)
	if len(parts) == 0 {
		return nil
	}
	if s, ok := spans[parts[len(parts)-1]]; ok {
		return &s
	}
	return nil
}

// wordsOf splits a name into its words in lower case: "berthNumber" and
// "berth_number" are both a berth and a number.
func wordsOf(name string) []string {
	var words []string
	start := 0
	cut := func(end int) {
		if end > start {
			words = append(words, strings.ToLower(name[start:end]))
		}
	}
	for i := range len(name) {
		switch c := name[i]; {
		case c == '_' || c == '-' || c == '.' || c == ' ' || c == '/':
			cut(i)
			start = i + 1
		case c >= 'A' && c <= 'Z' && i > start && (name[i-1] < 'A' || name[i-1] > 'Z'):
			cut(i)
			start = i
		}
	}
	cut(len(name))
	return words
}

func noun(d *Draw) string { return plainNouns.draw(d) }

func ship(d *Draw) string {
	return pick(d, []string{"Northern", "Grey", "Silver", "Swift", "Bold", "Quiet"}) + " " +
		pick(d, []string{"Gannet", "Fulmar", "Petrel", "Curlew", "Heron", "Tern"})
}

// email and link stay within names that can never exist (RFC 2606).
func email(d *Draw) string {
	return plainFirstNames.draw(d) + "." + plainLastNames.draw(d) + "@" + noun(d) + ".example"
}

func link(d *Draw) string {
	return "https://" + noun(d) + ".example/" + noun(d) + "/" + digits(d, 3)
}

func plain(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' {
			return r
		}
		return -1
	}, strings.ToLower(s))
}

// Fake draws a value by the name of its kind: ship, town, email …
func (d *Draw) Fake(kind string) string {
	switch kind {
	case "date":
		return d.moment().Format(time.DateOnly)
	case "time":
		return d.moment().Format(time.RFC3339)
	case "word":
		return noun(d)
	case "sentence":
		return sentenceOf(d)
	}
	if draw := textByName(kind); draw != nil {
		return draw(d)
	}
	return noun(d)
}

// Whole draws a whole number, both ends included.
func (d *Draw) Whole(low, high int64) int64 {
	span := uint64(high-low) + 1
	if span == 0 { // all there are
		return int64(d.rand.Uint64())
	}
	return low + int64(d.rand.Uint64N(span))
}

// Text draws a text that suits a name; words when the name says nothing.
func (d *Draw) Text(h *Hint) string {
	if h.text != nil {
		return h.text(d)
	}
	return adjectiveAndNoun(d)
}

// Span is the usual range of numbers of a name, with digits after the point.
func (h *Hint) Span() (low, high float64, digits int) {
	if s := h.numbers; s != nil {
		return s.low, s.high, s.digits
	}
	return 1, 1000, 2
}
