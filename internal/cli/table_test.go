package cli

import (
	"bytes"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
)

func TestTablesFitTheirWidth(t *testing.T) {
	columns := []column{{title: "TIME"}, {title: "CALL", flexible: true}, {title: "STATUS", right: true}, {title: "BY", flexible: true}}
	rows := [][]string{
		{"09:14:02", "GET /moorings/berths/N7/bookings?from=2026-12-01", "200", "listBookings"},
		{"09:14:05", "GET /é", "4", strings.Repeat("long ", 10)},
	}
	for _, width := range []int{200, 80, 60, 40, 10} {
		var out strings.Builder
		writeTable(&out, width, columns, rows)
		lines := strings.Split(strings.TrimSuffix(out.String(), "\n"), "\n")
		assert.Len(t, lines, 3)
		narrowest := 8 + 12 + 6 + 12 + 3*len(gap)
		for _, line := range lines {
			assert.LessOrEqual(t, utf8.RuneCountInString(line), max(width, narrowest), "%d columns:\n%s", width, out.String())
		}
		status := strings.Index(lines[0], "STATUS") + len("STATUS")
		assert.Equal(t, "200", strings.TrimSpace(string([]rune(lines[1])[status-6:status])), "numbers stand at the right:\n%s", out.String())
		if width == 200 {
			assert.NotContains(t, out.String(), "…")
		} else if width < 80 {
			assert.Contains(t, lines[1], "…")
		}
	}
}

func TestWhatPeopleReadIsHarmless(t *testing.T) {
	for text, want := range map[string]string{
		"GET /berths/N7":                                    "GET /berths/N7",
		"\x1b]0;owned\x07 \x1b[2J":                          `\x1b]0;owned\x07 \x1b[2J`,
		"a\rb\x00\u009bc\u202ed\u2066e":                     `a\x0db\x00\x9bc\u202ed\u2066e`,
		"två lines\n\tand a tab — ü 港":                      "två lines\n\tand a tab — ü 港",
		"masked-0123456789abcdef01234567":                   "masked-0123456789abcdef01234567",
		"token=masked-0123456789abcdef0123456789abcdef&n=1": "token=masked-01234567&n=1",
	} {
		assert.Equal(t, want, harmless(text))
	}
	var b bytes.Buffer
	columns := []column{{title: "PATH"}, {title: "BY"}}
	writeTable(&b, 60, columns, [][]string{{"/a\x1b[31m", "two\nlines"}, {"/b", "c"}})
	assert.Equal(t, "PATH        BY\n/a\\x1b[31m  two\\nlines\n/b          c\n", b.String())
}
