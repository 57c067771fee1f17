package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/tree"
)

func (p Program) memoryCommand() *cli.Command {
	lane := laneFlag("in this `LANE`, which has a copy of its own once it was written to")
	below := &cli.StringSliceFlag{Name: "under", Usage: "`PARAMETER=VALUE` of the path below which it is, where it does not say so itself"}
	return &cli.Command{
		Name: "memory", Usage: "what a service remembers of the calls that it got", OnUsageError: usageError,
		Commands: append([]*cli.Command{
			{
				Name: "show", Usage: "the collections that were found in the contract, and what is done to them", ArgsUsage: "SERVICE", OnUsageError: usageError,
				UsageText:   "rapidmimic memory show moorings",
				Description: "Switch it on by: rapidmimic service set SERVICE --memory on",
				Flags:       []cli.Flag{lane}, ShellComplete: p.completeServices, Action: p.memoryShow,
			},
			{
				Name: "correct", Usage: "say what a collection is, where that was understood wrongly", ArgsUsage: "SERVICE COLLECTION", OnUsageError: usageError,
				UsageText:   "rapidmimic memory correct moorings berths --at /berths --key number\nrapidmimic memory correct customs manifests --create submitManifest --read askClearance --remove cancelManifest\nrapidmimic memory correct moorings bookings --off",
				Description: "It switches memory on. What is left out follows from the contract. The operations are for services whose operations share an address, as those of SOAP do.",
				Flags:       correctFlags, ShellComplete: p.completeServices, Action: p.memoryCorrect,
			},
			{
				Name: "list", Usage: "the items of a collection", ArgsUsage: "SERVICE COLLECTION", OnUsageError: usageError,
				UsageText: "rapidmimic memory list moorings berths\nrapidmimic memory list moorings berths -o yaml > berths.yaml",
				Flags:     []cli.Flag{lane}, ShellComplete: p.completeServices, Action: p.memoryList,
			},
			{
				Name: "put", Usage: "keep items, in the place of those with their keys", ArgsUsage: "SERVICE COLLECTION", OnUsageError: usageError,
				UsageText:   "rapidmimic memory put moorings berths -f berths.yaml\necho '{ number: N1, state: free }' | rapidmimic memory put moorings berths -f -",
				Description: "The file has one item, or a list of them. They are kept as they are, whatever the contract says, and last until a reset.",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "file", Aliases: []string{"f"}, Usage: "a `FILE` with an item or a list of items", Required: true},
					below, lane,
				},
				ShellComplete: p.completeServices, Action: p.memoryPut,
			},
			{
				Name: "remove", Usage: "forget an item", ArgsUsage: "SERVICE COLLECTION KEY", OnUsageError: usageError,
				UsageText: "rapidmimic memory remove moorings berths N7", Flags: []cli.Flag{below, lane}, ShellComplete: p.completeServices, Action: p.memoryRemove,
			},
			{
				Name: "start", Usage: "have a collection begin with these items", ArgsUsage: "SERVICE COLLECTION", OnUsageError: usageError,
				UsageText:   "rapidmimic memory start moorings berths -f berths.yaml\nrapidmimic memory start moorings berths --generate 50\nrapidmimic memory start moorings berths --recording monday",
				Description: "It begins with them at the next reset, and at each start of the service. Left out, the examples of the contract are the starting data.",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "file", Aliases: []string{"f"}, Usage: "a `FILE` with a list of items"},
					&cli.IntFlag{Name: "generate", Usage: "so many items drawn from the schema, the same in every run"},
					&cli.StringFlag{Name: "recording", Usage: "the items that the reads of this `RECORDING` told of"},
				},
				ShellComplete: p.completeServices, Action: p.memoryStart,
			},
			{
				Name: "reset", Usage: "go back to the starting data", ArgsUsage: "SERVICE [COLLECTION]", OnUsageError: usageError,
				UsageText: "rapidmimic memory reset moorings\nrapidmimic memory reset moorings bookings --lane night-run",
				Flags:     []cli.Flag{lane}, ShellComplete: p.completeServices, Action: p.memoryReset,
			},
		}, append(p.valueCommands(), p.flowCommands()...)...),
	}
}

func (p Program) memoryShow(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE")
	if err != nil {
		return err
	}
	memory, err := client.Memory(ctx, given[0], c.String("lane"))
	if err != nil {
		return err
	}
	return p.print(c, memory, nil, func() { p.sayMemory(given[0], memory) })
}

