// Package cli is the command line. Its commands speak to a running service
// through package client only; `serve` and `demo` also start one, by a
// function that main passes in.
//
// There is one file for each noun. What they print goes through output.go and
// table.go.
package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"regexp"
	"strings"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"rapidmimic.example/client"
	"rapidmimic.example/internal/config"
	"rapidmimic.example/spec/problem"
)

// Serve runs a service until ctx ends and calls ready once it answers.
type Serve func(ctx context.Context, cfg config.Config, logger *slog.Logger, ready func(config.Addresses)) error

// Program is the whole command line.
type Program struct {
	Serve Serve
	// RecoverToken creates an administrator's token in the data folder of a service that is
	// stopped, and returns its secret.
	RecoverToken func(ctx context.Context, data, name string, logger *slog.Logger) (secret string, err error)

	// Restore puts a backup into the data folder of a service that is stopped.
	Restore  func(ctx context.Context, file, data string, over bool, logger *slog.Logger) error
	Version  string
	In       io.Reader
	Out, Err io.Writer

	terminal *os.File // that Out writes to; nil for none
	changed  *changed // what a command changed
}

// changed is the environment that a command talked to, where it prints for people.
type changed struct{ environment *client.Client }

// sayUndo tells how to take back what a command has changed.
func (p Program) sayUndo() {
	if e := p.changed.environment; e != nil && e.LastEntry() != "" {
		p.say("undo      rapidmimic undo %s", e.LastEntry())
	}
}

// Run carries out a command line and returns the exit code.
func (p Program) Run(ctx context.Context, args []string) int {
	p.Err = harmlessWriter{p.Err}
	if file, ok := p.Out.(*os.File); ok && term.IsTerminal(int(file.Fd())) {
		p.terminal, p.Out = file, harmlessWriter{file}
	}
	p.changed = &changed{}
	err := p.command().Run(ctx, args)
	if err != nil {
		p.report(err)
	} else {
		p.sayUndo()
	}
	return exitCode(err)
}

func (p Program) command() *cli.Command {
	root := &cli.Command{
		Name:    "rapidmimic",
		Usage:   "stands in for the HTTP services your programs depend on",
		Version: p.Version,
		Description: "Start a service with `rapidmimic serve`, give it a contract with `rapidmimic import`,\n" +
			"point your program at the address that comes back, and watch it with `rapidmimic calls tail`.",
		Writer: p.Out, ErrWriter: p.Err, Reader: p.In,
		EnableShellCompletion: true, Suggest: true,
		ExitErrHandler: func(context.Context, *cli.Command, error) {},
		OnUsageError:   usageError,
		CommandNotFound: func(_ context.Context, c *cli.Command, name string) {
			fmt.Fprintf(p.Err, "%q is not a command of rapidmimic (rapidmimic --help lists them)\n", name)
		},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "url", Usage: "control address of the service; else the one of login, or " + client.DefaultURL, Sources: cli.EnvVars("RAPIDMIMIC_URL")},
			&cli.StringFlag{Name: "as", Usage: "`NAME` under which your changes are kept", Sources: cli.EnvVars("RAPIDMIMIC_AS", "USER", "USERNAME")},
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Usage: "table, json or yaml", Value: "table", Validator: checkOutput},
		},
		Commands: []*cli.Command{
			p.serveCommand(), p.demoCommand(), p.importCommand(), p.contractCommand(), p.serviceCommand(), p.operationCommand(), p.mappingCommand(), p.payloadCommand(), p.scriptCommand(), p.applyCommand(), p.exportCommand(), p.recordCommand(), p.recordingCommand(), p.digestCommand(), p.impairCommand(), p.scenarioCommand(), p.laneCommand(), p.memoryCommand(), p.webhookCommand(), p.walkCommand(), p.variablesCommand(), p.activityCommand(), p.undoCommand(), p.markCommand(), p.backToCommand(), p.backupCommand(), p.restoreCommand(), p.logLevelCommand(), p.tokenCommand(), p.loginCommand(), p.logoutCommand(), p.statusCommand(), p.caCommand(), p.reachCommand(),
			p.callsCommand(), p.explainCommand(), p.findCommand(),
		},
		Action: func(_ context.Context, c *cli.Command) error {
			if c.Args().Len() > 0 {
				return usage("%q is not a command of rapidmimic (rapidmimic --help lists them)", c.Args().First())
			}
			return cli.ShowRootCommandHelp(c)
		},
	}
	for _, c := range root.Commands {
		keepFlags(c)
	}
	return root
}

