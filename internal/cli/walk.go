package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
)

func (p Program) walkCommand() *cli.Command {
	which := &cli.StringFlag{Name: "walk", Usage: "the walk of this `NAME`, where several go on"}
	return &cli.Command{
		Name: "walk", Usage: "go through boundary values one after the other, and note what becomes of each", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "start", Usage: "begin a walk: its first value answers from the next call on", ArgsUsage: "SERVICE [MAPPING]", OnUsageError: usageError,
				UsageText: "rapidmimic walk start moorings berth-under-repair --at '$.lengthMetres'\nrapidmimic walk start moorings --operation listBerths --at '$' --lane my-lane",
				Flags: boundaryFlags(
					&cli.StringFlag{Name: "at", Usage: "the `FIELD`, such as $.dues.amount"},
					&cli.StringFlag{Name: "fields", Usage: "several `FIELDS`, with commas between them: all pairs of their values"},
					&cli.StringFlag{Name: "name", Usage: "`NAME` of the walk; made from whose answer it is when left out"},
					laneFlag("in this `LANE` alone")),
				Action: p.walkStart, ShellComplete: p.completeServices,
			},
			{Name: "next", Usage: "go to the next value", OnUsageError: usageError, Flags: []cli.Flag{which}, Action: p.walkBy(1)},
			{Name: "back", Usage: "go to the value before", OnUsageError: usageError, Flags: []cli.Flag{which}, Action: p.walkBy(-1)},
			{
				Name: "go", Usage: "go to a value by its number or id; 0 is the answer as it is", ArgsUsage: "STEP", OnUsageError: usageError,
				UsageText: "rapidmimic walk go 12\nrapidmimic walk go negative\nrapidmimic walk go 0", Flags: []cli.Flag{which}, Action: p.walkGo,
			},
			{
				Name: "note", Usage: "say of the present value, or another one: fine, defect or note, and why", ArgsUsage: "VERDICT [TEXT]", OnUsageError: usageError,
				UsageText: "rapidmimic walk note fine\nrapidmimic walk note defect \"the board shows NaN m\"\nrapidmimic walk note note \"slow\" --step 3",
				Flags:     []cli.Flag{which, &cli.StringFlag{Name: "step", Usage: "number or id of the `STEP`, instead of the present one"}}, Action: p.walkNote,
			},
			{Name: "show", Usage: "the values of a walk, and what was said of each", ArgsUsage: "[WALK]", OnUsageError: usageError, Action: p.walkShow},
			{Name: "list", Usage: "all walks", OnUsageError: usageError, Action: p.walkList},
			{
				Name: "report", Usage: "a walk as a report, on standard output", ArgsUsage: "[WALK]", OnUsageError: usageError,
				UsageText: "rapidmimic walk report > walk.md\nrapidmimic walk report berth-under-repair --format junit > walk.xml",
				Flags:     []cli.Flag{&cli.StringFlag{Name: "format", Usage: "`markdown`, html or junit", Value: "markdown"}}, Action: p.walkReport,
			},
			{Name: "end", Usage: "end a walk: the answer is as it was, what was said stays", ArgsUsage: "[WALK]", OnUsageError: usageError, Action: p.walkEnd},
			{Name: "remove", Usage: "end a walk and forget it", ArgsUsage: "WALK", OnUsageError: usageError, Action: p.walkRemove},
		},
	}
}

// onWalk connects for a command on walks: what it changes is taken back by the end of the walk, not
// by undo.
func (p Program) onWalk(c *cli.Command, names ...string) ([]string, *client.Client, error) {
	given, client, err := p.connect(c, names...)
	p.changed.environment = nil
	return given, client, err
}

