package cli

import (
	"archive/zip"
	"bytes"
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

func (p Program) activityCommand() *cli.Command {
	return &cli.Command{
		Name: "activity", Usage: "who changed what, the newest first", OnUsageError: usageError,
		UsageText: "rapidmimic activity --last 20\nrapidmimic activity --service moorings --since 1h\nrapidmimic activity --by mara",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "service", Usage: "only what is about this `SERVICE`"},
			&cli.StringFlag{Name: "by", Usage: "only what this `PERSON` changed"},
			&cli.DurationFlag{Name: "since", Usage: "only what was changed within this `TIME`, such as 1h"},
			&cli.IntFlag{Name: "last", Usage: "the last `N` changes", Value: 20},
		},
		ShellComplete: p.completeServices, Action: p.activityList,
		Commands: []*cli.Command{
			{
				Name: "show", Usage: "what was changed, line by line", ArgsUsage: "ENTRY", OnUsageError: usageError,
				UsageText: "rapidmimic activity show a-71", Action: p.activityShow,
			},
			{
				Name: "diff", Usage: "what is another than it was at a moment, in a folder or elsewhere, line by line", ArgsUsage: "[MARK|ENTRY|TIME]", OnUsageError: usageError,
				UsageText: "rapidmimic activity diff \"before the release test\"\nrapidmimic activity diff a-71\nrapidmimic activity diff 10:30\nrapidmimic activity diff 2h\n" +
					"rapidmimic activity diff --folder harbour\nrapidmimic activity diff --with http://staging.test:7400",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "folder", Usage: "compare with the folder `DIR`, as apply and export use it"},
					&cli.StringFlag{Name: "with", Usage: "compare with the environment at `URL`"},
				},
				Action: p.activityDiff,
			},
			{
				Name: "tail", Usage: "changes as they are made", OnUsageError: usageError,
				UsageText: "rapidmimic activity tail\nrapidmimic activity tail --service moorings",
				Flags:     []cli.Flag{&cli.StringFlag{Name: "service", Usage: "only what is about this `SERVICE`"}}, Action: p.activityTail,
			},
		},
	}
}

func (p Program) undoCommand() *cli.Command {
	return &cli.Command{
		Name: "undo", Usage: "take a change back: your own last one, or the one that is named", ArgsUsage: "[ENTRY]", OnUsageError: usageError,
		UsageText: "rapidmimic undo\nrapidmimic undo a-71",
		Description: "All of it or nothing: where a definition was changed since, nothing is undone, and you are told which.\n" +
			"An undo is a change, too: undone, it is a redo. A service that was removed is kept for 30 days.",
		Action: p.undo,
	}
}

