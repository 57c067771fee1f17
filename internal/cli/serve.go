package cli

import (
	"context"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/internal/config"
)

func (p Program) serveCommand() *cli.Command {
	return &cli.Command{
		Name:         "serve",
		Usage:        "run the service until it is stopped",
		UsageText:    "rapidmimic serve\nrapidmimic serve --data ./environment --traffic 0.0.0.0:7401",
		OnUsageError: usageError,
		Flags:        serveFlags(config.DefaultData()),
		Action: func(ctx context.Context, c *cli.Command) error {
			if _, err := args(c); err != nil {
				return err
			}
			return p.serve(ctx, c, configOf(c), func(a config.Addresses) { p.sayAddresses("Rapid Mimic is ready", a) })
		},
	}
}

// serveFlags are the flags of everything that starts a service.
func serveFlags(data string) []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "data", Usage: "`FOLDER` that keeps definitions and calls", Value: data, Sources: cli.EnvVars("RAPIDMIMIC_DATA")},
		&cli.StringFlag{Name: "control", Usage: "`HOST:PORT` of console and API", Value: config.DefaultControl, Sources: cli.EnvVars("RAPIDMIMIC_CONTROL")},
		&cli.StringFlag{Name: "traffic", Usage: "`HOST:PORT` that your programs call", Value: config.DefaultTraffic, Sources: cli.EnvVars("RAPIDMIMIC_TRAFFIC")},
		&cli.BoolFlag{Name: "open-control", Usage: "let everybody look who reaches a control address beyond this machine, without token and TLS", Sources: cli.EnvVars("RAPIDMIMIC_OPEN_CONTROL")},
		&cli.BoolFlag{Name: "tokens", Usage: "ask for tokens on this machine, too", Sources: cli.EnvVars("RAPIDMIMIC_TOKENS")},
		&cli.IntFlag{Name: "requests-per-second", Usage: "how many requests to the API one token may make; 0 for any number", Value: 100, Sources: cli.EnvVars("RAPIDMIMIC_REQUESTS_PER_SECOND")},
		&cli.IntFlag{Name: "changes-per-minute", Usage: "how many of them may change something; 0 for any number", Value: 1200, Sources: cli.EnvVars("RAPIDMIMIC_CHANGES_PER_MINUTE")},
		&cli.IntFlag{Name: "lanes-per-token", Usage: "how many lanes one token may have open; 0 for any number", Value: 100, Sources: cli.EnvVars("RAPIDMIMIC_LANES_PER_TOKEN")},
		&cli.IntFlag{Name: "lane-calls-per-second", Usage: "how many calls the programs of one lane may make, where tokens are asked for; 0 for any number", Value: 5000, Sources: cli.EnvVars("RAPIDMIMIC_LANE_CALLS_PER_SECOND")},
		&cli.StringFlag{Name: "metrics", Usage: "`HOST:PORT` on this machine that gives the metrics without a token", Sources: cli.EnvVars("RAPIDMIMIC_METRICS")},
		&cli.StringFlag{Name: "sign-in", Usage: "address of the provider of OpenID Connect at which people sign in, beside tokens", Sources: cli.EnvVars("RAPIDMIMIC_SIGN_IN")},
		&cli.StringFlag{Name: "sign-in-client", Usage: "`ID` by which the provider knows this environment", Sources: cli.EnvVars("RAPIDMIMIC_SIGN_IN_CLIENT")},
		&cli.StringFlag{Name: "sign-in-secret", Usage: "`SECRET` that goes with it, where the provider wants one; better by RAPIDMIMIC_SIGN_IN_SECRET", Sources: cli.EnvVars("RAPIDMIMIC_SIGN_IN_SECRET")},
		&cli.StringSliceFlag{Name: "sign-in-groups", Usage: "the role of a group, such as qa-leads=admin or *=viewer; may be given several times", Sources: cli.EnvVars("RAPIDMIMIC_SIGN_IN_GROUPS")},
		&cli.StringFlag{Name: "sign-in-claim", Usage: "claim that names the groups", Value: "groups", Sources: cli.EnvVars("RAPIDMIMIC_SIGN_IN_CLAIM")},
		&cli.DurationFlag{Name: "sign-in-for", Usage: "how long a session is", Value: 12 * time.Hour, Sources: cli.EnvVars("RAPIDMIMIC_SIGN_IN_FOR")},
		&cli.StringFlag{Name: "tls-cert", Usage: "`FILE` with the certificate of the ports and those above it, read again when it changes", Sources: cli.EnvVars("RAPIDMIMIC_TLS_CERT")},
		&cli.StringFlag{Name: "tls-key", Usage: "`FILE` with the key of the certificate", Sources: cli.EnvVars("RAPIDMIMIC_TLS_KEY")},
		&cli.StringFlag{Name: "tls", Usage: "own: have our own authority make the certificate, for --name", Sources: cli.EnvVars("RAPIDMIMIC_TLS"), Validator: checkTLS},
		&cli.StringFlag{Name: "client-ca", Usage: "`FILE` with authorities: programs may show a certificate of theirs, which calls then tell", Sources: cli.EnvVars("RAPIDMIMIC_CLIENT_CA")},
		&cli.StringSliceFlag{Name: "name", Usage: "`NAME` or address by which others reach this machine, such as mimic.qa.test; may be given several times", Sources: cli.EnvVars("RAPIDMIMIC_NAME")},
		&cli.BoolFlag{Name: "accept-loss", Usage: "start although the database has lost its newest changes"},
		&cli.BoolFlag{Name: "import-urls", Usage: "allow contracts to be imported from http and https addresses", Sources: cli.EnvVars("RAPIDMIMIC_IMPORT_URLS")},
		&cli.BoolFlag{Name: "import-private", Usage: "allow that from addresses of this machine and of private networks too", Sources: cli.EnvVars("RAPIDMIMIC_IMPORT_PRIVATE")},
		&cli.StringFlag{Name: "proxy", Usage: "`HOST:PORT` of the proxy for programs that cannot be re-pointed; empty for none", Value: "127.0.0.1:7402", Sources: cli.EnvVars("RAPIDMIMIC_PROXY")},
		&cli.BoolFlag{Name: "proxy-asks", Usage: "have the proxy ask programs for a user name, which is their lane (- for none); browsers give one only then", Sources: cli.EnvVars("RAPIDMIMIC_PROXY_ASKS")},
		&cli.BoolFlag{Name: "open-proxy", Usage: "allow a proxy address beyond this machine; then it reaches only hosts that a service lists", Sources: cli.EnvVars("RAPIDMIMIC_OPEN_PROXY")},
		&cli.BoolFlag{Name: "no-upstream", Usage: "forbid every call to an upstream, for CI", Sources: cli.EnvVars("RAPIDMIMIC_NO_UPSTREAM")},
		&cli.StringSliceFlag{Name: "upstreams", Usage: "call this `HOST` alone, such as office.example or *.test; may be given several times", Sources: cli.EnvVars("RAPIDMIMIC_UPSTREAMS")},
		&cli.StringSliceFlag{Name: "intercept", Usage: "let services list this `HOST` alone, such as office.example or *.test; may be given several times", Sources: cli.EnvVars("RAPIDMIMIC_INTERCEPT")},
		&cli.StringSliceFlag{Name: "origins", Usage: "pages of this `ORIGIN`, such as https://*.office.test, may use hints and lanes, beside those of this machine", Sources: cli.EnvVars("RAPIDMIMIC_ORIGINS")},
		&cli.StringSliceFlag{Name: "mask", Usage: "one more `NAME` of headers, members, parameters, fields and elements whose values are masked in the log", Sources: cli.EnvVars("RAPIDMIMIC_MASK")},
		&cli.StringSliceFlag{Name: "mask-not", Usage: "a `NAME` whose values are shown, although it looks like that of a secret", Sources: cli.EnvVars("RAPIDMIMIC_MASK_NOT")},
		&cli.StringFlag{Name: "digest-key", Usage: "`KEY` by which recordings know secrets again, that of another environment (its digest.key) to play back what it recorded; that of the data folder when left out", Sources: cli.EnvVars("RAPIDMIMIC_DIGEST_KEY")},
		&cli.BoolFlag{Name: "no-scripts", Usage: "run no scripts of mappings", Sources: cli.EnvVars("RAPIDMIMIC_NO_SCRIPTS")},
		&cli.BoolFlag{Name: "keep-memory", Usage: "keep what services remember over restarts; a crash loses the last second", Sources: cli.EnvVars("RAPIDMIMIC_KEEP_MEMORY")},
		&cli.Int64Flag{Name: "keep-calls", Usage: "how many calls the log keeps", Value: 100_000, Sources: cli.EnvVars("RAPIDMIMIC_KEEP_CALLS")},
		&cli.Int64Flag{Name: "keep-bytes", Usage: "how many bytes of headers and bodies the log keeps", Value: 512 << 20, Sources: cli.EnvVars("RAPIDMIMIC_KEEP_BYTES")},
		&cli.Int64Flag{Name: "body-limit", Usage: "how many bytes of one body the log keeps", Value: 1 << 20, Sources: cli.EnvVars("RAPIDMIMIC_BODY_LIMIT")},
		&cli.Int64Flag{Name: "record-limit", Usage: "how many bytes of one body recordings keep", Value: 64 << 20, Sources: cli.EnvVars("RAPIDMIMIC_RECORD_LIMIT")},
		&cli.Int64Flag{Name: "max-body", Usage: "how many bytes of a body are held where an answer depends on it", Value: 10 << 20, Sources: cli.EnvVars("RAPIDMIMIC_MAX_BODY")},
		&cli.Int64Flag{Name: "memory-limit", Usage: "how many bytes of memory the service may use; 0 for four fifths of its container's, else half of the machine's", Sources: cli.EnvVars("RAPIDMIMIC_MEMORY_LIMIT")},
		&cli.IntFlag{Name: "max-connections", Usage: "how many connections the traffic port and the proxy may have open, each; 0 for what the system allows, less a reserve", Sources: cli.EnvVars("RAPIDMIMIC_MAX_CONNECTIONS")},
		&cli.DurationFlag{Name: "header-timeout", Usage: "how long a caller may take to send the head of a request", Value: config.DefaultHeaderTimeout, Sources: cli.EnvVars("RAPIDMIMIC_HEADER_TIMEOUT")},
		&cli.DurationFlag{Name: "body-timeout", Usage: "how long a caller may take to send a body, and one second more for each 10 kB", Value: config.DefaultBodyTimeout, Sources: cli.EnvVars("RAPIDMIMIC_BODY_TIMEOUT")},
		&cli.DurationFlag{Name: "write-timeout", Usage: "how long a caller may take to read an answer, likewise; injected delays and slow lines do not count", Value: config.DefaultWriteTimeout, Sources: cli.EnvVars("RAPIDMIMIC_WRITE_TIMEOUT")},
		&cli.DurationFlag{Name: "idle-timeout", Usage: "how long a connection may rest between two calls", Value: config.DefaultIdleTimeout, Sources: cli.EnvVars("RAPIDMIMIC_IDLE_TIMEOUT")},
		&cli.StringFlag{Name: "log-level", Usage: "debug, info, warn or error", Value: "info", Sources: cli.EnvVars("RAPIDMIMIC_LOG_LEVEL"), Validator: checkLevel},
		&cli.BoolFlag{Name: "log-json", Usage: "write the log as JSON", Sources: cli.EnvVars("RAPIDMIMIC_LOG_JSON")},
	}
}

