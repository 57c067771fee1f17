package cli

import (
	"context"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/tree"
)

func (p Program) variablesCommand() *cli.Command {
	owner := func(more ...cli.Flag) []cli.Flag {
		return append([]cli.Flag{
			&cli.StringFlag{Name: "service", Usage: "those of this `SERVICE`, which come before those of the environment"},
			&cli.StringFlag{Name: "scenario", Usage: "those of this `SCENARIO`, which count while it is on"},
			laneFlag("those of this `LANE`, which come before all others"),
			&cli.StringFlag{Name: "in-set", Usage: "those of this `SET`, which count while it is in use"},
		}, more...)
	}
	return &cli.Command{
		Name: "variables", Usage: "values that expressions, upstreams and headers use as ${vars.NAME}", ArgsUsage: "[SERVICE]", OnUsageError: usageError,
		UsageText: "rapidmimic variables\nrapidmimic variables moorings --lane night-run",
		Description: "Without a SERVICE these are the variables of the environment and its sets; with one, all that its\n" +
			"calls see, and who sets them.",
		Flags: []cli.Flag{laneFlag(asSeenIn)}, ShellComplete: p.completeServices, Action: p.variablesShow,
		Commands: []*cli.Command{
			{
				Name: "set", Usage: "set variables", ArgsUsage: "NAME=VALUE …", OnUsageError: usageError,
				UsageText: "rapidmimic variables set office=https://office.skerry.test berths=40\n" +
					"rapidmimic variables set office=https://office.staging.skerry.test --in-set staging\n" +
					"printf %s \"$KEY\" | rapidmimic variables set officeKey --secret --service harbour",
				Description: "A value is JSON where it reads as JSON (40, true, [\"A\", \"B\"]), else text. A secret is read from\n" +
					"standard input, so that no list of processes shows it; it is kept encrypted and never shown.",
				Flags: owner(&cli.BoolFlag{Name: "secret", Usage: "the value is secret, and read from standard input"}), Action: p.variablesSet,
			},
			{
				Name: "remove", Usage: "take variables away; one that is used stays", ArgsUsage: "NAME …", OnUsageError: usageError,
				UsageText: "rapidmimic variables remove berths\nrapidmimic variables remove office --in-set staging", Flags: owner(), Action: p.variablesRemove,
			},
			{
				Name: "use", Usage: "put a set in use, for the environment and all services that have it", ArgsUsage: "[SET]", OnUsageError: usageError,
				UsageText: "rapidmimic variables use staging\nrapidmimic variables use --none",
				Flags:     []cli.Flag{&cli.BoolFlag{Name: "none", Usage: "use no set"}}, Action: p.variablesUse,
			},
		},
	}
}

