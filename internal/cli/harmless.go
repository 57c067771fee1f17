package cli

import (
	"fmt"
	"io"
	"regexp"
	"strings"
	"unicode"
)

// harmless is a text from outside as people may see it: what would steer their
// terminal, or turn the direction of writing around, is written out, as \x1b. Digests
// of secrets are shortened: enough is left to recognise equal ones.
func harmless(text string) string {
	if strings.Contains(text, "masked-") {
		text = digest.ReplaceAllString(text, "$1")
	}
	if !strings.ContainsFunc(text, steers) {
		return text
	}
	var b strings.Builder
	for _, r := range text {
		switch {
		case !steers(r):
			b.WriteRune(r)
		case r < 0x100:
			fmt.Fprintf(&b, `\x%02x`, r)
		default:
			fmt.Fprintf(&b, `\u%04x`, r)
		}
	}
	return b.String()
}

// digest is one as the service keeps it, its beginning first.
var digest = regexp.MustCompile(`(masked-[0-9a-f]{8})[0-9a-f]{24}`)

// steers reports whether a character does something else than to stand there. Lines
// and tabs are what texts consist of.
func steers(r rune) bool {
	return r != '\n' && r != '\t' && (unicode.IsControl(r) || unicode.Is(unicode.Bidi_Control, r))
}

// harmlessWriter is for what people read.
type harmlessWriter struct{ w io.Writer }

// Write implements io.Writer.
func (h harmlessWriter) Write(b []byte) (int, error) {
	if _, err := io.WriteString(h.w, harmless(string(b))); err != nil {
		return 0, err
	}
	return len(b), nil
}
