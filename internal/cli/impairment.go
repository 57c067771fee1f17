package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

// targetFlags say what an impairment is for, beside a SERVICE.
func targetFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "operation", Usage: "only this `OPERATION` of the service"},
		&cli.StringFlag{Name: "mapping", Usage: "only what this `MAPPING` answers"},
		&cli.BoolFlag{Name: "everything", Usage: "the whole environment, instead of a SERVICE"},
		laneFlag(inThisLane),
	}
}

func (p Program) impairCommand() *cli.Command {
	return &cli.Command{
		Name: "impair", Usage: "make services slow, failing, throttling or dead, and good again", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "set", Usage: "switch trouble on, live on the next call", ArgsUsage: "[SERVICE]", OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.impairSet,
				UsageText: "rapidmimic impair set moorings --latency 200ms..900ms --error-rate 30% --error-status 503\n" +
					"rapidmimic impair set moorings --operation bookBerth --limit 60/1m --of caller\n" +
					"rapidmimic impair set tides --outage 503 --for 20s --every 2m\n" +
					"rapidmimic impair set --everything --line harbour-radio",
				Description: "It stands instead of what the same target had before. The narrowest latency wins (mapping,\n" +
					"operation, service, everything); each is asked whether it refuses a call, the narrowest first.",
				Flags: append(targetFlags(),
					&cli.StringFlag{Name: "latency", Usage: "hold answers back for `TIME`: 250ms, 100ms..400ms, p50=80ms,p99=900ms, or recorded, as long as the upstream took"},
					&cli.StringFlag{Name: "error-rate", Usage: "the `SHARE` of calls that gets an error: 30%"},
					&cli.IntFlag{Name: "error-next", Usage: "the next `N` calls get an error"},
					&cli.IntFlag{Name: "error-every", Usage: "every `N`-th call gets an error"},
					&cli.IntFlag{Name: "error-first", Usage: "the first `N` calls of each caller get an error"},
					&cli.StringFlag{Name: "error-status", Usage: "`STATUSES` of errors, as often as each other or by weight: 503,429 or 503=3,429=1"},
					&cli.StringFlag{Name: "retry-after", Usage: "tell callers to wait for `TIME`: who comes back earlier is refused again"},
					&cli.StringFlag{Name: "limit", Usage: "`CALLS/TIME` in any span of that length: 60/1m"},
					&cli.IntFlag{Name: "in-flight", Usage: "at most `N` calls in flight"},
					&cli.StringFlag{Name: "of", Usage: "`WHO` is counted: everyone, caller (by address), or header:NAME"},
					&cli.StringFlag{Name: "connection", Usage: "`EFFECT`: " + strings.Join(spec.Effects, ", ")},
					&cli.StringFlag{Name: "connection-rate", Usage: "the `SHARE` of calls that the effect happens to; all when left out"},
					&cli.StringFlag{Name: "line", Usage: "as slow as the line of this `NAME` (impair line list)"},
					&cli.Int64Flag{Name: "bytes-per-second", Usage: "send bodies at `N` bytes a second"},
					&cli.StringFlag{Name: "first-byte", Usage: "wait `TIME` before a body begins"},
					&cli.StringFlag{Name: "pause", Usage: "pause for `TIME` after each --chunk bytes"},
					&cli.IntFlag{Name: "chunk", Usage: "`N` bytes between two pauses; 1024 when left out"},
					&cli.StringFlag{Name: "outage", Usage: "down: answer with a `STATUS`, or drop, reset or hang"},
					&cli.StringFlag{Name: "for", Usage: "for `TIME`, from now on"},
					&cli.StringFlag{Name: "every", Usage: "and again after each `TIME`"},
					&cli.Int64Flag{Name: "seed", Usage: "the same `SEED` gives the same faults in the same order"},
					&cli.StringFlag{Name: "file", Aliases: []string{"f"}, Usage: "a `FILE` with the whole impairment, instead of the flags"}),
			},
			{
				Name: "show", Usage: "what is switched on, by whom, and how full limits are", ArgsUsage: "[SERVICE]", OnUsageError: usageError,
				UsageText: "rapidmimic impair show\nrapidmimic impair show moorings -o yaml\nrapidmimic impair show --lane night-run", Flags: []cli.Flag{laneFlag(inThisLane)}, ShellComplete: p.completeServices, Action: p.impairShow,
			},
			{
				Name: "off", Usage: "switch trouble off", ArgsUsage: "[SERVICE]", OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.impairOff,
				UsageText:   "rapidmimic impair off moorings\nrapidmimic impair off --all",
				Description: "--all switches everything off at once, also what mappings have of themselves; `impair on`\nbrings it back.",
				Flags:       append(targetFlags(), &cli.BoolFlag{Name: "all", Usage: "everything, kept for `impair on`"}),
			},
			{
				Name: "on", Usage: "switch on again what `off --all` has switched off", OnUsageError: usageError, UsageText: "rapidmimic impair on", Action: p.impairOn,
			},
			{
				Name: "reset", Usage: "reset draws, limits and retry advice", ArgsUsage: "[SERVICE]", OnUsageError: usageError,
				UsageText: "rapidmimic impair reset moorings", ShellComplete: p.completeServices, Action: p.impairReset,
			},
			p.lineCommand(),
		},
	}
}

