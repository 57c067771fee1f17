package config_test

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/config"
)

func TestCheck(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*config.Config)
		want   string
	}{
		"as it comes":           {func(*config.Config) {}, ""},
		"traffic may be open":   {func(c *config.Config) { c.Traffic = "0.0.0.0:7401" }, ""},
		"IPv6 loopback":         {func(c *config.Config) { c.Control = "[::1]:0" }, ""},
		"localhost":             {func(c *config.Config) { c.Control = "localhost:7400" }, ""},
		"control may not":       {func(c *config.Config) { c.Control = "192.0.2.1:7400" }, "--tls-cert FILE --tls-key FILE"},
		"nor everywhere":        {func(c *config.Config) { c.Control = ":7400" }, "--open-control"},
		"with TLS it may":       {func(c *config.Config) { c.Control, c.TLSOwn, c.Names = ":7400", true, []string{"mimic.qa.test"} }, ""},
		"a name is needed":      {func(c *config.Config) { c.TLSOwn = true }, "give it with --name"},
		"half a certificate":    {func(c *config.Config) { c.TLSCert = "a.pem" }, "go together"},
		"two certificates":      {func(c *config.Config) { c.TLSCert, c.TLSKey, c.TLSOwn = "a", "b", true }, "one or the other"},
		"a name that is none":   {func(c *config.Config) { c.Names = []string{"https://x"} }, "--name is the name"},
		"unless it is said":     {func(c *config.Config) { c.Control, c.OpenControl = ":7400", true }, ""},
		"no port":               {func(c *config.Config) { c.Traffic = "localhost" }, `--traffic "localhost": must be host:port`},
		"a port that is none":   {func(c *config.Config) { c.Traffic = "localhost:99999" }, "must be a number up to 65535"},
		"metrics for others":    {func(c *config.Config) { c.Metrics = ":7403" }, "name an address of this machine"},
		"metrics here":          {func(c *config.Config) { c.Metrics = "127.0.0.1:7403" }, ""},
		"metrics of no port":    {func(c *config.Config) { c.Metrics = "localhost" }, `--metrics "localhost"`},
		"a limit below nothing": {func(c *config.Config) { c.KeepCalls = -1 }, "--keep-calls must not be negative"},
	} {
		t.Run(name, func(t *testing.T) {
			cfg := config.Config{Data: "here", Control: config.DefaultControl, Traffic: config.DefaultTraffic}
			c.change(&cfg)
			err := cfg.Check()
			if c.want == "" {
				assert.NoError(t, err)
				assert.True(t, filepath.IsAbs(cfg.Data))
			} else {
				assert.ErrorContains(t, err, c.want)
			}
		})
	}
}

func TestTheDataFolderDoesNotDependOnWhereOneStands(t *testing.T) {
	t.Setenv("XDG_DATA_HOME", "/somewhere")
	assert.Equal(t, "/somewhere/rapidmimic", config.DefaultData())
	t.Setenv("XDG_DATA_HOME", "relative")
	t.Setenv("HOME", "/home/tester")
	assert.Equal(t, "/home/tester/.local/share/rapidmimic", config.DefaultData())
}

func TestWhereTokensAreAskedFor(t *testing.T) {
	for address, want := range map[string]bool{"127.0.0.1:7400": false, "localhost:7400": false, ":7400": true, "10.0.0.7:7400": true} {
		assert.Equal(t, want, (&config.Config{Control: address}).AsksForTokens(), address)
		assert.True(t, (&config.Config{Control: address, NeedTokens: true}).AsksForTokens(), address)
	}
}
