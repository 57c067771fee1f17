package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

func (p Program) applyCommand() *cli.Command {
	return &cli.Command{
		Name: "apply", Usage: "bring the environment to what a folder of files says", ArgsUsage: "DIR", OnUsageError: usageError,
		UsageText: "rapidmimic apply harbour --dry-run\nrapidmimic apply harbour --watch",
		Description: "A folder has one below it for each service:\n\n" +
			"   moorings/service.yaml        its settings\n   moorings/contract.yaml       its contract, or contract/ with several files\n" +
			"   moorings/*.mappings.yaml     mappings, one or a list a file\n   moorings/payloads/*          large bodies\n   moorings/memory/*.yaml       what collections begin with\n\n" +
			"   environment.yaml             scenarios, impairments, and the switches\n\n" +
			"What was changed in the environment since the folder was applied is a conflict that stops\nall of it. `rapidmimic export DIR` takes such changes over, --over-theirs overwrites them.",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "dry-run", Usage: "say what would change, and change nothing"},
			&cli.BoolFlag{Name: "prune", Usage: "remove what came from the folder and is no longer there, and switch off what its environment.yaml does not list"},
			&cli.BoolFlag{Name: "over-theirs", Usage: "overwrite what was changed in the environment, too"},
			&cli.BoolFlag{Name: "yes", Usage: "let services list hosts of the public internet, too"},
			&cli.BoolFlag{Name: "watch", Usage: "apply again whenever a file changes, until Ctrl+C"},
		},
		Action: p.apply,
	}
}

func (p Program) exportCommand() *cli.Command {
	return &cli.Command{
		Name: "export", Usage: "write the environment to a folder of files, fit for version control", ArgsUsage: "DIR", OnUsageError: usageError,
		UsageText:   "rapidmimic export harbour\nrapidmimic export harbour --service moorings",
		Description: "Files that say the same already stay as they are, with their comments. Edits in the\nfolder that were not applied yet stay too, unless --over-mine is given.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "service", Usage: "only this `SERVICE`"},
			&cli.BoolFlag{Name: "over-mine", Usage: "overwrite what was edited in the folder, too"},
		},
		Action: p.export,
	}
}

// packAll makes a zip archive of the files of a folder that have a place in one, and
// says which were left alone: others, and what links lead to.
func packAll(folder string) (archive []byte, left []string, err error) {
	archive, _, left, err = pack(folder, false, spec.FolderFile)
	return archive, left, err
}

func (p Program) apply(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a DIR")
	if err != nil {
		return err
	}
	if c.Bool("yes") {
		ctx = client.Confirmed(ctx)
	}
	how := client.Apply{DryRun: c.Bool("dry-run"), Prune: c.Bool("prune"), OverTheirs: c.Bool("over-theirs")}
	if c.Bool("watch") {
		return p.watch(ctx, api, given[0], how)
	}
	done := p.working("applying " + given[0])
	report, err := applyOnce(ctx, api, given[0], how)
	done()
	if err != nil {
		return unchanged(err, "")
	}
	if err := p.print(c, report, nil, func() { p.sayApplied(given[0], report) }); err != nil {
		return err
	}
	if report.Conflicts > 0 || len(report.Faults) > 0 {
		return errSaid
	}
	return nil
}

func applyOnce(ctx context.Context, api *client.Client, folder string, how client.Apply) (report api.ApplyReport, err error) {
	archive, left, err := packAll(folder)
	if err == nil {
		err = checkEnvironment(folder, left)
	}
	if err != nil {
		return report, err
	}
	how.Source = sourceOf(folder)
	report, err = api.Apply(ctx, archive, how)
	report.Unknown = append(report.Unknown, left...)
	return report, err
}

// checkEnvironment refuses a folder of something else, of which single files would be
// taken for parts of an environment.
func checkEnvironment(folder string, left []string) error {
	const few = 10
	if len(left) <= few {
		return nil
	}
	known := 0
	err := filepath.WalkDir(folder, func(file string, _ fs.DirEntry, err error) error {
		inside, _ := filepath.Rel(folder, file)
		if name := filepath.ToSlash(inside); name == spec.EnvironmentFile || strings.HasSuffix(name, "/service.yaml") && spec.FolderFile(name) {
			known++
		}
		return err
	})
	if err == nil && known == 0 {
		err = fmt.Errorf("%s does not look like an environment: it has no %s and no service.yaml, and %d files that have no place in one, such as %s (nothing was changed; an empty %s in it says that it is one)",
			folder, spec.EnvironmentFile, len(left), left[0], spec.EnvironmentFile)
	}
	return err
}

// sourceOf names a folder, so that what came from another one is not missed in
// it.
func sourceOf(folder string) string {
	if whole, err := filepath.Abs(folder); err == nil {
		folder = whole
	}
	return filepath.Base(folder)
}

