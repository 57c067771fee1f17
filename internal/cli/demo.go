package cli

import (
	"cmp"
	"context"
	"fmt"
	"net"
	"os"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/sync/errgroup"

	"rapidmimic.example/client"
	"rapidmimic.example/demo"
	"rapidmimic.example/internal/config"
)

func (p Program) demoCommand() *cli.Command {
	return &cli.Command{
		Name:      "demo",
		Usage:     "run a service with the port of Skerry Sound in it, and somebody who calls it",
		UsageText: "rapidmimic demo\nrapidmimic demo --control 127.0.0.1:8400 --traffic 127.0.0.1:8401",
		Description: "Imports three contracts, puts a few mappings, and calls them gently until it is stopped.\n" +
			"Its data are removed at the end, unless --data names a folder to keep them in.",
		OnUsageError: usageError,
		Flags: append(serveFlags(""),
			&cli.StringFlag{Name: "stand-ins", Usage: "`HOST:PORT` of programs that play the real services of the port; empty for none", Value: "127.0.0.1:7409"},
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
	var standIns *demo.StandIns
	standInsAt := ""
	if address := c.String("stand-ins"); address != "" {
		listener, err := net.Listen("tcp", address)
		if err != nil {
			return fmt.Errorf("--stand-ins is not available: %s: %w (--stand-ins names another address, or none)", address, err)
		}
		standIns, standInsAt = demo.NewStandIns(40*time.Millisecond), "http://"+listener.Addr().String()
		tasks.Go(func() error { return standIns.Run(ctx, listener) })
	}
	ready := make(chan config.Addresses, 1)
	tasks.Go(func() error {
		return p.serve(ctx, c, cfg, func(a config.Addresses) { ready <- a })
	})
	tasks.Go(func() error {
		select {
		case <-ctx.Done():
			return nil
		case addresses := <-ready:
			if standIns != nil {
				standIns.SetBoard(addresses.LocalTraffic + "/{service}")
			}
			return p.playDemo(ctx, addresses, standInsAt, !c.Bool("quiet"))
		}
	})
	return tasks.Wait()
}

// demoClient is who sets the demo up: with the first administrator's token, where there are
// tokens, or the one of RAPIDMIMIC_TOKEN.
func demoClient(a config.Addresses) (*client.Client, error) {
	api, err := client.New(a.LocalControl)
	if err != nil {
		return nil, err
	}
	api.SetToken(cmp.Or(a.Secret, os.Getenv("RAPIDMIMIC_TOKEN")))
	return api, nil
}

func (p Program) playDemo(ctx context.Context, a config.Addresses, standIns string, calls bool) error {
	api, err := demoClient(a)
	if err != nil {
		return err
	}
	defer api.Close()
	if err := demo.SetUp(ctx, api); err != nil {
		return fmt.Errorf("set up the demo: %w", err)
	}
	if standIns != "" {
		if err := demo.SetUpstreams(ctx, api, standIns); err != nil {
			return err
		}
	}
	p.sayAddresses("Rapid Mimic is ready, with the port of Skerry Sound", a)
	for _, name := range demo.Services() {
		p.say("%-9s %s/%s", name, a.Traffic, name)
	}
	if standIns != "" {
		p.say("stand-ins %s plays the real services, to relay to and to record", standIns)
		p.say("board     %s/board/  a program that uses them all", standIns)
		p.say("record    rapidmimic record moorings --name \"a first one\"")
	}
	p.say("try       curl %s/moorings/berths/N7", a.Traffic)
	p.say("stop      Ctrl+C")
	if calls {
		demo.Call(ctx, a.LocalTraffic)
	}
	return nil
}
