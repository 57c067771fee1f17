package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/tree"
)

func (p Program) webhookCommand() *cli.Command {
	return &cli.Command{
		Name: "webhook", Usage: "calls that a service makes by itself, as its contract declares them",
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "the webhooks of a contract", ArgsUsage: "SERVICE", OnUsageError: usageError,
				UsageText: "rapidmimic webhook list moorings", ShellComplete: p.completeServices, Action: p.webhookList,
			},
			{
				Name: "send", Usage: "make the call of a webhook", ArgsUsage: "SERVICE WEBHOOK", OnUsageError: usageError,
				UsageText: "rapidmimic webhook send moorings berthFreed --to http://localhost:9000/told\n" +
					"rapidmimic webhook send moorings berthFreed --with '{ number: N7 }' --after 5s",
				Description: "The call has the contract's example, else data drawn from its schema. Its address is --to, or the one in the\n" +
					"callbacks of the service. Addresses of this machine and of private networks must be among its hosts\n" +
					"(rapidmimic service set SERVICE --callback-hosts localhost).",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "to", Usage: "`URL` that is called"},
					&cli.StringFlag{Name: "with", Usage: "`JSON` or YAML that is sent instead of the contract's body"},
					&cli.StringSliceFlag{Name: "header", Aliases: []string{"H"}, Usage: "header line, such as 'X-Token: abc'; may be given several times"},
					&cli.StringFlag{Name: "after", Usage: "`TIME` to wait before, such as 5s"},
					&cli.IntFlag{Name: "times", Usage: "how often it is made"},
					&cli.StringFlag{Name: "every", Usage: "`TIME` between"},
					&cli.IntFlag{Name: "retries", Usage: "how often it is tried again while it fails"},
					laneFlag("as a call of this `LANE`"),
				},
				ShellComplete: p.completeServices, Action: p.webhookSend,
			},
		},
	}
}

func (p Program) webhookList(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	webhooks, err := client.Webhooks(ctx, given[0])
	if err != nil {
		return err
	}
	return p.print(c, webhooks, nil, func() {
		if len(webhooks) == 0 {
			p.say("the contract of %s declares no webhooks", given[0])
			return
		}
		rows := make([][]string, len(webhooks))
		for i, w := range webhooks {
			rows[i] = []string{w.Name, w.Method, w.Summary}
		}
		writeTable(p.Out, p.width(), []column{{title: "WEBHOOK"}, {title: "METHOD"}, {title: "WHAT", gives: titleGives}}, rows)
		p.say("")
		p.say("try       rapidmimic webhook send %s %s --to URL", given[0], webhooks[0].Name)
	})
}

func (p Program) webhookSend(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE", "a WEBHOOK")
	if err != nil {
		return err
	}
	callback, err := callbackOf(c)
	if err != nil {
		return err
	}
	document, err := json.Marshal(callback)
	if err != nil {
		return err
	}
	result, err := client.SendWebhook(ctx, given[0], given[1], c.String("lane"), document)
	if err != nil {
		return asFlags(err)
	}
	if err := p.print(c, result, nil, func() { p.sayCallbackResult(given[1], result) }); err != nil {
		return err
	}
	if !result.Waits && (result.Status == 0 || result.Status >= 400) {
		return fmt.Errorf("webhook %s did not get through", given[1])
	}
	return nil
}

// callbackOf is what the flags say of a call.
func callbackOf(c *cli.Command) (callback spec.Callback, err error) {
	callback.To, callback.Times, callback.Retries = c.String("to"), c.Int("times"), c.Int("retries")
	for name, d := range map[string]*spec.Duration{"after": &callback.After, "every": &callback.Every} {
		if text := c.String(name); text != "" {
			if *d, err = spec.ParseDuration(text); err != nil {
				return callback, usage("--%s %v", name, err)
			}
		}
	}
	for _, line := range c.StringSlice("header") {
		name, value, ok := strings.Cut(line, ":")
		if !ok {
			return callback, usage("--header must be a line such as 'X-Token: abc', not %q", line)
		}
		callback.Headers = append(callback.Headers, spec.Header{Name: strings.TrimSpace(name), Value: strings.TrimSpace(value)})
	}
	if c.IsSet("with") {
		if callback.JSON, err = tree.Parse([]byte(c.String("with"))); err != nil {
			return callback, fmt.Errorf("--with cannot be read: %w", err)
		}
	}
	return callback, nil
}

func (p Program) sayCallbackResult(name string, result api.CallbackResult) {
	switch {
	case result.Waits:
		p.say("%s  will be sent", name)
	case result.Status == 0:
		p.say("%s  got no answer: %s", name, result.Why)
	default:
		p.say("%s  sent, answered %d in %.0f ms", name, result.Status, result.TookMs)
	}
	if result.Call != "" {
		p.say("see       rapidmimic calls show %s", result.Call)
	}
}
