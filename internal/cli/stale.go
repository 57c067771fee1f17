package cli

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"regexp"
	"strings"

	"github.com/pmezard/go-difflib/difflib"
	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

// overTheirsFlag lets a document be put over what somebody changed since it was read.
func overTheirsFlag() cli.Flag {
	return &cli.BoolFlag{Name: "over-theirs", Usage: "also over what somebody changed since the document was read"}
}

// isStale reports whether a document was refused since somebody was faster.
func isStale(err error) bool {
	var stale *problem.Error
	return errors.As(err, &stale) && stale.Code == problem.Stale
}

// both are a definition as it is now, who made it so, and the one that was refused.
type both struct{ name, by, theirs, mine string }

// sayBoth says that a document is stale, what somebody changed since it was read and what
// would become of it, and how to put it over that: put is the command without its file.
func (p Program) sayBoth(err error, file, put string, all []both) error {
	fmt.Fprintln(p.Err, harmless(err.Error()))
	for _, one := range all {
		fmt.Fprintln(p.Err)
		_ = difflib.WriteUnifiedDiff(p.Err, difflib.UnifiedDiff{ // a terminal that is gone is not ours to mend
			A: difflib.SplitLines(one.theirs), B: difflib.SplitLines(one.mine), Context: 3,
			FromFile: one.name + ", as it is now" + one.by, ToFile: one.name + ", as in " + file,
		})
	}
	if file != "-" {
		fmt.Fprintf(p.Err, "\nover      rapidmimic %s -f %s --over-theirs\n", put, file)
	}
	return errSaid
}

func documentText(document *tree.Node) string {
	text, err := document.YAML()
	if err != nil {
		return err.Error()
	}
	return string(text)
}

// version is that of a definition in a document, and the one that it has now.
type version struct {
	of       *tree.Node
	was, now string
}

var scalar = regexp.MustCompile(`^("(?:\\.|[^"\\])*"|'[^']*'|[^\s,}#]+)`)

// noteVersions writes the versions that definitions have now into the file that they were
// put from, where it names those that they had: so it can be edited and put again.
func (p Program) noteVersions(file string, text []byte, versions []version) {
	if err := writeVersions(file, text, versions); err != nil {
		fmt.Fprintf(p.Err, "warning   %s: the new version could not be noted in it: %v\n", file, err)
	}
}

func writeVersions(file string, text []byte, versions []version) error {
	lines := bytes.SplitAfter(text, []byte("\n"))
	changed := false
	for _, v := range versions {
		tag := v.of.Get("etag")
		if v.was == "" || v.now == v.was || tag.Line == 0 {
			continue
		}
		line, at := lines[tag.Line-1], int(tag.Col)-1
		old := scalar.Find(line[min(at, len(line)):])
		if old == nil {
			return fmt.Errorf("line %d has no etag where one was read", tag.Line)
		}
		noted := strings.Replace(string(old), strings.Trim(v.was, `"`), strings.Trim(v.now, `"`), 1)
		lines[tag.Line-1] = append(append(append([]byte(nil), line[:at]...), noted...), line[at+len(old):]...)
		changed = true
	}
	if !changed {
		return nil
	}
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	return os.WriteFile(file, bytes.Join(lines, nil), info.Mode().Perm())
}
