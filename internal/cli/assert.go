package cli

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/tree"
)

func (p Program) assertCommand() *cli.Command {
	return &cli.Command{
		DisableSliceFlagSeparator: true, // conditions have commas
		Name:                      "assert", Usage: "check which calls were received: exit code 0 holds, 3 does not, 1 undecidable", ArgsUsage: "SERVICE CALL [CALL ...]", OnUsageError: usageError,
		UsageText: "rapidmimic calls assert moorings 'POST /berths/{number}/bookings' --times 1 --within 5s --lane night-run\n" +
			"rapidmimic calls assert moorings 'GET /berths/{number}' 'POST /berths/{number}/bookings'\n" +
			"rapidmimic calls assert moorings 'POST /bookings' --where '{ body: $.vessel.name, equals: Tern }' --since 10m",
		Description: "A CALL is a path template with or without a method, or the id of an operation. Several must have come\n" +
			"in this order. When calls of the time in question were not kept it says so, and never that it holds.",
		Flags: []cli.Flag{
			&cli.IntFlag{Name: "times", Usage: "exactly `N` times; 0 for never"},
			&cli.IntFlag{Name: "at-least", Usage: "at least `N` times; once when no number is given"},
			&cli.IntFlag{Name: "at-most", Usage: "at most `N` times"},
			&cli.StringSliceFlag{Name: "where", Usage: "a `CONDITION` of the mapping language that must hold, too"},
			&cli.StringFlag{Name: "if", Usage: "an `EXPRESSION` that must be true, too"},
			laneFlag("only calls in this `LANE`, since it was opened"),
			&cli.StringFlag{Name: "since", Usage: "leave out what came before: a `TIME` such as 2026-12-01T10:00:00Z, or 10m for the last ten minutes"},
			&cli.StringFlag{Name: "within", Usage: "wait for up to `TIME` for it to hold"},
		},
		ShellComplete: p.completeServices, Action: p.callsAssert,
	}
}

func (p Program) callsAssert(ctx context.Context, c *cli.Command) error {
	given, calls, err := argsFrom(c, "a SERVICE", "a CALL")
	if err != nil {
		return err
	}
	a := api.Assertion{Service: given[0], Lane: c.String("lane")}
	for flag, number := range map[string]**int{"times": &a.Times, "at-least": &a.AtLeast, "at-most": &a.AtMost} {
		if c.IsSet(flag) {
			n := c.Int(flag)
			*number = &n
		}
	}
	for _, text := range append([]string{given[1]}, calls...) {
		pattern, err := patternOf(c, text)
		if err != nil {
			return err
		}
		a.Calls = append(a.Calls, pattern)
	}
	if a.Since, err = sinceOf(c.String("since"), time.Now()); err != nil {
		return err
	}
	if text := c.String("within"); text != "" {
		if a.Within, err = spec.ParseDuration(text); err != nil {
			return usage("--within %v", err)
		}
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	result, err := environment.Assert(ctx, a)
	if err != nil {
		return asFlags(err)
	}
	if err := p.print(c, result, nil, func() { p.sayAssertion(result) }); err != nil {
		return err
	}
	switch {
	case result.Holds:
		return nil
	case result.Undecidable != "":
		return errSaid
	default:
		return errDoesNotHold
	}
}

// patternOf reads "POST /berths/{number}/bookings", "/berths", or the id of an
// operation, with the conditions of the command.
func patternOf(c *cli.Command, text string) (pattern spec.Pattern, err error) {
	method, path, two := strings.Cut(strings.TrimSpace(text), " ")
	switch {
	case two:
		pattern.Method, pattern.Path = strings.FieldsFunc(strings.ToUpper(method), func(r rune) bool { return r == '|' || r == ',' }), strings.TrimSpace(path)
	case strings.HasPrefix(text, "/"):
		pattern.Path = text
	default:
		pattern.Operation = text
	}
	pattern.If = c.String("if")
	pattern.Where, err = conditionsOf(c)
	return pattern, err
}

// conditionsOf reads the conditions that a command is given with --where.
func conditionsOf(c *cli.Command) (conditions []spec.Condition, err error) {
	for _, where := range c.StringSlice("where") {
		n, err := tree.Parse([]byte(where))
		if err != nil {
			return nil, usage("--where %v", err)
		}
		var condition spec.Condition
		if err := json.Unmarshal(n.AppendJSON(nil), &condition); err != nil {
			return nil, usage("--where %q: %v", where, err)
		}
		conditions = append(conditions, condition)
	}
	return conditions, nil
}

// sinceOf reads a moment, or how long ago it was.
func sinceOf(text string, now time.Time) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	if ago, err := spec.ParseDuration(text); err == nil {
		return now.Add(-time.Duration(ago)), nil
	}
	at, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return at, usage("--since must be a time such as 2026-12-01T10:00:00Z, or how long ago, such as 10m, not %q", text)
	}
	return at, nil
}

func (p Program) sayAssertion(result api.AssertionResult) {
	switch {
	case result.Holds:
		p.say("holds     %s", result.Text)
	case result.Undecidable != "":
		p.say("unknown   %s: %s", result.Text, result.Undecidable)
	default:
		p.say("does not hold: %s", result.Text)
	}
	for _, call := range result.Calls {
		p.say("  fits    %s  %s %s", call.ID, call.Method, call.Path)
	}
	for _, near := range result.Closest {
		p.say("  close   %s  %s %s: %s", near.Call.ID, near.Call.Method, near.Call.Path, near.Reason)
	}
}
