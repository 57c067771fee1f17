package cli

import (
	"context"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"
)

func (p Program) payloadCommand() *cli.Command {
	return &cli.Command{
		Name: "payload", Usage: "large bodies in files of their own, which mappings send", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "put", Usage: "give a service a payload, or replace it", ArgsUsage: "SERVICE FILE",
				UsageText:    "rapidmimic payload put tides year-2026.json\nrapidmimic payload put tides - --name chart.pdf < chart.pdf",
				Description:  "A mapping sends it by `answer: { payload: year-2026.json }`.",
				OnUsageError: usageError, Flags: []cli.Flag{&cli.StringFlag{Name: "name", Usage: "its `NAME`, when it is not that of the file"}},
				ShellComplete: p.completeServices, Action: p.payloadPut,
			},
			{
				Name: "list", Usage: "the payloads of a service, and who sends them", ArgsUsage: "SERVICE",
				UsageText: "rapidmimic payload list tides", OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.payloadList,
			},
			{
				Name: "show", Usage: "write a payload to standard output", ArgsUsage: "SERVICE NAME",
				UsageText: "rapidmimic payload show tides year-2026.json", OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.payloadShow,
			},
			{
				Name: "remove", Usage: "take a payload away that no mapping sends", ArgsUsage: "SERVICE NAME",
				UsageText: "rapidmimic payload remove tides year-2026.json", OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.payloadRemove,
			},
		},
	}
}

func (p Program) payloadPut(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE", "a FILE")
	if err != nil {
		return err
	}
	bytes, file, err := p.readInput(given[1])
	if err != nil {
		return err
	}
	name := c.String("name")
	if name == "" && given[1] == "-" {
		return usage("%s needs --name for what comes from standard input", c.FullName())
	}
	if name == "" {
		name = filepath.Base(file)
	}
	made, err := api.PutPayload(ctx, given[0], name, bytes)
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, made, nil, func() {
		p.say("%s  %d bytes, %s", made.Name, made.Size, made.MediaType)
		if len(made.Senders) > 0 {
			p.say("sent by   %s, from the next call on", strings.Join(made.Senders, ", "))
			return
		}
		p.say("send it   answer: { payload: %s }", made.Name)
	})
}

func (p Program) payloadList(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	payloads, err := api.Payloads(ctx, given[0])
	if err != nil {
		return err
	}
	return p.print(c, payloads, nil, func() {
		if len(payloads) == 0 {
			p.say("%s has no payload", given[0])
			p.say("try       rapidmimic payload put %s FILE", given[0])
			return
		}
		rows := make([][]string, len(payloads))
		for i, payload := range payloads {
			rows[i] = []string{payload.Name, strconv.Itoa(payload.Size), payload.MediaType, strings.Join(payload.Senders, ", ")}
		}
		writeTable(p.Out, p.width(), []column{
			{title: "PAYLOAD"}, {title: "BYTES", right: true}, {title: "TYPE", gives: titleGives}, {title: "SENT BY", gives: titleGives},
		}, rows)
	})
}

func (p Program) payloadShow(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE", "a NAME")
	if err != nil {
		return err
	}
	bytes, err := api.Payload(ctx, given[0], given[1])
	if err == nil {
		_, err = p.Out.Write(bytes)
	}
	return err
}

func (p Program) payloadRemove(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE", "a NAME")
	if err != nil {
		return err
	}
	if err := api.RemovePayload(ctx, given[0], given[1]); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  removed", given[1])
	return nil
}
