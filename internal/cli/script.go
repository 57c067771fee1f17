package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec"
)

func (p Program) scriptCommand() *cli.Command {
	return &cli.Command{
		Name: "script", Usage: "what editors need for the scripts of mappings", OnUsageError: usageError,
		Commands: []*cli.Command{{
			Name: "types", Usage: "the types of scripts, as a TypeScript declaration", OnUsageError: usageError,
			UsageText:   "rapidmimic script types > moorings/payloads/mimic.d.ts",
			Description: "Put it beside the scripts; editors then complete and check them.",
			Action: func(context.Context, *cli.Command) error {
				_, err := fmt.Fprint(p.Out, spec.ScriptTypes)
				return err
			},
		}},
	}
}
