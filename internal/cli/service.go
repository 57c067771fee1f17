package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/tree"
)

func (p Program) serviceCommand() *cli.Command {
	return &cli.Command{
		Name:         "service",
		Usage:        "list, show, change and remove services",
		OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "all services with their addresses", UsageText: "rapidmimic service list",
				OnUsageError: usageError, Action: p.serviceList,
			},
			{
				Name: "create", Usage: "make a service without a contract", ArgsUsage: "NAME",
				UsageText: "rapidmimic service create moorings --upstream https://office.example", OnUsageError: usageError,
				Flags:  []cli.Flag{&cli.StringFlag{Name: "title", Usage: "its title"}, &cli.StringFlag{Name: "upstream", Usage: "base `URL` of the real thing"}},
				Action: p.serviceCreate,
			},
			{
				Name: "show", Usage: "one service and what it answers", ArgsUsage: "SERVICE",
				UsageText: "rapidmimic service show moorings", OnUsageError: usageError,
				ShellComplete: p.completeServices, Action: p.serviceShow,
			},
			{
				Name: "set", Usage: "change settings of a service", ArgsUsage: "SERVICE",
				UsageText: "rapidmimic service set moorings --seed 7\nrapidmimic service set moorings --fresh --cors=false\nrapidmimic service set moorings --example getBerth=taken\nrapidmimic service set moorings --upstream https://office.example --mode relay", OnUsageError: usageError,
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "name", Usage: "new `NAME`, which changes the address"},
					&cli.StringFlag{Name: "title", Usage: "new title"},
					&cli.Int64Flag{Name: "seed", Usage: "`NUMBER` that makes the same call get the same generated data"},
					&cli.BoolFlag{Name: "fresh", Usage: "take the seed away: fresh data on each call"},
					&cli.BoolFlag{Name: "cors", Usage: "let browser pages of other origins call"},
					&cli.StringSliceFlag{Name: "example", Usage: "`OPERATION=NAME`: which named example answers; OPERATION= takes the choice back"},
					&cli.BoolFlag{Name: "hints", Usage: "let callers ask for something in one request: a lane, a scenario, an example, a status, a delay"},
					&cli.BoolFlag{Name: "reveal", Usage: "tell callers in a header who answered"},
					&cli.StringFlag{Name: "conformance", Usage: "what becomes of calls that break the contract: report, refuse or off"},
					&cli.StringFlag{Name: "security", Usage: "what becomes of calls without the credentials that the contract demands: report, refuse or off"},
					&cli.StringFlag{Name: "memory", Usage: "on has the service remember what calls create, off has it forget"},
					&cli.StringFlag{Name: "upstream", Usage: "base `URL` of the real thing; empty for none"},
					&cli.BoolFlag{Name: "yes", Usage: "list hosts of the public internet, too: whoever trusts the authority gets what the service answers instead"},
					&cli.StringFlag{Name: "hosts", Usage: "`NAMES` of hosts whose calls are for the service, with commas between them; empty for none"},
					&cli.StringFlag{Name: "mode", Usage: "answer calls, or relay them to the upstream"},
					&cli.StringSliceFlag{Name: "user", Usage: "`NAME=VARIABLE` of who may call it by SOAP, and of the variable with the password; NAME= for not any more"},
					&cli.StringFlag{Name: "understood-headers", Usage: "`NAMESPACES` of SOAP headers that it is taken to understand beside those of its contract, with commas between them, * for all"},
					&cli.StringFlag{Name: "noise", Usage: "`NAMES` of query parameters that say only when or how a call came, with commas between them, * for any letters"},
					&cli.StringFlag{Name: "otherwise", Usage: "what answers when no mapping does: `WAYS` of example, generated, upstream, miss, with commas between them"},
					&cli.BoolFlag{Name: "keep-with-us", Usage: "change redirects and cookies of the upstream so that callers stay here"},
					&cli.StringFlag{Name: "stream-every", Usage: "`TIME` between the items of streams that the contract answers, such as 500ms; 0s for at once"},
					&cli.StringFlag{Name: "callbacks", Usage: "make the calls that contract and mappings have for after an answer: on, off, or how, such as '{ after: 2s, retries: 3 }'"},
					&cli.StringFlag{Name: "callback-hosts", Usage: "`HOSTS` of this machine and of private networks that they may go to, with commas between them, such as localhost or *.test"},
					&cli.BoolFlag{Name: "echo", Usage: "answer with the caller's own values in properties of the same name"},
				},
				ShellComplete: p.completeServices, Action: p.serviceSet,
			},
			{
				Name: "remove", Usage: "remove a service with its contract and mappings", ArgsUsage: "SERVICE",
				UsageText: "rapidmimic service remove moorings", OnUsageError: usageError,
				ShellComplete: p.completeServices, Action: p.serviceRemove,
			},
			{
				Name: "restore", Usage: "bring a service back that was removed within 30 days", ArgsUsage: "SERVICE",
				UsageText: "rapidmimic service restore moorings", OnUsageError: usageError, Action: p.serviceRestore,
			},
		},
	}
}

