package cli

import (
	"context"
	"strconv"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
)

func (p Program) contractCommand() *cli.Command {
	revision := &cli.IntFlag{Name: "revision", Usage: "`NUMBER` of the revision; the one in force unless given"}
	return &cli.Command{
		Name:         "contract",
		Usage:        "the contract of a service: its revisions, and what is out of step with it",
		OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "the revisions, the oldest first", ArgsUsage: "SERVICE", UsageText: "rapidmimic contract list moorings",
				OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.contractList,
			},
			{
				Name: "show", Usage: "the document as it was imported", ArgsUsage: "SERVICE",
				UsageText:    "rapidmimic contract show moorings --revision 1\nrapidmimic contract show moorings --file schemas/berth.yaml\nrapidmimic contract show moorings --zip > moorings.zip",
				OnUsageError: usageError,
				Flags: []cli.Flag{revision,
					&cli.StringFlag{Name: "file", Usage: "`NAME` of one of several documents; the one they start from unless given"},
					&cli.BoolFlag{Name: "zip", Usage: "all documents, as an archive"},
				}, ShellComplete: p.completeServices, Action: p.contractShow,
			},
			{
				Name: "compare", Usage: "what a caller notices of a revision", ArgsUsage: "SERVICE", UsageText: "rapidmimic contract compare moorings\nrapidmimic contract compare moorings --since 1 --revision 3 --details\nrapidmimic contract compare moorings --fail-on breaking",
				Description:  "It tells what breaks programs that were written for the revision before, and what may; --details\ntells the rest, too. With --fail-on it ends with 3 where something is as bad as that, or worse.",
				OnUsageError: usageError,
				Flags: []cli.Flag{
					revision, &cli.IntFlag{Name: "since", Usage: "`NUMBER` of the revision to compare with; the one before unless given"},
					&cli.BoolFlag{Name: "details", Usage: "every difference, also those that hurt nobody"},
					&cli.StringFlag{Name: "fail-on", Usage: "breaking or unknown: end with 3 where an operation is that"},
				},
				ShellComplete: p.completeServices, Action: p.contractCompare,
			},
			{
				Name: "check", Usage: "what is out of step with the contract: mappings, and calls in the log or of a recording", ArgsUsage: "SERVICE",
				UsageText: "rapidmimic contract check moorings\nrapidmimic contract check moorings --recording \"booking a berth\"\nrapidmimic contract check moorings --examples",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "recording", Usage: "check the calls of this `RECORDING` against the contract"},
					&cli.BoolFlag{Name: "examples", Usage: "check the examples of the contract against their own schemas"},
				},
				Description:  "Ends with 0 when all is well, with 3 when something deviates, and with 1 when calls were\nnot kept or not checked, so that nobody can tell.",
				OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.contractCheck,
			},
			{
				Name: "restore", Usage: "restore an earlier revision, as a new one", ArgsUsage: "SERVICE", UsageText: "rapidmimic contract restore moorings --revision 1",
				OnUsageError: usageError, Flags: []cli.Flag{revision}, ShellComplete: p.completeServices, Action: p.contractRestore,
			},
		},
	}
}

func (p Program) contractList(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE")
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
		writeTable(p.Out, p.width(), []column{{title: "REVISION", right: true}, {title: "IMPORTED"}, {title: "FILE", gives: pathGives}, {title: "STATE"}}, rows)
	})
}

func (p Program) contractShow(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	if c.Bool("zip") {
		return p.contractArchive(ctx, c, api, given[0])
	}
	text, err := api.Contract(ctx, given[0], int(c.Int("revision")), c.String("file"))
	if err != nil {
		return err
	}
	_, err = p.Out.Write(text)
	return err
}

func (p Program) contractArchive(ctx context.Context, c *cli.Command, api *client.Client, service string) error {
	if p.terminal != nil {
		return usage("an archive is not for a terminal: write it to a file with `> %s.zip`", service)
	}
	archive, err := api.ContractArchive(ctx, service, int(c.Int("revision")))
	if err != nil {
		return err
	}
	_, err = p.Out.Write(archive)
	return err
}

func (p Program) contractCompare(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	revision := int(c.Int("revision"))
	if revision == 0 {
		service, err := client.Service(ctx, given[0])
		if err != nil {
			return err
		}
		if service.Contract != nil {
			revision = service.Contract.Revision
		}
	}
	changes, err := client.Changes(ctx, given[0], revision, int(c.Int("since")))
	if err != nil {
		return err
	}
	failOn := c.String("fail-on")
	if failOn != "" && failOn != api.EffectBreaking && failOn != api.EffectUnknown {
		return usage("--fail-on is breaking or unknown, not %q", failOn)
	}
	if err := p.print(c, changes, nil, func() { p.sayChanges(given[0], changes, c.Bool("details")) }); err != nil {
		return err
	}
	if e := changes.Effects; failOn != "" && e.Breaking > 0 || failOn == api.EffectUnknown && e.Unknown > 0 {
		return errDoesNotHold
	}
	return nil
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
