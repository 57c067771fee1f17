package cli

import (
	"cmp"
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

func (p Program) recordCommand() *cli.Command {
	return &cli.Command{
		Name: "record", Usage: "capture what the upstream of a service answers, until Ctrl+C", ArgsUsage: "SERVICE", OnUsageError: usageError,
		UsageText: "rapidmimic record moorings --name \"booking a berth\"\nrapidmimic record moorings --name dues --include 'GET /dues' --only-keep",
		Description: "The service relays meanwhile. At the end mappings are made of what was captured, and the\n" +
			"service answers from them at once, without its upstream; --only-keep just keeps the recording.",
		Flags: append([]cli.Flag{
			&cli.StringFlag{Name: "name", Usage: "`NAME` of the recording"},
			&cli.StringSliceFlag{Name: "label", Usage: "a `LABEL` for the recording and its mappings"},
			&cli.StringFlag{Name: "test", Usage: "`NAME` of the test that records"},
			&cli.StringSliceFlag{Name: "include", Usage: "only `CALLS` such as 'GET /berths/{number}' or '/log/{rest...}'"},
			&cli.StringSliceFlag{Name: "exclude", Usage: "not these `CALLS`"},
			&cli.StringSliceFlag{Name: "host", Usage: "only calls to this `HOST`"},
			&cli.StringSliceFlag{Name: "media-type", Usage: "only answers of this `TYPE`, such as application/json or image/*"},
			&cli.BoolFlag{Name: "missing", Usage: "only what the service does not answer itself; it goes on answering"},
			&cli.BoolFlag{Name: "try", Usage: "record nothing: show which of the last calls would be captured"},
			&cli.BoolFlag{Name: "keep-running", Usage: "go on recording when this command is gone, until recording stop"},
		}, endFlags()...),
		ShellComplete: p.completeServices, Action: p.record,
	}
}

// makingFlags say how mappings are made of recorded calls.
func makingFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "existing", Usage: "what becomes of mappings that ask for the same: keep, replace, or follow, which puts the new answers behind the old ones; without it those that a recording made are replaced, and those that somebody edited are kept"},
		&cli.BoolFlag{Name: "fold", Usage: "make one mapping of paths whose answers differ only by the same value; it answers for any value"},
		&cli.StringFlag{Name: "pace", Usage: "`PACE` of the answers: none, recorded, or a factor such as 2x"},
	}
}

// endFlags say how a recording ends.
func endFlags() []cli.Flag {
	return append([]cli.Flag{&cli.BoolFlag{Name: "only-keep", Usage: "make no mappings, and leave the mode as it is"}}, makingFlags()...)
}

func endOf(c *cli.Command) spec.RecordingEnd {
	return spec.RecordingEnd{OnlyKeep: c.Bool("only-keep"), Existing: c.String("existing"), Fold: c.Bool("fold"), Pace: c.String("pace")}
}

