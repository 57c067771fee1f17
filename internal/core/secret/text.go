package secret

import (
	"bytes"
	"encoding/binary"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/coding"
)

// mostDecoded bounds what a content coding is undone to, in bytes.
const mostDecoded = 4 << 20

// body masks the secrets in a body, which comes back decoded where it had some and a
// content coding. One that has none is returned as it is: others may share it.
func (p *pass) body(body []byte, contentType, contentCoding string) []byte {
	if len(body) == 0 {
		return body
	}
	if name := coding.Name(contentCoding); name != "" && !isText(body) {
		if plain := coding.Beginning(name, body, mostDecoded); len(plain) > 0 {
			if masked := p.knownIn(p.text(plain, contentType)); !same(masked, plain) {
				return masked
			}
			return body
		}
	}
	if order := wide(body, contentType); order != nil {
		plain := []byte(fromWide(body, order))
		if masked := p.knownIn(p.text(plain, contentType)); !same(masked, plain) {
			return toWide(string(masked), order)
		}
		return body
	}
	return p.text(body, contentType)
}

// isText reports whether a body begins as text does, and so was decoded already.
func isText(body []byte) bool {
	begin := body[:min(len(body), 512)]
	for cut := range min(utf8.UTFMax, len(begin)) {
		if utf8.Valid(begin[:len(begin)-cut]) {
			return bytes.IndexByte(begin, 0) < 0
		}
	}
	return false
}

// same reports whether nothing was replaced.
func same(a, b []byte) bool { return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0]) }

// text masks the secrets in a text by what it is.
func (p *pass) text(text []byte, contentType string) []byte {
	base := baseType(contentType)
	start := bytes.TrimLeft(bytes.TrimPrefix(text, []byte("\ufeff")), " \t\r\n")
	switch {
	case base == "application/x-www-form-urlencoded":
		if masked := p.pairs(string(text)); masked != string(text) {
			text = []byte(masked)
		}
	case strings.HasPrefix(base, "multipart/"):
		text = p.multipart(text, contentType)
	case call.IsXML(base) || len(start) > 0 && start[0] == '<':
		text = p.xml(text)
	case strings.HasPrefix(base, "image/"), strings.HasPrefix(base, "video/"), strings.HasPrefix(base, "audio/"), strings.HasPrefix(base, "font/"):
		return text
	case base == "application/graphql":
		text = p.graphQL(text)
	case bytes.IndexByte(text, '"') < 0:
		if masked := p.inside(string(text)); masked != string(text) {
			text = []byte(masked)
		}
	default:
		text = p.json(text)
	}
	return p.shapesIn(text)
}

// baseType is call.BaseType without a look at the parameters.
func baseType(contentType string) string {
	base, _, _ := strings.Cut(contentType, ";")
	return strings.ToLower(strings.TrimSpace(base))
}

// wide is the byte order of a text in UTF-16; nil for any other.
func wide(text []byte, contentType string) binary.ByteOrder {
	switch {
	case len(text) < 4:
		return nil
	case text[0] == 0xfe && text[1] == 0xff, text[0] == 0 && text[1] != 0 && text[2] == 0:
		return binary.BigEndian
	case text[0] == 0xff && text[1] == 0xfe, text[0] != 0 && text[1] == 0 && text[3] == 0:
		return binary.LittleEndian
	case strings.Contains(strings.ToLower(contentType), "utf-16"):
		return binary.BigEndian
	}
	return nil
}

func fromWide(text []byte, order binary.ByteOrder) string {
	units := make([]uint16, len(text)/2)
	for i := range units {
		units[i] = order.Uint16(text[2*i:])
	}
	return string(utf16.Decode(units))
}

func toWide(text string, order binary.ByteOrder) []byte {
	units := utf16.Encode([]rune(text))
	wide := make([]byte, 2*len(units))
	for i, unit := range units {
		order.PutUint16(wide[2*i:], unit)
	}
	return wide
}

// value masks what stands under a name, of which kind says how it is looked at.
func (p *pass) value(k kind, value string) string {
	if k == sure || k == likely && looksSecret(value) {
		return p.take(value)
	}
	masked := value
	p.within(func() { masked = p.inside(value) })
	return masked
}

// inside masks the secrets of a text that is the value of something: JSON, XML, an
// address, a form, a question of GraphQL.
func (p *pass) inside(text string) string {
	start := strings.TrimLeft(text, " \t\r\n")
	switch {
	case start == "":
		return text
	case start[0] == '{' && strings.Contains(start, "(") && !strings.Contains(start, `":`):
		return string(p.graphQL([]byte(text)))
	case start[0] == '{' || start[0] == '[':
		return string(p.json([]byte(text)))
	case start[0] == '<':
		return string(p.xml([]byte(text)))
	case strings.Contains(text, `":`):
		return string(p.json([]byte(text)))
	case strings.Contains(text, "("):
		return string(p.graphQL([]byte(text)))
	case strings.Contains(text, "://") || strings.HasPrefix(text, "/") && strings.Contains(text, "?"):
		return p.address(text)
	case strings.Contains(text, "=") && !strings.ContainsAny(text, " <>{}"):
		return p.pairs(text)
	}
	return text
}