// sayApplied prints what came of applying a folder: faults and conflicts to the
// error output, what changed to the other.
func (p Program) sayApplied(folder string, r api.ApplyReport) {
	for _, fault := range r.Faults {
		fault.File = path.Join(filepath.ToSlash(folder), fault.File)
		fmt.Fprintln(p.Err, fault)
		p.sayHint(fault.Hint)
	}
	counts := make(map[string]int)
	for _, item := range r.Items {
		counts[item.Outcome]++
		what := strings.TrimSpace(item.Service + " " + item.Kind + " " + item.ID)
		switch {
		case item.Outcome == "conflict":
			place := path.Join(filepath.ToSlash(folder), item.File)
			if item.Line > 0 {
				place += fmt.Sprintf(":%d", item.Line)
			}
			fmt.Fprintf(p.Err, "conflict  %s (%s): %s\n", what, place, item.Detail)
		case item.Outcome == "left":
			p.say("left      %s: %s (--prune removes it)", what, item.Detail)
		case counts[item.Outcome] <= fewMappings:
			p.say("%-8s  %s", item.Outcome, what)
		}
	}
	for _, name := range r.Unknown {
		p.say("ignored   %s has no place in a folder", name)
	}
	summary := fmt.Sprintf("%d created, %d changed, %d removed, %d unchanged", counts["created"], counts["changed"], counts["removed"], r.Unchanged)
	switch {
	case r.Conflicts > 0:
		p.say("%s  conflicts: %d, so nothing was changed", folder, r.Conflicts)
		p.say("try       rapidmimic export %s --over-mine   takes the environment's changes over", folder)
		p.say("or        rapidmimic apply %s --over-theirs   the folder's", folder)
	case r.DryRun:
		p.say("%s  would be %s", folder, summary)
	case len(r.Faults) > 0:
		p.say("%s  %s; what is faulty stays as it was", folder, summary)
	default:
		p.say("%s  %s", folder, summary)
	}
}

// errSaid marks a failure of which everything was printed already.
var errSaid = errors.New("it failed")

// watchEvery is how often a watched folder is looked at.
const watchEvery = 300 * time.Millisecond

// watch applies a folder again whenever a file in it changes. It looks at names,
// sizes and times, which every file system has.
func (p Program) watch(ctx context.Context, api *client.Client, folder string, how client.Apply) error {
	before := ""
	for {
		now, err := stateOf(folder)
		if err != nil {
			return fmt.Errorf("watch %s: %w", folder, err)
		}
		if now != before {
			if before != "" {
				p.say("%s", time.Now().Format(time.TimeOnly))
			}
			report, err := applyOnce(ctx, api, folder, how)
			if err != nil {
				if ctx.Err() != nil {
					return nil
				}
				p.report(unchanged(err, ""))
			} else {
				p.sayApplied(folder, report)
			}
			before = now
		}
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(watchEvery):
		}
	}
}

// stateOf is a text that differs whenever a file of the folder does.
func stateOf(folder string) (string, error) {
	var b strings.Builder
	err := filepath.WalkDir(folder, func(name string, entry fs.DirEntry, err error) error {
		if err != nil {
			if errors.Is(err, fs.ErrNotExist) && name != folder {
				return nil // gone meanwhile
			}
			return err
		}
		info, err := entry.Info()
		if err != nil || entry.IsDir() {
			return nil
		}
		fmt.Fprintf(&b, "%s %d %d\n", name, info.Size(), info.ModTime().UnixNano())
		return nil
	})
	return b.String(), err
}

func (p Program) export(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a DIR")
	if err != nil {
		return err
	}
	folder := given[0]
	var archive []byte
	var left []string
	if _, err := os.Stat(folder); err == nil {
		if archive, left, err = packAll(folder); err != nil {
			return err
		}
	}
	done := p.working("exporting to " + folder)
	report, err := api.Export(ctx, archive, c.String("service"), c.Bool("over-mine"))
	done()
	if err != nil {
		return unchanged(err, "")
	}
	if err := writeFiles(folder, report.Files); err != nil {
		return err
	}
	if archive, _, err = packAll(folder); err != nil {
		return err
	}
	if _, err := api.Apply(ctx, archive, client.Apply{Record: true, Source: sourceOf(folder)}); err != nil {
		return err
	}
	if err := p.print(c, report, nil, func() {
		for i, file := range report.Files {
			if i < fewMappings {
				p.say("%-8s  %s", file.Outcome, path.Join(filepath.ToSlash(folder), file.Name))
			}
		}
		for _, name := range left {
			p.say("ignored   %s has no place in a folder", name)
		}
		p.say("%s  files written or removed: %d, unchanged: %d", folder, len(report.Files), report.Unchanged)
	}); err != nil || len(report.Kept) == 0 {
		return err
	}
	for _, item := range report.Kept {
		fmt.Fprintf(p.Err, "kept      %s: %s\n", strings.TrimSpace(item.Service+" "+item.Kind+" "+item.ID), item.Detail)
	}
	fmt.Fprintf(p.Err, "over      rapidmimic export %s --over-mine   takes the environment's; apply --over-theirs the folder's\n", folder)
	return errSaid
}

// writeFiles carries out what an export says, inside of the folder alone: files that
// have a place in one, and none through a link.
func writeFiles(folder string, files []api.ExportFile) error {
	for _, file := range files {
		if !spec.FolderFile(file.Name) {
			return fmt.Errorf("the service has a file %q, which has no place in a folder: nothing was written", file.Name)
		}
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return fmt.Errorf("make folder: %w", err)
	}
	root, err := os.OpenRoot(folder)
	if err != nil {
		return fmt.Errorf("open folder: %w", err)
	}
	defer root.Close()
	for _, file := range files {
		if link := linkIn(root, file.Name); link != "" {
			return fmt.Errorf("%s is a link, and files are not written through one: nothing was written", filepath.Join(folder, link))
		}
	}
	for _, file := range files {
		if file.Outcome == "removed" {
			err = root.Remove(file.Name)
		} else if err = root.MkdirAll(path.Dir(file.Name), 0o755); err == nil {
			err = root.WriteFile(file.Name, file.Content, 0o644)
		}
		if err != nil {
			return fmt.Errorf("write %s: %w", file.Name, err)
		}
	}
	return nil
}

// linkIn is the first part of a path that is a link; "" for none.
func linkIn(root *os.Root, name string) string {
	for i, c := range name + "/" {
		if c != '/' {
			continue
		}
		if info, err := root.Lstat(name[:i]); err == nil && info.Mode()&fs.ModeSymlink != 0 {
			return name[:i]
		}
	}
	return ""
}
