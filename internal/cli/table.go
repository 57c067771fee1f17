package cli

import (
	"fmt"
	"io"
	"strings"
	"unicode/utf8"
)

// column is one column of a table; numbers stand at the right.
type column struct {
	title string
	right bool
	// gives says when the column gives way, where the table is too wide; 0 is never, as for
	// what is copied from it: ids, addresses, numbers.
	gives int
}

// What columns give way, the first ones first.
const (
	titleGives  = iota + 1 // what is said of a thing, and by whom
	sourceGives            // who answered, and the state
	pathGives              // what was asked
)

// minFlexible is how narrow a column becomes that gives way.
const minFlexible = 12

// giving are the rounds in which columns give way, and how far in each: what can still be
// told apart before what is cut to a few letters.
var giving = []struct{ gives, least int }{{titleGives, minFlexible}, {sourceGives, 20}, {pathGives, 32}, {sourceGives, minFlexible}, {pathGives, minFlexible}}

const gap = "  "

// writeTable prints rows below their titles within width columns; 0 is for no bound.
func writeTable(w io.Writer, width int, columns []column, rows [][]string) {
	writeRows(w, columns, widths(width, columns, rows), rows, true)
}

// widths gives each column what it needs, then takes what is too much from those that give
// way, from the widest of them.
func widths(width int, columns []column, rows [][]string) []int {
	need := make([]int, len(columns))
	total := len(gap) * (len(columns) - 1)
	for i, c := range columns {
		need[i] = utf8.RuneCountInString(c.title)
		for _, row := range rows {
			need[i] = max(need[i], utf8.RuneCountInString(oneLine(row[i])))
		}
		total += need[i]
	}
	for _, round := range giving {
		for width > 0 && total > width {
			widest := -1
			for i, c := range columns {
				if c.gives == round.gives && need[i] > round.least && (widest < 0 || need[i] > need[widest]) {
					widest = i
				}
			}
			if widest < 0 {
				break
			}
			need[widest]--
			total--
		}
	}
	return need
}

func writeRows(w io.Writer, columns []column, widths []int, rows [][]string, titles bool) {
	if titles {
		head := make([]string, len(columns))
		for i, c := range columns {
			head[i] = c.title
		}
		rows = append([][]string{head}, rows...)
	}
	for _, row := range rows {
		var line strings.Builder
		for i, c := range columns {
			cell := oneLine(row[i])
			if c.gives > 0 {
				cell = shorten(cell, widths[i])
			}
			pad := strings.Repeat(" ", max(0, widths[i]-utf8.RuneCountInString(cell)))
			if c.right {
				line.WriteString(pad + cell)
			} else {
				line.WriteString(cell + pad)
			}
			line.WriteString(gap)
		}
		fmt.Fprintln(w, strings.TrimRight(line.String(), " "))
	}
}

// oneLine is a cell as it may stand in a line.
func oneLine(text string) string {
	return strings.NewReplacer("\n", `\n`, "\t", `\t`).Replace(harmless(text))
}

// shorten cuts text to width, with an ellipsis for what is gone.
func shorten(text string, width int) string {
	if utf8.RuneCountInString(text) <= width {
		return text
	}
	return string([]rune(text)[:width-1]) + "…"
}