func (p Program) recordingCommand() *cli.Command {
	return &cli.Command{
		Name: "recording", Usage: "recordings of a service: list, show, make mappings of them, HAR in and out", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "the recordings of a service", ArgsUsage: "SERVICE",
				UsageText: "rapidmimic recording list moorings", OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.recordingList,
			},
			{
				Name: "show", Usage: "a recording and its calls", ArgsUsage: "SERVICE RECORDING",
				UsageText: "rapidmimic recording show moorings \"booking a berth\"", OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.recordingShow,
			},
			{
				Name: "stop", Usage: "end a recording that runs", ArgsUsage: "SERVICE",
				UsageText: "rapidmimic recording stop moorings", OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.recordingStop,
				Flags: endFlags(),
			},
			{
				Name: "keep", Usage: "make a recording from relayed calls in the log", ArgsUsage: "SERVICE [CALL ...]",
				UsageText:   "rapidmimic recording keep moorings --name forgotten --last 20\nrapidmimic recording keep moorings --name one c-81f3",
				Description: "For when nobody thought of recording before.", OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.recordingKeep,
				Flags: []cli.Flag{&cli.StringFlag{Name: "name", Usage: "`NAME` of the recording"}, &cli.IntFlag{Name: "last", Usage: "the last `N` relayed calls"}},
			},
			{
				Name: "mappings", Usage: "make mappings from a recording", ArgsUsage: "SERVICE RECORDING",
				UsageText:    "rapidmimic recording mappings moorings r-4 --dry-run\nrapidmimic recording mappings moorings r-4 --existing follow\nrapidmimic recording mappings moorings r-4 --path 'GET /berths/{number}' --status 200",
				OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.recordingMappings,
				Flags: append([]cli.Flag{
					&cli.BoolFlag{Name: "dry-run", Usage: "show what would be made, and change nothing"},
					&cli.StringSliceFlag{Name: "call", Usage: "only of the call with this `ID`; may be given several times"},
					&cli.StringSliceFlag{Name: "path", Usage: "only of `CALLS` such as 'GET /berths/{number}'"},
					&cli.IntSliceFlag{Name: "status", Usage: "only of calls that were answered with this `STATUS`"},
				}, makingFlags()...),
			},
			{
				Name: "export", Usage: "write a recording as HAR 1.2", ArgsUsage: "SERVICE RECORDING",
				UsageText: "rapidmimic recording export moorings r-4 > booking.har", OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.recordingExport,
			},
			{
				Name: "contract", Usage: "write a WSDL contract that is made of recorded messages of SOAP", ArgsUsage: "SERVICE RECORDING",
				UsageText:    "rapidmimic recording contract customs r-4 > customs.wsdl",
				Description:  "Operations are told by what their messages begin with, types by what was in them.\nCorrect it where more is known, then: rapidmimic import customs.wsdl --into customs",
				OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.recordingContract,
			},
			{
				Name: "import", Usage: "make a recording from a HAR file of a browser or another tool", ArgsUsage: "SERVICE FILE",
				UsageText:    "rapidmimic recording import moorings booking.har --base https://office.example/api",
				OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.recordingImport,
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "name", Usage: "`NAME` of the recording; that of the file when left out"},
					&cli.StringFlag{Name: "host", Usage: "only calls to this `HOST`"},
					&cli.StringFlag{Name: "base", Usage: "only calls below this `URL`, which stands for the service"},
					&cli.BoolFlag{Name: "static", Usage: "take pictures, styles, scripts and fonts too"},
				},
			},
			p.replayCommand(), p.compareCommand(),
			{
				Name: "remove", Usage: "remove a recording with its calls; its mappings stay", ArgsUsage: "SERVICE RECORDING",
				UsageText: "rapidmimic recording remove moorings r-4", OnUsageError: usageError, ShellComplete: p.completeServices, Action: p.recordingRemove,
			},
		},
	}
}

// tryRecording shows which of the last calls a recording would capture.
func (p Program) tryRecording(ctx context.Context, c *cli.Command, environment *client.Client, service string, start api.RecordingStart) error {
	trial, err := environment.TryRecording(ctx, service, start)
	if err != nil {
		return err
	}
	return p.print(c, trial, nil, func() {
		if len(trial.Calls) == 0 {
			p.say("no call to %s is in the log, so there is nothing to try it on", service)
			return
		}
		p.say("%d of the last %d calls would be captured", trial.Captured, len(trial.Calls))
		rows := make([][]string, len(trial.Calls))
		for i, tried := range trial.Calls {
			rows[i] = []string{"  captured", fmt.Sprintf("%-4s %s", tried.Call.Method, tried.Call.Path), strconv.Itoa(tried.Call.Status), tried.Reason}
			if tried.Reason != "" {
				rows[i][0] = "  passed"
			}
		}
		columns := []column{{}, {gives: pathGives}, {right: true}, {gives: titleGives}}
		writeRows(p.Out, columns, widths(p.width(), columns, rows), rows, false)
	})
}

