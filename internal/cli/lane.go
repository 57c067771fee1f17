package cli

import (
	"context"
	"encoding/json"
	"strconv"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

func (p Program) laneCommand() *cli.Command {
	whenFlags := []cli.Flag{
		&cli.StringSliceFlag{Name: "where", Usage: "a `CONDITION` on calls that belong to it without saying so: '{ header: x-tester, equals: mara }'"},
		&cli.StringFlag{Name: "if", Usage: "an `EXPRESSION` that must be true of such calls"},
	}
	return &cli.Command{
		Name: "lane", Usage: "open private views of the services, for one tester or one test run", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "open", Usage: "open a lane; it expires by itself", ArgsUsage: "[NAME]", OnUsageError: usageError, DisableSliceFlagSeparator: true,
				UsageText: "rapidmimic lane open night-run --scenario no-free-berth --ttl 30m\n" +
					"rapidmimic lane open mara --where '{ caller: 10.2.0.7 }'\nrapidmimic lane open -f night.lane.yaml",
				Flags: append([]cli.Flag{
					&cli.StringFlag{Name: "scenario", Usage: "the `SCENARIO` that is on in it"},
					&cli.StringFlag{Name: "ttl", Usage: "how long it stays open, `TIME`; 1h when left out"},
					&cli.StringFlag{Name: "file", Aliases: []string{"f"}, Usage: "a `FILE` with the whole lane, instead of the flags"},
				}, whenFlags...),
				Action: p.laneOpen,
			},
			{Name: "list", Usage: "the lanes that are open", OnUsageError: usageError, UsageText: "rapidmimic lane list", Action: p.laneList},
			{
				Name: "show", Usage: "one lane: how to be in it, what is on in it, its calls", ArgsUsage: "LANE", OnUsageError: usageError,
				UsageText: "rapidmimic lane show night-run\nrapidmimic lane show night-run -o yaml", Action: p.laneShow, ShellComplete: p.completeLanes,
			},
			{
				Name: "set", Usage: "change what is on in a lane", ArgsUsage: "LANE", OnUsageError: usageError,
				UsageText:   "rapidmimic lane set night-run --ttl 2h\nrapidmimic lane set night-run --example moorings/listBerths=none-free\nrapidmimic lane set night-run --mode tides=relay --off customs",
				Description: "Mappings and impairments of a lane: `mapping put SERVICE --lane LANE`, `impair set SERVICE --lane LANE`.",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "ttl", Usage: "stay open for `TIME` from now on"},
					&cli.StringSliceFlag{Name: "example", Usage: "`SERVICE/OPERATION=EXAMPLE` answers; without EXAMPLE what everybody has"},
					&cli.StringSliceFlag{Name: "mode", Usage: "`SERVICE=MODE`: answer or relay; without MODE what everybody has"},
					&cli.StringSliceFlag{Name: "off", Usage: "switch this `SERVICE` off"},
					&cli.StringSliceFlag{Name: "on", Usage: "switch this `SERVICE` on again, also where its scenario switches it off"},
					&cli.StringFlag{Name: "file", Aliases: []string{"f"}, Usage: "a `FILE` with the whole lane, instead of the flags"},
				},
				Action: p.laneSet, ShellComplete: p.completeLanes,
			},
			{
				Name: "close", Usage: "close a lane: its mappings and settings go, its calls stay", ArgsUsage: "LANE", OnUsageError: usageError,
				UsageText: "rapidmimic lane close night-run", Action: p.laneClose, ShellComplete: p.completeLanes,
			},
		},
	}
}

func (p Program) completeLanes(ctx context.Context, c *cli.Command) {
	api, err := p.client(c)
	if err != nil {
		return
	}
	lanes, err := api.Lanes(ctx)
	if err != nil {
		return
	}
	for _, l := range lanes {
		p.say("%s", l.Name)
	}
}

