package match

import (
	"crypto/sha256"
	"encoding/hex"
	"regexp"
	"strings"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec/tree"
)

// standIn is the form of what a recording keeps instead of a secret.
var standIn = regexp.MustCompile(`^secret-[0-9a-f]{32}$`)

const plainDigest = "sha256:"

// byDigest compares digests of what the condition looks at. They are worked out once
// for a call, whatever the number of mappings, and the index knows mappings by them.
func (c condition) byDigest(want string) condition {
	kind, values, subject := "secret", c.values, c.subject
	if strings.HasPrefix(want, plainDigest) {
		kind = "sha256"
	} else {
		c.code = call.SecretUnknown
	}
	c.lens, c.equals = kind+" digest of ", &want
	c.values = func(f *Facts) []*tree.Node {
		return f.once(kind+" "+subject, func() (digests []*tree.Node) {
			for _, v := range values(f) {
				digests = append(digests, texts(f.digests(kind, plainText(v)))...)
			}
			return digests
		})
	}
	return c
}

// digests of a value: of a secret by itself, without its quotes, and without the scheme
// that credentials begin with.
func (f *Facts) digests(kind, value string) (digests []string) {
	if kind == "sha256" {
		sum := sha256.Sum256([]byte(value))
		return []string{plainDigest + hex.EncodeToString(sum[:])}
	}
	_, credentials, _ := strings.Cut(value, " ")
	for _, secret := range []string{value, strings.TrimSpace(credentials), strings.Trim(value, `"`)} {
		switch {
		case secret == "" || len(digests) > 0 && secret == value:
		case standIn.MatchString(secret):
			digests = append(digests, secret)
		case f.StandIn != nil:
			digests = append(digests, f.StandIn(secret))
		}
	}
	return digests
}

// expectedDigest says what a digest wants; that of a secret tells nobody anything.
func expectedDigest(want string) string {
	if strings.HasPrefix(want, plainDigest) {
		return want
	}
	return "a secret that was recorded"
}
