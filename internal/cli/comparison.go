package cli

import (
	"context"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/api"
)

func (p Program) compareCallsCommand() *cli.Command {
	return &cli.Command{
		Name: "compare", Usage: "compare a call with another, or with what it would get", ArgsUsage: "CALL OTHER|now|mapping:ID|example:NAME|recording",
		UsageText: "rapidmimic calls compare c-81f3 c-81f9\nrapidmimic calls compare c-81f3 now\nrapidmimic calls compare c-81f3 mapping:berth-by-number\n" +
			"rapidmimic calls compare c-81f3 example:free\nrapidmimic calls compare c-81f3 recording\nrapidmimic calls compare c-81f3 c-81f9 --all",
		Description: "now is what the call would get now, mapping:ID what a mapping answers to it whatever its rank is, example:NAME an example of its operation, " +
			"and recording the last recorded call of the service that asked for the same: with method, path and query.",
		OnUsageError: usageError, Action: p.callsCompare,
		Flags: []cli.Flag{&cli.BoolFlag{Name: "all", Usage: "also what is the same in both"}},
	}
}

func (p Program) callsCompare(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "the id of a CALL", "the id of another, now, mapping:ID, example:NAME or recording")
	if err != nil {
		return err
	}
	compared, err := environment.CompareCalls(ctx, given[0], given[1], c.Bool("all"))
	if err != nil {
		return err
	}
	return p.print(c, compared, nil, func() { p.sayComparison(compared) })
}

func (p Program) sayComparison(compared api.CallComparison) {
	there := compared.With
	if compared.Note != "" {
		p.say("%s", compared.Note)
	}
	if len(compared.Places) > 0 {
		rows := make([][]string, len(compared.Places))
		for i, place := range compared.Places {
			rows[i] = []string{mark(place), place.At, valueText(place.Here), valueText(place.There)}
		}
		columns := []column{{}, {title: "PLACE"}, {title: strings.ToUpper(compared.Call), gives: sourceGives}, {title: strings.ToUpper(there), gives: sourceGives}}
		writeRows(p.Out, columns, widths(p.width(), columns, rows), rows, true)
	}
	if compared.Differing == 0 {
		p.say("nothing differs between %s and %s", compared.Call, there)
		return
	}
	p.say("%s", counted(compared.Differing, "difference"))
	if compared.More {
		p.say("there are more places than are listed")
	}
}

func mark(place api.CallPlace) string {
	if place.Differs {
		return "≠"
	}
	return ""
}

// valueText is a value of one line; a dash where there is none.
func valueText(value *string) string {
	if value == nil {
		return "-"
	}
	return *value
}