// query masks the values of the query of an address.
func (p *pass) query(text string) string {
	return p.eachPair(text, func(pair string) string {
		at := strings.IndexByte(pair, '=')
		if at < 0 || !p.isKey("query", plainText(pair[:at])) {
			return p.pair(pair, '=')
		}
		return pair[:at+1] + p.take(plainText(pair[at+1:]))
	})
}

// pairs masks the values of a query or a form.
func (p *pass) pairs(text string) string {
	return p.eachPair(text, func(pair string) string { return p.pair(pair, '=') })
}

func (p *pass) eachPair(text string, mask func(pair string) string) string {
	if !strings.Contains(text, "=") {
		return text
	}
	pairs := strings.Split(text, "&")
	changed := false
	for i, pair := range pairs {
		masked := mask(pair)
		changed = changed || masked != pair
		pairs[i] = masked
	}
	if !changed {
		return text
	}
	return strings.Join(pairs, "&")
}

// pair masks one value, percent-encoded as its name may be.
func (p *pass) pair(pair string, sign byte) string {
	at := strings.IndexByte(pair, sign)
	if at < 0 {
		return pair
	}
	name, value := plainText(strings.TrimSpace(pair[:at])), plainText(pair[at+1:])
	k := p.rules.of(name)
	if strings.ContainsAny(name, "[]") { // login[password]
		for _, part := range strings.FieldsFunc(name, func(r rune) bool { return r == '[' || r == ']' }) {
			k = max(k, p.rules.of(part))
		}
	}
	masked := p.value(k, value)
	if masked == value {
		return pair
	}
	if k == open {
		masked = url.QueryEscape(masked)
	}
	return pair[:at+1] + masked
}

// plainText undoes percent-encoding, where that is what it is.
func plainText(text string) string {
	if !strings.ContainsAny(text, "%+") {
		return text
	}
	if plain, err := url.QueryUnescape(text); err == nil {
		return plain
	}
	return text
}

var graphQLArgument = regexp.MustCompile(`([A-Za-z_][A-Za-z0-9_]*)(\s*:\s*)("(?:[^"\\]|\\.)*"?|-?[0-9][0-9.]*)`)

// graphQL masks arguments that are written into a question.
func (p *pass) graphQL(text []byte) []byte {
	if !bytes.Contains(text, []byte(":")) {
		return text
	}
	changed := false
	masked := graphQLArgument.ReplaceAllFunc(text, func(argument []byte) []byte {
		parts := graphQLArgument.FindSubmatch(argument)
		value := unquoted(parts[3])
		k := p.rules.ofBytes(parts[1])
		if k == open || k == likely && !looksSecret(value) {
			return argument
		}
		changed = true
		return slices.Concat(parts[1], parts[2], []byte(`"`+p.take(value)+`"`))
	})
	if !changed {
		return text
	}
	return masked
}

var boundary = regexp.MustCompile(`(?i)boundary="?([^";]+)"?`)

var partName = regexp.MustCompile(`(?i)content-disposition:[^\r\n]*?\bname="?([^"\r\n;]+)"?`)

var partType = regexp.MustCompile(`(?i)content-type:[ \t]*([^\r\n]+)`)

// multipart masks the parts of a form by their names, and what is in others by what
// they are.
func (p *pass) multipart(text []byte, contentType string) []byte {
	mark := boundary.FindStringSubmatch(contentType)
	if mark == nil {
		return p.json(text)
	}
	parts := bytes.Split(text, []byte("--"+mark[1]))
	changed := false
	for i, part := range parts {
		gap := []byte("\r\n\r\n")
		head, content, ok := bytes.Cut(part, gap)
		if !ok {
			gap = []byte("\n\n")
			if head, content, ok = bytes.Cut(part, gap); !ok {
				continue
			}
		}
		content, end := bytes.TrimRight(content, "\r\n"), content[len(bytes.TrimRight(content, "\r\n")):]
		masked := p.part(head, content)
		if same(masked, content) {
			continue
		}
		changed = true
		parts[i] = slices.Concat(head, gap, masked, end)
	}
	if !changed {
		return text
	}
	return bytes.Join(parts, []byte("--"+mark[1]))
}

func (p *pass) part(head, content []byte) []byte {
	k := open
	if name := partName.FindSubmatch(head); name != nil {
		k = p.rules.ofBytes(name[1])
	}
	if k == sure || k == likely && utf8.Valid(content) && looksSecret(string(content)) {
		if len(content) == 0 {
			return content
		}
		return []byte(p.take(string(content)))
	}
	kind := ""
	if t := partType.FindSubmatch(head); t != nil {
		kind = string(t[1])
	}
	masked := content
	p.within(func() { masked = p.text(content, kind) })
	return masked
}