func (p Program) sayMemory(service string, memory api.Memory) {
	if !memory.On {
		p.say("%s remembers nothing", service)
		p.say("try       rapidmimic service set %s --memory on", service)
		return
	}
	if len(memory.Collections) == 0 {
		p.say("no collection was found in the contract of %s", service)
	}
	for _, one := range memory.Collections {
		p.say("%s  %d items, known by %s%s", one.Name, one.Items, cmp.Or(one.Key, "their path"), below(one))
		if one.Unkeyed > 0 {
			p.say("  %d items of the starting data have no %s, and are left out", one.Unkeyed, cmp.Or(one.Key, "key"))
		}
		rows := make([][]string, len(one.Operations))
		for i, op := range one.Operations {
			rows[i] = []string{"  " + op.Does, op.Operation, op.Call}
		}
		writeTable(p.Out, p.width(), []column{{title: "  DOES"}, {title: "OPERATION", gives: titleGives}, {title: "CALL", gives: titleGives}}, rows)
		p.say("")
	}
	for _, one := range memory.Stateless {
		p.say("stateless %s, %s: %s", one.Operation, one.Call, one.Why)
	}
	if memory.Own {
		p.say("the lane has a copy of its own since it was written to")
	}
	if memory.Evicted > 0 {
		p.say("forgotten %d items, since there were too many", memory.Evicted)
	}
}

func below(c api.Collection) string {
	switch {
	case c.Parent == "":
		return ""
	case c.ParentField == "":
		return ", each below one of " + c.Parent
	default:
		return fmt.Sprintf(", each below one of %s, which its %s names", c.Parent, c.ParentField)
	}
}

func (p Program) memoryList(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE", "a COLLECTION")
	if err != nil {
		return err
	}
	items, err := client.Remembered(ctx, given[0], given[1], c.String("lane"))
	if err != nil {
		return err
	}
	documents := func() ([]byte, error) {
		values := make([]*tree.Node, len(items))
		for i, item := range items {
			values[i] = item.Value
		}
		return tree.NewList(values...).YAML()
	}
	return p.print(c, items, documents, func() {
		if len(items) == 0 {
			p.say("%s of %s is empty", given[1], given[0])
			return
		}
		rows := make([][]string, len(items))
		for i, item := range items {
			rows[i] = []string{item.Key, strconv.FormatInt(item.Version, 10), string(item.Value.AppendJSON(nil))}
		}
		writeTable(p.Out, p.width(), []column{{title: "KEY"}, {title: "VERSION", right: true}, {title: "ITEM", gives: titleGives}}, rows)
	})
}

func (p Program) memoryPut(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE", "a COLLECTION")
	if err != nil {
		return err
	}
	under, err := belowOf(c)
	if err != nil {
		return err
	}
	text, file, err := p.readInput(c.String("file"))
	if err != nil {
		return err
	}
	root, err := tree.Parse(text)
	if err != nil {
		return fmt.Errorf("%s: %w (nothing was changed)", cmp.Or(file, "standard input"), err)
	}
	memory, err := client.Memory(ctx, given[0], c.String("lane"))
	if err != nil {
		return err
	}
	key := ""
	for _, one := range memory.Collections {
		if one.Name == given[1] {
			key = one.Key
		}
	}
	items := []*tree.Node{root}
	if root.Kind == tree.List {
		items = root.Items
	}
	for i, item := range items {
		name := item.Get(key)
		if key != "" && (name == nil || name.Text == "") {
			return fmt.Errorf("%s:%d: item %d has no %s to be known by (%d of %d were kept)", cmp.Or(file, "standard input"), item.Line, i+1, key, i, len(items))
		}
		if _, err := client.PutRemembered(ctx, given[0], given[1], textOf(name), c.String("lane"), item.AppendJSON(nil), under); err != nil {
			return fmt.Errorf("item %d: %w (%d of %d were kept)", i+1, err, i, len(items))
		}
	}
	p.say("%s  %d items kept", given[1], len(items))
	return nil
}

// belowOf is what --under says.
func belowOf(c *cli.Command) (map[string]string, error) {
	under := make(map[string]string)
	for _, text := range c.StringSlice("under") {
		name, value, ok := strings.Cut(text, "=")
		if !ok {
			return nil, usage("--under %s is not PARAMETER=VALUE", text)
		}
		under[name] = value
	}
	return under, nil
}

// correctFlags are what can be said of a collection.
var correctFlags = []cli.Flag{
	&cli.StringFlag{Name: "at", Usage: "the `PATH` of its list"},
	&cli.StringFlag{Name: "key", Usage: "the `PROPERTY` that names an item"},
	&cli.StringFlag{Name: "items-at", Usage: "`WHERE` in the answer of the list the items are, such as $.berths"},
	&cli.StringFlag{Name: "create", Usage: "the `OPERATION` that adds an item"},
	&cli.StringFlag{Name: "list", Usage: "the `OPERATION` that lists them"},
	&cli.StringFlag{Name: "read", Usage: "the `OPERATION` that reads one"},
	&cli.StringFlag{Name: "replace", Usage: "the `OPERATION` that replaces one"},
	&cli.StringFlag{Name: "change", Usage: "the `OPERATION` that changes fields of one"},
	&cli.StringFlag{Name: "remove", Usage: "the `OPERATION` that removes one"},
	&cli.BoolFlag{Name: "off", Usage: "leave it to the contract's examples"},
	&cli.BoolFlag{Name: "fresh", Usage: "take back what was said of it"},
}

