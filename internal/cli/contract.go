package cli

import (
	"context"
	"fmt"
	"strings"

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