// completeServices completes the names of services from the running service.
func (p Program) completeServices(ctx context.Context, c *cli.Command) {
	api, err := p.client(c)
	if err != nil {
		return
	}
	services, err := api.Services(ctx)
	if err != nil {
		return
	}
	for _, s := range services {
		p.say("%s", s.Name)
	}
}

func (p Program) serviceList(ctx context.Context, c *cli.Command) error {
	_, api, err := p.connect(c)
	if err != nil {
		return err
	}
	services, err := api.Services(ctx)
	if err != nil {
		return err
	}
	return p.print(c, services, func() ([]byte, error) { return api.ServicesYAML(ctx) }, func() {
		if len(services) == 0 {
			p.say("there is no service yet")
			p.say("try       rapidmimic import CONTRACT.yaml")
			return
		}
		rows := make([][]string, len(services))
		for i, s := range services {
			rows[i] = []string{s.Name, s.Address, strconv.Itoa(s.Operations), strconv.Itoa(s.Mappings), strconv.Itoa(sum(s.LastMinute)), sourcesText(s.LastMinute)}
		}
		writeTable(p.Out, p.width(), []column{
			{title: "SERVICE"}, {title: "ADDRESS"}, {title: "OPERATIONS", right: true}, {title: "MAPPINGS", right: true},
			{title: "CALLS/MIN", right: true}, {title: "ANSWERED BY", gives: sourceGives},
		}, rows)
	})
}

func sum(counts map[string]int) (total int) {
	for _, n := range counts {
		total += n
	}
	return total
}

// sourcesText lists who answered: "contract 12, miss 3".
func sourcesText(counts map[string]int) string {
	var parts []string
	for _, source := range []string{"mapping", "contract", "upstream", "miss", "self"} {
		if n := counts[source]; n > 0 {
			parts = append(parts, fmt.Sprintf("%s %d", source, n))
		}
	}
	return strings.Join(parts, ", ")
}

func (p Program) serviceShow(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	service, err := api.Service(ctx, given[0])
	if err != nil {
		return err
	}
	operations, err := api.Operations(ctx, given[0])
	if err != nil {
		return err
	}
	return p.print(c, service, func() ([]byte, error) { return api.ServiceYAML(ctx, given[0]) }, func() { p.sayService(service, operations) })
}

func (p Program) sayService(s api.Service, operations []api.Operation) {
	p.say("%s  %s", s.Name, s.Title)
	p.say("address   %s", s.Address)
	if s.Contract != nil {
		p.say("contract  %s, %s, revision %d from %s", strings.TrimSpace(strconv.Quote(s.Contract.Title)+" "+s.Contract.Version), s.Contract.Format, s.Contract.Revision, s.Contract.File)
	}
	if s.Contract != nil {
		for i, server := range s.Contract.Servers {
			about, _, _ := strings.Cut(cmp.Or(server.Name, server.Description), "\n")
			p.say("%-9s %s", map[bool]string{true: "original"}[i == 0], strings.TrimSuffix(server.Address+", "+about, ", "))
		}
	}
	if s.Contract != nil && len(s.Contract.Tokens) > 0 {
		p.say("tokens    at %s", strings.Join(s.Contract.Tokens, ", "))
	}
	if s.Seed != nil {
		p.say("data      seed %d: the same call gets the same data", *s.Seed)
	}
	if s.Upstream != "" {
		p.say("upstream  %s, mode %s", cmp.Or(s.UpstreamNow, s.Upstream), s.Mode)
		if s.UpstreamNow != "" {
			p.say("          from %s", s.Upstream)
		}
		if s.UpstreamFault != "" {
			p.say("          cannot be asked: %s", s.UpstreamFault)
		}
	}
	if len(s.Hosts) > 0 {
		p.say("hosts     %s", strings.Join(s.Hosts, ", "))
	}
	p.say("settings  cors %t, reveal %t, hints %t, echo %t, conformance %s, security %s", s.CORS, s.Reveal, s.Hints, s.Echo, s.Conformance, cmp.Or(s.Security, spec.SecurityReport))
	if !s.Memory.IsZero() {
		p.say("memory    on (rapidmimic memory show %s)", s.Name)
	}
	if s.Callbacks.On {
		p.say("callbacks on%s", hostsText(s.Callbacks.Hosts))
	}
	if len(s.Users) > 0 {
		p.say("users     %s", strings.Join(slices.Sorted(maps.Keys(s.Users)), ", "))
	}
	if len(s.UnderstoodHeaders) > 0 {
		p.say("headers   of %s are understood", strings.Join(s.UnderstoodHeaders, ", "))
	}
	p.say("calls     %d in the last minute  %s", sum(s.LastMinute), sourcesText(s.LastMinute))
	p.say("mappings  %d", s.Mappings)
	if len(operations) == 0 {
		return
	}
	p.say("")
	p.sayOperations(operations)
}

