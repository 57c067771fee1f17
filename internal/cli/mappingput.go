package cli

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"regexp"
	"strings"

	"github.com/pmezard/go-difflib/difflib"
	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

func (p Program) mappingPut(ctx context.Context, c *cli.Command) error {
	given, err := args(c, "a SERVICE")
	if err != nil {
		return err
	}
	if c.String("file") == "" {
		return usage("%s needs a document: -f FILE, or -f - for standard input", c.FullName())
	}
	text, file, err := p.readInput(c.String("file"))
	if err != nil {
		return err
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	lane := c.String("lane")
	if c.Bool("over-theirs") {
		ctx = client.OverTheirs(ctx)
	}
	report, err := environment.PutLaneMappings(ctx, lane, given[0], text)
	if stale := (*problem.Error)(nil); errors.As(err, &stale) && stale.Code == problem.Stale && lane == "" {
		err = unchanged(err, file)
		fmt.Fprintln(p.Err, harmless(err.Error()))
		p.sayTheirs(ctx, environment, given[0], text, c.String("file"))
		return errSaid
	}
	if err != nil {
		return unchanged(err, file)
	}
	if file != "" {
		if err := noteVersions(c.String("file"), text, report); err != nil {
			fmt.Fprintf(p.Err, "warning   %s: the new version could not be noted in it: %v\n", file, err)
		}
	}
	return p.print(c, report, nil, func() {
		p.sayPut(given[0], report)
		if lane != "" {
			p.say("only in lane %s", lane)
		}
	})
}

// sayTheirs shows what somebody changed since a document was read, and what would become
// of it.
func (p Program) sayTheirs(ctx context.Context, environment *client.Client, service string, text []byte, file string) {
	given, err := spec.GivenMappings(text)
	if err != nil {
		return // it was said before
	}
	for _, g := range given {
		theirs, err := environment.Mapping(ctx, service, g.Document.ID)
		if err != nil || g.ETag == "" || theirs.ETag == g.ETag {
			continue
		}
		versions, err := environment.MappingVersions(ctx, service, g.Document.ID)
		by := ""
		if err == nil && len(versions) > 0 {
			by = fmt.Sprintf(", %s, %s", whenText(versions[0].At), cmp.Or(versions[0].By, "nobody named"))
		}
		fmt.Fprintln(p.Err)
		_ = difflib.WriteUnifiedDiff(p.Err, difflib.UnifiedDiff{ // a terminal that is gone is not ours to mend
			A: difflib.SplitLines(documentText(theirs.Mapping)), B: difflib.SplitLines(documentText(g.Document)), Context: 3,
			FromFile: g.Document.ID + ", as it is now" + by, ToFile: g.Document.ID + ", as in " + file,
		})
	}
	if file != "-" {
		fmt.Fprintf(p.Err, "\nover      rapidmimic mapping put %s -f %s --over-theirs\n", service, file)
	}
}

func documentText(m spec.Mapping) string {
	text, err := m.YAML()
	if err != nil {
		return err.Error()
	}
	return text
}

var scalar = regexp.MustCompile(`^("(?:\\.|[^"\\])*"|'[^']*'|[^\s,}#]+)`)

// noteVersions writes the versions that mappings have now into the file that they were
// put from, where it names those that they had: so it can be edited and put again.
func noteVersions(file string, text []byte, report api.PutReport) error {
	given, err := spec.GivenMappings(text)
	if err != nil {
		return err
	}
	lines := bytes.SplitAfter(text, []byte("\n"))
	changed := false
	for i, g := range given {
		tag := g.Node.Get("etag")
		if g.ETag == "" || i >= len(report.Items) || report.Items[i].ETag == g.ETag || tag.Line == 0 {
			continue
		}
		line, at := lines[tag.Line-1], tag.Col-1
		old := scalar.Find(line[min(at, len(line)):])
		if old == nil {
			return fmt.Errorf("line %d has no etag where one was read", tag.Line)
		}
		lines[tag.Line-1] = append(append(append([]byte(nil), line[:at]...), strings.Replace(string(old), strings.Trim(g.ETag, `"`), strings.Trim(report.Items[i].ETag, `"`), 1)...), line[at+len(old):]...)
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
