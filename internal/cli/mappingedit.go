package cli

import (
	"context"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
)

// selectFlags choose mappings otherwise than by their ids.
func selectFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "label", Usage: "only mappings with this `LABEL`"},
		&cli.StringFlag{Name: "text", Usage: "only mappings with this `TEXT` in id, title, path, operation or a label"},
	}
}

func (p Program) mappingEditCommands() []*cli.Command {
	on, off := true, false
	copyFlags := []cli.Flag{
		&cli.StringFlag{Name: "to", Usage: "another `SERVICE`"},
		&cli.StringFlag{Name: "id", Usage: "`ID` of the copy"},
	}
	return []*cli.Command{
		{
			Name: "remove", Usage: "remove mappings; mapping restore brings them back", ArgsUsage: "SERVICE [MAPPING ...]",
			UsageText: "rapidmimic mapping remove moorings berth-by-number\nrapidmimic mapping remove moorings --label night", OnUsageError: usageError,
			Flags: append(selectFlags(), laneFlag("its own one of this `LANE`")), ShellComplete: p.completeServices, Action: p.mappingRemove,
		},
		{
			Name: "enable", Usage: "switch mappings on", ArgsUsage: "SERVICE [MAPPING ...]",
			UsageText: "rapidmimic mapping enable moorings --label night", OnUsageError: usageError,
			Flags: selectFlags(), ShellComplete: p.completeServices, Action: p.mappingEdit("on, answers from the next call", func(*cli.Command) api.MappingsEdit { return api.MappingsEdit{Enabled: &on} }),
		},
		{
			Name: "disable", Usage: "switch mappings off", ArgsUsage: "SERVICE [MAPPING ...]",
			UsageText: "rapidmimic mapping disable moorings berth-by-number", OnUsageError: usageError,
			Flags: selectFlags(), ShellComplete: p.completeServices, Action: p.mappingEdit("off, no longer answers", func(*cli.Command) api.MappingsEdit { return api.MappingsEdit{Enabled: &off} }),
		},
		{
			Name: "label", Usage: "give mappings labels or take them away", ArgsUsage: "SERVICE [MAPPING ...]",
			UsageText: "rapidmimic mapping label moorings berth-by-number --add night\nrapidmimic mapping label moorings --label night --drop night", OnUsageError: usageError,
			Flags: append(selectFlags(),
				&cli.StringSliceFlag{Name: "add", Usage: "a `LABEL` to give"},
				&cli.StringSliceFlag{Name: "drop", Usage: "a `LABEL` to take away"}),
			ShellComplete: p.completeServices,
			Action: p.mappingEdit("labels changed", func(c *cli.Command) api.MappingsEdit {
				return api.MappingsEdit{AddLabels: c.StringSlice("add"), DropLabels: c.StringSlice("drop")}
			}),
		},
		{
			Name: "copy", Usage: "copy a mapping within its service or to another", ArgsUsage: "SERVICE MAPPING",
			UsageText: "rapidmimic mapping copy moorings berth-by-number --id berth-closed\nrapidmimic mapping copy moorings berth-by-number --to tides", OnUsageError: usageError,
			Flags: copyFlags, ShellComplete: p.completeServices, Action: p.mappingCopy(false),
		},
		{
			Name: "move", Usage: "move a mapping to another service, or give it another id", ArgsUsage: "SERVICE MAPPING",
			UsageText: "rapidmimic mapping move moorings berth-by-number --id berth", OnUsageError: usageError,
			Flags: copyFlags, ShellComplete: p.completeServices, Action: p.mappingCopy(true),
		},
		{
			Name: "loosen", Usage: "have a mapping answer a call, too, that its conditions did not fit", ArgsUsage: "SERVICE MAPPING CALL",
			UsageText: "rapidmimic mapping loosen moorings get-slots-limit-1 c-81f3 --dry-run", OnUsageError: usageError,
			Description:   "What the call has too much of, or has another value of, does not count any more.",
			Flags:         []cli.Flag{&cli.BoolFlag{Name: "dry-run", Usage: "say what would not count any more, and change nothing"}},
			ShellComplete: p.completeServices, Action: p.mappingLoosen,
		},
		{
			Name: "reset", Usage: "set sequences back to their start and counts to none", ArgsUsage: "SERVICE MAPPING",
			UsageText: "rapidmimic mapping reset moorings booking-turns", OnUsageError: usageError,
			ShellComplete: p.completeServices, Action: p.mappingReset,
		},
	}
}

