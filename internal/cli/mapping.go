package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/client"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/tree"
)

func (p Program) mappingCommand() *cli.Command {
	return &cli.Command{
		Name:         "mapping",
		Usage:        "put, list, change, undo and remove mappings",
		OnUsageError: usageError,
		Commands: append([]*cli.Command{
			{
				Name: "put", Usage: "create or replace the mappings of a document, all or none", ArgsUsage: "SERVICE",
				UsageText: "rapidmimic mapping put moorings -f night.mappings.yaml\nrapidmimic mapping show moorings berth-by-number > berth.yaml   # change it, then\nrapidmimic mapping put moorings -f berth.yaml",
				Description: "A document holds one mapping or a list of them, in YAML or JSON:\n\n" +
					"   id: berth-by-number\n   call:   { method: GET, path: \"/berths/{number}\" }\n   answer: { status: 503, json: { title: Harbour office closed } }\n\n" +
					"A document that mapping show wrote names the version that it was read at. When somebody\nchanged the mapping in the meantime, it is refused, and both are shown. After a put, the\nversion in the file is the new one.",
				OnUsageError: usageError,
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "file", Aliases: []string{"f"}, Usage: "the document's `FILE`, - for standard input"},
					laneFlag("only in this `LANE`, above what everybody has"),
					overTheirsFlag(),
				},
				ShellComplete: p.completeServices, Action: p.mappingPut,
			},
			{
				Name: "try", Usage: "which of the last calls a mapping would answer, without keeping it", ArgsUsage: "SERVICE",
				UsageText:    "rapidmimic mapping try moorings -f night.yaml\nrapidmimic mapping try moorings -f night.yaml --call c-81f3",
				OnUsageError: usageError,
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "file", Aliases: []string{"f"}, Usage: "the document's `FILE`, - for standard input"},
					&cli.IntFlag{Name: "last", Usage: "on how many of the last `CALLS`", Value: 20},
					&cli.StringFlag{Name: "call", Usage: "show what the call with this `ID` would get"},
				},
				ShellComplete: p.completeServices, Action: p.mappingTry,
			},
			{
				Name: "list", Usage: "the mappings of a service", ArgsUsage: "SERVICE [MAPPING ...]",
				UsageText: "rapidmimic mapping list moorings\nrapidmimic mapping list moorings --label night\nrapidmimic mapping list moorings --problems\nrapidmimic mapping list moorings --lane night-run",
				Description: "--problems lists those that never answer, then those that break the contract, then\nthose that did not answer since the start; --removed those that are gone and can be\n" +
					"restored. --lane lists what answers in a lane, its own ones and those of its scenario\nfirst; --lane - what answers calls in none, with the scenario that is on for everybody.",
				Flags: append(selectFlags(),
					laneFlag(asSeenIn),
					&cli.BoolFlag{Name: "problems", Usage: "only mappings with a problem"},
					&cli.BoolFlag{Name: "removed", Usage: "mappings that were removed"}),
				OnUsageError:  usageError,
				ShellComplete: p.completeServices, Action: p.mappingList,
			},
			{
				Name: "show", Usage: "mappings as a document that can be put back", ArgsUsage: "SERVICE [MAPPING ...]",
				UsageText: "rapidmimic mapping show moorings berth-by-number > berth.yaml\nrapidmimic mapping show moorings --label night\nrapidmimic mapping show moorings berth-by-number --version 12\nrapidmimic mapping show moorings berth-by-number --lane night-run", OnUsageError: usageError,
				Description:   "The document names the version that it has, as its etag: mapping put refuses it when\nsomebody changed the mapping in the meantime.",
				Flags:         append(selectFlags(), &cli.Int64Flag{Name: "version", Usage: "as it was at this `VERSION`"}, laneFlag(asSeenIn)),
				ShellComplete: p.completeServices, Action: p.mappingShow,
			},
		}, append(append(p.mappingEditCommands(), p.mappingVersionCommands()...), p.boundaryCommands()...)...),
	}
}

// fewMappings is how many changed mappings are named one by one.
const fewMappings = 20

func (p Program) sayPut(service string, r api.PutReport) {
	if len(r.Items) > fewMappings {
		p.say("%s  %s created, %d changed, %d unchanged, live on the next call", service, counted(r.Created, "mapping"), r.Changed, r.Unchanged)
	} else {
		for _, item := range r.Items {
			live := "live on the next call"
			if !item.Live {
				live = "does not answer yet"
			}
			p.say("%s  %s, %s, %s", item.ID, item.Outcome, item.Call, live)
		}
	}
	for _, item := range r.Items {
		for _, w := range item.Warnings {
			p.say("warning   %s: %s", item.ID, w.Detail)
		}
		for _, d := range item.Deviations {
			p.say("warning   %s breaks the contract, %s: %s", item.ID, d.Where, d.Detail)
		}
	}
}