func (p Program) laneOpen(ctx context.Context, c *cli.Command) error {
	document, file, err := p.laneDocument(c)
	if err != nil {
		return err
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	lane, err := api.OpenLaneFrom(ctx, document)
	if err != nil {
		if !c.IsSet("file") {
			err = asFlags(err)
		}
		return unchanged(err, file)
	}
	return p.print(c, lane, func() ([]byte, error) { return yamlOf(lane.Lane) }, func() { p.sayLane(lane) })
}

// laneDocument is the document of a lane that a command opens.
func (p Program) laneDocument(c *cli.Command) (document []byte, file string, err error) {
	if c.IsSet("file") {
		if _, err := args(c); err != nil {
			return nil, "", err
		}
		return p.readInput(c.String("file"))
	}
	given, err := args(c, "a NAME")
	if err != nil {
		return nil, "", err
	}
	lane := spec.NewLane(given[0])
	lane.Scenario = c.String("scenario")
	if c.IsSet("ttl") {
		if lane.TTL, err = durationOf(c, "ttl"); err != nil {
			return nil, "", err
		}
	}
	where, err := conditionsOf(c)
	if err != nil {
		return nil, "", err
	}
	if len(where) > 0 || c.String("if") != "" {
		lane.When = &spec.LaneRule{Where: where, If: c.String("if")}
	}
	document, err = json.Marshal(lane)
	return document, "", err
}

func (p Program) laneList(ctx context.Context, c *cli.Command) error {
	_, api, err := p.connect(c)
	if err != nil {
		return err
	}
	lanes, err := api.Lanes(ctx)
	if err != nil {
		return err
	}
	return p.print(c, lanes, nil, func() {
		if len(lanes) == 0 {
			p.say("no lane is open")
			p.say("open      rapidmimic lane open NAME")
			return
		}
		rows := make([][]string, len(lanes))
		for i, l := range lanes {
			scenario := l.Active.Scenario
			if scenario == "" {
				scenario = "-"
			}
			rows[i] = []string{l.Name, scenario, strconv.Itoa(len(l.Lines)), strconv.Itoa(sum(l.Calls)), l.By, leftText(l.Until)}
		}
		writeTable(p.Out, p.width(), []column{{title: "LANE"}, {title: "SCENARIO"}, {title: "OWN CHANGES", right: true}, {title: "CALLS", right: true}, {title: "BY"}, {title: "CLOSES IN"}}, rows)
	})
}

// leftText is how long it still is until a time.
func leftText(until time.Time) string {
	return spec.Duration(max(0, time.Until(until)).Round(time.Second)).String()
}

func (p Program) laneShow(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a LANE")
	if err != nil {
		return err
	}
	lane, err := api.Lane(ctx, given[0])
	if err != nil {
		return err
	}
	return p.print(c, lane, func() ([]byte, error) { return yamlOf(lane.Lane) }, func() { p.sayLane(lane) })
}

func (p Program) sayLane(lane api.Lane) {
	p.say("%-9s open until %s", lane.Name, lane.Until.Local().Format(time.TimeOnly))
	if lane.Active.Scenario != "" {
		p.say("scenario  %s", lane.Active.Scenario)
	}
	for i, line := range lane.Lines {
		p.say("%-9s %s", map[bool]string{true: "changes"}[i == 0], line)
	}
	p.say("address   %s/SERVICE", lane.Address)
	p.say("or send   %s", lane.Header)
	p.say("or send   %s", lane.Baggage)
	if lane.When != nil {
		p.say("or by     its rule: rapidmimic lane show %s -o yaml", lane.Name)
	}
	if n := sum(lane.Calls); n > 0 {
		p.say("calls     %d  %s", n, sourcesText(lane.Calls))
	}
	p.say("close     rapidmimic lane close %s", lane.Name)
}

func (p Program) laneSet(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a LANE")
	if err != nil {
		return err
	}
	if c.IsSet("file") {
		document, file, err := p.readInput(c.String("file"))
		if err != nil {
			return err
		}
		lane, err := api.PutLane(ctx, given[0], document)
		if err != nil {
			return unchanged(err, file)
		}
		p.sayLane(lane)
		return nil
	}
	patch, err := lanePatch(c)
	if err != nil {
		return err
	}
	lane, err := api.Lane(ctx, given[0])
	if err != nil {
		return err
	}
	if c.IsSet("ttl") {
		ttl, err := durationOf(c, "ttl")
		if err != nil {
			return err
		}
		patch["ttl"] = spec.Duration(time.Since(lane.Opened).Round(time.Second)) + ttl
	}
	if lane, err = patchLane(ctx, api, given[0], patch); err != nil {
		return unchanged(asFlags(err), "")
	}
	if lane, err = switchOn(ctx, api, lane, c.StringSlice("on")); err != nil {
		return err
	}
	return p.print(c, lane, func() ([]byte, error) { return yamlOf(lane.Lane) }, func() { p.sayLane(lane) })
}

func patchLane(ctx context.Context, api *client.Client, name string, patch map[string]any) (lane api.Lane, err error) {
	document, err := json.Marshal(patch)
	if err != nil {
		return lane, err
	}
	return api.PatchLane(ctx, name, document)
}

// switchOn switches those services of a lane on that are off although the lane does
// not say so itself: its scenario does.
func switchOn(ctx context.Context, environment *client.Client, lane api.Lane, services []string) (api.Lane, error) {
	if len(services) == 0 {
		return lane, nil
	}
	status, err := environment.LaneStatus(ctx, lane.Name)
	if err != nil {
		return lane, err
	}
	on := make(map[string]any)
	for _, service := range services {
		if status.Modes[service] == "off" {
			on[service] = map[string]any{"off": false}
		}
	}
	if len(on) == 0 {
		return lane, nil
	}
	return patchLane(ctx, environment, lane.Name, map[string]any{"services": on})
}

func (p Program) laneClose(ctx context.Context, c *cli.Command) error {
	given, api, err := p.connect(c, "a LANE")
	if err != nil {
		return err
	}
	lane, err := api.CloseLane(ctx, given[0])
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, lane, nil, func() {
		p.say("closed    %s; it had %s", lane.Name, counted(sum(lane.Calls), "call"))
		p.say("calls     rapidmimic calls --lane %s", lane.Name)
	})
}

