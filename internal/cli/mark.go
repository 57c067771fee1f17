package cli

import (
	"context"
	"errors"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

func (p Program) markCommand() *cli.Command {
	return &cli.Command{
		Name: "mark", Usage: "name this moment, to come back to it", ArgsUsage: "NAME", OnUsageError: usageError,
		UsageText: "rapidmimic mark \"before the release test\"\nrapidmimic mark \"clean start\" --back-to-every-night 03:00\nrapidmimic mark --list\nrapidmimic mark --remove \"before the release test\"",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "list", Usage: "list the marks"},
			&cli.StringFlag{Name: "back-to-every-night", Usage: "let everything come back to it each night at a `TIME` of the service's zone, as 03:00; off ends it"},
			&cli.BoolFlag{Name: "remove", Usage: "forget the mark of this NAME; what was changed since stays"},
		},
		Action: p.mark,
	}
}

func (p Program) backToCommand() *cli.Command {
	return &cli.Command{
		Name: "back-to", Usage: "make everything what it was at a mark", ArgsUsage: "MARK", OnUsageError: usageError,
		UsageText: "rapidmimic back-to \"before the release test\" --dry-run\nrapidmimic back-to \"before the release test\"",
		Description: "All definitions and switches are what they were, as one change that can be undone, and what is\n" +
			"counted begins anew. Lanes, calls and recordings stay as they are.",
		Flags:  []cli.Flag{&cli.BoolFlag{Name: "dry-run", Usage: "only say what would be another"}},
		Action: p.backTo,
	}
}

func (p Program) mark(ctx context.Context, c *cli.Command) error {
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	if c.Bool("list") {
		if _, err := args(c); err != nil {
			return err
		}
		marks, err := environment.Marks(ctx)
		if err != nil {
			return err
		}
		return p.print(c, marks, nil, func() {
			if len(marks) == 0 {
				p.say("no mark yet")
				p.say("set       rapidmimic mark NAME")
				return
			}
			rows := make([][]string, len(marks))
			for i, m := range marks {
				rows[i] = []string{m.Name, momentText(m.At), m.By, m.After, nightlyText(m)}
			}
			writeTable(p.Out, p.width(), []column{{title: "MARK", gives: titleGives}, {title: "SET"}, {title: "BY"}, {title: "AFTER"}, {title: "BACK TO IT"}}, rows)
			p.say("back      rapidmimic back-to %q", marks[len(marks)-1].Name)
		})
	}
	given, err := args(c, "a NAME")
	if err != nil {
		return err
	}
	if c.Bool("remove") {
		if err := environment.RemoveMark(ctx, given[0]); err != nil {
			return err
		}
		p.say("%s  forgotten; what was changed since stays", given[0])
		return nil
	}
	if c.IsSet("back-to-every-night") {
		return p.nightly(ctx, c, environment, given[0], c.String("back-to-every-night"))
	}
	mark, err := environment.SetMark(ctx, given[0], "")
	if err != nil {
		return err
	}
	return p.print(c, mark, nil, func() {
		p.say("%s  marked", mark.Name)
		p.say("back      rapidmimic back-to %q", mark.Name)
	})
}

// nightlyText is when everything comes back to a mark by itself; "" for never.
func nightlyText(m api.Mark) string {
	if m.EveryNight == "" {
		return ""
	}
	return "every night, next " + m.Next.Local().Format("2006-01-02 15:04 MST")
}

// nightly makes a mark, which may be there already, the one to come back to every night.
func (p Program) nightly(ctx context.Context, c *cli.Command, environment *client.Client, name, at string) error {
	if at == "off" {
		at = ""
	}
	mark, err := environment.SetNightly(ctx, name, at)
	if failed := (*problem.Error)(nil); at != "" && errors.As(err, &failed) && failed.Code == problem.NotFound {
		mark, err = environment.SetMark(ctx, name, at)
	}
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, mark, nil, func() {
		if at == "" {
			p.say("%s  is no longer come back to by itself", mark.Name)
			return
		}
		p.say("%s  back to it %s", mark.Name, nightlyText(mark))
		p.say("end       rapidmimic mark %q --back-to-every-night off", mark.Name)
	})
}

func (p Program) backTo(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a MARK")
	if err != nil {
		return err
	}
	report, err := environment.BackTo(ctx, given[0], c.Bool("dry-run"))
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, report, nil, func() {
		for _, line := range report.Lines {
			p.say("%s", line)
		}
		switch {
		case len(report.Lines) == 0:
			p.say("all is as it was at %q", given[0])
		case report.DryRun:
			p.say("%s would be another; nothing was changed", counted(len(report.Lines), "definition"))
		default:
			p.say("%s  back, live on the next call", given[0])
		}
	})
}
