package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
	"rapidmimic.example/spec/tree"
)

func laneFlag(usage string) cli.Flag {
	return &cli.StringFlag{Name: "lane", Usage: usage, Sources: cli.EnvVars("RAPIDMIMIC_LANE")}
}

// asSeenIn says what a list shows in a lane.
const asSeenIn = "as calls in this `LANE` find it; - as those in none do"

// sayWhatIsOn tells under what a list of everybody's definitions is not all there is.
func (p Program) sayWhatIsOn(ctx context.Context, api *client.Client, lane, command string) {
	if lane != "" {
		return
	}
	if status, err := api.Status(ctx); err == nil && status.Scenario.Scenario != "" {
		p.say("scenario  %s is on for calls in no lane; what answers under it: rapidmimic %s --lane -", status.Scenario.Scenario, command)
	}
}

const inThisLane = "in this `LANE`, instead of for calls in none"

func (p Program) scenarioCommand() *cli.Command {
	return &cli.Command{
		Name: "scenario", Usage: "switch between named situations", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "use", Usage: "switch a scenario on, instead of the one that is on", ArgsUsage: "SCENARIO", OnUsageError: usageError,
				UsageText: "rapidmimic scenario use no-free-berth\nrapidmimic scenario use bad-night --for 10m\nrapidmimic scenario use bad-night --lane night-run",
				Flags:     []cli.Flag{laneFlag(inThisLane), &cli.StringFlag{Name: "for", Usage: "only for `TIME`"}},
				Action:    p.scenarioUse, ShellComplete: p.completeScenarios,
			},
			{
				Name: "off", Usage: "switch off the scenario that is on", OnUsageError: usageError, UsageText: "rapidmimic scenario off",
				Flags: []cli.Flag{laneFlag(inThisLane)}, Action: p.scenarioOff,
			},
			{
				Name: "list", Usage: "all scenarios, and where they are on", OnUsageError: usageError, UsageText: "rapidmimic scenario list", Action: p.scenarioList,
			},
			{
				Name: "show", Usage: "what a scenario changes", ArgsUsage: "SCENARIO", OnUsageError: usageError,
				UsageText: "rapidmimic scenario show bad-night\nrapidmimic scenario show bad-night -o yaml", Action: p.scenarioShow, ShellComplete: p.completeScenarios,
			},
			{
				Name: "put", Usage: "make or replace the scenarios of a document, all or none", OnUsageError: usageError,
				UsageText: "rapidmimic scenario put -f harbour.scenarios.yaml\nrapidmimic scenario show bad-night -o yaml | rapidmimic scenario put -f -",
				Description: "A document holds one scenario or a list of them, in YAML or JSON:\n\n" +
					"   name: no-free-berth\n   services:\n     moorings:\n       examples: { listBerths: none-free }",
				Flags: []cli.Flag{&cli.StringFlag{Name: "file", Aliases: []string{"f"}, Usage: "the document's `FILE`, - for standard input"}, overTheirsFlag()}, Action: p.scenarioPut,
			},
			{
				Name: "make", Usage: "make a scenario from what is on now, or from calls", ArgsUsage: "NAME [CALL ...]", OnUsageError: usageError,
				UsageText:   "rapidmimic scenario make monday\nrapidmimic scenario make as-seen c-81f3 c-81f4\nrapidmimic scenario make monday --dry-run",
				Description: "Without a CALL it keeps what is on: impairments, chosen examples, services that relay, mappings\nthat are switched off, and builds on the scenario that is on. With ids of calls it answers those as\nthey were answered.",
				Flags:       []cli.Flag{laneFlag("what is on in this `LANE`"), &cli.BoolFlag{Name: "dry-run", Usage: "only print it"}}, Action: p.scenarioMake,
			},
			{
				Name: "remove", Usage: "remove a scenario that is not in use", ArgsUsage: "SCENARIO", OnUsageError: usageError,
				UsageText: "rapidmimic scenario remove bad-night", Action: p.scenarioRemove, ShellComplete: p.completeScenarios,
			},
			{
				Name: "reset", Usage: "reset sequences, counters, draws and limits; definitions stay", OnUsageError: usageError,
				UsageText: "rapidmimic scenario reset\nrapidmimic scenario reset --lane night-run", Flags: []cli.Flag{laneFlag(inThisLane)}, Action: p.scenarioReset,
			},
		},
	}
}

func (p Program) completeScenarios(ctx context.Context, c *cli.Command) {
	api, err := p.client(c)
	if err != nil {
		return
	}
	scenarios, err := api.Scenarios(ctx)
	if err != nil {
		return
	}
	for _, s := range scenarios {
		p.say("%s", s.Name)
	}
}

