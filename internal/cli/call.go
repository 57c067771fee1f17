package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
)

func callFilterFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "service", Usage: "only calls to this `SERVICE`"},
		laneFlag("only calls in this `LANE`; - for those in none"),
		&cli.StringFlag{Name: "text", Usage: "only calls with all these `WORDS` in method, path, status, who answered or User-Agent; -word for those without, or between choices; also status:5xx, took:>200ms, service:, method:, source:, host:, path:, agent:, trace:, body:N7"},
		ignoredFlag(),
	}
}

func (p Program) callsCommand() *cli.Command {
	return &cli.Command{
		Name:         "calls",
		Usage:        "list the calls that were received, follow them, show one",
		UsageText:    "rapidmimic calls --service moorings --last 4\nrapidmimic calls --text \"miss GET\"\nrapidmimic calls --since 10m --text status:5xx\nrapidmimic calls tail\nrapidmimic calls show c-81f3",
		OnUsageError: usageError,
		Flags: append(callFilterFlags(),
			&cli.IntFlag{Name: "last", Usage: "how many calls to list", Value: 20},
			&cli.StringFlag{Name: "since", Usage: "only calls that came since a `TIME` such as 2026-12-01T10:00:00Z, or 10m for the last ten minutes"},
			&cli.StringFlag{Name: "until", Usage: "only calls that came before that `TIME`"}),
		Action: p.callsList,
		Commands: []*cli.Command{
			{
				Name: "tail", Usage: "show calls as they arrive, until stopped", UsageText: "rapidmimic calls tail --service moorings",
				OnUsageError: usageError, Flags: callFilterFlags(), Action: p.callsTail,
			},
			{
				Name: "show", Usage: "one call, whole: request, answer, timing and why", ArgsUsage: "CALL",
				UsageText: "rapidmimic calls show c-81f3", OnUsageError: usageError, Action: p.callsShow,
				Flags: []cli.Flag{&cli.StringFlag{Name: "shell", Usage: "the `SHELL` that the line which repeats it is for: sh or powershell", Value: "sh", Validator: checkShell}},
			},
			p.compareCallsCommand(),
			p.ignoreCommand(),
			p.ignoredCommand(),
			p.assertCommand(),
			{
				Name: "retries", Usage: "how callers reacted to failures: attempts, gaps, advice followed, outcome", UsageText: "rapidmimic calls retries --service moorings\nrapidmimic calls retries --lane night-run",
				OnUsageError: usageError, Flags: []cli.Flag{&cli.StringFlag{Name: "service", Usage: "only calls to this `SERVICE`"}, laneFlag("only calls in this `LANE`; - for those in none")}, Action: p.callsRetries,
			},
			{
				Name: "clear", Usage: "empty the log; services and mappings stay", UsageText: "rapidmimic calls clear",
				OnUsageError: usageError, Action: p.callsClear,
			},
		},
	}
}

func queryOf(c *cli.Command) client.CallQuery {
	return client.CallQuery{Service: c.String("service"), Lane: c.String("lane"), Text: c.String("text"), Ignored: c.Bool("ignored")}
}

var callColumns = []column{
	{title: "TIME"}, {title: "CALL", gives: pathGives}, {title: "STATUS", right: true},
	{title: "ANSWERED BY", gives: sourceGives}, {title: "TOOK", right: true}, {title: "ID"},
}

func callRow(call api.Call) []string {
	target := call.Path
	if call.Service != "" {
		target = "/" + call.Service + call.Path
	}
	if call.Source == "callback" { // it went elsewhere
		target = call.Host + call.Path
	}
	if call.Query != "" {
		target += "?" + call.Query
	}
	by := fmt.Sprintf("%-8s %s", call.Source, call.By)
	if call.Deviations > 0 {
		by = fmt.Sprintf("%-8s deviates %d, %s", call.Source, call.Deviations, call.By)
	}
	if kinds := strings.Join(call.Impaired, ", "); kinds != "" && call.Source != "impairment" {
		by += " + " + kinds
	}
	return []string{
		call.At.Local().Format(time.TimeOnly), fmt.Sprintf("%-6s %s", call.Method, target), statusText(call.Status),
		by, fmt.Sprintf("%.2f ms", call.TookMs), call.ID,
	}
}

