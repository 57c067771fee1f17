package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/testscript"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/demo"
	"rapidmimic.example/internal/config"
)

// The scripts read like sessions. Each has a service of its own at
// $RAPIDMIMIC_URL, with its traffic port at $TRAFFIC, the demo's files, and another
// service that plays what is real: $REAL, with its traffic port at $REAL_TRAFFIC.
func TestCommandLine(t *testing.T) {
	t.Parallel()
	testscript.Run(t, testscript.Params{
		Dir: "testdata/scripts",
		Setup: func(env *testscript.Env) error {
			s := start(env.T().(testing.TB), config.Config{})
			env.Setenv("RAPIDMIMIC_URL", s.control)
			env.Setenv("TRAFFIC", s.traffic)
			another := start(env.T().(testing.TB), config.Config{})
			env.Setenv("REAL", another.control)
			env.Setenv("REAL_TRAFFIC", another.traffic)
			env.Setenv("PATH", filepath.Dir(binary)+":"+env.Getenv("PATH"))
			for _, name := range []string{"moorings.yaml", "tides.yaml", "moorings.mappings.yaml"} {
				text, err := demo.File(name)
				if err != nil {
					return err
				}
				if err := os.WriteFile(filepath.Join(env.WorkDir, name), text, 0o600); err != nil {
					return err
				}
			}
			return nil
		},
		Cmds: map[string]func(ts *testscript.TestScript, neg bool, args []string){
			// code N COMMAND ARGS: the command ends with this exit code
			"code": func(ts *testscript.TestScript, _ bool, args []string) {
				err := ts.Exec(args[1], args[2:]...)
				got := "0"
				if err != nil {
					got = regexp.MustCompile(`\d+$`).FindString(err.Error())
				}
				if got != args[0] {
					ts.Fatalf("exit code %s, want %s", got, args[0])
				}
			},
			// waitfor COMMAND TEXT...: runs the command until it prints all of the texts
			"waitfor": func(ts *testscript.TestScript, _ bool, args []string) {
				words := strings.Fields(strings.ReplaceAll(args[0], `\ `, "\x00"))
				for i := range words {
					words[i] = strings.ReplaceAll(words[i], "\x00", " ")
				}
				for end := time.Now().Add(15 * time.Second); ; time.Sleep(50 * time.Millisecond) {
					err := ts.Exec(words[0], words[1:]...)
					out := ts.ReadFile("stdout")
					if err == nil && !slices.ContainsFunc(args[1:], func(text string) bool { return !strings.Contains(out, text) }) {
						return
					}
					if time.Now().After(end) {
						ts.Fatalf("%s does not print %q: %s", args[0], args[1:], out)
					}
				}
			},
			// get PATH: calls the traffic port and prints the body
			"get": func(ts *testscript.TestScript, _ bool, args []string) {
				ts.Check(ts.Exec("curl", "-s", ts.Getenv("TRAFFIC")+args[0]))
			},
		},
	})
}

func TestTheServiceSaysWhyItCannotStart(t *testing.T) {
	s := start(t, config.Config{})
	folder := t.TempDir()
	file := filepath.Join(folder, "file")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	for name, c := range map[string]struct {
		args []string
		want string
	}{
		"a taken port":        {[]string{"--control", s.control[len("http://"):], "--traffic", "127.0.0.1:0", "--data", folder}, `--control \S+ is taken by another program \(--control names another address\)`},
		"the other port":      {[]string{"--control", "127.0.0.1:0", "--traffic", s.traffic[len("http://"):], "--data", folder}, `--traffic \S+ is taken`},
		"a taken proxy port":  {[]string{"--control", "127.0.0.1:0", "--traffic", "127.0.0.1:0", "--proxy", s.control[len("http://"):], "--data", folder}, `--proxy \S+ is taken`},
		"an open proxy":       {[]string{"--control", "127.0.0.1:0", "--traffic", "127.0.0.1:0", "--proxy", "0.0.0.0:7402", "--data", folder}, `--open-proxy allows it all the same`},
		"data that is in use": {[]string{"--control", "127.0.0.1:0", "--traffic", "127.0.0.1:0", "--data", s.data}, `is in use by another Rapid Mimic \(--data names another\)`},
		"data that is a file": {[]string{"--data", file}, `data folder \S+ cannot be made: not a directory \(--data names another\)`},
		"an open control":     {[]string{"--control", "0.0.0.0:7400", "--data", folder}, `--tls own --name mimic.qa.test`},
		"no port":             {[]string{"--traffic", "127.0.0.1", "--data", folder}, `--traffic "127.0.0.1": must be host:port`},
	} {
		t.Run(name, func(t *testing.T) {
			if !slices.Contains(c.args, "--proxy") {
				c.args = append(c.args, "--proxy", "")
			}
			out, code := runBinary(t, append([]string{"serve"}, c.args...)...)
			require.Equal(t, 1, code, out)
			require.Regexp(t, c.want, out)
			require.Regexp(t, `^[^\n]*\n$`, out, "one clear line")
		})
	}
}
