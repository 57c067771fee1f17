package cli

import (
	"context"
	"fmt"
	"os"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/api"
)

func (p Program) explainCommand() *cli.Command {
	return &cli.Command{
		Name: "explain", Usage: "what a call would get, and why, without making it", ArgsUsage: "SERVICE PATH",
		UsageText:    "rapidmimic explain moorings /berths/N7\nrapidmimic explain moorings -X POST /berths/N7/bookings -d @booking.json -H 'Content-Type: application/json'",
		Description:  "PATH is relative to the service, with its query. Nothing is sent, logged or counted.",
		OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.explain,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "method", Aliases: []string{"X"}, Usage: "`METHOD` of the call", Value: "GET"},
			&cli.StringSliceFlag{Name: "header", Aliases: []string{"H"}, Usage: "`'NAME: VALUE'`"},
			&cli.StringFlag{Name: "body", Aliases: []string{"d"}, Usage: "`TEXT` of the body, or @FILE"},
			laneFlag("of a call in this `LANE`"),
		},
	}
}

func (p Program) explain(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE", "a PATH")
	if err != nil {
		return err
	}
	test, err := testCall(c, api.TestCall{Method: c.String("method"), Path: given[1]})
	if err != nil {
		return err
	}
	result, err := environment.Explain(ctx, given[0], test)
	if err != nil {
		return err
	}
	return p.print(c, result, nil, func() { p.sayExplained(result) })
}

func (p Program) sayExplained(result api.ExplainResult) {
	p.say("%s", result.Explanation.Sentence)
	p.say("")
	for _, step := range result.Explanation.Steps {
		p.say("  %-7s %s: %s", step.Verdict, step.Subject, step.Reason)
	}
	p.say("")
	switch {
	case result.Asks != "":
		p.say("answer    what %s says, which was not asked", result.Asks)
		return
	case result.Status == 0:
		p.say("answer    none, by %s %s", result.Source, result.By)
		return
	}
	p.say("answer    %d, by %s %s", result.Status, result.Source, result.By)
	if result.WaitMs > 0 {
		p.say("  held back for %.0f ms", result.WaitMs)
	}
	for _, h := range result.Answer.Headers {
		p.say("  %s: %s", h[0], h[1])
	}
	if result.Answer.Body != "" {
		p.say("")
		p.say("  %s", strings.ReplaceAll(strings.TrimRight(result.Answer.Body, "\n"), "\n", "\n  "))
	}
}

// testCall changes a call as the flags say.
func testCall(c *cli.Command, test api.TestCall) (api.TestCall, error) {
	test.Lane = c.String("lane")
	if c.IsSet("path") {
		test.Path = c.String("path")
	}
	for _, line := range c.StringSlice("header") {
		name, value, ok := strings.Cut(line, ":")
		if !ok {
			return test, usage("--header must be 'NAME: VALUE', not %q", line)
		}
		name, value = strings.TrimSpace(name), strings.TrimSpace(value)
		kept := test.Headers[:0:0]
		for _, h := range test.Headers {
			if !strings.EqualFold(h[0], name) {
				kept = append(kept, h)
			}
		}
		test.Headers = append(kept, [2]string{name, value})
	}
	if c.IsSet("body") {
		test.Body = c.String("body")
		if file, ok := strings.CutPrefix(test.Body, "@"); ok {
			text, err := os.ReadFile(file)
			if err != nil {
				return test, fmt.Errorf("%w (nothing was sent)", err)
			}
			test.Body = string(text)
		}
	}
	return test, nil
}
