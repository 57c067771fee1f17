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
// secrets were there to see.
func (x Exchange) withStandIns(known map[string]string) Exchange {
	standIn := func(digest string) string {
		if s := known[digest]; s != "" {
			return s
		}
		return secret.OfDigest(digest)
	}
	return x.rewritten(digest, secret.Prefix, standIn)
}

var anyStandIn = regexp.MustCompile(`secret-[0-9a-f]{32}`)

// Alike is an exchange in which all secrets look alike. Those of the log and those of a recording have
// others in their place, so that calls of both can be held against each other in all else.
func (x Exchange) Alike() Exchange {
	return x.rewritten(anyStandIn, secret.StandInPrefix, func(string) string { return secret.Hidden })
}

// rewritten is an exchange in which what stands for secrets, and begins with a prefix, is something else. What
// calls share is replaced, not changed.
func (x Exchange) rewritten(what *regexp.Regexp, prefix string, by func(string) string) Exchange {
	text := func(s string) string {
		if !strings.Contains(s, prefix) {
			return s
		}
		return what.ReplaceAllStringFunc(s, by)
	}
	body := func(b []byte) []byte {
		if !bytes.Contains(b, []byte(prefix)) {
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