func (p Program) walkStart(ctx context.Context, c *cli.Command) error {
	given, client, err := p.onWalk(c, varying(c)...)
	if err != nil {
		return err
	}
	choice, err := boundaryChoice(c, strings.Join(given[1:], ""))
	if err != nil {
		return err
	}
	if (c.String("at") == "") == (c.String("fields") == "") {
		return usage("%s needs --at or --fields", c.FullName())
	}
	walk, err := client.CreateWalk(ctx, api.NewWalk{BoundaryChoice: choice, Name: c.String("name"), Service: given[0], Lane: c.String("lane")})
	if err != nil {
		return unchanged(err, "")
	}
	p.say("%s  begun, %s", walk.Name, counted(len(walk.Steps), "value"))
	p.sayStep(walk)
	p.say("now       look at the program under test, then: rapidmimic walk note fine, and rapidmimic walk next")
	return nil
}

// sayStep says which value answers.
func (p Program) sayStep(walk api.Walk) {
	if walk.Off {
		p.say("another scenario is on, so the walk does not answer: rapidmimic scenario use walk-%s%s", walk.Name, map[bool]string{true: " --lane " + walk.Lane}[walk.Lane != ""])
	}
	if walk.Position == 0 {
		p.say("the answer is as it is")
		return
	}
	step := walk.Steps[walk.Position-1]
	p.say("%d of %d  %s  %s  (%s; %s by the contract)", walk.Position, len(walk.Steps), step.ID, step.Shown, step.Says, step.Validity)
}

// walkOf is the walk that a command names, else the only one that goes on, else the only one.
func (p Program) walkOf(ctx context.Context, client *client.Client, name string) (api.Walk, error) {
	if name != "" {
		return client.Walk(ctx, name)
	}
	walks, err := client.Walks(ctx)
	if err != nil {
		return api.Walk{}, err
	}
	var going []api.Walk
	for _, walk := range walks {
		if walk.Ended == nil {
			going = append(going, walk)
		}
	}
	if len(going) == 0 && len(walks) == 1 {
		going = walks
	}
	switch len(going) {
	case 0:
		return api.Walk{}, fmt.Errorf("no walk goes on (rapidmimic walk start begins one, rapidmimic walk list lists those that ended)")
	case 1:
		return client.Walk(ctx, going[0].Name)
	default:
		names := make([]string, len(going))
		for i, walk := range going {
			names[i] = walk.Name
		}
		return api.Walk{}, fmt.Errorf("several walks go on: name one of %s", strings.Join(names, ", "))
	}
}

func (p Program) walkBy(by int) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		_, client, err := p.onWalk(c)
		if err != nil {
			return err
		}
		walk, err := p.walkOf(ctx, client, c.String("walk"))
		if err != nil {
			return err
		}
		to := walk.Position + by
		switch {
		case to > len(walk.Steps):
			p.say("that was the last of %d values", len(walk.Steps))
			p.say("now       rapidmimic walk report, then rapidmimic walk end")
			return nil
		case to < 0:
			p.say("there is nothing before the answer as it is")
			return nil
		}
		if walk, err = client.GoInWalk(ctx, walk.Name, strconv.Itoa(to)); err != nil {
			return unchanged(err, "")
		}
		p.sayStep(walk)
		return nil
	}
}

func (p Program) walkGo(ctx context.Context, c *cli.Command) error {
	given, client, err := p.onWalk(c, "a STEP")
	if err != nil {
		return err
	}
	walk, err := p.walkOf(ctx, client, c.String("walk"))
	if err != nil {
		return err
	}
	if walk, err = client.GoInWalk(ctx, walk.Name, given[0]); err != nil {
		return unchanged(err, "")
	}
	p.sayStep(walk)
	return nil
}

func (p Program) walkNote(ctx context.Context, c *cli.Command) error {
	names := []string{"a VERDICT"}
	if c.Args().Len() > 1 {
		names = append(names, "a TEXT")
	}
	given, client, err := p.onWalk(c, names...)
	if err != nil {
		return err
	}
	walk, err := p.walkOf(ctx, client, c.String("walk"))
	if err != nil {
		return err
	}
	step := c.String("step")
	if step == "" {
		step = strconv.Itoa(walk.Position)
	}
	if walk, err = client.NoteInWalk(ctx, walk.Name, step, api.WalkNote{Verdict: given[0], Text: strings.Join(given[1:], "")}); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  %s", walk.Name, tallyOf(walk))
	return nil
}