// keepFlags has commands keep their flags to themselves: one below them that does not know a flag
// refuses it, rather than take it and do more than was asked.
func keepFlags(c *cli.Command) {
	for _, flag := range c.Flags {
		switch f := flag.(type) {
		case *cli.StringFlag:
			f.Local = true
		case *cli.StringSliceFlag:
			f.Local = true
		case *cli.BoolFlag:
			f.Local = true
		case *cli.IntFlag:
			f.Local = true
		case *cli.Int64Flag:
			f.Local = true
		case *cli.IntSliceFlag:
			f.Local = true
		case *cli.DurationFlag:
			f.Local = true
		default:
			panic(fmt.Sprintf("flag %v of %s goes to what is below it", flag.Names(), c.Name))
		}
	}
	for _, below := range c.Commands {
		keepFlags(below)
	}
}

// client connects to the service that the flags name.
func (p Program) client(c *cli.Command) (*client.Client, error) {
	address := ""
	if c.IsSet("url") {
		address = c.String("url")
	}
	environment, err := p.clientOf(c, address, os.Getenv("RAPIDMIMIC_TOKEN"))
	if err != nil {
		return nil, err
	}
	if p.changed != nil && c.String("output") == "table" && c.Name != "undo" {
		p.changed.environment = environment
	}
	return environment, nil
}

// clientOf connects to an address, "" for the environment that somebody logged in to, or the
// usual one; with a token, or where that is "" the one that is kept for it.
func (p Program) clientOf(c *cli.Command, address, token string) (*client.Client, error) {
	kept, err := readCredentials()
	if err != nil {
		return nil, err
	}
	address = strings.TrimSuffix(cmp.Or(address, kept.Current, client.DefaultURL), "/")
	environment, err := client.NewAs(address, c.String("as"))
	if err != nil {
		return nil, err
	}
	environment.SetAgent("rapidmimic/" + p.Version)
	environment.SetToken(cmp.Or(token, kept.token(address)))
	if authority := kept.At[address].Authority; authority != "" {
		err = environment.Trust([]byte(authority))
	}
	return environment, err
}

// connect is how most commands begin: it takes exactly the named arguments,
// and connects to the service.
func (p Program) connect(c *cli.Command, names ...string) (given []string, api *client.Client, err error) {
	if given, err = args(c, names...); err != nil {
		return nil, nil, err
	}
	api, err = p.client(c)
	return given, api, err
}

// errUsage marks wrong usage: exit code 2.
var errUsage = errors.New("usage")

func usage(format string, args ...any) error {
	return fmt.Errorf("%w: %s", errUsage, fmt.Sprintf(format, args...))
}

func usageError(_ context.Context, c *cli.Command, err error, _ bool) error {
	return usage("%s (%s --help shows what it takes)", flagFault(c, err), c.FullName())
}

// What the library says of a flag that is not there, of a value that one cannot
// have, and what flags take in words, by what could not be read.
var (
	noFlag    = regexp.MustCompile(`^flag provided but not defined: -+([\w-]+)`)
	badValue  = regexp.MustCompile(`^invalid value "(.*)" for flag -+([\w-]+): (?:strconv\.(\w+): )?(.*)$`)
	flagKinds = map[string]string{"ParseInt": "a whole number", "ParseUint": "a whole number", "ParseFloat": "a number", "ParseBool": "true or false"}
)