func (p Program) activityList(ctx context.Context, c *cli.Command) error {
	if _, err := args(c); err != nil {
		return err
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	list, err := environment.Activity(ctx, client.ActivityQuery{Service: c.String("service"), By: c.String("by"), Since: c.Duration("since"), Limit: max(1, int(c.Int("last")))})
	if err != nil {
		return err
	}
	return p.print(c, list, nil, func() {
		if len(list.Items) == 0 {
			p.say("nothing was changed")
			return
		}
		rows := make([][]string, 0, len(list.Items))
		for _, e := range list.Items {
			what := strings.Join(e.Lines, "; ")
			switch {
			case e.Undoes != "":
				what = "undid " + e.Undoes + ": " + what
			case e.UndoneBy != "":
				what += " (undone)"
			}
			rows = append(rows, []string{momentText(e.At), e.ID, byText(e), what})
		}
		writeTable(p.Out, p.width(), []column{{title: "TIME"}, {title: "ENTRY"}, {title: "BY", gives: titleGives}, {title: "WHAT", gives: pathGives}}, rows)
		p.say("undo      rapidmimic undo ENTRY   take one back; rapidmimic activity show ENTRY")
	})
}

// momentText is a moment: of today the time, else with its day.
func momentText(at time.Time) string {
	at = at.Local()
	if at.Format(time.DateOnly) == time.Now().Format(time.DateOnly) {
		return at.Format(time.TimeOnly)
	}
	return at.Format("2006-01-02 15:04")
}

// byText says who made an entry, and by which way.
func byText(e api.Entry) string {
	who := e.By
	switch {
	case who == "" && e.Via == "":
		return "itself"
	case who == "":
		who = "somebody"
	}
	if e.Via == "" {
		return who
	}
	return who + ", " + e.Via
}

func (p Program) activityShow(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "an ENTRY")
	if err != nil {
		return err
	}
	entry, err := environment.Entry(ctx, given[0])
	if err != nil {
		return err
	}
	return p.print(c, entry, nil, func() {
		p.say("%s  %s, %s", entry.ID, byText(entry.Entry), entry.At.Local().Format("2006-01-02 15:04:05"))
		if entry.From != "" {
			p.say("from      %s", entry.From)
		}
		if entry.Undoes != "" {
			p.say("undoes    %s", entry.Undoes)
		}
		for _, item := range entry.Items {
			p.say("")
			p.say("%s %s", item.Outcome, itemName(item))
			text, _ := documentsDiffer(item.Before, item.After, "before", "after") // two texts always have one
			fmt.Fprint(p.Out, text)
		}
		p.say("")
		if entry.UndoneBy != "" {
			p.say("undone    by %s (rapidmimic undo %s has it again)", entry.UndoneBy, entry.UndoneBy)
			return
		}
		p.say("undo      rapidmimic undo %s", entry.ID)
	})
}

// clockTime is a time of today, or of yesterday where that is still to come, as the API takes
// it; any other text as it is.
func clockTime(text string, now time.Time) string {
	for _, layout := range []string{"15:04", time.TimeOnly} {
		clock, err := time.ParseInLocation(layout, text, now.Location())
		if err != nil {
			continue
		}
		at := time.Date(now.Year(), now.Month(), now.Day(), clock.Hour(), clock.Minute(), clock.Second(), 0, now.Location())
		if at.After(now) {
			at = at.AddDate(0, 0, -1)
		}
		return at.Format(time.RFC3339)
	}
	return text
}

func (p Program) activityDiff(ctx context.Context, c *cli.Command) error {
	folder, with := c.String("folder"), c.String("with")
	switch {
	case folder != "" && with != "":
		return usage("--folder and --with are one or the other")
	case folder != "" || with != "":
		return p.comparison(ctx, c, folder, with)
	}
	given, environment, err := p.connect(c, "a MARK, an ENTRY or a TIME")
	if err != nil {
		return err
	}
	items, err := environment.Differences(ctx, clockTime(given[0], time.Now()))
	if err != nil {
		return err
	}
	return p.print(c, items, nil, func() {
		p.sayItems(items, "at "+given[0], "now")
		p.say("%s another than at %s", counted(len(items), "definition"), given[0])
	})
}

// sayItems says of definitions what differs, line by line.
func (p Program) sayItems(items []api.EntryItem, before, after string) {
	for _, item := range items {
		p.say("%s %s", item.Outcome, itemName(item))
		text, _ := documentsDiffer(item.Before, item.After, before, after) // two texts always have one
		fmt.Fprintln(p.Out, text)
	}
}

// comparison says what is another here than in a folder, or in another environment.
func (p Program) comparison(ctx context.Context, c *cli.Command, folder, with string) error {
	_, environment, err := p.connect(c)
	if err != nil {
		return err
	}
	there := cmp.Or(folder, with)
	var archive []byte
	var left []string
	if folder != "" {
		if archive, left, err = packAll(folder); err == nil {
			err = checkEnvironment(folder, left)
		}
	} else {
		archive, err = p.exported(ctx, c, with)
	}
	if err != nil {
		return err
	}
	compared, err := environment.Compare(ctx, archive)
	if err != nil {
		return err
	}
	compared.Unknown = append(compared.Unknown, left...)
	return p.print(c, compared, nil, func() {
		words := map[string]string{"created": "only in " + there + ":", "removed": "only here:", "changed": "differs:"}
		for i := range compared.Items {
			compared.Items[i].Outcome = words[compared.Items[i].Outcome]
		}
		p.sayItems(compared.Items, "here", there)
		for _, fault := range compared.Faults {
			fmt.Fprintf(p.Err, "left out  %s\n", fault)
		}
		for _, name := range compared.Unknown {
			fmt.Fprintf(p.Err, "left out  %s has no place in a folder\n", name)
		}
		p.say("differences between here and %s: %d", there, len(compared.Items))
	})
}