// durationOf reads a flag that is a time; 0 when it is not given.
func durationOf(c *cli.Command, flag string) (spec.Duration, error) {
	text := c.String(flag)
	if text == "" {
		return 0, nil
	}
	d, err := spec.ParseDuration(text)
	if err != nil || d == 0 {
		return 0, usage("--%s must be a time such as 10m, not %q", flag, text)
	}
	return d, nil
}

func (p Program) scenarioUse(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SCENARIO")
	if err != nil {
		return err
	}
	lasts, err := durationOf(c, "for")
	if err != nil {
		return err
	}
	active, err := api.UseScenario(ctx, c.String("lane"), given[0], lasts)
	if err != nil {
		return unchanged(err, "")
	}
	scenario, err := api.Scenario(ctx, given[0])
	if err != nil {
		return err
	}
	return p.print(c, active, nil, func() {
		p.say("on        %s", activeText(active))
		for _, line := range scenario.Lines {
			p.say("          %s", line)
		}
		if scenario.BuildsOn != "" {
			p.say("          and all that %s does", scenario.BuildsOn)
		}
		for _, w := range active.Webhooks {
			if w.Why != "" {
				p.say("not sent  webhook %s of %s: %s", w.Webhook, w.Service, w.Why)
			}
		}
		if active.Before != "" && active.Before != active.Scenario {
			p.say("instead   of %s", active.Before)
		}
		p.say("off       rapidmimic scenario off%s", laneArgs(active.Lane))
	})
}

func laneArgs(lane string) string {
	if lane == "" {
		return ""
	}
	return " --lane " + lane
}

// activeText says which scenario is on, where and for how long.
func activeText(a api.ActiveScenario) string {
	if a.Scenario == "" {
		return "no scenario"
	}
	text := a.Scenario + " for calls in no lane"
	if a.Lane != "" {
		text = a.Scenario + " in lane " + a.Lane
	}
	if a.Until != nil {
		text += ", until " + a.Until.Local().Format(time.TimeOnly)
	}
	if a.By != "" {
		text += ", by " + a.By
	}
	return text
}

func (p Program) scenarioOff(ctx context.Context, c *cli.Command) error {
	_, api, err := p.connect(c)
	if err != nil {
		return err
	}
	active, err := api.LeaveScenario(ctx, c.String("lane"))
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, active, nil, func() {
		if active.Before == "" {
			p.say("no scenario was on")
			return
		}
		p.say("off       %s; everything is as before", active.Before)
	})
}

func (p Program) scenarioList(ctx context.Context, c *cli.Command) error {
	_, api, err := p.connect(c)
	if err != nil {
		return err
	}
	scenarios, err := api.Scenarios(ctx)
	if err != nil {
		return err
	}
	document := func() ([]byte, error) {
		list := tree.NewList()
		for _, s := range scenarios {
			list.Items = append(list.Items, s.Document())
		}
		return list.YAML()
	}
	return p.print(c, scenarios, document, func() {
		if len(scenarios) == 0 {
			p.say("there is no scenario yet")
			p.say("make      rapidmimic scenario make NAME   keeps what is on now")
			return
		}
		rows := make([][]string, len(scenarios))
		for i, s := range scenarios {
			builds := s.BuildsOn
			if builds == "" {
				builds = "-"
			}
			rows[i] = []string{s.Name, s.Title, builds, strconv.Itoa(sum(s.Calls)), onText(s.On)}
		}
		writeTable(p.Out, p.width(), []column{{title: "SCENARIO"}, {title: "TITLE", gives: titleGives}, {title: "BUILDS ON"}, {title: "CALLS", right: true}, {title: "ON FOR", gives: sourceGives}}, rows)
	})
}

func onText(on []api.ActiveScenario) string {
	var where []string
	for _, a := range on {
		if a.Lane == "" {
			where = append(where, "everybody in no lane")
		} else {
			where = append(where, "lane "+a.Lane)
		}
	}
	if len(where) == 0 {
		return "-"
	}
	return strings.Join(where, ", ")
}

func (p Program) scenarioShow(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SCENARIO")
	if err != nil {
		return err
	}
	s, err := api.Scenario(ctx, given[0])
	if err != nil {
		return err
	}
	return p.print(c, s, func() ([]byte, error) { return spec.WithETag(s.Document(), s.ETag).YAML() }, func() {
		p.sayScenario(s)
	})
}

func (p Program) sayScenario(s api.Scenario) {
	p.say("%s", strings.TrimSuffix(s.Name+"  "+s.Title, "  "))
	for _, on := range s.On {
		p.say("on        %s", activeText(on))
	}
	for i, line := range s.Lines {
		p.say("%-9s %s", map[bool]string{true: "changes"}[i == 0], line)
	}
	if s.BuildsOn != "" {
		p.say("builds on %s", s.BuildsOn)
	}
	for _, d := range s.Differences {
		p.say("          %s: %s, not %s of %s", d.What, d.Here, d.Instead, d.Of)
	}
	if n := sum(s.Calls); n > 0 {
		p.say("calls     %d  %s", n, sourcesText(s.Calls))
	}
	for _, fault := range s.Faults {
		p.say("cannot    %s", fault.Detail)
	}
	if len(s.On) == 0 {
		p.say("use       rapidmimic scenario use %s", s.Name)
	}
}