func checkTLS(way string) error {
	if way != "own" && way != "" {
		return usage("tls must be own, not %q (--tls-cert and --tls-key name files)", way)
	}
	return nil
}

func checkLevel(name string) error {
	var level slog.Level
	if err := level.UnmarshalText([]byte(name)); err != nil {
		return usage("log-level must be debug, info, warn or error, not %q", name)
	}
	return nil
}

func configOf(c *cli.Command) config.Config {
	return config.Config{
		Data: c.String("data"), Control: c.String("control"), Traffic: c.String("traffic"), OpenControl: c.Bool("open-control"), NeedTokens: c.Bool("tokens"),
		SignIn: c.String("sign-in"), SignInClient: c.String("sign-in-client"), SignInSecret: c.String("sign-in-secret"), SignInGroups: c.StringSlice("sign-in-groups"), SignInClaim: c.String("sign-in-claim"), SignInFor: c.Duration("sign-in-for"),
		RequestsPerSecond: c.Int("requests-per-second"), ChangesPerMinute: c.Int("changes-per-minute"),
		Metrics: c.String("metrics"), LanesPerToken: c.Int("lanes-per-token"), LaneCallsPerSecond: c.Int("lane-calls-per-second"),
		TLSCert: c.String("tls-cert"), TLSKey: c.String("tls-key"), TLSOwn: c.String("tls") == "own", ClientCA: c.String("client-ca"), Names: c.StringSlice("name"),
		AcceptLoss: c.Bool("accept-loss"), NoUpstream: c.Bool("no-upstream"), Upstreams: c.StringSlice("upstreams"), Intercept: c.StringSlice("intercept"), Origins: c.StringSlice("origins"), Mask: c.StringSlice("mask"), MaskNot: c.StringSlice("mask-not"), DigestKey: c.String("digest-key"), Proxy: c.String("proxy"), OpenProxy: c.Bool("open-proxy"), ProxyAsks: c.Bool("proxy-asks"),
		ImportURLs: c.Bool("import-urls"), ImportPrivate: c.Bool("import-private"),
		MemoryLimit: c.Int64("memory-limit"), MaxConnections: c.Int("max-connections"),
		HeaderTimeout: c.Duration("header-timeout"), BodyTimeout: c.Duration("body-timeout"), WriteTimeout: c.Duration("write-timeout"), IdleTimeout: c.Duration("idle-timeout"),
		NoScripts: c.Bool("no-scripts"), KeepMemory: c.Bool("keep-memory"), KeepCalls: c.Int64("keep-calls"), KeepBytes: c.Int64("keep-bytes"), BodyLimit: c.Int64("body-limit"), MaxBody: c.Int64("max-body"), RecordLimit: c.Int64("record-limit"),
	}
}

