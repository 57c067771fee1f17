package recording

import (
	"bytes"
	"maps"
	"regexp"
	"slices"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/secret"
)

// What is recorded is played back to callers, who must not see the digests by which the
// log recognises secrets. Each becomes a stand-in of the same length: equal secrets
// have equal ones, and nothing leads from one back to the other.

var digest = regexp.MustCompile(`masked-[0-9a-f]{32}`)

// withStandIns is an exchange as it is kept; known are the stand-ins of digests whose
// secrets were there to see. What calls share is replaced, not changed.
func (x Exchange) withStandIns(known map[string]string) Exchange {
	standIn := func(digest string) string {
		if s := known[digest]; s != "" {
			return s
		}
		return secret.OfDigest(digest)
	}
	text := func(s string) string {
		if !strings.Contains(s, secret.Prefix) {
			return s
		}
		return digest.ReplaceAllStringFunc(s, standIn)
	}
	body := func(b []byte) []byte {
		if !bytes.Contains(b, []byte(secret.Prefix)) {
			return b
		}
		return []byte(text(string(b)))
	}
	x.Path, x.Query, x.Body, x.Answer = text(x.Path), text(x.Query), body(x.Body), body(x.Answer)
	x.Request, x.Header = maps.Clone(x.Request), slices.Clone(x.Header)
	for name, values := range x.Request {
		own := slices.Clone(values)
		for i, value := range own {
			own[i] = text(value)
		}
		x.Request[name] = own
	}
	for i, f := range x.Header {
		x.Header[i] = call.Field{Name: f.Name, Value: text(f.Value)}
	}
	return x
}
