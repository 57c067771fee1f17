package call

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"maps"
	"net/textproto"
	"regexp"
	"slices"
	"strings"
)

// Masker replaces secret values by a digest, so that what is stored and
// shown betrays nothing and equal values can still be recognised as equal.
// It is safe for concurrent use.
type Masker struct {
	key    []byte
	fields *regexp.Regexp // members of JSON with secret names and texts, the last of which may be cut
	query  *regexp.Regexp // parameters of queries and forms
	// names are the secret ones by the two letters that they begin with: begins[pair]
	// is where they stand, 0 for none. One of them is in every text that fields or
	// query fits.
	names  [][]string
	begins [1 << 16]uint16
}

// SecretNames are parts of the names of JSON members, query parameters and form
// fields whose values are masked. Case does not matter.
var SecretNames = []string{"password", "passwd", "secret", "access_token", "refresh_token", "id_token", "accesstoken", "refreshtoken", "idtoken", "api_key",
	"apikey", "client_secret", "private_key"}

// NewMasker builds a Masker that knows more secret names beside SecretNames.
// Digests can be compared only under the same key, which should never leave the
// environment.
func NewMasker(key []byte, more ...string) *Masker {
	m := &Masker{key: key, names: [][]string{nil}}
	var names []string
	for _, name := range slices.Concat(SecretNames, more) {
		if name == "" { // of a variable that is not set: it would stand in every name
			continue
		}
		names = append(names, regexp.QuoteMeta(name))
		for next := range 256 { // behind a name of one letter anything can be
			if len(name) == 1 && next&0x20 != 0 || len(name) > 1 && byte(next) == name[1]|0x20 {
				m.addName(letterPair(name[0], byte(next)), name)
			}
		}
	}
	any := "(?:" + strings.Join(names, "|") + ")"
	m.fields = regexp.MustCompile(`(?i)("[^"\\]*` + any + `[^"\\]*"\s*:\s*")((?:[^"\\]|\\.)*)("|\\?$)`)
	m.query = regexp.MustCompile(`(?i)((?:^|[&?])[^=&]*` + any + `[^=&]*=)([^&]*)`)
	return m
}

// secretHeaders are masked whole, or value by value where they have names.
var secretHeaders = map[string]func(*Masker, string) string{
	"Authorization":       (*Masker).credentials,
	"Proxy-Authorization": (*Masker).credentials,
	"Cookie":              (*Masker).cookies,
	"Set-Cookie":          (*Masker).setCookie,

	"X-Api-Key":            (*Masker).digest,
	"X-Auth-Token":         (*Masker).digest,
	"X-Amz-Security-Token": (*Masker).digest,
}

// Value masks the value of one header line, name in canonical form. Values of
// other headers are returned as they are.
func (m *Masker) Value(name, value string) string {
	if mask := secretHeaders[name]; mask != nil {
		return mask(m, value)
	}
	return value
}

// Hide takes the secrets out of what a condition saw and expected: what stands in a
// secret place goes whole, so that whoever reads it learns that it differs and no more.
func (m *Masker) Hide(f *Finding) {
	kind, name, _ := strings.Cut(f.Part, " ")
	if kind == "cookie" || kind == "header" && secretHeaders[textproto.CanonicalMIMEHeaderKey(name)] != nil || m.mayHold([]byte(name)) {
		if f.Seen, f.Expected = "", ""; f.Code == Differs {
			f.Code = SecretDiffers
		}
		return
	}
	f.Seen, f.Expected = m.text(f.Seen), m.text(f.Expected)
}