func (p Program) mappingList(ctx context.Context, c *cli.Command) error {
	service, which, err := selectionOf(c)
	if err != nil {
		return err
	}
	api, err := p.client(c)
	if err != nil {
		return err
	}
	if c.Bool("removed") {
		return p.mappingRemoved(ctx, c, service, api)
	}
	which.Problem, which.Lane = c.Bool("problems"), c.String("lane")
	mappings, err := api.SelectMappings(ctx, service, which)
	if err != nil {
		return err
	}
	document := func() ([]byte, error) { return documentsYAML(mappings) }
	return p.print(c, mappings, document, func() {
		switch {
		case len(mappings) > 0:
		case which.Problem:
			p.say("%s has no mapping with a problem", service)
			return
		case which.Label+which.Text != "" || len(which.IDs) > 0:
			p.say("%s has no such mapping", service)
			return
		default:
			p.say("%s has no mapping yet", service)
			p.say("try       rapidmimic mapping put %s -f FILE", service)
			return
		}
		p.sayMappings(mappings)
		p.sayWhatIsOn(ctx, api, which.Lane, "mapping list "+service)
	})
}

func (p Program) sayMappings(mappings []api.Mapping) {
	rows := make([][]string, len(mappings))
	for i, m := range mappings {
		calls := ""
		if m.Calls != nil {
			calls = strconv.FormatInt(m.Calls.Total, 10)
		}
		rows[i] = []string{m.ID, asks(m.Call), statusesText(m), calls, stateText(m), labelled(m)}
	}
	writeTable(p.Out, p.width(), []column{
		{title: "MAPPING"}, {title: "CALL", gives: pathGives}, {title: "STATUS", right: true},
		{title: "CALLS", right: true}, {title: "STATE", gives: sourceGives}, {title: "TITLE", gives: titleGives},
	}, rows)
	for _, m := range mappings {
		if m.Problem != "" {
			p.say("problem   %s: %s", m.ID, m.Problem)
		}
	}
}

// statusesText lists the statuses that a mapping answers with, in their order.
func statusesText(m api.Mapping) string {
	var statuses []string
	for _, a := range m.Answers() {
		switch {
		case a.Status.Expr != "":
			statuses = append(statuses, "${…}")
		case a.Status.Code == 0: // that of what it starts from
			statuses = append(statuses, strings.Replace(a.From, spec.FromMapping, "as ", 1))
		default:
			statuses = append(statuses, a.Status.String())
		}
	}
	return strings.Join(slices.Compact(statuses), ", ")
}

func documentsYAML(mappings []api.Mapping) ([]byte, error) {
	list := tree.NewList()
	for _, m := range mappings {
		list.Items = append(list.Items, spec.WithETag(m.Document(), m.ETag))
	}
	return list.YAML()
}

// labelled is the title of a mapping behind its labels.
func labelled(m api.Mapping) string {
	return strings.TrimSpace(strings.Join(hashed(m.Labels), " ") + " " + m.Title)
}

func hashed(labels []string) []string {
	out := make([]string, len(labels))
	for i, label := range labels {
		out[i] = "#" + label
	}
	return out
}

func methodsText(m api.Mapping) string {
	if len(m.Call.Method) == 0 {
		return "any"
	}
	return strings.Join(m.Call.Method, "|")
}

func stateText(m api.Mapping) string {
	state := "off"
	if m.Enabled {
		state = "on"
	}
	if m.OffBy != "" {
		state = "off by " + m.OffBy
	}
	if m.Origin != "" {
		state += ", of " + m.Origin
	}
	if m.Rank != 0 {
		state += ", rank " + strconv.Itoa(m.Rank)
	}
	if len(m.Deviations) > 0 {
		state += ", deviates"
	}
	return state
}

func (p Program) mappingShow(ctx context.Context, c *cli.Command) error {
	service, which, err := selection(c)
	if err != nil {
		return err
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	if version := c.Int64("version"); version != 0 {
		if len(which.IDs) != 1 {
			return usage("--version is of one MAPPING")
		}
		text, err := environment.MappingVersionYAML(ctx, service, which.IDs[0], version)
		if err != nil {
			return err
		}
		fmt.Fprintf(p.Out, "%s", text)
		return nil
	}
	which.Lane = c.String("lane")
	if len(which.IDs) == 1 && which.Label+which.Text == "" {
		return p.mappingShowOne(ctx, c, environment, service, which)
	}
	mappings, err := environment.SelectMappings(ctx, service, which)
	if err != nil {
		return err
	}
	text, err := documentsYAML(mappings)
	if err != nil {
		return err
	}
	return p.print(c, mappings, func() ([]byte, error) { return text, nil }, func() { fmt.Fprintf(p.Out, "%s", text) })
}

func (p Program) mappingShowOne(ctx context.Context, c *cli.Command, environment *client.Client, service string, which client.Selection) error {
	m, err := environment.LaneMapping(ctx, which.Lane, service, which.IDs[0])
	if err != nil {
		return err
	}
	text, err := environment.LaneMappingYAML(ctx, which.Lane, service, which.IDs[0])
	if err != nil {
		return err
	}
	return p.print(c, m, func() ([]byte, error) { return text, nil }, func() { fmt.Fprintf(p.Out, "%s", text) })
}

// mostTelling is how many words a list says of what a mapping asks for beside its path.
const mostTelling = 4

// asks says what calls a mapping is for: GET /slots limit=1.
func asks(p spec.Pattern) string {
	text := p.String()
	if len(p.Method) == 0 && p.Path != "" {
		text = "any " + p.Path
	}
	telling := p.Telling()
	if len(telling) > mostTelling {
		telling = append(telling[:mostTelling:mostTelling], "…")
	}
	return strings.TrimSpace(text + " " + strings.Join(telling, " "))
}