// underOf says in which lane and under which scenario a call was answered.
func underOf(call api.Call) string {
	switch {
	case call.Lane == "":
		return call.Scenario
	case call.Scenario == "":
		return "lane " + call.Lane
	default:
		return "lane " + call.Lane + ", " + call.Scenario
	}
}

// withUnder adds what the calls were answered under, where any was; of calls of one
// lane only the scenario.
func withUnder(columns []column, rows [][]string, calls []api.Call, lane string) []column {
	title, under := "UNDER", underOf
	if lane != "" {
		title, under = "SCENARIO", func(call api.Call) string { return call.Scenario }
	}
	if !slices.ContainsFunc(calls, func(call api.Call) bool { return under(call) != "" }) {
		return columns
	}
	at := len(columns) - 2
	for i := range rows {
		rows[i] = slices.Insert(rows[i], at, under(calls[i]))
	}
	return slices.Insert(slices.Clone(columns), at, column{title: title, gives: sourceGives})
}

func (p Program) callsList(ctx context.Context, c *cli.Command) error {
	if c.Args().Len() > 0 {
		return usage("calls has no command %q; it has tail, show, compare and clear", c.Args().First())
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	query := queryOf(c)
	query.Limit, query.Since, query.Until = int(c.Int("last")), c.String("since"), c.String("until")
	if query.Limit < 1 {
		return usage("--last must be at least 1")
	}
	list, err := api.Calls(ctx, query)
	if err != nil {
		return err
	}
	return p.print(c, list, nil, func() {
		if len(list.Items) == 0 {
			p.sayNoCalls(ctx, api, query)
			p.sayLeftOut(list.Ignored)
			return
		}
		slices.Reverse(list.Items) // the newest last, where the eye is
		rows := make([][]string, len(list.Items))
		for i, call := range list.Items {
			rows[i] = callRow(call)
		}
		columns := withUnder(callColumns, rows, list.Items, query.Lane)
		writeTable(p.Out, p.width(), columns, rows)
		p.sayLeftOut(list.Ignored)
		p.sayNotKept(ctx, api)
	})
}

func (p Program) sayNoCalls(ctx context.Context, c *client.Client, q client.CallQuery) {
	status, err := c.Status(ctx)
	if err != nil {
		return
	}
	if q.Text != "" || q.Service != "" || q.Lane != "" {
		p.say("none of the %d calls in the log fits", status.CallsStored)
		return
	}
	p.say("no call was received yet")
	p.say("point your program at %s/SERVICE", status.Traffic)
}

func (p Program) sayNotKept(ctx context.Context, c *client.Client) {
	if status, err := c.Status(ctx); err == nil {
		p.sayMissing("", status)
	}
}

// sayMissing tells of calls that the log does not have.
func (p Program) sayMissing(indent string, s api.Status) {
	if s.CallsNotKept > 0 {
		p.say("%snot in the log: %s that the service answered", indent, counted(int(s.CallsNotKept), "call"))
	}
	if s.CallsMissing != "" {
		p.say("%s%s", indent, s.CallsMissing)
	}
}

// tailColumns are those of calls; in a pipe none gives way.
func (p Program) tailColumns() []column {
	columns := slices.Clone(callColumns)
	for i := range columns {
		if p.width() == 0 {
			columns[i].gives = 0
		}
	}
	return columns
}

// tailWidths are the columns of a list whose later rows are not known.
func (p Program) tailWidths() []int {
	fixed := []int{8, 0, 6, 0, 9, 7}
	width := p.width()
	if width == 0 {
		width = 100 // where nothing is cut, longer ones stand out
	}
	rest := width - len(gap)*(len(fixed)-1)
	for _, w := range fixed {
		rest -= w
	}
	fixed[3] = max(minFlexible, rest*2/5)
	fixed[1] = max(minFlexible, rest-fixed[3])
	return fixed
}

func (p Program) callsTail(ctx context.Context, c *cli.Command) error {
	_, environment, err := p.connect(c)
	if err != nil {
		return err
	}
	stream, err := environment.Follow(ctx, queryOf(c), "")
	if err != nil {
		return err
	}
	defer stream.Close()
	if c.String("output") == asTable {
		writeRows(p.Out, p.tailColumns(), p.tailWidths(), nil, true)
	}
	return p.eachBatch(ctx, environment, stream, func(batch api.Batch) error { return p.tailBatch(c, batch) })
}

// eachBatch takes what a stream tells until ctx ends, or the service.
func (p Program) eachBatch(ctx context.Context, environment *client.Client, stream *client.Stream, take func(api.Batch) error) error {
	for {
		batch, err := stream.Next()
		switch {
		case ctx.Err() != nil:
			return nil
		case errors.Is(err, io.EOF):
			return fmt.Errorf("the service at %s has stopped", environment.URL())
		case err != nil:
			return err
		}
		if err := take(batch); err != nil {
			return err
		}
	}
}

func (p Program) tailBatch(c *cli.Command, batch api.Batch) error {
	if batch.Skipped > 0 {
		fmt.Fprintf(p.Err, "… %d calls arrived too fast to show here; the log has them\n", batch.Skipped)
	}
	if c.String("output") != asTable { // one JSON object a line, for programs that ask for calls
		for _, call := range batch.Calls {
			if err := json.NewEncoder(p.Out).Encode(call); err != nil {
				return err
			}
		}
		return nil
	}
	entries := batch.Entries
	for _, call := range batch.Calls {
		for len(entries) > 0 && entries[0].At.Before(call.At) { // it may be why the answer is another
			p.sayEntry(entries[0])
			entries = entries[1:]
		}
		row := callRow(call)
		if under := underOf(call); under != "" {
			row[3] += " (" + under + ")"
		}
		writeRows(p.Out, p.tailColumns(), p.tailWidths(), [][]string{row}, false)
	}
	for _, e := range entries {
		p.sayEntry(e)
	}
	return nil
}

// sayEntry is a change between calls.
func (p Program) sayEntry(e api.Entry) { p.say("── %s", entryLine(e)) }

func checkShell(shell string) error {
	if shell == "sh" || shell == "powershell" {
		return nil
	}
	return fmt.Errorf("shell must be sh or powershell, not %q", shell)
}

func (p Program) callsShow(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "the id of a CALL")
	if err != nil {
		return err
	}
	call, err := api.Call(ctx, given[0])
	if err != nil {
		return err
	}
	repeat := call.Curl
	if c.String("shell") == "powershell" {
		repeat = call.PowerShell
	}
	return p.print(c, call, nil, func() { p.sayCall(call, repeat) })
}