// record runs a recording until ctx ends, and says what came of it.
func (p Program) record(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	start := api.RecordingStart{
		Name: c.String("name"), Labels: c.StringSlice("label"), Test: c.String("test"), Include: c.StringSlice("include"), Exclude: c.StringSlice("exclude"),
		Hosts: c.StringSlice("host"), MediaTypes: c.StringSlice("media-type"), Missing: c.Bool("missing"), Version: p.Version,
		Attended: !c.Bool("keep-running"), End: endOf(c),
	}
	if c.Bool("try") {
		return p.tryRecording(ctx, c, environment, given[0], start)
	}
	if start.Name == "" {
		return usage("%s needs --name NAME", c.FullName())
	}
	service, err := environment.Service(ctx, given[0])
	if err != nil {
		return unchanged(err, "")
	}
	// Ctrl+C while it starts must not leave one behind that nobody ends
	started, err := environment.StartRecording(context.WithoutCancel(ctx), given[0], start)
	if err != nil {
		return unchanged(err, "")
	}
	fmt.Fprintf(p.Err, "%s  records %q from %s\n", service.Name, started.Name, started.Upstream)
	fmt.Fprintf(p.Err, "address   %s   Ctrl+C ends it\n", service.Address)
	if stopped := p.followRecording(ctx, environment, given[0], started); stopped != nil {
		why := cmp.Or(stopped.Ended, "somebody else stopped it")
		fmt.Fprintf(p.Err, "recording %s has ended: %s\n", started.ID, why)
		fmt.Fprintf(p.Err, "next      rapidmimic mapping list %s\n", given[0])
		return errSaid
	}
	// the caller has pressed Ctrl+C: what follows must still be done
	after, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Minute)
	defer cancel()
	report, err := environment.StopRecording(after, given[0], started.ID, api.RecordingStop{RecordingEnd: endOf(c)})
	if err != nil {
		return err
	}
	return p.sayRecorded(c, given[0], report)
}

// followRecording attends to a recording and prints calls as they are captured, until
// ctx ends. It returns the recording when that has ended before.
func (p Program) followRecording(ctx context.Context, environment *client.Client, service string, r api.Recording) *api.Recording {
	last := ""
	for {
		if r.Attended {
			_ = environment.Attend(ctx, service, r.ID) // what failed is tried again at once
		}
		calls, err := environment.RecordedCalls(ctx, service, r.ID, last)
		for _, call := range calls {
			fmt.Fprintf(p.Err, "%s  %-6s %s  %d\n", call.At.Local().Format(time.TimeOnly), call.Method, target(call), call.Status)
			last = call.ID
		}
		if now, infoErr := environment.Recording(ctx, service, r.ID); err == nil && infoErr == nil && !now.Running {
			return &now
		}
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(300 * time.Millisecond):
		}
	}
}

func target(call api.RecordedCall) string {
	if call.Query == "" {
		return call.Path
	}
	return call.Path + "?" + call.Query
}

// sayRecorded tells what came of a recording. Nothing captured is a failure.
func (p Program) sayRecorded(c *cli.Command, service string, r api.RecordingReport) error {
	if err := p.print(c, r, nil, func() {
		p.say("%s  %q, %s captured", r.Recording.ID, r.Recording.Name, counted(r.Recording.Calls, "call"))
		for _, o := range r.Operations {
			p.say("%9d %s", o.Count, o.Call)
		}
		p.sayMade(service, r)
	}); err != nil {
		return err
	}
	if r.Recording.Calls == 0 {
		fmt.Fprintln(p.Err, "NOTHING WAS CAPTURED")
		for _, reason := range r.Reasons {
			fmt.Fprintln(p.Err, "reason    "+reason)
		}
		return errSaid
	}
	return nil
}

