package cli

import (
	"context"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/tree"
)

func (p Program) operationCommand() *cli.Command {
	return &cli.Command{
		Name:         "operation",
		Usage:        "what the contract of a service lets a caller do",
		OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "the operations, how each answers, and how often it was called", ArgsUsage: "SERVICE", UsageText: "rapidmimic operation list moorings\nrapidmimic operation list moorings --lane night-run",
				OnUsageError: usageError, Flags: []cli.Flag{laneFlag(asSeenIn)}, ShellComplete: p.completeServices, Action: p.operationList,
			},
			{
				Name: "show", Usage: "what an operation takes and answers, with a call to try", ArgsUsage: "SERVICE OPERATION", UsageText: "rapidmimic operation show moorings bookBerth\nrapidmimic operation show customs askClearance --samples",
				OnUsageError: usageError, Flags: []cli.Flag{&cli.BoolFlag{Name: "samples", Usage: "print a sample of each body, laid out"}, laneFlag(asSeenIn)}, ShellComplete: p.completeServices, Action: p.operationShow,
			},
			{
				Name: "call", Usage: "send a call to an operation and print what comes back", ArgsUsage: "SERVICE OPERATION",
				UsageText:    "rapidmimic operation call moorings bookBerth\nrapidmimic operation call moorings bookBerth --path /berths/N9/bookings --body @booking.json",
				Description:  "Path, headers and body are those that `operation show` prints, unless given.",
				OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.operationCall,
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "path", Usage: "`PATH` relative to the service, with its query"},
					&cli.StringSliceFlag{Name: "header", Aliases: []string{"H"}, Usage: "`'NAME: VALUE'`, instead of or beside those of the contract"},
					&cli.StringFlag{Name: "body", Usage: "`TEXT` of the body, or @FILE"},
					laneFlag(inThisLane),
				},
			},
			{
				Name: "pin", Usage: "fix single fields of what an operation answers, while the rest varies", ArgsUsage: "SERVICE OPERATION POINTER=VALUE …",
				UsageText: "rapidmimic operation pin moorings getBerth /state=taken '/until=${now() + duration(\"6h\")}'\n" +
					"rapidmimic operation pin moorings listDues '/*/state=open'\nrapidmimic operation pin moorings getBerth /state=",
				Description: "POINTER is a JSON Pointer into the body; * stands for every element. VALUE is JSON, or\n" +
					"else a text, in which ${…} holds an expression. An empty VALUE takes the pin away.",
				OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.operationPin,
			},
		},
	}
}

func (p Program) operationList(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	operations, err := api.LaneOperations(ctx, c.String("lane"), given[0])
	if err != nil {
		return err
	}
	return p.print(c, operations, nil, func() {
		p.sayOperations(operations)
		p.sayWhatIsOn(ctx, api, c.String("lane"), "operation list "+given[0])
	})
}

func (p Program) sayOperations(operations []api.Operation) {
	rows := make([][]string, len(operations))
	for i, op := range operations {
		id := op.ID
		if op.Deprecated {
			id += " (deprecated)"
		}
		calls, deviating := "", ""
		if op.Calls != nil {
			calls = strconv.FormatInt(op.Calls.Total, 10)
			if op.Calls.Deviating > 0 {
				deviating = strconv.FormatInt(op.Calls.Deviating, 10)
			}
		}
		rows[i] = []string{op.Method + " " + op.Path, id, answerText(op), calls, deviating}
	}
	writeTable(p.Out, p.width(), []column{
		{title: "CALL", gives: pathGives}, {title: "OPERATION"}, {title: "ANSWERS", gives: sourceGives},
		{title: "CALLS", right: true}, {title: "DEVIATE", right: true},
	}, rows)
	for _, op := range operations {
		for _, fault := range op.PinFaults {
			p.say("pinned    %s: %s", op.ID, fault)
		}
	}
}

func (p Program) operationShow(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE", "an OPERATION")
	if err != nil {
		return err
	}
	op, err := api.LaneOperation(ctx, c.String("lane"), given[0], given[1])
	if err != nil {
		return err
	}
	latencies, err := api.Latencies(ctx, given[0], "")
	if err != nil {
		return err
	}
	return p.print(c, op, nil, func() {
		p.sayOperation(given[0], op, c.Bool("samples"))
		for _, l := range latencies {
			if l.Of == op.ID {
				p.say("")
				p.say("recorded  p50 %s ms, p90 %s ms, p99 %s ms at the upstream, over %s", inMilliseconds(l.P50), inMilliseconds(l.P90), inMilliseconds(l.P99), counted(l.Calls, "call"))
			}
		}
	})
}