func (p Program) sayCall(call api.CallDetail, repeat string) {
	p.say("%s", call.Explanation.Sentence)
	p.say("")
	at := call.At.Local().Format("2006-01-02 15:04:05.000")
	if call.Source == "callback" {
		p.say("call      %s at %s to %s", call.ID, at, call.Host)
	} else {
		p.say("call      %s at %s from %s", call.ID, at, call.Caller)
	}
	if call.Cause != "" {
		p.say("after     %s (rapidmimic calls show %s)", call.Cause, call.Cause)
	}
	for i, c := range call.Callbacks {
		p.say("%-8s  %s  %s %s%s  %s", map[bool]string{true: "calls", false: ""}[i == 0], c.ID, c.Method, c.Host, c.Path, statusText(c.Status))
	}
	if call.Trace != "" {
		p.say("trace     %s (rapidmimic calls --text trace:%s)", call.Trace, call.Trace)
	}
	if call.Certificate != "" {
		p.say("shows     %s", call.Certificate)
	}
	p.say("took      %s", timingText(call))
	if call.Lane != "" {
		p.say("lane      %s", call.Lane)
	}
	if call.Scenario != "" {
		p.say("scenario  %s", call.Scenario)
	}
	if len(call.Injected) > 0 {
		p.say("injected  %s", injectedText(call.Injected))
	}
	p.say("repeat    %s", repeat)
	p.sayChangedSince(call)
	p.saySteps(call)
	if len(call.DeviationList) > 0 {
		p.say("")
		p.say("breaks the contract")
		for _, d := range call.DeviationList {
			p.say("  %s, %s: %s", d.Side, d.Where, d.Detail)
		}
	}
	target := call.Path
	if call.Query != "" {
		target += "?" + call.Query
	}
	p.sayMessage(fmt.Sprintf("request   %s %s %s", call.Method, target, call.Protocol), call.Request)
	if up := call.Upstream; up != nil {
		p.sayMessage(fmt.Sprintf("sent on   %s %s", up.Method, up.Target), up.Request)
		if up.Answer != nil {
			p.sayMessage(fmt.Sprintf("upstream  %d, before it was edited", up.Status), *up.Answer)
		}
	}
	if call.Source == "callback" {
		p.sayMessage("answer    "+statusText(call.Status), call.Answer)
		return
	}
	p.sayMessage(fmt.Sprintf("answer    %d, by %s %s", call.Status, call.Source, call.By), call.Answer)
}

