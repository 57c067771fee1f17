package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"
	"golang.org/x/sync/errgroup"

	"rapidmimic/client"
	"rapidmimic/demo"
	"rapidmimic/internal/config"
)

func (p Program) demoCommand() *cli.Command {
	return &cli.Command{
		Name:      "demo",
		Usage:     "run a service with the port of Skerry Sound in it, and somebody who calls it",
		UsageText: "rapidmimic demo\nrapidmimic demo --control 127.0.0.1:8400 --traffic 127.0.0.1:8401",
		Description: "Imports two contracts, puts a few mappings, and calls them gently until it is stopped.\n" +
			"Its data are removed at the end, unless --data names a folder to keep them in.",
		OnUsageError: usageError,
		Flags: append(serveFlags(""),
			&cli.BoolFlag{Name: "quiet", Usage: "make no calls"}),
		Action: p.demo,
	}
}

func (p Program) demo(ctx context.Context, c *cli.Command) error {
	if _, err := args(c); err != nil {
		return err
	}
	cfg := configOf(c)
	if cfg.Data == "" {
		folder, remove, err := temporaryData()
		if err != nil {
			return fmt.Errorf("make a folder for the demo: %w (--data names one)", err)
		}
		defer remove()
		cfg.Data = folder
	}
	if !c.IsSet("log-level") {
		_ = c.Set("log-level", "warn")
	}
	tasks, ctx := errgroup.WithContext(ctx)
	ready := make(chan config.Addresses, 1)
	tasks.Go(func() error {
		return p.Serve(ctx, cfg, p.logger(c), func(a config.Addresses) { ready <- a })
	})
	tasks.Go(func() error {
		select {
		case <-ctx.Done():
			return nil
		case addresses := <-ready:
			return p.playDemo(ctx, addresses, !c.Bool("quiet"))
		}
	})
	return tasks.Wait()
}

func (p Program) playDemo(ctx context.Context, a config.Addresses, calls bool) error {
	api, err := client.New(a.Control)
	if err != nil {
		return err
	}
	defer api.Close()
	if err := demo.SetUp(ctx, api); err != nil {
		return fmt.Errorf("set up the demo: %w", err)
	}
	p.sayAddresses("Rapid Mimic is ready, with the port of Skerry Sound", a)
	for _, name := range demo.Services() {
		p.say("%-9s %s/%s", name, a.Traffic, name)
	}
	p.say("try       curl %s/moorings/berths/N7", a.Traffic)
	p.say("stop      Ctrl+C")
	if calls {
		demo.Call(ctx, a.Traffic)
	}
	return nil
}
