package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/api"
)

// boundaryFlags say whose answer is varied, and what becomes of the values.
func boundaryFlags(more ...cli.Flag) []cli.Flag {
	return append(more,
		&cli.StringFlag{Name: "operation", Usage: "of the answer of an `OPERATION` of the contract instead of a mapping"},
		&cli.StringFlag{Name: "call", Usage: "of the answer to the call with this `ID`"},
		&cli.StringFlag{Name: "only", Usage: "`valid` or invalid values alone, by the contract"},
		&cli.BoolFlag{Name: "alone", Usage: "leave counts and totals as they are"},
	)
}

// boundaryCommands are those of mapping about boundary values.
func (p Program) boundaryCommands() []*cli.Command {
	making := []cli.Flag{
		&cli.BoolFlag{Name: "scenarios", Usage: "make a scenario of each value, to be switched on or asked for by a hint"},
		&cli.BoolFlag{Name: "cycle", Usage: "make one scenario in which each call gets the next value"},
		&cli.StringFlag{Name: "name", Usage: "`NAME` of the scenario, or what the names of several begin with"},
	}
	return []*cli.Command{
		{
			Name: "boundaries", Usage: "boundary values of a field of an answer", ArgsUsage: "SERVICE [MAPPING]", OnUsageError: usageError,
			UsageText: "rapidmimic mapping boundaries moorings berth-under-repair --at '$.lengthMetres'\n" +
				"rapidmimic mapping boundaries moorings --operation getBerth --at '$.services' --scenarios\n" +
				"rapidmimic mapping boundaries moorings --call c-81f3 --at '$[*].state' --only invalid --cycle --name states",
			Description: "Nothing changes unless --scenarios or --cycle is given. rapidmimic walk start leads through\nthe values one after the other.",
			Flags:       boundaryFlags(append([]cli.Flag{&cli.StringFlag{Name: "at", Usage: "the `FIELD`, such as $.dues.amount or /dues/amount", Required: true}}, making...)...),
			Action:      p.mappingBoundaries, ShellComplete: p.completeServices,
		},
		{
			Name: "pairs", Usage: "all pairs of boundary values of several fields", ArgsUsage: "SERVICE [MAPPING]", OnUsageError: usageError,
			UsageText: "rapidmimic mapping pairs moorings berth-under-repair --fields '$.state,$.lengthMetres,$.services'\n" +
				"rapidmimic mapping pairs moorings --operation getBerth --fields '$.state,$.services' --only valid --cycle --name berth-pairs",
			Description: "Each pair of values of two fields occurs in at least one combination; how many there are\nis told before anything is made.",
			Flags:       boundaryFlags(append([]cli.Flag{&cli.StringFlag{Name: "fields", Usage: "the `FIELDS`, with commas between them", Required: true}}, making...)...),
			Action:      p.mappingBoundaries, ShellComplete: p.completeServices,
		},
	}
}

// boundaryChoice is whose answer a command varies, given the arguments behind the service.
func boundaryChoice(c *cli.Command, mapping string) (api.BoundaryChoice, error) {
	choice := api.BoundaryChoice{Mapping: mapping, Operation: c.String("operation"), Call: c.String("call"), Only: c.String("only"), Alone: c.Bool("alone")}
	if fields := c.String("fields"); fields != "" {
		for field := range strings.SplitSeq(fields, ",") {
			choice.At = append(choice.At, strings.TrimSpace(field))
		}
	} else {
		choice.At = []string{c.String("at")}
	}
	if choice.Mapping == "" && choice.Operation == "" && choice.Call == "" {
		return choice, usage("%s needs a MAPPING, --operation or --call", c.FullName())
	}
	if choice.Mapping != "" && choice.Operation != "" {
		return choice, usage("%s takes a MAPPING or --operation, not both", c.FullName())
	}
	return choice, nil
}

// varying connects for a command that is given SERVICE [MAPPING].
func varying(c *cli.Command) []string {
	names := []string{"a SERVICE"}
	if c.Args().Len() > 1 {
		names = append(names, "a MAPPING")
	}
	return names
}

func (p Program) mappingBoundaries(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, varying(c)...)
	if err != nil {
		return err
	}
	choice, err := boundaryChoice(c, strings.Join(given[1:], ""))
	if err != nil {
		return err
	}
	values, err := client.Boundaries(ctx, given[0], choice)
	if err != nil {
		return err
	}
	if !c.Bool("scenarios") && !c.Bool("cycle") {
		return p.print(c, values, nil, func() { p.sayBoundaries(values) })
	}
	if c.Bool("scenarios") && c.Bool("cycle") {
		return usage("%s takes --scenarios or --cycle, not both", c.FullName())
	}
	if len(choice.At) > 1 {
		p.say("%s", combinations(values))
	}
	made, err := client.CreateBoundaryScenarios(ctx, given[0], api.NewScenarios{BoundaryChoice: choice, Name: c.String("name"), Cycle: c.Bool("cycle")})
	if err != nil {
		return unchanged(err, "")
	}
	for _, name := range made {
		p.say("%s  made", name)
	}
	p.say("now       rapidmimic scenario use %s", made[0])
	return nil
}

// combinations says how many there are.
func combinations(values api.Boundaries) string {
	return fmt.Sprintf("%s of %d fields", counted(len(values.Items), "combination"), len(values.Fields))
}

func (p Program) sayBoundaries(values api.Boundaries) {
	if len(values.Fields) > 1 {
		p.say("%s", combinations(values))
	} else {
		field := values.Fields[0]
		now := "it is not there now"
		if field.Present != nil {
			text := []rune(string(field.Present.AppendJSON(nil)))
			if now = "now " + string(text[:min(len(text), 60)]); len(text) > 60 {
				now += "…"
			}
		}
		p.say("%s  %s", field.At, now)
	}
	rows := make([][]string, len(values.Items))
	for i, v := range values.Items {
		contract := v.Validity
		if v.Breach != "" {
			contract = "invalid: " + v.Breach
		}
		if len(v.Follows) > 0 {
			contract += " (with " + strings.Join(v.Follows, ", ") + ")"
		}
		rows[i] = []string{v.ID, v.Shown, contract}
	}
	writeTable(p.Out, p.width(), []column{{title: "ID", gives: titleGives}, {title: "VALUE", gives: titleGives}, {title: "BY THE CONTRACT", gives: titleGives}}, rows)
}
