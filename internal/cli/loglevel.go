package cli

import (
	"context"

	"github.com/urfave/cli/v3"
)

func (p Program) logLevelCommand() *cli.Command {
	return &cli.Command{
		Name: "log-level", Usage: "how much the service writes to its own log, until it stops", ArgsUsage: "[LEVEL]", OnUsageError: usageError,
		UsageText: "rapidmimic log-level\nrapidmimic log-level debug", Action: p.logLevel,
	}
}

func (p Program) logLevel(ctx context.Context, c *cli.Command) error {
	if c.Args().Len() > 1 {
		return usage("%s takes one LEVEL: debug, info, warn or error", c.FullName())
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	level, err := environment.LogLevel(ctx)
	if wanted := c.Args().First(); err == nil && wanted != "" {
		level, err = environment.SetLogLevel(ctx, wanted)
	}
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, level, nil, func() { p.say("%s", level.Level) })
}
