package cli

import (
	"context"
	"fmt"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/tree"
)

// valueCommands are those of memory about what mappings remember under keys.
func (p Program) valueCommands() []*cli.Command {
	lane := laneFlag("in this `LANE`, which has a copy of its own once it was written to")
	return []*cli.Command{
		{
			Name: "values", Usage: "what mappings remember under keys", ArgsUsage: "SERVICE", OnUsageError: usageError,
			UsageText: "rapidmimic memory values moorings", Flags: []cli.Flag{lane}, ShellComplete: p.completeServices, Action: p.memoryValues,
		},
		{
			Name: "set", Usage: "remember a value under a key", ArgsUsage: "SERVICE KEY VALUE", OnUsageError: usageError,
			UsageText:   "rapidmimic memory set moorings free/N7 2\nrapidmimic memory set moorings night '{ open: false }' --for 10m",
			Description: "VALUE is JSON or YAML: 2 is a number, '\"2\"' a text.",
			Flags: []cli.Flag{
				&cli.StringFlag{Name: "for", Usage: "forget it after this `TIME`, such as 10m"},
				lane,
			},
			ShellComplete: p.completeServices, Action: p.memorySet,
		},
		{
			Name: "forget", Usage: "forget the value under a key", ArgsUsage: "SERVICE KEY", OnUsageError: usageError,
			UsageText: "rapidmimic memory forget moorings free/N7", Flags: []cli.Flag{lane}, ShellComplete: p.completeServices, Action: p.memoryForget,
		},
	}
}

func (p Program) memoryValues(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	values, err := client.Values(ctx, given[0], c.String("lane"))
	if err != nil {
		return err
	}
	documents := func() ([]byte, error) {
		var all tree.Node
		all.Kind = tree.Map
		for _, v := range values {
			all.Members = append(all.Members, tree.Member{Key: v.Key, Value: v.Value})
		}
		return all.YAML()
	}
	return p.print(c, values, documents, func() {
		if len(values) == 0 {
			p.say("mappings of %s remember nothing", given[0])
			return
		}
		rows := make([][]string, len(values))
		for i, v := range values {
			until := ""
			if v.Until != nil {
				until = v.Until.Local().Format(time.DateTime)
			}
			rows[i] = []string{v.Key, until, string(v.Value.AppendJSON(nil))}
		}
		writeTable(p.Out, p.width(), []column{{title: "KEY"}, {title: "UNTIL"}, {title: "VALUE", gives: titleGives}}, rows)
	})
}

func (p Program) memorySet(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE", "a KEY", "a VALUE")
	if err != nil {
		return err
	}
	if _, err := tree.Parse([]byte(given[2])); err != nil {
		return fmt.Errorf("the value cannot be read: %w (nothing was changed)", err)
	}
	value, err := client.PutValue(ctx, given[0], given[1], c.String("lane"), c.String("for"), []byte(given[2]))
	if err != nil {
		return unchanged(err, "")
	}
	p.say("%s  %s", value.Key, value.Value.AppendJSON(nil))
	return nil
}

func (p Program) memoryForget(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE", "a KEY")
	if err != nil {
		return err
	}
	if err := client.RemoveValue(ctx, given[0], given[1], c.String("lane")); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  forgotten", given[1])
	return nil
}