// lanePatch is the JSON Merge Patch that the flags of a command write.
func lanePatch(c *cli.Command) (map[string]any, error) {
	services := make(map[string]map[string]any)
	set := func(service, key string, value any) {
		if services[service] == nil {
			services[service] = make(map[string]any)
		}
		services[service][key] = value
	}
	// left out means null, which takes a key out of the document
	orNull := func(text string) any {
		if text == "" {
			return nil
		}
		return text
	}
	for _, text := range c.StringSlice("example") {
		place, example, named := strings.Cut(text, "=")
		service, operation, both := strings.Cut(place, "/")
		if !named || !both {
			return nil, usage("--example must be SERVICE/OPERATION=EXAMPLE, not %q", text)
		}
		examples, _ := services[service]["examples"].(map[string]any)
		if examples == nil {
			examples = make(map[string]any)
		}
		examples[operation] = orNull(example)
		set(service, "examples", examples)
	}
	for _, text := range c.StringSlice("mode") {
		service, mode, named := strings.Cut(text, "=")
		if !named {
			return nil, usage("--mode must be SERVICE=MODE, not %q", text)
		}
		set(service, "mode", orNull(mode))
	}
	for _, service := range c.StringSlice("off") {
		set(service, "off", true)
	}
	for _, service := range c.StringSlice("on") {
		set(service, "off", nil)
	}
	patch := make(map[string]any)
	if len(services) > 0 {
		patch["services"] = services
	}
	if len(patch) == 0 && !c.IsSet("ttl") {
		return nil, usage("%s needs a change: --ttl, --example, --mode, --off, --on or --file", c.FullName())
	}
	return patch, nil
}
