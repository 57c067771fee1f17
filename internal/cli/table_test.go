package cli

import (
	"bytes"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
)

// Titles give way first, then who answered, then what was asked; ids and numbers never.
func TestTablesFitTheirWidth(t *testing.T) {
	columns := []column{{title: "ID"}, {title: "CALL", gives: pathGives}, {title: "STATUS", right: true}, {title: "BY", gives: sourceGives}, {title: "TITLE", gives: titleGives}}
	const id, call, by, title = "berth-by-number-of-the-north-pier", "GET /moorings/berths/N7/bookings?from=2026-12-01", "mapping of the scenario", "what somebody said of it, at some length"
	rows := [][]string{{id, call, "200", by, title}, {"x", "GET /é", "4", "z", ""}}
	cut := func(width int) (whole []string) {
		var out strings.Builder
		writeTable(&out, width, columns, rows)
		lines := strings.Split(strings.TrimSuffix(out.String(), "\n"), "\n")
		assert.Len(t, lines, 3)
		narrowest := len(id) + 12 + 6 + 12 + 12 + 4*len(gap)
		for _, line := range lines {
			assert.LessOrEqual(t, utf8.RuneCountInString(line), max(width, narrowest), "%d columns:\n%s", width, out.String())
		}
		status := strings.Index(lines[0], "STATUS") + len("STATUS")
		assert.Equal(t, "200", strings.TrimSpace(string([]rune(lines[1])[status-6:status])), "numbers stand at the right:\n%s", out.String())
		for _, cell := range []string{id, call, by, title} {
			if strings.Contains(out.String(), cell) {
				whole = append(whole, cell)
			}
		}
		return whole
	}
	needed := len(id) + len(call) + 6 + len(by) + len(title) + 4*len(gap)
	assert.Equal(t, []string{id, call, by, title}, cut(needed))
	assert.Equal(t, []string{id, call, by}, cut(needed-1))
	assert.Equal(t, []string{id, call}, cut(needed-len(title)+12-1))
	assert.Equal(t, []string{id, call}, cut(needed-len(title)-len(by)+20+12), "a source is readable before a path is cut")
	assert.Equal(t, []string{id}, cut(needed-len(title)-len(by)+20+12-1))
	assert.Equal(t, []string{id}, cut(10), "an id can be copied from any terminal")
	columns = slices.Clone(columns)
	var out strings.Builder
	for i := range columns {
		columns[i].gives = titleGives
	}
	writeTable(&out, 0, columns, rows)
	assert.NotContains(t, out.String(), "…", "in a pipe nothing is cut")
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