// selection reads which mappings a command means.
func selection(c *cli.Command) (service string, which client.Selection, err error) {
	given, ids, err := argsFrom(c, "a SERVICE")
	if err != nil {
		return "", which, err
	}
	which = client.Selection{IDs: ids, Label: c.String("label"), Text: c.String("text")}
	if len(ids) == 0 && which.Label == "" && which.Text == "" {
		return "", which, usage("%s needs a MAPPING, --label or --text (%s --help has an example)", c.FullName(), c.FullName())
	}
	return given[0], which, nil
}

func (p Program) mappingRemove(ctx context.Context, c *cli.Command) error {
	service, which, err := selection(c)
	if err != nil {
		return err
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	if lane := c.String("lane"); lane != "" {
		return p.removeFromLane(ctx, api, lane, service, c.Args().Tail())
	}
	removed, err := api.RemoveMappings(ctx, service, which)
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, removed, nil, func() {
		p.sayChanged(service, removed, "removed, no longer answers")
		if len(removed) > 0 {
			p.say("undo      rapidmimic mapping restore %s %s", service, removed[0])
		}
	})
}

// removeFromLane takes mappings out of a lane by their ids.
func (p Program) removeFromLane(ctx context.Context, api *client.Client, lane, service string, ids []string) error {
	if len(ids) == 0 {
		return usage("--lane needs the ids of mappings")
	}
	for _, id := range ids {
		if err := api.RemoveLaneMapping(ctx, lane, service, id); err != nil {
			return err
		}
		p.say("%s  removed from lane %s", id, lane)
	}
	return nil
}

// mappingEdit changes many mappings alike.
func (p Program) mappingEdit(done string, edit func(*cli.Command) api.MappingsEdit) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		service, which, err := selection(c)
		if err != nil {
			return err
		}
		api, err := p.client(c)
		if err != nil {
			return err
		}
		change := edit(c)
		change.IDs, change.Label, change.Text = which.IDs, which.Label, which.Text
		changed, err := api.EditMappings(ctx, service, change)
		if err != nil {
			return unchanged(err, "")
		}
		return p.print(c, changed, nil, func() { p.sayChanged(service, changed, done) })
	}
}

func (p Program) sayChanged(service string, ids []string, done string) {
	switch {
	case len(ids) == 0:
		p.say("%s needed no change", service)
	case len(ids) > fewMappings:
		p.say("%d mappings of %s: %s", len(ids), service, done)
	default:
		p.say("%s  %s", strings.Join(ids, ", "), done)
	}
}

func (p Program) mappingCopy(move bool) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		given, client, err := p.connect(c, "a SERVICE", "a MAPPING")
		if err != nil {
			return err
		}
		to := api.MappingCopy{Service: c.String("to"), ID: c.String("id"), Move: move}
		if move && to.Service == "" && to.ID == "" {
			return usage("%s needs --to SERVICE or --id ID", c.FullName())
		}
		made, err := client.CopyMapping(ctx, given[0], given[1], to)
		if err != nil {
			return unchanged(err, "")
		}
		where := given[0]
		if to.Service != "" {
			where = to.Service
		}
		done := "copied"
		if move {
			done = "moved"
		}
		return p.print(c, made, nil, func() { p.say("%s  %s to %s, live on the next call", made.ID, done, where) })
	}
}

func (p Program) mappingReset(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE", "a MAPPING")
	if err != nil {
		return err
	}
	if err := api.ResetPositions(ctx, given[0], given[1]); err != nil {
		return err
	}
	if err := api.ResetCounts(ctx, given[0], given[1]); err != nil {
		return err
	}
	p.say("%s  sequence and call counts were reset", given[1])
	return nil
}

func (p Program) mappingLoosen(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE", "a MAPPING", "a CALL")
	if err != nil {
		return err
	}
	loosened, err := environment.LoosenMapping(ctx, given[0], given[1], api.LooseningRequest{Call: given[2], DryRun: c.Bool("dry-run")})
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, loosened, nil, func() {
		for _, note := range loosened.Notes {
			p.say("loosened  %s", note)
		}
		switch {
		case len(loosened.Notes) == 0:
			p.say("%s  fits %s as it is", loosened.Mapping.ID, given[2])
		case c.Bool("dry-run"):
			p.say("nothing was changed")
		default:
			p.say("%s  answers %s, live on the next call", loosened.Mapping.ID, asks(loosened.Mapping.Call))
			p.say("undo      rapidmimic mapping restore %s %s", given[0], loosened.Mapping.ID)
		}
	})
}