func (p Program) variablesShow(ctx context.Context, c *cli.Command) error {
	if c.Args().Len() > 0 {
		return p.serviceVariables(ctx, c)
	}
	if c.IsSet("lane") {
		return usage("--lane needs a SERVICE whose calls are meant")
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	variables, err := environment.Variables(ctx)
	if err != nil {
		return err
	}
	return p.print(c, variables, func() ([]byte, error) { return environment.VariablesYAML(ctx) }, func() { p.sayVariables(variables) })
}

func (p Program) serviceVariables(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	variables, err := environment.ServiceVariables(ctx, given[0], c.String("lane"))
	if err != nil {
		return err
	}
	return p.print(c, api.List[api.Variable]{Items: variables}, nil, func() {
		if len(variables) == 0 {
			p.say("%s has no variables", given[0])
			p.say("set       rapidmimic variables set NAME=VALUE --service %s", given[0])
			return
		}
		p.writeVariables(variables)
	})
}

func (p Program) sayVariables(v api.Variables) {
	switch {
	case len(v.Resolved) == 0 && len(v.Sets) == 0:
		p.say("no variables yet")
		p.say("set       rapidmimic variables set NAME=VALUE")
		return
	case len(v.Resolved) > 0:
		p.writeVariables(v.Resolved)
	}
	for _, set := range v.Sets {
		mark := ""
		if set == v.VariableSet {
			mark = ", in use"
		}
		names := []string{}
		for name := range spec.SortedVariables(v.VariableSets[set]) {
			names = append(names, name)
		}
		if len(names) == 0 {
			names = []string{"in services only"}
		}
		p.say("set       %s%s: %s", set, mark, strings.Join(names, ", "))
	}
	switch {
	case v.VariableSet != "":
		p.say("stop      rapidmimic variables use --none")
	case len(v.Sets) > 0:
		p.say("use       rapidmimic variables use %s", v.Sets[0])
	}
}

func (p Program) writeVariables(variables []api.Variable) {
	rows := make([][]string, len(variables))
	for i, v := range variables {
		value := spec.Variable{Value: v.Value, Secret: v.Secret}
		text := "(secret)"
		switch {
		case v.Missing:
			text = "(secret, has no value here)"
		case !v.Secret:
			text = value.String()
		}
		rows[i] = []string{v.Name, text, v.Origin}
	}
	writeTable(p.Out, p.width(), []column{{title: "VARIABLE"}, {title: "VALUE", gives: pathGives}, {title: "SET BY", gives: titleGives}}, rows)
}

// variableOwner is whose variables a command means.
func variableOwner(c *cli.Command) (client.VariableOwner, error) {
	of := client.VariableOwner{Service: c.String("service"), Scenario: c.String("scenario"), Lane: c.String("lane"), Set: c.String("in-set")}
	named := 0
	for _, name := range []string{of.Service, of.Scenario, of.Lane} {
		if name != "" {
			named++
		}
	}
	if named > 1 {
		return of, usage("--service, --scenario and --lane exclude each other")
	}
	if of.Set != "" && (of.Scenario != "" || of.Lane != "") {
		return of, usage("only the environment and services have sets")
	}
	return of, nil
}

// ownerText says whose variables they are.
func ownerText(of client.VariableOwner) string {
	text := "the environment"
	switch {
	case of.Service != "":
		text = "service " + of.Service
	case of.Scenario != "":
		text = "scenario " + of.Scenario
	case of.Lane != "":
		text = "lane " + of.Lane
	}
	if of.Set != "" {
		return "set " + of.Set + " of " + text
	}
	return text
}

func (p Program) variablesSet(ctx context.Context, c *cli.Command) error {
	of, err := variableOwner(c)
	if err != nil {
		return err
	}
	variables, err := p.givenVariables(c)
	if err != nil {
		return err
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	if err := environment.SetVariables(ctx, of, variables); err != nil {
		return unchanged(asFlags(err), "")
	}
	return p.print(c, variables, nil, func() {
		for name, v := range spec.SortedVariables(variables) {
			p.say("%s  %s, in %s", name, v, ownerText(of))
		}
		p.say("live on the next call; ${vars.NAME} uses it")
	})
}

// givenVariables reads NAME=VALUE …, or with --secret a NAME, whose value is read.
func (p Program) givenVariables(c *cli.Command) (map[string]spec.Variable, error) {
	words := c.Args().Slice()
	if c.Bool("secret") {
		if len(words) != 1 || strings.Contains(words[0], "=") {
			return nil, usage("%s --secret needs one NAME: the value is read from standard input, so that no list of processes shows it", c.FullName())
		}
		text, err := io.ReadAll(io.LimitReader(p.In, spec.MaxVariable+2))
		if err != nil {
			return nil, fmt.Errorf("read standard input: %w", err)
		}
		secret := strings.TrimRight(string(text), "\r\n")
		if secret == "" {
			return nil, usage("standard input is empty: give the secret there")
		}
		return map[string]spec.Variable{words[0]: {Value: tree.NewString(secret), Secret: true}}, nil
	}
	if len(words) == 0 {
		return nil, usage("%s needs NAME=VALUE (%s --help has an example)", c.FullName(), c.FullName())
	}
	variables := make(map[string]spec.Variable, len(words))
	for _, word := range words {
		name, text, ok := strings.Cut(word, "=")
		if !ok || name == "" {
			return nil, usage("a variable is given as NAME=VALUE, not %q", word)
		}
		value, err := tree.ParseJSON([]byte(text))
		if err != nil {
			value = tree.NewString(text)
		}
		variables[name] = spec.Variable{Value: value}
	}
	return variables, nil
}

func (p Program) variablesRemove(ctx context.Context, c *cli.Command) error {
	of, err := variableOwner(c)
	if err != nil {
		return err
	}
	_, names, err := argsFrom(c)
	if err == nil && len(names) == 0 {
		err = usage("%s needs a NAME (%s --help has an example)", c.FullName(), c.FullName())
	}
	if err != nil {
		return err
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	if err := environment.RemoveVariables(ctx, of, names); err != nil {
		return unchanged(asFlags(err), "")
	}
	p.say("%s  removed from %s", strings.Join(names, ", "), ownerText(of))
	return nil
}

func (p Program) variablesUse(ctx context.Context, c *cli.Command) error {
	set := c.Args().First()
	if c.Args().Len() > 1 || (set == "") != c.Bool("none") {
		return usage("%s needs the SET to use, or --none", c.FullName())
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	variables, err := environment.UseVariables(ctx, set)
	if err != nil {
		return unchanged(asFlags(err), "")
	}
	return p.print(c, variables, nil, func() {
		if set == "" {
			p.say("no set is in use, live on the next call")
			return
		}
		p.say("%s  is in use, live on the next call", set)
		p.writeVariables(variables.Resolved)
	})
}
