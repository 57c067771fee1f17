package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic/client"
	"rapidmimic/spec/api"
)

func (p Program) importCommand() *cli.Command {
	return &cli.Command{
		Name:      "import",
		Usage:     "make a service of an OpenAPI or Swagger contract",
		ArgsUsage: "FILE",
		UsageText: "rapidmimic import moorings.yaml\nrapidmimic import moorings-2.yaml --into moorings --dry-run\ncat moorings.yaml | rapidmimic import - --name moorings",
		Description: "The service is named after the file and answers at once. Onto an existing\n" +
			"service the contract goes with --into, as its new revision.",
		OnUsageError: usageError,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "name", Usage: "`NAME` of the new service"},
			&cli.StringFlag{Name: "into", Usage: "`NAME` of the service that gets a new revision"},
			&cli.BoolFlag{Name: "dry-run", Usage: "say what would change, and change nothing"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			given, err := args(c, "a FILE")
			if err != nil {
				return err
			}
			text, file, err := p.readInput(given[0])
			if err != nil {
				return err
			}
			api, err := p.client(c)
			if err != nil {
				return err
			}
			report, err := api.Import(ctx, client.Import{Text: text, File: file, Name: c.String("name"), Into: c.String("into"), DryRun: c.Bool("dry-run")})
			if err != nil {
				return unchanged(err, file)
			}
			return p.print(c, report, nil, func() { p.sayImport(report) })
		},
	}
}

func (p Program) sayImport(r api.ImportReport) {
	p.say("%s  revision %d of %q, %s", r.Service, r.Contract.Revision, r.Contract.Title, r.Contract.Format)
	indent := fmt.Sprintf("%*s", len(r.Service)+2, "")
	p.say("%s%d operations answer, %d skipped", indent, r.Answers, len(r.Skipped))
	for _, op := range r.Skipped {
		p.say("%sskipped  %s %s: %s", indent, op.Method, op.Path, op.Skipped)
	}
	for _, w := range r.Warnings {
		p.say("%swarning  %s", indent, w)
	}
	if r.Changes != nil {
		p.sayChanges(*r.Changes)
	}
	for _, m := range r.Orphans {
		p.say("mapping   %s stands on %s, which is gone; it still answers", m.ID, m.Call)
	}
	if r.DryRun {
		p.say("nothing was changed")
		return
	}
	p.say("address   %s", r.Address)
	if r.Try.Method == "GET" {
		p.say("try       curl %s", r.Try.URL)
	} else if r.Try.URL != "" {
		p.say("try       curl -X %s %s", r.Try.Method, r.Try.URL)
	}
}

func (p Program) sayChanges(changes api.Changes) {
	if len(changes.Added)+len(changes.Removed)+len(changes.Changed) == 0 {
		p.say("changes   none that a caller notices")
		return
	}
	for _, op := range changes.Added {
		p.say("added     %s", op)
	}
	for _, op := range changes.Removed {
		p.say("removed   %s", op)
	}
	for _, op := range changes.Changed {
		p.say("changed   %s", op.Operation)
		for _, d := range op.Differences {
			p.say("          %s", differenceText(d))
		}
	}
}

func differenceText(d api.Difference) string {
	text := d.Where + ": " + d.What
	switch {
	case d.What == "changed" && d.Before+d.After != "":
		text += fmt.Sprintf(", %s to %s", d.Before, d.After)
	case d.Before+d.After != "" && !strings.HasSuffix(d.Where, strings.Trim(d.Before+d.After, `"`)):
		text += ", " + d.Before + d.After
	}
	return text
}

func (p Program) contractCommand() *cli.Command {
	revision := &cli.IntFlag{Name: "revision", Usage: "`NUMBER` of the revision; the one in force unless given"}
	return &cli.Command{
		Name:         "contract",
		Usage:        "the revisions of a service's contract: list, show, compare, restore",
		OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "the revisions, the oldest first", ArgsUsage: "SERVICE", UsageText: "rapidmimic contract list moorings",
				OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.contractList,
			},
			{
				Name: "show", Usage: "the document as it was imported", ArgsUsage: "SERVICE", UsageText: "rapidmimic contract show moorings --revision 1",
				OnUsageError: usageError, Flags: []cli.Flag{revision}, ShellComplete: p.completeServices, Action: p.contractShow,
			},
			{
				Name: "compare", Usage: "what a caller notices of a revision", ArgsUsage: "SERVICE", UsageText: "rapidmimic contract compare moorings\nrapidmimic contract compare moorings --since 1 --revision 3",
				OnUsageError:  usageError,
				Flags:         []cli.Flag{revision, &cli.IntFlag{Name: "since", Usage: "`NUMBER` of the revision to compare with; the one before unless given"}},
				ShellComplete: p.completeServices, Action: p.contractCompare,
			},
			{
				Name: "restore", Usage: "put an earlier revision in force again, as a new one", ArgsUsage: "SERVICE", UsageText: "rapidmimic contract restore moorings --revision 1",
				OnUsageError: usageError, Flags: []cli.Flag{revision}, ShellComplete: p.completeServices, Action: p.contractRestore,
			},
		},
	}
}

func (p Program) contractList(ctx context.Context, c *cli.Command) error {
	given, err := args(c, "a SERVICE")
	if err != nil {
		return err
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	revisions, err := api.Revisions(ctx, given[0])
	if err != nil {
		return err
	}
	return p.print(c, revisions, nil, func() {
		rows := make([][]string, len(revisions))
		for i, r := range revisions {
			state := ""
			if r.Current {
				state = "in force"
			}
			rows[i] = []string{strconv.Itoa(r.Revision), r.Imported.Local().Format(time.DateTime), r.File, state}
		}
		writeTable(p.Out, p.width(), []column{{title: "REVISION", right: true}, {title: "IMPORTED"}, {title: "FILE", flexible: true}, {title: "STATE"}}, rows)
	})
}

func (p Program) contractShow(ctx context.Context, c *cli.Command) error {
	given, err := args(c, "a SERVICE")
	if err != nil {
		return err
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	text, err := api.Contract(ctx, given[0], int(c.Int("revision")))
	if err != nil {
		return err
	}
	_, err = p.Out.Write(text)
	return err
}

func (p Program) contractCompare(ctx context.Context, c *cli.Command) error {
	given, err := args(c, "a SERVICE")
	if err != nil {
		return err
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	revision := int(c.Int("revision"))
	if revision == 0 {
		service, err := api.Service(ctx, given[0])
		if err != nil {
			return err
		}
		if service.Contract != nil {
			revision = service.Contract.Revision
		}
	}
	changes, err := api.Changes(ctx, given[0], revision, int(c.Int("since")))
	if err != nil {
		return err
	}
	return p.print(c, changes, nil, func() { p.sayChanges(changes) })
}

func (p Program) contractRestore(ctx context.Context, c *cli.Command) error {
	given, err := args(c, "a SERVICE")
	if err != nil {
		return err
	}
	if c.Int("revision") < 1 {
		return usage("%s needs --revision NUMBER (rapidmimic contract list %s shows them)", c.FullName(), given[0])
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	report, err := api.Import(ctx, client.Import{Into: given[0], Revision: int(c.Int("revision"))})
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, report, nil, func() { p.sayImport(report) })
}