func (p Program) sayOperation(service string, op api.OperationDetail, samples bool) {
	p.say("%s  %s %s  %s", op.ID, op.Method, op.Path, op.Summary)
	if op.Deprecated {
		p.say("deprecated; it answers all the same")
	}
	p.say("answers   %s", answerText(op.Operation))
	if len(op.Pins) > 0 {
		p.say("pinned    %s", strings.Join(op.Pins, ", "))
		for _, fault := range op.PinFaults {
			p.say("          %s", fault)
		}
	}
	for _, part := range op.Parameters {
		p.say("%-9s %s", part.In, partText(part))
	}
	if len(op.Security) > 0 {
		p.say("demands   %s", strings.Join(op.Security, ", or "))
	}
	for _, fact := range op.Facts {
		p.say("%-9s %s", fact.Name, fact.Value)
	}
	for _, body := range op.Takes {
		p.sayBody("takes", body, samples)
	}
	for _, r := range op.Responses {
		p.say("")
		p.say("response  %s  %s", r.Status, r.Description)
		for _, part := range r.Headers {
			p.say("header    %s", partText(part))
		}
		for _, body := range r.Bodies {
			p.sayBody("body", body, samples)
		}
		for _, link := range r.Links {
			p.say("link      %s leads to %s", link.Name, link.Operation)
		}
		if len(r.Examples) > 0 {
			p.say("examples  %s", strings.Join(r.Examples, ", "))
		}
	}
	for _, c := range op.Callbacks {
		p.say("")
		p.say("calls     %s  %s %s  %s", c.Name, c.Method, c.Address, c.Summary)
		for _, body := range c.Sends {
			p.sayBody("sends", body, samples)
		}
	}
	p.say("")
	p.say("try       %s", tryLine(op.Curl, service, op.ID))
}

// mostTried is how long, in characters, a command may be that somebody is to read.
const mostTried = 400

// tryLine is the command that tries an operation: one of ours where curl's would be a page.
func tryLine(curl, service, operation string) string {
	if len(curl) > mostTried && operation != "" {
		return "rapidmimic operation call " + service + " " + operation
	}
	return curl
}

func (p Program) sayBody(word string, body api.OperationBody, sample bool) {
	p.say("%-9s %s", word, body.MediaType)
	if sample && body.Sample != "" {
		defer p.say("%s", indented(body.Sample, "          "))
	}
	for _, part := range body.Fields {
		p.say("          %s", partText(part))
	}
}

// partText is one parameter, header or field: "state  string, required, one of
// free, taken".
func partText(part api.OperationPart) string {
	words := []string{part.Type}
	if part.Required {
		words = append(words, "required")
	}
	if part.Deprecated {
		words = append(words, "deprecated")
	}
	words = append(words, part.Rules...)
	name := part.Name
	if name == "" {
		name = "the whole"
	}
	text := name + "  " + strings.Join(words, ", ")
	if part.Description != "" {
		text += "  (" + strings.TrimSpace(part.Description) + ")"
	}
	return text
}

func (p Program) operationCall(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE", "an OPERATION")
	if err != nil {
		return err
	}
	op, err := environment.Operation(ctx, given[0], given[1])
	if err != nil {
		return err
	}
	test, err := testCall(c, op.Try)
	if err != nil {
		return err
	}
	result, err := environment.TestCall(ctx, given[0], test)
	if err != nil {
		return err
	}
	return p.print(c, result, nil, func() {
		for _, h := range result.Answer.Headers {
			p.say("%s: %s", h[0], h[1])
		}
		p.say("")
		p.say("%s", strings.TrimRight(result.Answer.Body, "\n"))
		p.say("")
		p.say("%d in %.1f ms  %s %s", result.Status, result.TookMs, test.Method, test.Path)
		if result.Call != "" {
			p.say("why       rapidmimic calls show %s", result.Call)
		}
	})
}

func (p Program) operationPin(ctx context.Context, c *cli.Command) error {
	given := c.Args().Slice()
	if len(given) < 3 {
		return usage("%s needs a SERVICE, an OPERATION and at least one POINTER=VALUE (%s --help has an example)", c.FullName(), c.FullName())
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	have, err := environment.Pins(ctx, given[0], given[1])
	if err != nil {
		return unchanged(err, "")
	}
	for _, word := range given[2:] {
		pointer, value, ok := strings.Cut(word, "=")
		if !ok || !strings.HasPrefix(pointer, "/") {
			return usage("a pin is POINTER=VALUE, such as /state=taken, not %q", word)
		}
		if value == "" {
			delete(have.Pins, pointer)
			continue
		}
		have.Pins[pointer] = pinValue(value)
	}
	set, err := environment.PutPins(ctx, given[0], given[1], have.Pins, have.ETag)
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, set, nil, func() {
		p.say("%s  pins of %s: %d, live on the next call", given[0], given[1], len(set.Pins))
		for _, w := range set.Warnings {
			p.say("warning   %s", w.Detail)
		}
		p.say("try       rapidmimic operation call %s %s", given[0], given[1])
	})
}

// pinValue reads a value as JSON, else as a text.
func pinValue(text string) *tree.Node {
	if n, err := tree.ParseJSON([]byte(text)); err == nil {
		return n
	}
	return tree.NewString(text)
}
