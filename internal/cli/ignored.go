package cli

import (
	"context"
	"strconv"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
)

func (p Program) ignoreCommand() *cli.Command {
	return &cli.Command{
		Name: "ignore", Usage: "leave calls like one, or those that a filter fits, out of lists", ArgsUsage: "[CALL]", OnUsageError: usageError,
		UsageText:   "rapidmimic calls ignore c-81f3\nrapidmimic calls ignore --text 'path:/health'\nrapidmimic calls ignore --text 'label:heartbeat or agent:probe'",
		Description: "Ignored calls are answered, kept and counted like all others; lists and tails leave them\nout unless --ignored asks for them.",
		Flags:       []cli.Flag{&cli.StringFlag{Name: "text", Usage: "calls that fit these `WORDS`, as in filters; also label: for labels of the mapping that answered"}},
		Action:      p.callsIgnore,
	}
}

func (p Program) ignoredCommand() *cli.Command {
	return &cli.Command{
		Name: "ignored", Usage: "what is ignored, and how many calls that are", OnUsageError: usageError,
		UsageText: "rapidmimic calls ignored\nrapidmimic calls ignored --off\nrapidmimic calls ignored --remove 2",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "off", Usage: "show all calls again, and keep the rules"},
			&cli.BoolFlag{Name: "on", Usage: "ignore by the rules again"},
			&cli.IntFlag{Name: "remove", Usage: "take the rule with this `NUMBER` out"},
		},
		Action: p.callsIgnored,
	}
}

func ignoredFlag() cli.Flag {
	return &cli.BoolFlag{Name: "ignored", Usage: "also calls that are ignored (see calls ignored)"}
}

func (p Program) callsIgnore(ctx context.Context, c *cli.Command) error {
	calls, text := c.Args().Slice(), c.String("text")
	if len(calls) > 1 || (len(calls) == 1) == (text != "") {
		return usage("%s needs a CALL or --text WORDS", c.FullName())
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	rule := api.IgnoreRequest{Text: text}
	if len(calls) == 1 {
		rule.Call = calls[0]
	}
	ignored, err := environment.Ignore(ctx, rule)
	if err != nil {
		return err
	}
	return p.print(c, ignored, nil, func() { p.sayIgnored(ignored) })
}

func (p Program) callsIgnored(ctx context.Context, c *cli.Command) error {
	if _, err := args(c); err != nil {
		return err
	}
	if c.Bool("on") && c.Bool("off") {
		return usage("%s is either --on or --off", c.FullName())
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	ignored, err := environment.Ignored(ctx)
	if err == nil && (c.Bool("on") || c.Bool("off") || c.IsSet("remove")) {
		ignored, err = p.changeIgnored(ctx, c, environment, ignored)
	}
	if err != nil {
		return err
	}
	return p.print(c, ignored, nil, func() { p.sayIgnored(ignored) })
}

func (p Program) changeIgnored(ctx context.Context, c *cli.Command, environment *client.Client, have api.Ignored) (api.Ignored, error) {
	next := have.Ignored
	next.Off = c.Bool("off") || next.Off && !c.Bool("on")
	if c.IsSet("remove") {
		number := int(c.Int("remove"))
		if number < 1 || number > len(next.Calls) {
			return have, usage("there is no rule %d: the last one is %d", number, len(next.Calls))
		}
		next.Calls = append(next.Calls[:number-1:number-1], next.Calls[number:]...)
	}
	return environment.PutIgnored(ctx, next, have.ETag)
}

func (p Program) sayIgnored(ignored api.Ignored) {
	if len(ignored.Calls) == 0 {
		p.say("no call is ignored")
		p.say("ignore    rapidmimic calls ignore CALL   those to the same place; or --text WORDS")
		return
	}
	rows := make([][]string, len(ignored.Calls))
	for i, rule := range ignored.Calls {
		rows[i] = []string{strconv.Itoa(i + 1), rule, strconv.Itoa(ignored.Counts[i])}
	}
	writeTable(p.Out, p.width(), []column{{title: "RULE", right: true}, {title: "CALLS LIKE", gives: pathGives}, {title: "IN THE LOG", right: true}}, rows)
	if ignored.Off {
		p.say("off       nothing is ignored now (rapidmimic calls ignored --on)")
		return
	}
	p.say("show      rapidmimic calls --ignored")
	p.say("stop      rapidmimic calls ignored --off")
}

// sayLeftOut tells that a list leaves calls out.
func (p Program) sayLeftOut(count int) {
	if count > 0 {
		p.say("ignored   %s left out (--ignored shows them)", counted(count, "call"))
	}
}