// saySteps says why a call was answered as it was.
func (p Program) saySteps(call api.CallDetail) {
	if len(call.Explanation.Steps) == 0 {
		return
	}
	p.say("")
	p.say("why")
	rows := make([][]string, len(call.Explanation.Steps))
	for i, step := range call.Explanation.Steps {
		rows[i] = []string{"  " + step.Verdict, step.Subject, step.Reason}
	}
	columns := []column{{}, {}, {}}
	writeRows(p.Out, columns, widths(1<<20, columns, rows), rows, false)
}

// sayChangedSince says what was changed since a call was answered, so that it may be answered
// otherwise now.
func (p Program) sayChangedSince(call api.CallDetail) {
	if call.Environment == "" || call.Source == "callback" {
		return
	}
	if len(call.ChangedSince) == 0 {
		p.say("since     no change to what answers")
		return
	}
	for i, e := range call.ChangedSince {
		p.say("%-8s  %s", map[bool]string{true: "since", false: ""}[i == 0], entryLine(e))
	}
	if call.MoreSince {
		p.say("          and more: rapidmimic activity --service %s", call.Service)
	}
	p.say("compare   rapidmimic activity diff %s", call.Environment)
}

// timingText is where the time of a call went.
func timingText(call api.CallDetail) string {
	t := call.Timing
	if call.Source == "callback" {
		return fmt.Sprintf("%.3f ms until it was answered", call.TookMs)
	}
	text := fmt.Sprintf("%.3f ms: reading %.3f, deciding %.3f", call.TookMs, t.ReadMs, t.DecideMs)
	if t.AskMs > 0 {
		text += fmt.Sprintf(", asking the upstream %.3f", t.AskMs)
	}
	if t.WaitMs > 0 {
		text += fmt.Sprintf(", held back %.3f", t.WaitMs)
	}
	return text + fmt.Sprintf(", sending %.3f", t.SendMs)
}

// statusText is a status; a call that was never answered has none.
func statusText(status int) string {
	if status == 0 {
		return "none"
	}
	return strconv.Itoa(status)
}

func (p Program) sayMessage(title string, m api.Message) {
	p.say("")
	p.say("%s", title)
	for _, h := range m.Headers {
		p.say("  %s: %s", h[0], h[1])
	}
	switch {
	case m.Size == 0:
		p.say("  (no body)")
	case len(m.Parts) > 0:
		for _, part := range m.Parts {
			p.say("")
			p.say("  part %s, %s, %s", cmp.Or(part.ID, "without a name"), cmp.Or(part.ContentType, "of no type"), counted(part.Size, "byte"))
			if part.Text != "" {
				p.say("%s", indented(part.Text, "  "))
			}
		}
	case m.Encoding == "base64":
		p.say("  (%d bytes that are no text; -o json has them)", m.Size)
	default:
		p.say("")
		p.say("%s", indented(m.Body, "  "))
	}
	if m.Truncated {
		p.say("  (cut: the log keeps the beginning of %d bytes)", m.Size)
	}
}

func (p Program) callsClear(ctx context.Context, c *cli.Command) error {
	for _, flag := range []string{"service", "text", "last", "ignored"} { // given to calls
		if c.IsSet(flag) {
			return usage("calls clear empties the whole log, and takes no --%s", flag)
		}
	}
	_, api, err := p.connect(c)
	if err != nil {
		return err
	}
	if err := api.ClearCalls(ctx); err != nil {
		return err
	}
	p.say("the log is empty; services and mappings are as they were")
	return nil
}
