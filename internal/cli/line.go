package cli

import (
	"context"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec"
)

func (p Program) lineCommand() *cli.Command {
	return &cli.Command{
		Name: "line", Usage: "named lines: how slow a connection is", OnUsageError: usageError,
		Commands: []*cli.Command{
			{Name: "list", Usage: "the lines", UsageText: "rapidmimic impair line list", OnUsageError: usageError, Action: p.lineList},
			{
				Name: "put", Usage: "make a line, or change one", ArgsUsage: "NAME", UsageText: "rapidmimic impair line put old-tug --bytes-per-second 4000 --first-byte 300ms",
				OnUsageError: usageError, Action: p.linePut,
				Flags: []cli.Flag{
					&cli.Int64Flag{Name: "bytes-per-second", Usage: "`N` bytes a second"}, &cli.StringFlag{Name: "first-byte", Usage: "`TIME` before a body begins"},
					&cli.StringFlag{Name: "pause", Usage: "`TIME` between two chunks"}, &cli.IntFlag{Name: "chunk", Usage: "`N` bytes between two pauses"},
				},
			},
			{Name: "remove", Usage: "remove a line, or restore a built-in one", ArgsUsage: "NAME", UsageText: "rapidmimic impair line remove old-tug", OnUsageError: usageError, Action: p.lineRemove},
		},
	}
}

func (p Program) lineList(ctx context.Context, c *cli.Command) error {
	_, environment, err := p.connect(c)
	if err != nil {
		return err
	}
	lines, err := environment.Lines(ctx)
	if err != nil {
		return err
	}
	return p.print(c, lines, nil, func() {
		rows := make([][]string, len(lines))
		for i, line := range lines {
			rows[i] = []string{line.Name, line.Text}
		}
		columns := []column{{title: "LINE"}, {title: "HOW SLOW", gives: titleGives}}
		writeRows(p.Out, columns, widths(p.width(), columns, rows), rows, true)
	})
}

func (p Program) linePut(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "the NAME of a line")
	if err != nil {
		return err
	}
	line := spec.Line{BytesPerSecond: c.Int64("bytes-per-second"), Chunk: c.Int("chunk")}
	for flag, d := range map[string]*spec.Duration{"first-byte": &line.FirstByte, "pause": &line.Pause} {
		if c.IsSet(flag) {
			if *d, err = spec.ParseDuration(c.String(flag)); err != nil {
				return usage("--%s %v", flag, err)
			}
		}
	}
	made, err := environment.PutLine(ctx, given[0], line)
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, made, nil, func() { p.say("%s  %s", made.Name, made.Text) })
}

func (p Program) lineRemove(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "the NAME of a line")
	if err != nil {
		return err
	}
	if err := environment.RemoveLine(ctx, given[0]); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  removed or restored to its default", given[0])
	return nil
}