func (p Program) scenarioPut(ctx context.Context, c *cli.Command) error {
	if _, err := args(c); err != nil {
		return err
	}
	if c.String("file") == "" {
		return usage("%s needs a document: -f FILE, or -f - for standard input", c.FullName())
	}
	document, file, err := p.readInput(c.String("file"))
	if err != nil {
		return err
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	if c.Bool("over-theirs") {
		ctx = client.OverTheirs(ctx)
	}
	made, err := api.PutScenarios(ctx, document)
	if isStale(err) {
		return p.sayBoth(unchanged(err, file), c.String("file"), "scenario put", changedScenarios(ctx, api, document))
	}
	if err != nil {
		return unchanged(err, file)
	}
	if file != "" {
		p.noteScenarios(c.String("file"), document, made)
	}
	return p.print(c, made, nil, func() {
		for _, s := range made {
			p.say("kept      %s, %s", s.Name, counted(len(s.Lines), "change"))
		}
		if len(made) > 0 {
			p.say("use       rapidmimic scenario use %s", made[0].Name)
		}
	})
}

// changedScenarios are those of a document that somebody changed since it was read.
func changedScenarios(ctx context.Context, environment *client.Client, document []byte) (all []both) {
	given, err := spec.GivenScenarios(document)
	if err != nil {
		return nil // it was said before
	}
	for _, g := range given {
		theirs, err := environment.Scenario(ctx, g.Document.Name)
		if err == nil && g.ETag != "" && theirs.ETag != g.ETag {
			all = append(all, both{g.Document.Name, "", documentText(theirs.Document()), documentText(g.Document.Document())})
		}
	}
	return all
}

// noteScenarios notes the versions of scenarios in the file that they were put from.
func (p Program) noteScenarios(file string, document []byte, made []api.Scenario) {
	given, err := spec.GivenScenarios(document)
	if err != nil {
		return
	}
	var versions []version
	for _, g := range given {
		if i := slices.IndexFunc(made, func(s api.Scenario) bool { return s.Name == g.Document.Name }); i >= 0 {
			versions = append(versions, version{g.Node, g.ETag, made[i].ETag})
		}
	}
	p.noteVersions(file, document, versions)
}

func (p Program) scenarioMake(ctx context.Context, c *cli.Command) error {
	given, calls, err := argsFrom(c, "a NAME")
	if err != nil {
		return err
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	proposal, err := environment.DraftScenario(ctx, api.ScenarioDraft{Name: given[0], Lane: c.String("lane"), Calls: calls})
	if err != nil {
		return unchanged(err, "")
	}
	document, err := proposal.Scenario.Document().YAML()
	if err != nil {
		return err
	}
	if !c.Bool("dry-run") {
		if err := p.keepDraft(ctx, environment, given[0], document); err != nil {
			return err
		}
	}
	return p.print(c, proposal, func() ([]byte, error) { return document, nil }, func() {
		for _, x := range proposal.Skipped {
			p.say("left out  %s: %s", x.Call, x.Reason)
		}
		if c.Bool("dry-run") {
			p.say("%s", strings.TrimRight(string(document), "\n"))
			return
		}
		p.say("kept      %s", given[0])
		for _, line := range proposal.Lines {
			p.say("          %s", line)
		}
		if on := proposal.Scenario.BuildsOn; on != "" {
			p.say("builds on %s", on)
		}
		p.say("use       rapidmimic scenario use %s", given[0])
	})
}

// keepDraft keeps a new scenario; one that is there already stays as it is.
func (p Program) keepDraft(ctx context.Context, api *client.Client, name string, document []byte) error {
	_, err := api.MakeScenarios(ctx, document)
	if stale := (*problem.Error)(nil); errors.As(err, &stale) && stale.Code == problem.Stale {
		return fmt.Errorf("scenario %q already exists (choose another name, or remove it first); nothing was changed", name)
	}
	return unchanged(err, "")
}

func (p Program) scenarioRemove(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SCENARIO")
	if err != nil {
		return err
	}
	if err := api.RemoveScenario(ctx, given[0]); err != nil {
		return unchanged(err, "")
	}
	p.say("removed   %s", given[0])
	return nil
}

func (p Program) scenarioReset(ctx context.Context, c *cli.Command) error {
	_, api, err := p.connect(c)
	if err != nil {
		return err
	}
	lane := c.String("lane")
	if err := api.ResetScenario(ctx, lane); err != nil {
		return err
	}
	where := "for calls in no lane"
	if lane != "" {
		where = "in lane " + lane
	}
	p.say("reset %s: sequences, counters, draws and limits; definitions are unchanged", where)
	return nil
}
