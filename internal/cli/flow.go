package cli

import (
	"cmp"
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/api"
)

// flowCommands are those of memory about state machines.
func (p Program) flowCommands() []*cli.Command {
	lane := laneFlag("in this `LANE`, which has a copy of its own once it was written to")
	return []*cli.Command{
		{
			Name: "flows", Usage: "the state machines of a service, their moves, and where things stand", ArgsUsage: "SERVICE", OnUsageError: usageError,
			UsageText: "rapidmimic memory flows moorings", Flags: []cli.Flag{lane}, ShellComplete: p.completeServices, Action: p.memoryFlows,
		},
		{
			Name: "move", Usage: "set the state of a thing of a flow by hand", ArgsUsage: "SERVICE FLOW [THING] STATE", OnUsageError: usageError,
			UsageText:   "rapidmimic memory move moorings hold N7 held",
			Description: "THING is left out in a flow that has one thing.",
			Flags:       []cli.Flag{lane}, ShellComplete: p.completeServices, Action: p.memoryMove,
		},
	}
}

func (p Program) memoryFlows(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	flows, err := client.Flows(ctx, given[0], c.String("lane"))
	if err != nil {
		return err
	}
	return p.print(c, flows, nil, func() {
		if len(flows) == 0 {
			p.say("no mapping of %s has a flow", given[0])
		}
		for i, flow := range flows {
			if i > 0 {
				p.say("")
			}
			p.sayFlow(flow)
		}
	})
}

func (p Program) sayFlow(flow api.Flow) {
	p.say("%s  %s", flow.Name, strings.Join(flow.States, ", "))
	rows := make([][]string, len(flow.Moves))
	for i, move := range flow.Moves {
		rows[i] = []string{"  " + cmp.Or(strings.Join(move.From, ", "), "any"), cmp.Or(move.To, "(stays)"), move.Mapping}
	}
	writeTable(p.Out, p.width(), []column{{title: "  FROM"}, {title: "TO"}, {title: "MAPPING", gives: titleGives}}, rows)
	for _, thing := range flow.Things {
		p.say("%s is %s", cmp.Or(thing.Of, "it"), thing.State)
	}
	if more := flow.Count - len(flow.Things); more > 0 {
		p.say("and %d more", more)
	}
	if flow.Count == 0 {
		p.say("nothing was moved yet: all is in the state %s", flow.States[0])
	}
}

func (p Program) memoryMove(ctx context.Context, c *cli.Command) error {
	names := []string{"a SERVICE", "a FLOW", "a STATE"}
	if c.Args().Len() > 3 {
		names = []string{"a SERVICE", "a FLOW", "a THING", "a STATE"}
	}
	given, client, err := p.connect(c, names...)
	if err != nil {
		return err
	}
	thing := api.FlowThing{State: given[len(given)-1]}
	if len(given) > 3 {
		thing.Of = given[2]
	}
	if _, err := client.MoveThing(ctx, given[0], given[1], c.String("lane"), thing); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  %s", strings.TrimSpace(fmt.Sprintf("%s %s", given[1], thing.Of)), thing.State)
	return nil
}
