package cli

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"github.com/pmezard/go-difflib/difflib"
	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
)

func (p Program) mappingVersionCommands() []*cli.Command {
	return []*cli.Command{
		{
			Name: "history", Usage: "who changed a mapping, and when", ArgsUsage: "SERVICE MAPPING",
			UsageText: "rapidmimic mapping history moorings berth-by-number", OnUsageError: usageError,
			ShellComplete: p.completeServices, Action: p.mappingHistory,
		},
		{
			Name: "compare", Usage: "what changed between two versions of a mapping", ArgsUsage: "SERVICE MAPPING [VERSION [VERSION]]",
			UsageText:   "rapidmimic mapping compare moorings berth-by-number\nrapidmimic mapping compare moorings berth-by-number 12 15",
			Description: "Without versions the last change; with one, what changed since then.", OnUsageError: usageError,
			ShellComplete: p.completeServices, Action: p.mappingCompare,
		},
		{
			Name: "restore", Usage: "restore an earlier version of a mapping, or mappings that were removed", ArgsUsage: "SERVICE [MAPPING ...] [VERSION]",
			UsageText:   "rapidmimic mapping restore moorings berth-by-number\nrapidmimic mapping restore moorings berth-by-number 12\nrapidmimic mapping restore moorings --label night",
			Description: "Of one mapping, without a VERSION, the one before the last change; if it was removed, it\ncomes back. Several mappings, --label, --text and --all mean mappings that were removed.", OnUsageError: usageError,
			Flags:         selectFlags(),
			ShellComplete: p.completeServices, Action: p.mappingRestore,
		},
	}
}

func (p Program) mappingHistory(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE", "a MAPPING")
	if err != nil {
		return err
	}
	versions, err := api.MappingVersions(ctx, given[0], given[1])
	if err != nil {
		return err
	}
	return p.print(c, versions, nil, func() { p.sayVersions(versions, false) })
}

func (p Program) mappingRemoved(ctx context.Context, c *cli.Command, service string, api *client.Client) error {
	removed, err := api.RemovedMappings(ctx, service)
	if err != nil {
		return err
	}
	return p.print(c, removed, nil, func() {
		if len(removed) == 0 {
			p.say("no mapping of %s was removed", service)
			return
		}
		p.sayVersions(removed, true)
		p.say("undo      rapidmimic mapping restore %s %s", service, removed[0].ID)
	})
}

func (p Program) sayVersions(versions []api.MappingVersion, ids bool) {
	columns := []column{{title: "VERSION", right: true}, {title: "WHEN"}, {title: "ENTRY"}, {title: "BY", gives: titleGives}, {title: "WHAT", gives: titleGives}}
	if ids {
		columns[4].title = "MAPPING"
	}
	rows := make([][]string, len(versions))
	for i, v := range versions {
		what := v.ID
		switch {
		case ids:
		case v.Removed:
			what = "removed"
		case v.Current:
			what = "changed, in force"
		case i == len(versions)-1:
			what = "made"
		default:
			what = "changed"
		}
		rows[i] = []string{strconv.FormatInt(v.Version, 10), whenText(v.At), v.Entry, v.By, what}
	}
	writeTable(p.Out, p.width(), columns, rows)
}

func whenText(at time.Time) string {
	if at.IsZero() {
		return "before"
	}
	return at.Local().Format(time.DateTime)
}

// versionArgs reads the versions that a command names, at most so many.
func versionArgs(texts []string, most int) (versions []int64, err error) {
	if len(texts) > most {
		return nil, usage("unexpected argument %q: two versions at most", texts[most])
	}
	for _, text := range texts {
		number, err := strconv.ParseInt(text, 10, 64)
		if err != nil || number < 1 {
			return nil, usage("a VERSION is a number as mapping history lists it, not %q", text)
		}
		versions = append(versions, number)
	}
	return versions, nil
}

func (p Program) mappingCompare(ctx context.Context, c *cli.Command) error {
	given, rest, err := argsFrom(c, "a SERVICE", "a MAPPING")
	if err != nil {
		return err
	}
	wanted, err := versionArgs(rest, 2)
	if err != nil {
		return err
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	versions, err := api.MappingVersions(ctx, given[0], given[1])
	if err != nil {
		return err
	}
	to := versions[0].Version
	switch {
	case len(wanted) == 0 && len(versions) < 2:
		p.say("%s has only one version", given[1])
		return nil
	case len(wanted) == 0:
		wanted = []int64{versions[1].Version}
	case len(wanted) == 2:
		to = wanted[1]
	}
	documents := make([]string, 2)
	for i, number := range []int64{wanted[0], to} {
		if documents[i], err = versionText(ctx, api, given[0], given[1], number, versions); err != nil {
			return err
		}
	}
	text, err := documentsDiffer(documents[0], documents[1], fmt.Sprintf("%s, version %d", given[1], wanted[0]), fmt.Sprintf("%s, version %d", given[1], to))
	fmt.Fprint(p.Out, text)
	return err
}

// documentsDiffer is what differs between two documents, line by line.
func documentsDiffer(before, after, from, to string) (string, error) {
	text, err := difflib.GetUnifiedDiffString(difflib.UnifiedDiff{A: difflib.SplitLines(before), B: difflib.SplitLines(after), Context: 3, FromFile: from, ToFile: to})
	if err == nil && text == "" {
		text = "the two say the same\n"
	}
	return text, err
}

// versionText is a state of a mapping as a document, empty for a removal.
func versionText(ctx context.Context, api *client.Client, service, id string, number int64, versions []api.MappingVersion) (string, error) {
	for _, v := range versions {
		if v.Version == number && v.Removed {
			return "", nil
		}
	}
	text, err := api.MappingVersionYAML(ctx, service, id, number)
	return string(text), err
}

// mappingsRestore brings back mappings that were removed.
func (p Program) mappingsRestore(ctx context.Context, c *cli.Command, service string, which client.Selection) error {
	api, err := p.client(c)
	if err != nil {
		return err
	}
	which.Origin = "" // --all is what was removed
	restored, err := api.RestoreMappings(ctx, service, which)
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, restored, nil, func() {
		if len(restored) == 0 {
			p.say("no such mapping of %s was removed", service)
			return
		}
		p.sayChanged(service, restored, "restored, live on the next call")
	})
}

func (p Program) mappingRestore(ctx context.Context, c *cli.Command) error {
	service, which, err := selection(c)
	if err != nil {
		return err
	}
	if _, noVersion := versionArgs(which.IDs[min(1, len(which.IDs)):], 1); which.Label+which.Text+which.Origin != "" || len(which.IDs) > 1 && noVersion != nil {
		return p.mappingsRestore(ctx, c, service, which)
	}
	given, rest, err := argsFrom(c, "a SERVICE", "a MAPPING")
	if err != nil {
		return err
	}
	wanted, err := versionArgs(rest, 1)
	if err != nil {
		return err
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	if len(wanted) == 0 {
		versions, err := api.MappingVersions(ctx, given[0], given[1])
		if err != nil {
			return err
		}
		for _, v := range versions[1:] {
			if !v.Removed {
				wanted = []int64{v.Version}
				break
			}
		}
		if len(wanted) == 0 {
			return usage("%s has only one version: nothing to restore", given[1])
		}
	}
	m, err := api.RestoreMapping(ctx, given[0], given[1], wanted[0])
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, m, nil, func() { p.say("%s  is again as at version %d, live on the next call", m.ID, wanted[0]) })
}