// memoryCorrect says what a collection is, and leaves what is said of others.
func (p Program) memoryCorrect(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE", "a COLLECTION")
	if err != nil {
		return err
	}
	rule, operations := map[string]any{}, map[string]any{}
	for flag, key := range map[string]string{"at": "at", "key": "key", "items-at": "list"} {
		if c.IsSet(flag) {
			rule[key] = c.String(flag)
		}
	}
	for _, does := range spec.Doings {
		if c.IsSet(does) {
			operations[does] = c.String(does)
		}
	}
	if len(operations) > 0 {
		rule["operations"] = operations
	}
	var said any = rule
	switch {
	case severalOf(len(rule) > 0, c.Bool("off"), c.Bool("fresh")):
		return usage("--off and --fresh stand alone")
	case c.Bool("off"):
		said = "off"
	case c.Bool("fresh"):
		said = nil
	case len(rule) == 0:
		return usage("say what the collection is, such as --key number (%s --help lists it)", c.FullName())
	}
	patch, err := json.Marshal(map[string]any{"memory": map[string]any{given[1]: said}})
	if err != nil {
		return err
	}
	if _, err := client.PatchService(ctx, given[0], patch); err != nil {
		return unchanged(err, "")
	}
	memory, err := client.Memory(ctx, given[0], "")
	if err != nil {
		return err
	}
	return p.print(c, memory, nil, func() { p.sayMemory(given[0], memory) })
}

// memoryStart sets the starting data of a collection, and leaves what is said of others.
func (p Program) memoryStart(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE", "a COLLECTION")
	if err != nil {
		return err
	}
	rule := map[string]any{"items": nil, "generate": nil} // which a merge patch takes out
	told := "the examples of the contract"
	switch file := c.String("file"); {
	case severalOf(file != "", c.IsSet("generate"), c.String("recording") != ""):
		return usage("%s takes one of --file, --generate and --recording", c.FullName())
	case c.String("recording") != "":
		items, err := client.RecordedItems(ctx, given[0], c.String("recording"), given[1])
		if err != nil {
			return unchanged(err, "")
		}
		rule["items"], told = items, counted(len(items), "item")
	case file != "":
		text, name, err := p.readInput(file)
		if err != nil {
			return err
		}
		root, err := tree.Parse(text)
		if err != nil {
			return fmt.Errorf("%s: %w (nothing was changed)", cmp.Or(name, "standard input"), err)
		}
		if root.Kind != tree.List {
			root = tree.NewList(root)
		}
		rule["items"], told = root, fmt.Sprintf("%d items", len(root.Items))
	case c.IsSet("generate"):
		rule["generate"], told = c.Int("generate"), fmt.Sprintf("%d generated items", c.Int("generate"))
	}
	patch, err := json.Marshal(map[string]any{"memory": map[string]any{given[1]: rule}})
	if err != nil {
		return err
	}
	if _, err := client.PatchService(ctx, given[0], patch); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  begins with %s", given[1], told)
	p.say("now       rapidmimic memory reset %s %s", given[0], given[1])
	return nil
}

// severalOf reports whether more than one of several was given.
func severalOf(given ...bool) bool {
	count := 0
	for _, one := range given {
		if one {
			count++
		}
	}
	return count > 1
}

func textOf(n *tree.Node) string {
	if n == nil {
		return ""
	}
	return n.Text
}

func (p Program) memoryRemove(ctx context.Context, c *cli.Command) error {
	given, client, err := p.connect(c, "a SERVICE", "a COLLECTION", "a KEY")
	if err != nil {
		return err
	}
	under, err := belowOf(c)
	if err != nil {
		return err
	}
	if err := client.RemoveRemembered(ctx, given[0], given[1], given[2], c.String("lane"), under); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  has no %s any more", given[1], given[2])
	return nil
}

func (p Program) memoryReset(ctx context.Context, c *cli.Command) error {
	names := []string{"a SERVICE"}
	if c.Args().Len() > 1 {
		names = append(names, "a COLLECTION")
	}
	given, client, err := p.connect(c, names...)
	if err != nil {
		return err
	}
	collection, what := "", "all collections"
	if len(given) > 1 {
		collection, what = given[1], given[1]
	}
	if err := client.ResetMemory(ctx, given[0], collection, c.String("lane")); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  %s back at the starting data", given[0], what)
	return nil
}