// flagFault says in our words what is wrong with a flag.
func flagFault(c *cli.Command, err error) string {
	if m := noFlag.FindStringSubmatch(err.Error()); m != nil {
		fault := fmt.Sprintf("--%s is not a flag of %s", m[1], c.FullName())
		if near := problem.Closest(m[1], flagNames(c)); near != "" {
			fault += fmt.Sprintf(" (--%s?)", near)
		}
		return fault
	}
	m := badValue.FindStringSubmatch(err.Error())
	switch {
	case m == nil:
		return err.Error()
	case flagKinds[m[3]] != "":
		return fmt.Sprintf("--%s must be %s, not %q", m[2], flagKinds[m[3]], m[1])
	default: // said by us, with the name of the flag
		return m[4]
	}
}

func flagNames(c *cli.Command) (names []string) {
	for _, flags := range [][]cli.Flag{c.Flags, c.Root().Flags} { // see keepFlags
		for _, flag := range flags {
			names = append(names, flag.Names()...)
		}
	}
	return names
}

// args returns exactly the named arguments of a command.
func args(c *cli.Command, names ...string) ([]string, error) {
	given := c.Args().Slice()
	if len(given) < len(names) {
		return nil, usage("%s needs %s (%s --help has an example)", c.FullName(), names[len(given)], c.FullName())
	}
	if len(given) > len(names) {
		return nil, usage("%s does not take %q (%s --help has an example)", c.FullName(), given[len(names)], c.FullName())
	}
	return given, nil
}

// argsFrom returns at least the named arguments of a command, and what follows
// them.
func argsFrom(c *cli.Command, names ...string) (given, rest []string, err error) {
	all := c.Args().Slice()
	if len(all) < len(names) {
		return nil, nil, usage("%s needs %s (%s --help has an example)", c.FullName(), names[len(all)], c.FullName())
	}
	return all[:len(names)], all[len(names):], nil
}

// errDoesNotHold marks an assertion that was checked and does not hold: exit
// code 3. What is wrong was printed already.
var errDoesNotHold = errors.New("it does not hold")

// exitCode is what a command line ends with: 0 done, 1 failed or undecidable,
// 2 wrong usage, 3 an assertion does not hold.
func exitCode(err error) int {
	switch {
	case err == nil:
		return 0
	case errors.Is(err, errDoesNotHold):
		return 3
	case errors.Is(err, errUsage):
		return 2
	default:
		return 1
	}
}

// report prints an error: its places first, each on a line, then what it is.
func (p Program) report(err error) {
	var known *problem.Error
	switch {
	case errors.Is(err, context.Canceled), errors.Is(err, errDoesNotHold), errors.Is(err, errSaid):
	case errors.Is(err, errUsage):
		fmt.Fprintln(p.Err, strings.TrimPrefix(err.Error(), errUsage.Error()+": "))
	case !errors.As(err, &known):
		fmt.Fprintln(p.Err, err)
	default:
		for _, item := range known.Items {
			fmt.Fprintln(p.Err, item)
			p.sayHint(item.Hint)
		}
		fmt.Fprintln(p.Err, known.Detail)
		p.sayHint(known.Hint)
		if known.Code == problem.Unreachable {
			fmt.Fprintln(p.Err, "the address comes from --url or RAPIDMIMIC_URL; `rapidmimic serve` starts a service")
		}
	}
}

// asFlags takes the places out of an error that are in a document which flags wrote.
func asFlags(err error) error {
	var known *problem.Error
	if errors.As(err, &known) {
		for i := range known.Items {
			known.Items[i].Line, known.Items[i].Col, known.Items[i].At = 0, 0, ""
		}
	}
	return err
}

// unchanged adds to an error of an edit that it had no effect, and in which
// file its places are. After a fault of the service nobody knows whether it had.
func unchanged(err error, file string) error {
	var known *problem.Error
	if !errors.As(err, &known) || known.Code == problem.Unreachable {
		return err
	}
	told := *known
	told.Items = append([]problem.Item(nil), known.Items...)
	for i := range told.Items {
		if told.Items[i].File == "" {
			told.Items[i].File = file
		}
	}
	if known.Code == problem.Internal {
		told.Detail += "\nwhether anything was changed is in `rapidmimic activity`"
	} else {
		told.Detail += "\nnothing was changed"
	}
	return &told
}