// text masks secret values in a text that may be JSON or a form. One that is quoted
// within another goes whole: its members cannot be told apart any more.
func (m *Masker) text(text string) string {
	if strings.Contains(text, `\`) && m.mayHold([]byte(text)) {
		return "a text with a secret in it"
	}
	return m.pairs(string(m.body([]byte(text), "")))
}

// Mask takes the secrets out of r. Headers that hold some are replaced, not
// changed: others may share them.
func (m *Masker) Mask(r *Record) {
	r.Request.Query = m.pairs(r.Request.Query)
	sent, answered := len(r.Request.Body.Bytes), len(r.Answer.Body)
	r.Request.Body.Bytes = m.body(r.Request.Body.Bytes, r.Request.Header.Get("Content-Type"))
	r.Answer.Body = m.body(r.Answer.Body, "")
	// sizes follow, so that a body that was masked does not look cut
	r.Request.Body.Size += int64(len(r.Request.Body.Bytes) - sent)
	r.AnswerSize += int64(len(r.Answer.Body) - answered)
	r.Request.Header = m.header(r.Request.Header)
	r.Answer.Header = m.lines(r.Answer.Header)
	if x := r.Upstream; x != nil {
		if target, query, ok := strings.Cut(x.Target, "?"); ok {
			x.Target = target + "?" + m.pairs(query)
		}
		x.RequestBody = m.body(x.RequestBody, x.RequestHeader.Get("Content-Type"))
		x.Answer.Body = m.body(x.Answer.Body, "")
		x.RequestHeader, x.Answer.Header = m.header(x.RequestHeader), m.lines(x.Answer.Header)
	}
}

// pairs masks secret values of a query or a form.
func (m *Masker) pairs(text string) string {
	if !m.mayHold([]byte(text)) {
		return text
	}
	return m.query.ReplaceAllStringFunc(text, func(pair string) string {
		name, value, _ := strings.Cut(pair, "=")
		return name + "=" + m.digest(value)
	})
}

// body masks secret values of JSON, and of forms where that is what the body is.
// A body that holds none is returned as it is: others may share it.
func (m *Masker) body(body []byte, mediaType string) []byte {
	if !m.mayHold(body) {
		return body
	}
	if BaseType(mediaType) == "application/x-www-form-urlencoded" {
		return []byte(m.pairs(string(body)))
	}
	return m.fields.ReplaceAllFunc(body, func(member []byte) []byte {
		parts := m.fields.FindSubmatch(member)
		return slices.Concat(parts[1], []byte(m.digest(string(parts[2]))), parts[3])
	})
}

// mayHold reports whether a text has one of the secret names in it. It is asked
// of every call, so it looks before anything is parsed.
func (m *Masker) mayHold(text []byte) bool {
	for i := 0; i+1 < len(text); i++ {
		for _, name := range m.names[m.begins[letterPair(text[i], text[i+1])]] {
			if len(text)-i >= len(name) && strings.EqualFold(name, string(text[i:i+len(name)])) {
				return true
			}
		}
	}
	return false
}

func (m *Masker) addName(pair uint16, name string) {
	if m.begins[pair] == 0 {
		m.begins[pair] = uint16(len(m.names))
		m.names = append(m.names, nil)
	}
	m.names[m.begins[pair]] = append(m.names[m.begins[pair]], name)
}

// letterPair is two letters as one number, in any case.
func letterPair(a, b byte) uint16 { return uint16(a|0x20)<<8 | uint16(b|0x20) }

func (m *Masker) header(h Header) Header {
	var masked Header
	for name := range secretHeaders {
		values, ok := h[name]
		if !ok {
			continue
		}
		if masked == nil {
			masked = maps.Clone(h)
		}
		hidden := make([]string, len(values))
		for i, value := range values {
			hidden[i] = m.Value(name, value)
		}
		masked[name] = hidden
	}
	if masked == nil {
		return h
	}
	return masked
}

func (m *Masker) lines(fields []Field) []Field {
	var masked []Field
	for i, f := range fields {
		name := textproto.CanonicalMIMEHeaderKey(f.Name)
		if secretHeaders[name] == nil {
			continue
		}
		if masked == nil {
			masked = slices.Clone(fields)
		}
		masked[i].Value = m.Value(name, f.Value)
	}
	if masked == nil {
		return fields
	}
	return masked
}

// digest is short enough to read and long enough to tell values apart.
func (m *Masker) digest(secret string) string {
	mac := hmac.New(sha256.New, m.key)
	mac.Write([]byte(secret))
	return "masked-" + hex.EncodeToString(mac.Sum(nil)[:4])
}

// credentials keeps the scheme: "Bearer masked-1f2e3d4c".
func (m *Masker) credentials(value string) string {
	scheme, secret, ok := strings.Cut(value, " ")
	if !ok {
		return m.digest(value)
	}
	return scheme + " " + m.digest(secret)
}

// cookies keeps the names: "session=masked-1f2e3d4c; theme=masked-…".
func (m *Masker) cookies(value string) string {
	pairs := strings.Split(value, ";")
	for i, pair := range pairs {
		pairs[i] = m.pair(strings.TrimSpace(pair))
	}
	return strings.Join(pairs, "; ")
}

// setCookie masks the value and keeps the attributes.
func (m *Masker) setCookie(value string) string {
	pair, attributes, _ := strings.Cut(value, ";")
	if attributes != "" {
		attributes = ";" + attributes
	}
	return m.pair(pair) + attributes
}

func (m *Masker) pair(pair string) string {
	name, secret, ok := strings.Cut(pair, "=")
	if !ok {
		return m.digest(pair)
	}
	return name + "=" + m.digest(secret)
}