// target is what a command is for: a SERVICE, or with --everything none.
func (p Program) target(c *cli.Command) (spec.Target, error) {
	target := spec.Target{Operation: c.String("operation"), Mapping: c.String("mapping")}
	given := c.Args().Slice()
	switch {
	case c.Bool("everything") && len(given) > 0:
		return target, usage("%s takes a SERVICE or --everything, not both", c.FullName())
	case c.Bool("everything"):
		return target, nil
	case len(given) != 1:
		return target, usage("%s needs a SERVICE, or --everything", c.FullName())
	}
	target.Service = given[0]
	return target, nil
}

func (p Program) impairSet(ctx context.Context, c *cli.Command) error {
	target, err := p.target(c)
	if err != nil {
		return err
	}
	document, file := []byte(nil), ""
	if c.IsSet("file") {
		document, file, err = p.readInput(c.String("file"))
	} else {
		document, err = impairmentOf(c)
	}
	if err != nil {
		return err
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	made, err := api.SetLaneImpairment(ctx, c.String("lane"), target, document)
	if err != nil {
		if !c.IsSet("file") {
			err = asFlags(err)
		}
		return unchanged(err, file)
	}
	return p.print(c, made, func() ([]byte, error) { return yamlOf(made.Impairment) }, func() {
		p.say("%s  %s", made.Target, made.Text)
		if made.Draws {
			p.say("seed      %d, the same faults in the same order with --seed %d", *made.Impairment.Seed, *made.Impairment.Seed)
		}
		p.say("off       rapidmimic impair off %s%s", offArgs(made.Target), laneArgs(c.String("lane")))
		if list, err := api.LaneImpairments(ctx, c.String("lane")); err == nil && list.Off {
			p.say("but all impairments are switched off: rapidmimic impair on")
		}
	})
}

func offArgs(t spec.Target) string {
	switch {
	case t.Service == "":
		return "--everything"
	case t.Operation != "":
		return t.Service + " --operation " + t.Operation
	case t.Mapping != "":
		return t.Service + " --mapping " + t.Mapping
	default:
		return t.Service
	}
}

// impairmentOf is the document that the flags of a command write.
func impairmentOf(c *cli.Command) ([]byte, error) {
	document := make(map[string]any)
	part := func(key string, flags map[string]string) map[string]any {
		values := make(map[string]any)
		for flag, name := range flags {
			if c.IsSet(flag) {
				values[name] = c.Value(flag)
			}
		}
		if len(values) > 0 {
			document[key] = values
		}
		return values
	}
	if text := c.String("latency"); text != "" {
		latency, err := spec.ParseLatency(text)
		if err != nil {
			return nil, usage("--latency %v", err)
		}
		document["latency"] = latency
	}
	errors := part("errors", map[string]string{"error-rate": "rate", "error-next": "next", "error-every": "every", "error-first": "first", "retry-after": "retryAfter"})
	if c.IsSet("error-status") {
		errors["status"] = weightsOf(c.String("error-status"))
		document["errors"] = errors
	}
	limit := part("limit", map[string]string{"in-flight": "inFlight"})
	if text := c.String("limit"); text != "" {
		calls, per, ok := strings.Cut(text, "/")
		count, err := strconv.Atoi(calls)
		if !ok || err != nil {
			return nil, usage("--limit must be CALLS/TIME such as 60/1m, not %q", text)
		}
		limit["calls"], limit["per"] = count, per
		document["limit"] = limit
	}
	if of := c.String("of"); of != "" {
		if len(limit) > 0 {
			limit["of"] = of
		} else if len(errors) > 0 {
			errors["of"] = of
		}
	}
	part("connection", map[string]string{"connection": "effect", "connection-rate": "rate", "line": "line", "bytes-per-second": "bytesPerSecond",
		"first-byte": "firstByte", "pause": "pause", "chunk": "chunk"})
	outage := part("outage", map[string]string{"outage": "as", "for": "for", "every": "every"})
	if len(outage) > 0 && !c.IsSet("outage") {
		return nil, usage("--for and --every belong to --outage")
	}
	if c.IsSet("seed") {
		document["seed"] = c.Int64("seed")
	}
	if len(document) == 0 || len(document) == 1 && c.IsSet("seed") {
		return nil, usage("%s needs one of --latency, --error-rate, --error-next, --error-every, --error-first, --limit, --connection, --line or --outage", c.FullName())
	}
	return json.Marshal(document)
}

// weightsOf reads 503,429 or 503=3,429=1. What is wrong the service says.
func weightsOf(text string) any {
	statuses := strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' })
	if !strings.Contains(text, "=") {
		return statuses
	}
	weights := make(map[string]json.RawMessage)
	for _, status := range statuses {
		status, weight, _ := strings.Cut(status, "=")
		if _, err := strconv.Atoi(weight); err != nil {
			weight = "1"
		}
		weights[status] = json.RawMessage(weight)
	}
	return weights
}

func (p Program) impairShow(ctx context.Context, c *cli.Command) error {
	service := c.Args().First()
	if c.Args().Len() > 1 {
		return usage("%s takes one SERVICE, or none", c.FullName())
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	if service != "" {
		known, err := environment.Service(ctx, service)
		if err != nil {
			return err
		}
		service = known.Name
	}
	list, err := environment.LaneImpairments(ctx, c.String("lane"))
	if err != nil {
		return err
	}
	if service != "" {
		kept := list.Items[:0]
		for _, i := range list.Items {
			if i.Target.Service == service || i.Target.Service == "" {
				kept = append(kept, i)
			}
		}
		list.Items = kept
	}
	return p.print(c, list, nil, func() { p.sayImpairments(list) })
}

func (p Program) sayImpairments(list api.Impairments) {
	if len(list.Items) == 0 {
		p.say("nothing is impaired")
		return
	}
	if list.Off {
		p.say("all impairments are switched off; they are kept (rapidmimic impair on)")
	}
	rows := make([][]string, len(list.Items))
	for i, item := range list.Items {
		seed, by := "", item.By
		if item.Draws && item.Impairment.Seed != nil {
			seed = strconv.FormatInt(*item.Impairment.Seed, 10)
		}
		if item.Own {
			by = "the mapping itself"
		}
		if item.Origin != "" {
			by = item.Origin
		}
		text := item.Text
		if item.Down {
			text += " (down now)"
		}
		rows[i] = []string{item.Target.String(), text, didText(item.Did), seed, by}
	}
	columns := []column{{title: "FOR"}, {title: "WHAT", gives: titleGives}, {title: "HIT"}, {title: "SEED", right: true}, {title: "BY"}}
	writeRows(p.Out, columns, widths(p.width(), columns, rows), rows, true)
	for _, item := range list.Items {
		for _, use := range item.Limits {
			who := "all callers"
			if use.Caller != "" {
				who = use.Caller
			}
			p.say("  %s: %d of %s used by %s, the next leaves in %.1f s", item.Target, use.Used, strings.TrimPrefix(item.Impairment.Limit.String(), "limit "), who, use.ResetMs/1000)
		}
	}
}

// didText is to how many of its calls an impairment did something.
func didText(did api.HitCount) string {
	if did.Calls == 0 {
		return "no call yet"
	}
	return fmt.Sprintf("%d of %s", did.Hit, counted(int(did.Calls), "call"))
}

func (p Program) impairOff(ctx context.Context, c *cli.Command) error {
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	lane := c.String("lane")
	if c.Bool("all") && lane != "" {
		gone, err := environment.RemoveLaneImpairment(ctx, lane, spec.Target{}, true)
		if err != nil {
			return err
		}
		return p.print(c, gone, nil, func() { p.sayGone(spec.Target{}, gone) })
	}
	if c.Bool("all") {
		list, err := environment.SwitchImpairments(ctx, true)
		if err != nil {
			return err
		}
		return p.print(c, list, nil, func() {
			p.say("all impairments are off, %d are kept", len(list.Items))
			p.say("undo      rapidmimic impair on")
		})
	}
	target, err := p.target(c)
	if err != nil {
		return err
	}
	gone, err := environment.RemoveLaneImpairment(ctx, lane, target, target.Service != "" && target.Operation+target.Mapping == "")
	if err != nil {
		return err
	}
	return p.print(c, gone, nil, func() { p.sayGone(target, gone) })
}

func (p Program) sayGone(target spec.Target, gone api.Impairments) {
	if len(gone.Items) == 0 {
		p.say("%s had no impairment", target)
	}
	for _, i := range gone.Items {
		p.say("%s  removed: %s", i.Target, i.Text)
	}
}

func (p Program) impairOn(ctx context.Context, c *cli.Command) error {
	_, environment, err := p.connect(c)
	if err != nil {
		return err
	}
	list, err := environment.SwitchImpairments(ctx, false)
	if err != nil {
		return err
	}
	return p.print(c, list, nil, func() { p.sayImpairments(list) })
}

func (p Program) impairReset(ctx context.Context, c *cli.Command) error {
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	if err := environment.ResetImpairments(ctx, c.Args().First()); err != nil {
		return err
	}
	p.say("draws, limits and retry advice were reset")
	return nil
}

// injectedText is what impairments did to a call, in a line.
func injectedText(injected []api.Injected) string {
	parts := make([]string, len(injected))
	for i, one := range injected {
		parts[i] = fmt.Sprintf("%s %s (%s)", one.Kind, one.What, one.From)
	}
	return strings.Join(parts, "; ")
}
