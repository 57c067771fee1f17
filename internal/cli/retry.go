package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
)

// callsRetries tells how callers took failures.
func (p Program) callsRetries(ctx context.Context, c *cli.Command) error {
	_, environment, err := p.connect(c)
	if err != nil {
		return err
	}
	stories, err := environment.Retries(ctx, client.CallQuery{Service: c.String("service"), Lane: c.String("lane")})
	if err != nil {
		return err
	}
	return p.print(c, stories, nil, func() {
		if len(stories) == 0 {
			p.say("no call failed, of the last 1000 in the log")
			return
		}
		rows := make([][]string, len(stories))
		for i, s := range stories {
			rows[i] = []string{s.Attempts[0].At.Local().Format("15:04:05"), strings.TrimSpace(fmt.Sprintf("%-4s /%s%s %s", s.Method, s.Service, s.Path, s.Operation)), strconv.Itoa(len(s.Attempts)), gapsText(s.Attempts), adviceText(s.Attempts), s.Outcome}
		}
		columns := []column{{title: "TIME"}, {title: "CALL", gives: pathGives}, {title: "ATTEMPTS", right: true}, {title: "STATUS AND GAPS", gives: sourceGives}, {title: "ADVICE"}, {title: "OUTCOME"}}
		writeRows(p.Out, columns, widths(p.width(), columns, rows), rows, true)
	})
}

// gapsText is the statuses of attempts with the gaps between them.
func gapsText(attempts []api.RetryAttempt) string {
	var b strings.Builder
	for i, a := range attempts {
		if i > 0 {
			fmt.Fprintf(&b, " +%.1fs ", a.GapMs/1000)
		}
		b.WriteString(statusText(a.Status))
	}
	return b.String()
}

// adviceText tells how often retry advice was obeyed.
func adviceText(attempts []api.RetryAttempt) string {
	given, obeyed := 0, 0
	for _, a := range attempts {
		if a.AdvisedMs > 0 {
			given++
			if a.Obeyed {
				obeyed++
			}
		}
	}
	switch {
	case given == 0:
		return ""
	case obeyed == given:
		return "obeyed"
	default:
		return fmt.Sprintf("%d of %d obeyed", obeyed, given)
	}
}