// serve runs a service as the flags say.
func (p Program) serve(ctx context.Context, c *cli.Command, cfg config.Config, ready func(config.Addresses)) error {
	cfg.LogLevel = &slog.LevelVar{}
	return p.Serve(ctx, cfg, p.logger(c, cfg.LogLevel), ready)
}

// logger is a log at the level of the flags, which is set in level, too, and can be changed
// there.
func (p Program) logger(c *cli.Command, level *slog.LevelVar) *slog.Logger {
	_ = level.UnmarshalText([]byte(c.String("log-level"))) // checked by the flag; other commands have none
	options := &slog.HandlerOptions{Level: level}
	if c.Bool("log-json") {
		return slog.New(slog.NewJSONHandler(p.Err, options))
	}
	return slog.New(slog.NewTextHandler(p.Err, options))
}

func (p Program) sayAddresses(title string, a config.Addresses) {
	p.say("%s", title)
	p.say("console   %s", a.Control)
	p.say("services  %s", a.Traffic)
	if a.Proxy != "" {
		p.say("proxy     %s", a.Proxy)
	}
	if a.Metrics != "" {
		p.say("metrics   %s", a.Metrics)
	}
	p.say("data      %s", a.Data)
	if a.Fingerprint != "" {
		p.say("authority %s", a.Fingerprint)
		p.say("          for programs: %s (curl --cacert FILE)", filepath.Join(a.Data, "authority.pem"))
	}
	if a.Secret != "" {
		p.say("token     %s", a.Secret)
		p.say("          the administrator's, shown this once: rapidmimic login %s", a.Control)
	}
}

// temporaryData makes a folder for a service whose data nobody keeps.
func temporaryData() (folder string, remove func(), err error) {
	folder, err = os.MkdirTemp("", "rapidmimic-demo-")
	return folder, func() { _ = os.RemoveAll(folder) }, err
}