// tallyOf says how many values have each verdict.
func tallyOf(walk api.Walk) string {
	counts := make(map[string]int)
	for _, step := range walk.Steps {
		counts[step.Verdict]++
	}
	return fmt.Sprintf("%d fine, %s, %s, %d open", counts["fine"], counted(counts["defect"], "defect"), counted(counts["note"], "note"), counts[""])
}

func (p Program) walkShow(ctx context.Context, c *cli.Command) error {
	walk, _, err := p.maybeWalk(ctx, c)
	if err != nil {
		return err
	}
	return p.print(c, walk, nil, func() {
		p.say("%s  %s, %s", walk.Name, walk.Mapping+walk.Operation+" of "+walk.Service, strings.Join(walk.At, ", "))
		rows := make([][]string, len(walk.Steps))
		for i, step := range walk.Steps {
			mark := ""
			if i+1 == walk.Position {
				mark = "now"
			}
			rows[i] = []string{strconv.Itoa(i + 1), mark, step.ID, step.Shown, step.Validity, step.Verdict, strconv.Itoa(len(step.Calls)), step.Text}
		}
		writeTable(p.Out, p.width(), []column{{title: "#", right: true}, {}, {title: "ID", gives: titleGives}, {title: "VALUE", gives: titleGives}, {title: "CONTRACT"}, {title: "VERDICT"}, {title: "CALLS", right: true}, {title: "NOTE", gives: titleGives}}, rows)
		p.say("%s", tallyOf(walk))
	})
}

// maybeWalk is the walk of a command that may be given one, with the client that it came by.
func (p Program) maybeWalk(ctx context.Context, c *cli.Command) (walk api.Walk, client *client.Client, err error) {
	var names []string
	if c.Args().Len() > 0 {
		names = []string{"a WALK"}
	}
	given, client, err := p.onWalk(c, names...)
	if err == nil {
		walk, err = p.walkOf(ctx, client, strings.Join(given, ""))
	}
	return walk, client, err
}

func (p Program) walkList(ctx context.Context, c *cli.Command) error {
	_, client, err := p.onWalk(c)
	if err != nil {
		return err
	}
	walks, err := client.Walks(ctx)
	if err != nil {
		return err
	}
	return p.print(c, walks, nil, func() {
		if len(walks) == 0 {
			p.say("there is no walk (rapidmimic walk start SERVICE MAPPING --at FIELD begins one)")
			return
		}
		rows := make([][]string, len(walks))
		for i, walk := range walks {
			state := "ended"
			if walk.Ended == nil {
				state = fmt.Sprintf("at %d of %d", walk.Position, len(walk.Steps))
			}
			rows[i] = []string{walk.Name, walk.Mapping + walk.Operation + " of " + walk.Service, strings.Join(walk.At, ", "), state, tallyOf(walk)}
		}
		writeTable(p.Out, p.width(), []column{{title: "WALK"}, {title: "ANSWER"}, {title: "FIELD", gives: titleGives}, {title: "STATE"}, {title: "SAID", gives: titleGives}}, rows)
	})
}

func (p Program) walkReport(ctx context.Context, c *cli.Command) error {
	walk, client, err := p.maybeWalk(ctx, c)
	if err != nil {
		return err
	}
	report, err := client.WalkReport(ctx, walk.Name, c.String("format"))
	if err != nil {
		return err
	}
	_, err = p.Out.Write(report)
	return err
}

func (p Program) walkEnd(ctx context.Context, c *cli.Command) error {
	walk, client, err := p.maybeWalk(ctx, c)
	if err != nil {
		return err
	}
	if walk, err = client.EndWalk(ctx, walk.Name); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  ended, %s; the answer is as it was", walk.Name, tallyOf(walk))
	return nil
}

func (p Program) walkRemove(ctx context.Context, c *cli.Command) error {
	given, client, err := p.onWalk(c, "a WALK")
	if err != nil {
		return err
	}
	if err := client.RemoveWalk(ctx, given[0]); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  removed", given[0])
	return nil
}
