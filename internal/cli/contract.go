package cli

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
)

func (p Program) importCommand() *cli.Command {
	return &cli.Command{
		Name:      "import",
		Usage:     "make a service from an OpenAPI, Swagger or WSDL contract",
		ArgsUsage: "FILE | FOLDER | URL | -",
		UsageText: "rapidmimic import moorings.yaml\n" +
			"rapidmimic import contracts/moorings/ --main openapi.yaml\n" +
			"rapidmimic import moorings-2.yaml --into moorings --dry-run\n" +
			"rapidmimic import berth.json --answers 'GET /berths/{number}'\n" +
			"cat moorings.yaml | rapidmimic import - --name moorings",
		Description: "The service is named after the file and answers at once. Onto an existing\n" +
			"service the contract goes with --into, as its new revision. A folder or a zip\n" +
			"holds a contract in several files. With --answers the file is a sample of one\n" +
			"answer, or a JSON Schema of it; `contract show` then prints the contract made of it.\n" +
			"URLs are asked for by the service, if it was started with --import-urls.",
		OnUsageError: usageError,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "name", Usage: "`NAME` of the new service"},
			&cli.StringFlag{Name: "into", Usage: "`NAME` of the service that gets a new revision"},
			&cli.StringFlag{Name: "main", Usage: "`FILE` of a folder or zip that is the contract itself"},
			&cli.StringFlag{Name: "answers", Usage: "`CALL` that a sample or JSON Schema answers, such as 'GET /berths/{number}'"},
			&cli.BoolFlag{Name: "dry-run", Usage: "say what would change, and change nothing"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			given, err := args(c, "a FILE")
			if err != nil {
				return err
			}
			in, err := p.readContract(given[0])
			if err != nil {
				return err
			}
			in.Name, in.Into, in.Main, in.Answers, in.DryRun = c.String("name"), c.String("into"), c.String("main"), c.String("answers"), c.Bool("dry-run")
			api, err := p.client(c)
			if err != nil {
				return err
			}
			done := p.working("importing " + cmp.Or(in.File, in.From))
			report, err := api.Import(ctx, in)
			done()
			if err != nil {
				return unchanged(err, in.File)
			}
			return p.print(c, report, nil, func() { p.sayImport(report) })
		},
	}
}

// readContract reads what is to be imported: a file, a folder, standard input,
// or an address that is left to the service.
func (p Program) readContract(source string) (client.Import, error) {
	if strings.HasPrefix(source, "http://") || strings.HasPrefix(source, "https://") {
		return client.Import{From: source}, nil
	}
	if info, err := os.Stat(source); err == nil && info.IsDir() {
		folder, err := filepath.Abs(source)
		if err != nil {
			return client.Import{}, err
		}
		archive, err := packFolder(folder)
		return client.Import{Text: archive, File: filepath.Base(folder) + ".zip"}, err
	}
	text, file, err := p.readInput(source)
	return client.Import{Text: text, File: file}, err
}

func (p Program) sayImport(r api.ImportReport) {
	files := ""
	if n := len(r.Contract.Files); n > 0 {
		files = fmt.Sprintf(", %s of %d files", r.Contract.Main, n)
	}
	p.say("%s  revision %d of %q, %s%s", r.Service, r.Contract.Revision, r.Contract.Title, r.Contract.Format, files)
	indent := fmt.Sprintf("%*s", len(r.Service)+2, "")
	p.say("%s%s, %d skipped", indent, operationsAnswer(r.Answers), len(r.Skipped))
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
	for _, m := range r.Deviating {
		p.say("mapping   %s breaks the contract: %s: %s", m.ID, m.Deviations[0].Where, m.Deviations[0].Detail)
	}
	if r.DryRun {
		p.say("nothing was changed")
		return
	}
	p.say("address   %s", r.Address)
	if r.Try.Curl != "" {
		p.say("try       %s", r.Try.Curl)
	}
}

func operationsAnswer(n int) string {
	if n == 1 {
		return "1 operation answers"
	}
	return fmt.Sprintf("%d operations answer", n)
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