// exported is what another environment holds, as a folder would have it.
func (p Program) exported(ctx context.Context, c *cli.Command, url string) ([]byte, error) {
	other, err := p.clientOf(c, url, "") // RAPIDMIMIC_TOKEN is for the first one
	if err != nil {
		return nil, err
	}
	report, err := other.Export(ctx, nil, "", false)
	if err != nil {
		return nil, fmt.Errorf("export from %s: %w", url, err)
	}
	if len(report.Files) == 0 { // it is empty, and its folder says that it is an environment all the same
		report.Files = []api.ExportFile{{Name: spec.EnvironmentFile}}
	}
	var archive bytes.Buffer
	w := zip.NewWriter(&archive)
	for _, file := range report.Files {
		if err := addFile(w, file.Name, file.Content); err != nil {
			return nil, err
		}
	}
	err = w.Close()
	return archive.Bytes(), err
}

func (p Program) activityTail(ctx context.Context, c *cli.Command) error {
	if _, err := args(c); err != nil {
		return err
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	service := c.String("service")
	stream, err := environment.Follow(ctx, client.CallQuery{Service: service}, "")
	if err != nil {
		return err
	}
	defer stream.Close()
	const before = 5
	list, err := environment.Activity(ctx, client.ActivityQuery{Service: service, Limit: before})
	if err != nil {
		return err
	}
	said := make(map[string]bool) // made since the stream began, and listed as well
	for _, e := range slices.Backward(list.Items) {
		said[e.ID] = true
		p.say("%s", entryLine(e))
	}
	return p.eachBatch(ctx, environment, stream, func(batch api.Batch) error {
		for _, e := range batch.Entries {
			if !said[e.ID] && (service == "" || slices.Contains(e.Services, service)) {
				p.say("%s", entryLine(e))
			}
		}
		return nil
	})
}

// entryLine is an entry as one line.
func entryLine(e api.Entry) string {
	return fmt.Sprintf("%s  %s  %s  %s", momentText(e.At), e.ID, byText(e), strings.Join(e.Lines, "; "))
}

func itemName(item api.EntryItem) string {
	name := strings.TrimSpace(item.Kind + " " + item.ID)
	if item.Service != "" && item.Kind == "service" {
		return name + " " + item.Service
	}
	if item.Service != "" {
		return name + " of " + item.Service
	}
	return name
}

func (p Program) undo(ctx context.Context, c *cli.Command) error {
	if c.Args().Len() > 1 {
		return usage("%s takes one ENTRY, or none for your own last change", c.FullName())
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	id := c.Args().First()
	if id == "" {
		if id, err = ownLast(ctx, environment, c.String("as")); err != nil {
			return err
		}
	}
	entry, err := environment.Undo(ctx, id)
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, entry, nil, func() {
		for _, line := range entry.Lines {
			p.say("%s  undone: %s", id, line)
		}
		p.say("redo      rapidmimic undo %s", entry.ID)
	})
}

// ownLast is the last change of a person that is in force.
func ownLast(ctx context.Context, environment *client.Client, who string) (string, error) {
	list, err := environment.Activity(ctx, client.ActivityQuery{By: who, Limit: 100})
	if err != nil {
		return "", err
	}
	for _, e := range list.Items {
		if e.Undoes == "" && e.UndoneBy == "" && e.Count > 0 && (who != "" || e.By == "") {
			return e.ID, nil
		}
	}
	if who == "" {
		return "", fmt.Errorf("there is no change without a name to undo (rapidmimic activity lists all of them)")
	}
	return "", fmt.Errorf("there is no change by %s to undo (rapidmimic activity lists those of others)", who)
}
