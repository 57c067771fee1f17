package cli

import (
	"context"
	"fmt"
	"os"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/api"
)

func comparingFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringSliceFlag{Name: "ignore", Usage: "a header, or a `PATH` such as $.at, that does not count"},
		&cli.BoolFlag{Name: "values", Usage: "compare values, too; else only what bodies are made of"},
	}
}

func (p Program) replayCommand() *cli.Command {
	return &cli.Command{
		Name: "replay", Usage: "send recorded requests to a real service again, and tell what is different now", ArgsUsage: "SERVICE RECORDING", OnUsageError: usageError,
		UsageText: "rapidmimic recording replay moorings r-4 --against https://office.example/api\n" +
			"rapidmimic recording replay moorings r-4 --against https://office.example/api --header 'Authorization: Bearer ${TOKEN}' --writes",
		Description: "The service is asked in the order of the recording. Cookies and tokens that it hands out are\n" +
			"used as they were recorded. In a header ${NAME} stands for a variable of the environment.\n" +
			"Ends with 3 when an answer differs, or breaks the contract in force.",
		ShellComplete: p.completeServices, Action: p.recordingReplay,
		Flags: append([]cli.Flag{
			&cli.StringFlag{Name: "against", Usage: "base `URL` of the real service"},
			&cli.StringSliceFlag{Name: "header", Usage: "a `HEADER` for every request, instead of the recorded one"},
			&cli.BoolFlag{Name: "writes", Usage: "send also requests that may change something there"},
			&cli.StringFlag{Name: "pace", Usage: "`PACE` of the calls: none, recorded, or a factor such as 2x"},
		}, comparingFlags()...),
	}
}

func (p Program) compareCommand() *cli.Command {
	return &cli.Command{
		Name: "compare", Usage: "tell in what the answers of two recordings differ", ArgsUsage: "SERVICE RECORDING RECORDING", OnUsageError: usageError,
		UsageText:     "rapidmimic recording compare moorings r-4 r-9\nrapidmimic recording compare moorings r-4 r-9 --values --ignore $.updated",
		Description:   "Calls that ask for the same are compared in their order. Ends with 3 when an answer differs.",
		ShellComplete: p.completeServices, Action: p.recordingCompare, Flags: comparingFlags(),
	}
}

func comparing(c *cli.Command) api.Comparing {
	return api.Comparing{Ignore: c.StringSlice("ignore"), Values: c.Bool("values")}
}

func (p Program) recordingReplay(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE", "a RECORDING")
	if err != nil {
		return err
	}
	how := api.ReplayRequest{Against: c.String("against"), Writes: c.Bool("writes"), Pace: c.String("pace"), Comparing: comparing(c)}
	if how.Against == "" {
		return usage("%s needs --against URL", c.FullName())
	}
	for _, header := range c.StringSlice("header") {
		name, value, ok := strings.Cut(header, ":")
		if !ok || strings.TrimSpace(name) == "" {
			return usage("--header must be a line such as 'Authorization: Bearer ${TOKEN}', not %q", header)
		}
		unset := ""
		value = os.Expand(strings.TrimSpace(value), func(variable string) string {
			found, there := os.LookupEnv(variable)
			if !there {
				unset = variable
			}
			return found
		})
		if unset != "" {
			return usage("--header %s: the variable %s is not set", name, unset)
		}
		how.Headers = append(how.Headers, [2]string{strings.TrimSpace(name), value})
	}
	report, err := environment.Replay(ctx, given[0], given[1], how)
	if err != nil {
		return unchanged(err, "")
	}
	return p.sayDrift(c, report)
}

func (p Program) recordingCompare(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE", "a RECORDING", "another RECORDING")
	if err != nil {
		return err
	}
	report, err := environment.CompareRecordings(ctx, given[0], given[1], given[2], comparing(c))
	if err != nil {
		return err
	}
	return p.sayDrift(c, report)
}

// sayDrift tells what differs. That something does is an assertion that does not hold.
func (p Program) sayDrift(c *cli.Command, r api.DriftReport) error {
	err := p.print(c, r, nil, func() {
		for _, call := range r.Calls {
			if len(call.Differences)+len(call.Deviations)+len(call.Notes) == 0 {
				continue
			}
			p.say("%-9s %s %s", call.ID, call.Method, target(api.RecordedCall{Path: call.Path, Query: call.Query}))
			for _, d := range call.Differences {
				p.say("          %s: %s", d.At, changedText(d))
			}
			for _, d := range call.Deviations {
				p.say("          breaks the contract: %s, %s", d.Where, d.Detail)
			}
			for _, note := range call.Notes {
				p.say("          %s", note)
			}
		}
		for _, x := range r.OnlyRecorded {
			p.say("%-9s %s %s: only in %s", x.ID, x.Method, target(x), r.Recording.Name)
		}
		for _, x := range r.OnlyNow {
			p.say("%-9s %s %s: only in %s", x.ID, x.Method, target(x), r.Against)
		}
		p.say("compared  %s, %d differ%s", counted(r.Compared, "call"), r.Different, skippedText(r))
		if r.Compared > 0 {
			p.say("latency   p50 %.0f ms, recorded %.0f ms; p90 %.0f ms, recorded %.0f ms", r.Latency.NowP50, r.Latency.RecordedP50, r.Latency.NowP90, r.Latency.RecordedP90)
		}
	})
	if err == nil && r.Different > 0 {
		err = errDoesNotHold
	}
	return err
}

func changedText(d api.DriftDifference) string {
	switch {
	case d.Recorded == "":
		return "new, " + d.Now
	case d.Now == "":
		return "gone, it was " + d.Recorded
	default:
		return fmt.Sprintf("%s, it was %s", d.Now, d.Recorded)
	}
}

func skippedText(r api.DriftReport) string {
	if r.Skipped == 0 {
		return ""
	}
	reasons := make(map[string]int)
	var order []string
	for _, call := range r.Calls {
		if call.Skipped != "" {
			if reasons[call.Skipped]++; reasons[call.Skipped] == 1 {
				order = append(order, call.Skipped)
			}
		}
	}
	for i, reason := range order {
		order[i] = fmt.Sprintf("%s (%d)", reason, reasons[reason])
	}
	return fmt.Sprintf(", %d not sent: %s", r.Skipped, strings.Join(order, "; "))
}