func (p Program) sayMade(service string, r api.RecordingReport) {
	for i, m := range r.Mappings {
		if i == fewMappings {
			p.say("%d mappings more", len(r.Mappings)-i)
			break
		}
		p.say("%-9s %s, %s", m.Outcome, m.Mapping.ID, asks(m.Mapping.Call))
		for _, note := range m.Notes {
			p.say("          %s", note)
		}
	}
	for _, x := range r.Skipped {
		p.say("skipped   %s, %s: %s", x.Call, x.Address, x.Reason)
		if x.Truncated {
			p.say("          rapidmimic serve --record-limit BYTES keeps larger bodies")
		}
	}
	if len(r.Mappings) > 0 {
		p.say("next      rapidmimic mapping list %s", service)
	}
	if r.Otherwise != "" && len(r.Mappings) > 0 {
		p.say("note      what was not recorded is answered by the %s of %s; for a miss instead", r.Otherwise, service)
		p.say("          rapidmimic service set %s --otherwise miss", service)
	}
}

func (p Program) recordingList(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	recordings, err := environment.Recordings(ctx, given[0])
	if err != nil {
		return err
	}
	return p.print(c, recordings, nil, func() {
		if len(recordings) == 0 {
			p.say("%s has no recording yet", given[0])
			p.say("try       rapidmimic record %s --name NAME", given[0])
			return
		}
		rows := make([][]string, len(recordings))
		for i, r := range recordings {
			state := "kept"
			if r.Running {
				state = "runs"
			} else if r.Ended != "" {
				state = "kept, " + r.Ended
			}
			rows[i] = []string{r.ID, r.Name, whenText(r.Started), strconv.Itoa(r.Calls), state, r.By}
		}
		writeTable(p.Out, p.width(), []column{
			{title: "ID"}, {title: "RECORDING", gives: titleGives}, {title: "STARTED"}, {title: "CALLS", right: true}, {title: "STATE", gives: sourceGives}, {title: "BY", gives: titleGives},
		}, rows)
	})
}

func (p Program) recordingShow(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE", "a RECORDING")
	if err != nil {
		return err
	}
	r, err := environment.Recording(ctx, given[0], given[1])
	if err != nil {
		return err
	}
	calls, err := environment.RecordedCalls(ctx, given[0], given[1], "")
	if err != nil {
		return err
	}
	latencies, err := environment.Latencies(ctx, given[0], given[1])
	if err != nil {
		return err
	}
	return p.print(c, calls, nil, func() {
		p.say("%s  %q, %s, from %s", r.ID, r.Name, counted(r.Calls, "call"), r.Upstream)
		rows := make([][]string, len(calls))
		for i, call := range calls {
			note := ""
			if call.Truncated {
				note = "too large to play back"
			}
			rows[i] = []string{call.At.Local().Format(time.TimeOnly), fmt.Sprintf("%-6s %s", call.Method, target(call)), strconv.Itoa(call.Status), strconv.Itoa(call.Size), call.ID, note}
		}
		writeTable(p.Out, p.width(), []column{
			{title: "TIME"}, {title: "CALL", gives: pathGives}, {title: "STATUS", right: true}, {title: "BYTES", right: true}, {title: "ID"}, {title: "", gives: titleGives},
		}, rows)
		p.sayLatencies(latencies)
	})
}

func (p Program) recordingStop(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	service, err := environment.Service(ctx, given[0])
	if err != nil {
		return err
	}
	if service.Recording == nil {
		return fmt.Errorf("%s is not being recorded", given[0])
	}
	report, err := environment.StopRecording(ctx, given[0], service.Recording.ID, api.RecordingStop{RecordingEnd: endOf(c)})
	if err != nil {
		return unchanged(err, "")
	}
	return p.sayRecorded(c, given[0], report)
}

