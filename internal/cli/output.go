package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"rapidmimic.example/spec/tree"
)

const (
	asTable = "table"
	asJSON  = "json"
	asYAML  = "yaml"
)

func checkOutput(format string) error {
	switch format {
	case asTable, asJSON, asYAML:
		return nil
	}
	return fmt.Errorf("output must be table, json or yaml, not %q", format)
}

// print writes a result in the format asked for. table draws it for people;
// document gives the YAML that can be put back, nil for the value itself.
func (p Program) print(c *cli.Command, value any, document func() ([]byte, error), table func()) error {
	switch c.String("output") {
	case asJSON:
		enc := json.NewEncoder(p.Out)
		enc.SetEscapeHTML(false)
		enc.SetIndent("", "  ")
		return enc.Encode(value)
	case asYAML:
		if document == nil {
			document = func() ([]byte, error) { return yamlOf(value) }
		}
		text, err := document()
		if err != nil {
			return err
		}
		_, err = p.Out.Write(text)
		return err
	default:
		table()
		return nil
	}
}

func yamlOf(value any) ([]byte, error) {
	n, err := tree.From(value)
	if err != nil {
		return nil, err
	}
	return n.YAML()
}

// say writes one line for people.
func (p Program) say(format string, args ...any) {
	fmt.Fprintln(p.Out, harmless(fmt.Sprintf(format, args...)))
}

// readInput reads a file, or standard input for "-".
func (p Program) readInput(file string) (text []byte, name string, err error) {
	if file == "-" {
		text, err = io.ReadAll(p.In)
		return text, "", err
	}
	text, err = os.ReadFile(file)
	if err != nil {
		return nil, "", fmt.Errorf("%w (nothing was changed)", err)
	}
	return text, filepath.Base(file), nil
}

// width is how many columns a table may use: those of the terminal. In a pipe nothing is
// cut, and it is 0.
func (p Program) width() int {
	if p.terminal != nil {
		if columns, _, err := term.GetSize(int(p.terminal.Fd())); err == nil && columns > 0 {
			return columns
		}
	}
	return 0
}

// counted says how many there are of something: 1 call, 2 calls.
func counted(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return strconv.Itoa(n) + " " + what + "s"
}
