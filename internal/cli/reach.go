package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"
)

func (p Program) reachCommand() *cli.Command {
	return &cli.Command{
		Name: "reach", Usage: "test whether a program's calls arrive, with a marked probe", ArgsUsage: "SERVICE", OnUsageError: usageError,
		UsageText: "rapidmimic reach moorings\nrapidmimic reach moorings --address http://build-7:7401/moorings",
		Description: "The probe goes to the address of the service, or to the one that your program was given,\n" +
			"and through the proxy to the hosts that the service lists. The log is asked whether it came.",
		Flags:         []cli.Flag{&cli.StringFlag{Name: "address", Usage: "the `URL` that your program was given"}},
		ShellComplete: p.completeServices, Action: p.reach,
	}
}

func (p Program) reach(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	reached, err := api.Reach(ctx, given[0], c.String("address"))
	if err != nil {
		return err
	}
	missed := false
	err = p.print(c, reached, nil, func() {
		for _, r := range reached {
			if r.Reached {
				p.say("arrived   %s  (%s): %d by %s, call %s", r.Address, r.Way, r.Status, r.Source, r.Call)
				continue
			}
			fmt.Fprintf(p.Err, "missing   %s  (%s): %s\n", r.Address, r.Way, r.Why)
		}
	})
	for _, r := range reached {
		missed = missed || !r.Reached
	}
	if err == nil && missed {
		return errSaid
	}
	return err
}
