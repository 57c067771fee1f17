package cli

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/urfave/cli/v3"

	"rapidmimic.example/internal/config"
)

// Every flag of serve that is none of the logger's must reach the service.
func TestEveryFlagOfServeReachesTheConfiguration(t *testing.T) {
	parse := func(args ...string) (cfg config.Config) {
		command := &cli.Command{Name: "serve", Flags: serveFlags("/data"), Action: func(_ context.Context, c *cli.Command) error {
			cfg = configOf(c)
			return nil
		}}
		require.NoError(t, command.Run(t.Context(), append([]string{"serve"}, args...)), args)
		return cfg
	}
	usual := parse()
	for _, flag := range serveFlags("/data") {
		name := flag.Names()[0]
		if name == "log-level" || name == "log-json" {
			continue
		}
		arg := "--" + name
		switch flag.(type) {
		case *cli.BoolFlag:
		case *cli.Int64Flag, *cli.IntFlag:
			arg += "=7"
		case *cli.DurationFlag:
			arg += "=7s"
		default:
			arg += map[bool]string{true: "=own", false: "=other"}[name == "tls"]
		}
		assert.NotEqual(t, usual, parse(arg), "%s changes nothing", arg)
	}
}