// hostsText says to which hosts of private networks callbacks may go.
func hostsText(hosts []string) string {
	if len(hosts) == 0 {
		return ", to public addresses"
	}
	return ", also to " + strings.Join(hosts, ", ")
}

// answerText says how an operation answers now.
func answerText(op api.Operation) string {
	switch {
	case op.Skipped != "":
		return "not: " + op.Skipped
	case len(op.MappedBy) > 0:
		return "mapping " + op.MappedBy[0] + of(op.MappedOrigin)
	case op.Memory != "":
		return fmt.Sprintf("%d, from memory (%s)", op.Status, op.Memory)
	case op.Body == "none":
		return fmt.Sprintf("%d, no body", op.Status)
	case op.Example != "" && op.ExampleOrigin == "" && len(op.Examples) > 1:
		return fmt.Sprintf("%d, example %q (%s)", op.Status, op.Example, otherExamples(op))
	case op.Example != "":
		return fmt.Sprintf("%d, example %q%s", op.Status, op.Example, of(op.ExampleOrigin))
	default:
		return fmt.Sprintf("%d, %s", op.Status, op.Body)
	}
}

// of says of which lane or scenario something is, nothing for everybody's.
func of(origin string) string {
	if origin == "" {
		return ""
	}
	return " of " + origin
}

// otherExamples lists what else an operation could answer: "also taken, unknown".
func otherExamples(op api.Operation) string {
	var names []string
	for _, e := range op.Examples {
		if e.Name != op.Example {
			names = append(names, e.Name)
		}
	}
	return "also " + strings.Join(names, ", ")
}

func (p Program) serviceCreate(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a NAME")
	if err != nil {
		return err
	}
	document := spec.NewService(given[0])
	document.Title, document.Upstream = c.String("title"), c.String("upstream")
	service, err := api.CreateService(ctx, document)
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, service, nil, func() {
		p.say("%s  created; it answers nothing yet", service.Name)
		p.say("address   %s", service.Address)
		if service.Upstream != "" {
			p.say("try       rapidmimic record %s --name NAME", service.Name)
			return
		}
		p.say("try       rapidmimic mapping put %s -f FILE", service.Name)
	})
}

