package cli

import (
	"archive/zip"
	"bytes"
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
			&cli.StringSliceFlag{Name: "overlay", Usage: "`FILE` with an overlay that is laid over the contract, and kept with it; may be given several times"},
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
			if in, err = p.withOverlays(in, c.StringSlice("overlay")); err != nil {
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

// withOverlays adds overlays to what is imported, as files beside it. They are laid over it in their
// order, which their names keep.
func (p Program) withOverlays(in client.Import, overlays []string) (client.Import, error) {
	if len(overlays) == 0 {
		return in, nil
	}
	if in.From != "" {
		return in, usage("--overlay goes with files, not with an address (fetch it first)")
	}
	var packed bytes.Buffer
	w := zip.NewWriter(&packed)
	if err := copyInto(w, in); err != nil {
		return in, err
	}
	for i, file := range overlays {
		text, name, err := p.readInput(file)
		if err != nil {
			return in, err
		}
		into, err := w.Create(fmt.Sprintf("overlays/%02d-%s", i+1, cmp.Or(name, "overlay.yaml")))
		if err == nil {
			_, err = into.Write(text)
		}
		if err != nil {
			return in, err
		}
	}
	if err := w.Close(); err != nil {
		return in, err
	}
	in.Text = packed.Bytes()
	in.File = strings.TrimSuffix(cmp.Or(in.File, "contract"), filepath.Ext(in.File)) + ".zip"
	return in, nil
}

// copyInto puts what is imported into an archive: a document, or the files of another archive.
func copyInto(w *zip.Writer, in client.Import) error {
	old, err := zip.NewReader(bytes.NewReader(in.Text), int64(len(in.Text)))
	if err != nil { // it is a document
		into, err := w.Create(cmp.Or(in.File, "contract.yaml"))
		if err != nil {
			return err
		}
		_, err = into.Write(in.Text)
		return err
	}
	for _, f := range old.File {
		if err := w.Copy(f); err != nil {
			return err
		}
	}
	return nil
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
	if r.BrokenExamples > 0 {
		p.say("%swarning  %s (rapidmimic contract check %s --examples lists them)", indent, disobey(r.BrokenExamples), r.Service)
	}
	if calls := callsText(r.Contract); calls != "" && r.Changes == nil {
		p.say("%scalls others: %s (rapidmimic service set %s --callbacks on)", indent, calls, r.Service)
	}
	if len(r.Contract.Tokens) > 0 {
		p.say("%sgives tokens at %s", indent, strings.Join(r.Contract.Tokens, ", "))
	}
	if r.Changes != nil {
		p.sayChanges(r.Service, *r.Changes, false)
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
		p.say("try       %s", tryLine(r.Try.Curl, r.Service, r.Try.Operation))
	}
}

// callsText says which calls a contract has its service make; "" for none.
func callsText(c api.Contract) string {
	var parts []string
	for _, kind := range []struct {
		count int
		noun  string
	}{{c.Callbacks, "callback"}, {c.Webhooks, "webhook"}} {
		switch kind.count {
		case 0:
		case 1:
			parts = append(parts, "1 "+kind.noun)
		default:
			parts = append(parts, fmt.Sprintf("%d %ss", kind.count, kind.noun))
		}
	}
	return strings.Join(parts, ", ")
}

func operationsAnswer(n int) string {
	if n == 1 {
		return "1 operation answers"
	}
	return fmt.Sprintf("%d operations answer", n)
}

func disobey(examples int) string {
	if examples == 1 {
		return "1 example does not obey its own schema"
	}
	return fmt.Sprintf("%d examples do not obey their own schemas", examples)
}

// fewLines are so few that all of them are told.
const fewLines = 20

// sayChanges tells what a caller notices: how much of it first, then what breaks callers or may; all of
// it where details are asked for.
func (p Program) sayChanges(service string, changes api.Changes, details bool) {
	if len(changes.Added)+len(changes.Removed)+len(changes.Changed) == 0 {
		p.say("changes   none that a caller notices")
		return
	}
	p.say("changes   of operations: %d breaking, %d that may break, %d compatible", changes.Effects.Breaking, changes.Effects.Unknown, changes.Effects.Compatible)
	lines := len(changes.Added)
	for _, op := range changes.Changed {
		lines += 1 + len(op.Differences)
	}
	details = details || lines <= fewLines
	for _, op := range changes.Removed {
		p.say("removed   %s  breaking", op)
	}
	hidden := 0
	for _, op := range changes.Added {
		if !details {
			hidden++
			continue
		}
		p.say("added     %s", op)
	}
	for _, effect := range []string{api.EffectBreaking, api.EffectUnknown, api.EffectCompatible} {
		for _, op := range changes.Changed {
			if op.Effect != effect {
				continue
			}
			if !details && effect == api.EffectCompatible {
				hidden++
				continue
			}
			hidden += p.sayChangedOperation(op, details)
		}
	}
	if hidden > 0 {
		p.say("details   rapidmimic contract compare %s --details", service)
	}
}

// effectWords say what a change means for callers.
var effectWords = map[string]string{api.EffectBreaking: "breaking", api.EffectUnknown: "may break", api.EffectCompatible: "compatible"}

// sayChangedOperation tells of one operation, and returns how much of it was left out.
func (p Program) sayChangedOperation(op api.ChangedOperation, details bool) (hidden int) {
	p.say("changed   %s  %s", op.Operation, effectWords[op.Effect])
	for _, d := range op.Differences {
		if !details && d.Effect != op.Effect {
			hidden++
			continue
		}
		text := differenceText(d)
		if d.Effect != op.Effect {
			text += " (" + effectWords[d.Effect] + ")"
		}
		p.say("          %s", text)
	}
	return hidden
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
