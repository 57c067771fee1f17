package cli

import (
	"fmt"
	"io"
	"strings"
	"unicode/utf8"
)

// column is one column of a table. Flexible columns give way when the table is
// too wide, longer ones first; numbers stand at the right. One with a share keeps so
// many times the width of one without.
type column struct {
	title    string
	right    bool
	flexible bool
	share    int
}

// minFlexible is how narrow a flexible column may become.
const minFlexible = 12

const gap = "  "

// writeTable prints rows below their titles within width columns.
func writeTable(w io.Writer, width int, columns []column, rows [][]string) {
	writeRows(w, columns, widths(width, columns, rows), rows, true)
}

// widths gives each column what it needs, then takes from the flexible ones
// what is too much.
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
	for total > width {
		widest := -1
		for i, c := range columns {
			if c.flexible && need[i] > minFlexible && (widest < 0 || need[i]*max(1, columns[widest].share) > need[widest]*max(1, c.share)) {
				widest = i
			}
		}
		if widest < 0 {
			break
		}
		need[widest]--
		total--
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
			cell := shorten(oneLine(row[i]), widths[i])
			pad := strings.Repeat(" ", widths[i]-utf8.RuneCountInString(cell))
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
