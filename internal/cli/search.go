package cli

import (
	"context"
	"strings"

	"github.com/urfave/cli/v3"
)

func (p Program) findCommand() *cli.Command {
	return &cli.Command{
		Name: "find", Usage: "find services, mappings, operations, scenarios and lanes by words", ArgsUsage: "WORD…",
		UsageText:    "rapidmimic find berth\nrapidmimic find post booking --limit 50",
		OnUsageError: usageError, Action: p.find,
		Flags: []cli.Flag{&cli.IntFlag{Name: "limit", Usage: "how many of them to list", Value: 20}},
	}
}

func (p Program) find(ctx context.Context, c *cli.Command) error {
	words := strings.Join(c.Args().Slice(), " ")
	if strings.TrimSpace(words) == "" {
		return usage("find needs a word that stands in an id, a path or a title (rapidmimic find --help has an example)")
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	result, err := environment.Search(ctx, words, int(c.Int("limit")))
	if err != nil {
		return err
	}
	return p.print(c, result, nil, func() {
		if len(result.Items) == 0 {
			p.say("nothing has %q in it", words)
			return
		}
		rows := make([][]string, len(result.Items))
		for i, f := range result.Items {
			rows[i] = []string{f.Kind, f.Service, f.ID, f.Says}
		}
		columns := []column{{title: "KIND"}, {title: "SERVICE"}, {title: "ID"}, {title: "WHAT", gives: titleGives}}
		writeRows(p.Out, columns, widths(p.width(), columns, rows), rows, true)
		if result.More {
			p.say("and more: one word more finds fewer, --limit 200 lists more")
		}
	})
}
