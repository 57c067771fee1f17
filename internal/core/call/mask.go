package call

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"maps"
	"net/textproto"
	"slices"
	"strings"
)

// Masker replaces secret header values by a digest, so that what is stored and
// shown betrays nothing and equal values can still be recognised as equal.
// It is safe for concurrent use.
type Masker struct{ key []byte }

// NewMasker builds a Masker. Digests can be compared only under the same key,
// which should never leave the environment.
func NewMasker(key []byte) *Masker { return &Masker{key: key} }

// secretHeaders are masked whole, or value by value where they have names.
var secretHeaders = map[string]func(*Masker, string) string{
	"Authorization":       (*Masker).credentials,
	"Proxy-Authorization": (*Masker).credentials,
	"Cookie":              (*Masker).cookies,
	"Set-Cookie":          (*Masker).setCookie,
}

// Value masks the value of one header line, name in canonical form. Values of
// other headers are returned as they are.
func (m *Masker) Value(name, value string) string {
	if mask := secretHeaders[name]; mask != nil {
		return mask(m, value)
	}
	return value
}

// Mask takes the secrets out of r. Headers that hold some are replaced, not
// changed: others may share them.
func (m *Masker) Mask(r *Record) {
	r.Request.Header = m.header(r.Request.Header)
	r.Answer.Header = m.fields(r.Answer.Header)
}

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

func (m *Masker) fields(fields []Field) []Field {
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
