package cli

import (
	"context"
	"fmt"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

func (p Program) mappingTry(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	if c.String("file") == "" {
		return usage("%s needs a document: -f FILE, or -f - for standard input", c.FullName())
	}
	text, file, err := p.readInput(c.String("file"))
	if err != nil {
		return err
	}
	wanted := api.TrialRequest{Document: string(text), Recent: c.Int("last"), Call: c.String("call")}
	if wanted.Call != "" {
		wanted.Recent = 0
	}
	trial, err := environment.TryMapping(ctx, given[0], wanted)
	if err != nil {
		return err
	}
	if err := problem.FromItems("the mapping cannot be used", trial.Faults); err != nil {
		return unchanged(err, file)
	}
	return p.print(c, trial, nil, func() { p.sayTrial(trial) })
}

func (p Program) sayTrial(trial api.Trial) {
	if trial.Problem != "" {
		p.say("problem   %s", trial.Problem)
	}
	for _, d := range trial.Deviations {
		p.say("warning   it breaks the contract, %s: %s", d.Where, d.Detail)
	}
	if trial.Result != nil {
		p.sayExplained(*trial.Result)
		return
	}
	answered := 0
	rows := make([][]string, len(trial.Calls))
	for i, tried := range trial.Calls {
		verdict := "no, " + tried.Reason
		if tried.Answers {
			answered++
			verdict = "yes"
		}
		target := tried.Path
		if tried.Query != "" {
			target += "?" + tried.Query
		}
		rows[i] = []string{tried.At.Local().Format(time.TimeOnly), fmt.Sprintf("%-6s %s", tried.Method, target), tried.ID, verdict}
	}
	if len(rows) > 0 {
		writeTable(p.Out, p.width(), []column{{title: "TIME"}, {title: "CALL", gives: pathGives}, {title: "ID"}, {title: "WOULD IT ANSWER", gives: sourceGives}}, rows)
	}
	p.say("%s  would answer %d of the last %d calls; nothing was changed", trial.Mapping.ID, answered, len(rows))
}
