package cli

import (
	"cmp"
	"context"
	"fmt"
	"regexp"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
)

// selectFlags choose mappings otherwise than by their ids. Every command for several
// mappings has them.
func selectFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "label", Usage: "only mappings with this `LABEL`"},
		&cli.StringFlag{Name: "text", Usage: "only mappings with this `TEXT` in id, title, path, operation or a label"},
		&cli.BoolFlag{Name: "all", Usage: "all mappings of the service"},
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
			Name: "copy", Usage: "copy mappings within their service or to another, all or none", ArgsUsage: "SERVICE [MAPPING ...]",
			UsageText: "rapidmimic mapping copy moorings berth-by-number --id berth-closed\nrapidmimic mapping copy moorings --label night --to tides", OnUsageError: usageError,
			Flags: append(selectFlags(), copyFlags...), ShellComplete: p.completeServices, Action: p.mappingCopy(false),
		},
		{
			Name: "move", Usage: "move mappings to another service, or give one another id", ArgsUsage: "SERVICE [MAPPING ...]",
			UsageText: "rapidmimic mapping move moorings berth-by-number --id berth\nrapidmimic mapping move moorings --label night --to tides", OnUsageError: usageError,
			Flags: append(selectFlags(), copyFlags...), ShellComplete: p.completeServices, Action: p.mappingCopy(true),
		},
		{
			Name: "loosen", Usage: "have a mapping answer a call, too, that its conditions did not fit", ArgsUsage: "SERVICE MAPPING CALL",
			UsageText: "rapidmimic mapping loosen moorings get-slots-limit-1 c-81f3 --dry-run", OnUsageError: usageError,
			Description:   "What the call has too much of, or has another value of, does not count any more.",
			Flags:         []cli.Flag{&cli.BoolFlag{Name: "dry-run", Usage: "say what would not count any more, and change nothing"}},
			ShellComplete: p.completeServices, Action: p.mappingLoosen,
		},
		{
			Name: "reset", Usage: "set sequences back to their start and counts to none", ArgsUsage: "SERVICE [MAPPING ...]",
			UsageText: "rapidmimic mapping reset moorings booking-turns\nrapidmimic mapping reset moorings --all", OnUsageError: usageError,
			Flags: selectFlags(), ShellComplete: p.completeServices, Action: p.mappingReset,
		},
	}
}

// selectionOf reads which mappings a command means; an empty one means none in particular.
func selectionOf(c *cli.Command) (service string, which client.Selection, err error) {
	given, ids, err := argsFrom(c, "a SERVICE")
	if err != nil {
		return "", which, err
	}
	which = client.Selection{IDs: ids, Label: c.String("label"), Text: c.String("text")}
	if c.Bool("all") {
		if which.Label+which.Text != "" || len(ids) > 0 {
			return "", which, usage("--all means all mappings of %s: leave out the rest", given[0])
		}
		which.Origin = "everybody"
	}
	return given[0], which, nil
}

// selection is selectionOf for a command that changes something, and so must be told what.
func selection(c *cli.Command) (service string, which client.Selection, err error) {
	service, which, err = selectionOf(c)
	if err == nil && len(which.IDs) == 0 && which.Label+which.Text+which.Origin == "" {
		err = usage("%s needs a MAPPING, --label, --text or --all (%s --help has an example)", c.FullName(), c.FullName())
	}
	return service, which, err
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
			p.say("undo      rapidmimic mapping restore %s %s", service, restoreWords(which, removed))
		}
	})
}

// plainWord needs no quotation marks in any shell.
var plainWord = regexp.MustCompile(`^[A-Za-z0-9._-]+$`)

// restoreWords are how mapping restore is told to bring back what was removed.
func restoreWords(which client.Selection, removed []string) string {
	if len(removed) > fewMappings && plainWord.MatchString(which.Label) && which.Text == "" && len(which.IDs) == 0 {
		return "--label " + which.Label
	}
	return strings.Join(removed, " ")
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
		changed, err := api.EditMappings(ctx, service, which, edit(c))
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
		service, which, err := selection(c)
		if err != nil {
			return err
		}
		client, err := p.client(c)
		if err != nil {
			return err
		}
		to := api.MappingCopy{Service: c.String("to"), ID: c.String("id"), Move: move}
		if move && to.Service == "" && to.ID == "" {
			return usage("%s needs --to SERVICE or --id ID", c.FullName())
		}
		copies, err := client.CopyMappings(ctx, service, which, to)
		if err != nil {
			return unchanged(err, "")
		}
		done := "copied"
		if move {
			done = "moved"
		}
		return p.print(c, copies, nil, func() {
			p.sayChanged(service, copies, fmt.Sprintf("%s to %s, live on the next call", done, cmp.Or(to.Service, service)))
		})
	}
}

func (p Program) mappingReset(ctx context.Context, c *cli.Command) error {
	service, which, err := selection(c)
	if err != nil {
		return err
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	reset, err := api.ResetMappings(ctx, service, which)
	if err != nil {
		return err
	}
	return p.print(c, reset, nil, func() { p.sayChanged(service, reset, "sequence and call counts were reset") })
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