func (p Program) serviceSet(ctx context.Context, c *cli.Command) error {
	given, err := args(c, "a SERVICE")
	if err != nil {
		return err
	}
	if c.Bool("yes") {
		ctx = client.Confirmed(ctx)
	}
	patch := map[string]any{}
	for _, name := range []string{"name", "title", "seed", "cors", "reveal", "hints", "echo", "conformance", "security", "memory", "upstream", "mode"} {
		if c.IsSet(name) {
			patch[name] = c.Value(name)
		}
	}
	if c.IsSet("keep-with-us") {
		patch["keepWithUs"] = c.Bool("keep-with-us")
	}
	if c.IsSet("stream-every") {
		patch["streamEvery"] = c.String("stream-every")
	}
	if c.IsSet("hosts") {
		patch["hosts"] = strings.FieldsFunc(c.String("hosts"), func(r rune) bool { return r == ',' || r == ' ' })
	}
	if c.IsSet("user") {
		users := make(map[string]any)
		for _, given := range c.StringSlice("user") {
			name, variable, is := strings.Cut(given, "=")
			if users[name] = variable; variable == "" {
				users[name] = nil
			}
			if !is || name == "" {
				return usage("--user is NAME=VARIABLE, such as mara=maraPassword, not %q", given)
			}
		}
		patch["users"] = users
	}
	if c.IsSet("understood-headers") {
		patch["understoodHeaders"] = strings.FieldsFunc(c.String("understood-headers"), func(r rune) bool { return r == ',' || r == ' ' })
	}
	if c.IsSet("noise") {
		patch["noise"] = strings.FieldsFunc(c.String("noise"), func(r rune) bool { return r == ',' || r == ' ' })
	}
	if c.IsSet("otherwise") {
		patch["otherwise"] = strings.FieldsFunc(c.String("otherwise"), func(r rune) bool { return r == ',' || r == ' ' })
	}
	if err := addCallbacks(patch, c); err != nil {
		return err
	}
	if c.Bool("fresh") {
		if c.IsSet("seed") {
			return usage("--seed and --fresh exclude each other")
		}
		patch["seed"] = nil
	}
	if c.IsSet("example") {
		examples, err := exampleChoices(c.StringSlice("example"))
		if err != nil {
			return err
		}
		patch["examples"] = examples
	}
	if len(patch) == 0 {
		return usage("say what to change, such as --seed 7 (%s --help lists the settings)", c.FullName())
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	text, err := json.Marshal(patch)
	if err != nil {
		return err
	}
	service, err := api.PatchService(ctx, given[0], text)
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, service, nil, func() {
		p.say("%s  changed, live on the next call", service.Name)
		if c.IsSet("memory") && service.Memory.On {
			p.say("memory    rapidmimic memory show %s tells what was understood of the contract", service.Name)
		}
		p.say("address   %s", service.Address)
	})
}

// addCallbacks adds what the flags say of callbacks. "on" leaves all else of them as it is.
func addCallbacks(patch map[string]any, c *cli.Command) error {
	hosts := func(text string) []string {
		return strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' })
	}
	if !c.IsSet("callbacks") && !c.IsSet("callback-hosts") {
		return nil
	}
	how := map[string]any{}
	switch text := c.String("callbacks"); text {
	case "on", "":
	case "off":
		if c.IsSet("callback-hosts") {
			return usage("--callbacks off and --callback-hosts exclude each other")
		}
		patch["callbacks"] = text
		return nil
	default:
		n, err := tree.Parse([]byte(text))
		if err == nil {
			err = json.Unmarshal(n.AppendJSON(nil), &how)
		}
		if err != nil {
			return usage("--callbacks must be on, off, or how, such as '{ after: 2s, retries: 3 }', not %q", text)
		}
	}
	if c.IsSet("callback-hosts") {
		how["hosts"] = hosts(c.String("callback-hosts"))
	}
	patch["callbacks"] = how
	return nil
}

// exampleChoices reads OPERATION=NAME; null in a merge patch takes a choice
// back.
func exampleChoices(words []string) (map[string]any, error) {
	choices := map[string]any{}
	for _, word := range words {
		operation, name, ok := strings.Cut(word, "=")
		switch {
		case !ok || operation == "":
			return nil, usage("--example must be OPERATION=NAME, not %q", word)
		case name == "":
			choices[operation] = nil
		default:
			choices[operation] = name
		}
	}
	return choices, nil
}

// serviceRestore brings back a service that was removed: it undoes its removal.
func (p Program) serviceRestore(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	list, err := environment.Activity(ctx, client.ActivityQuery{Service: given[0], Limit: 1000})
	if err != nil {
		return err
	}
	for _, e := range list.Items {
		if e.UndoneBy == "" && slices.Contains(e.Lines, "removed service "+given[0]) {
			undone, err := environment.Undo(ctx, e.ID)
			if err != nil {
				return unchanged(err, "")
			}
			return p.print(c, undone, nil, func() { p.say("%s  is back, live on the next call", given[0]) })
		}
	}
	return fmt.Errorf("no service %s was removed within 30 days (rapidmimic activity --service %s)", given[0], given[0])
}

func (p Program) serviceRemove(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	if err := api.RemoveService(ctx, given[0]); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  removed with its contract and mappings; it is kept for 30 days, its calls stay in the log", given[0])
	return nil
}