func (p Program) recordingKeep(ctx context.Context, c *cli.Command) error {
	given, ids, err := argsFrom(c, "a SERVICE")
	if err != nil {
		return err
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	if last := c.Int("last"); last > 0 {
		list, err := environment.Calls(ctx, client.CallQuery{Service: given[0], Text: "upstream", Limit: last})
		if err != nil {
			return err
		}
		for _, call := range list.Items {
			if call.Source == "upstream" {
				ids = append(ids, call.ID)
			}
		}
	}
	if len(ids) == 0 || c.String("name") == "" {
		return usage("%s needs --name, and calls or --last N of which some were relayed", c.FullName())
	}
	r, err := environment.StartRecording(ctx, given[0], api.RecordingStart{Name: c.String("name"), Keep: ids, Version: p.Version})
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, r, nil, func() {
		p.say("%s  %q, %s kept", r.ID, r.Name, counted(r.Calls, "call"))
		p.say("next      rapidmimic recording mappings %s %s --dry-run", given[0], r.ID)
	})
}

func (p Program) recordingMappings(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE", "a RECORDING")
	if err != nil {
		return err
	}
	done := p.working("making mappings of " + given[1])
	report, err := environment.MakeMappings(ctx, given[0], given[1], api.MakeMappings{RecordingEnd: endOf(c), Calls: c.StringSlice("call"), Paths: c.StringSlice("path"), Statuses: c.IntSlice("status"), DryRun: c.Bool("dry-run")})
	done()
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, report, nil, func() {
		p.sayMade(given[0], report)
		if c.Bool("dry-run") {
			p.say("nothing was changed")
		}
	})
}

func (p Program) recordingExport(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE", "a RECORDING")
	if err != nil {
		return err
	}
	text, err := environment.RecordingHAR(ctx, given[0], given[1])
	if err == nil {
		_, err = p.Out.Write(text)
	}
	return err
}

func (p Program) recordingContract(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE", "a RECORDING")
	if err != nil {
		return err
	}
	text, err := environment.ProposedContract(ctx, given[0], given[1])
	if err == nil {
		_, err = p.Out.Write(text)
	}
	return err
}

func (p Program) recordingImport(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE", "a FILE")
	if err != nil {
		return err
	}
	text, file, err := p.readInput(given[1])
	if err != nil {
		return err
	}
	how := client.HARImport{Name: c.String("name"), Host: c.String("host"), Base: c.String("base"), Static: c.Bool("static")}
	if how.Name == "" {
		how.Name = strings.TrimSuffix(file, ".har")
	}
	report, err := environment.ImportHAR(ctx, given[0], text, how)
	if err != nil {
		return unchanged(err, file)
	}
	return p.print(c, report, nil, func() {
		p.say("%s  %q, %s, %d left out", report.Recording.ID, report.Recording.Name, counted(report.Recording.Calls, "call"), len(report.Skipped))
		for i, x := range report.Skipped {
			if i < 5 {
				p.say("left out  %s: %s", x.Call, x.Reason)
			}
		}
		p.say("next      rapidmimic recording mappings %s %s --dry-run", given[0], report.Recording.ID)
	})
}

func (p Program) recordingRemove(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE", "a RECORDING")
	if err != nil {
		return err
	}
	if err := environment.RemoveRecording(ctx, given[0], given[1]); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  removed; its mappings stay, and it is kept for 30 days", given[1])
	return nil
}

// mostLatencies is how many operations of a recording are told how long they took.
const mostLatencies = 20

// sayLatencies tells how long operations took at the upstream.
func (p Program) sayLatencies(latencies []api.MeasuredLatency) {
	if len(latencies) == 0 {
		return
	}
	p.say("")
	var rows [][]string
	for _, l := range latencies[:min(len(latencies), mostLatencies)] {
		rows = append(rows, []string{l.Of, strconv.Itoa(l.Calls), inMilliseconds(l.P50), inMilliseconds(l.P90), inMilliseconds(l.P99)})
	}
	writeTable(p.Out, p.width(), []column{
		{title: "TOOK AT THE UPSTREAM", gives: pathGives}, {title: "CALLS", right: true}, {title: "P50 ms", right: true}, {title: "P90 ms", right: true}, {title: "P99 ms", right: true},
	}, rows)
}

func inMilliseconds(d spec.Duration) string {
	return strconv.FormatFloat(float64(d)/1e6, 'f', 1, 64)
}
