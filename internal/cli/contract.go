package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"rapidmimic/client"
	"rapidmimic/spec/api"
)

func (p Program) importCommand() *cli.Command {
	return &cli.Command{
		Name:      "import",
		Usage:     "make a service of an OpenAPI or Swagger contract",
		ArgsUsage: "FILE",
		UsageText: "rapidmimic import moorings.yaml\nrapidmimic import moorings-2.yaml --into moorings\ncat moorings.yaml | rapidmimic import - --name moorings",
		Description: "The service is named after the file and answers at once. Onto an existing\n" +
			"service the contract goes with --into, as its new revision.",
		OnUsageError: usageError,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "name", Usage: "`NAME` of the new service"},
			&cli.StringFlag{Name: "into", Usage: "`NAME` of the service that gets a new revision"},
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
			report, err := api.Import(ctx, client.Import{Text: text, File: file, Name: c.String("name"), Into: c.String("into")})
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
	p.say("address   %s", r.Address)
	if r.Try.Method == "GET" {
		p.say("try       curl %s", r.Try.URL)
	} else if r.Try.URL != "" {
		p.say("try       curl -X %s %s", r.Try.Method, r.Try.URL)
	}
}
