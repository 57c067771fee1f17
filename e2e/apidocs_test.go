package e2e

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// apiSample is one thing that a page of docs/api shows in several languages.
type apiSample struct {
	page, title string
	code        map[string]string // by language
	prints      string
}

var (
	codeBlock  = regexp.MustCompile("(?ms)^```(\\w+)\n(.*?)^```$")
	printsLine = regexp.MustCompile("(?m)^Prints `(.*)`\\.$")
)

// apiSamples are those of all pages, and what they begin with.
func apiSamples(t *testing.T) (begin map[string]string, samples []apiSample) {
	files, err := filepath.Glob("../docs/api/*.md")
	require.NoError(t, err)
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		if filepath.Base(file) == "README.md" {
			begin = codeIn(string(text))
			continue
		}
		for _, section := range strings.Split(string(text), "\n## ")[1:] {
			title, _, _ := strings.Cut(section, "\n")
			prints := printsLine.FindStringSubmatch(section)
			require.NotNil(t, prints, "%s: %s", file, title)
			samples = append(samples, apiSample{filepath.Base(file), title, codeIn(section), prints[1]})
		}
	}
	return begin, samples
}

func codeIn(text string) map[string]string {
	code := map[string]string{}
	for _, block := range codeBlock.FindAllStringSubmatch(text, -1) {
		code[block[1]] = block[2]
	}
	return code
}

// The samples of the pages on the API run as they stand, in four languages, and print what
// the page says.
func TestSamplesOfTheAPIRun(t *testing.T) {
	t.Parallel()
	begin, samples := apiSamples(t)
	require.Greater(t, len(samples), 12)
	for language, run := range map[string]func(t *testing.T, program string) *exec.Cmd{
		"sh":     func(_ *testing.T, program string) *exec.Cmd { return exec.Command("sh", "-c", program) },
		"python": func(_ *testing.T, program string) *exec.Cmd { return exec.Command("/usr/bin/python3", "-c", program) },
		"javascript": func(_ *testing.T, program string) *exec.Cmd {
			return exec.Command("node", "--input-type=module", "-e", program)
		},
		"go": goProgram,
	} {
		t.Run(language, func(t *testing.T) {
			t.Parallel()
			s := startDemo(t)
			start := strings.ReplaceAll(begin[language], "http://127.0.0.1:7400", s.control)
			require.NotEmpty(t, start)
			program := start
			for i, sample := range samples {
				require.NotEmpty(t, sample.code[language], "%s: %s", sample.page, sample.title)
				program += fmt.Sprintf(between[language], i) + scoped(language, sample.code[language])
			}
			cmd := run(t, program)
			if cmd.Dir == "" {
				cmd.Dir = t.TempDir()
			}
			out, err := cmd.CombinedOutput()
			require.NoError(t, err, "%s", out)
			parts := strings.Split(string(out), "==== sample ")
			require.Len(t, parts, len(samples)+1, "%s", out)
			for i, sample := range samples {
				assert.Contains(t, parts[i+1], sample.prints, "%s: %s", sample.page, sample.title)
			}
		})
	}
}

// between tells the output of one sample from that of the next.
var between = map[string]string{
	"sh": "echo '==== sample %d'\n", "python": "print('==== sample %d', flush=True)\n", "javascript": "console.log('==== sample %d');\n", "go": "fmt.Println(\"==== sample %d\")\n",
}

// scoped keeps what one sample declares from the others, as on a page.
func scoped(language, code string) string {
	switch language {
	case "javascript", "go":
		return "{\n" + code + "}\n"
	case "sh":
		return code + "\n"
	default:
		return code
	}
}

// goProgram builds the samples of Go into one program, within this module.
func goProgram(t *testing.T, body string) *exec.Cmd {
	program := "package main\n\nimport (\n"
	for name, path := range map[string]string{
		"context.": "context", "json.": "encoding/json", "errors.": "errors", "fmt.": "fmt", "time.": "time", "client.": "rapidmimic.example/client",
		"spec.": "rapidmimic.example/spec", "api.": "rapidmimic.example/spec/api", "problem.": "rapidmimic.example/spec/problem", "tree.": "rapidmimic.example/spec/tree",
	} {
		if strings.Contains(body, name) {
			program += "\t\"" + path + "\"\n"
		}
	}
	folder, err := os.MkdirTemp(".", "apisamples")
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, os.RemoveAll(folder)) })
	require.NoError(t, os.WriteFile(filepath.Join(folder, "main.go"), []byte(program+")\n\nfunc main() {\n"+body+"}\n"), 0o600))
	cmd := exec.Command("go", "run", ".")
	cmd.Dir = folder
	return cmd
}
