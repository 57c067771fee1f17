package secret

import (
	"net/textproto"
	"strings"

	"rapidmimic.example/internal/core/call"
)

// Hide takes the secrets out of what a condition saw of a request and expected: what stands in
// a secret place goes whole, so that whoever reads it learns that it differs and no more.
func (m *Masker) Hide(r *call.Request, f *call.Finding) {
	p := m.pass(hidden)
	p.keys = r.Keys
	part, name, _ := strings.Cut(f.Part, " ")
	if part == "cookie" || part == "header" && m.secretHeader(name) || m.secretPlace(name) || p.isKey(part, name) {
		if f.Seen, f.Expected = "", ""; f.Code == call.Differs {
			f.Code = call.SecretDiffers
		}
		return
	}
	f.Seen, f.Expected = p.told(f.Seen), p.told(f.Expected)
}

// secretHeader reports whether a header holds a secret whatever it says.
func (m *Masker) secretHeader(name string) bool {
	switch textproto.CanonicalMIMEHeaderKey(name) {
	case "Authorization", "Proxy-Authorization", "Cookie", "Set-Cookie":
		return true
	}
	return m.rules.of(name) != open
}

// secretPlace reports whether a place, such as $.login.password or //wsse:Password,
// has the name of a secret in it.
func (m *Masker) secretPlace(place string) bool {
	for name := range strings.FieldsFuncSeq(place, func(r rune) bool { return strings.ContainsRune("$./[]'\"@:*()=", r) }) {
		if m.rules.of(name) != open {
			return true
		}
	}
	return false
}

// told masks the secrets of a text of ours that quotes JSON or a form, and may be
// shortened.
func (p *pass) told(text string) string {
	return string(p.knownIn(p.text([]byte(text), "")))
}
