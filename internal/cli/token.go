package cli

import (
	"cmp"
	"context"
	"log/slog"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/api"
)

func (p Program) tokenCommand() *cli.Command {
	return &cli.Command{
		Name: "token", Usage: "who may get into the environment", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "create", Usage: "create a token; its secret is shown this once", ArgsUsage: "NAME", OnUsageError: usageError,
				UsageText: "rapidmimic token create mara --role editor\nrapidmimic token create ci --role editor --service moorings --lane 'ci-*' --ttl 30d\nrapidmimic token create rescue --data /var/lib/rapidmimic",
				Description: "viewer  reads definitions and masked calls, explains and checks\n" +
					"tester  opens and changes lanes, and sends test calls\n" +
					"editor  changes services, scenarios, impairments and recordings\n" +
					"admin   tokens, the authority, clearing the log, pruning, hosts beyond the allowed\n\n" +
					"--data creates an administrator's token in the data folder of a service that is stopped, for who\nhas lost all others.",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "role", Usage: "viewer, tester, editor or admin", Value: "viewer"},
					&cli.StringSliceFlag{Name: "service", Usage: "only this `SERVICE`; may be given several times"},
					&cli.StringSliceFlag{Name: "lane", Usage: "only lanes like this `PATTERN`, such as ci-*; may be given several times"},
					&cli.StringFlag{Name: "ttl", Usage: "for this `TIME`, such as 30d or 12h; without it until it is revoked"},
					&cli.StringFlag{Name: "data", Usage: "`FOLDER` of a service that is stopped, instead of asking one that runs"},
				},
				Action: p.tokenCreate,
			},
			{Name: "list", Usage: "all tokens, and when they were last used", OnUsageError: usageError, Action: p.tokenList},
			{
				Name: "revoke", Usage: "take a token away: nobody gets in with it any more", ArgsUsage: "NAME", OnUsageError: usageError,
				UsageText: "rapidmimic token revoke ci", Action: p.tokenRevoke,
			},
		},
	}
}

func (p Program) tokenCreate(ctx context.Context, c *cli.Command) error {
	given, err := args(c, "a NAME")
	if err != nil {
		return err
	}
	if data := c.String("data"); data != "" {
		return p.tokenRecover(ctx, c, data, given[0])
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	made, err := environment.CreateToken(ctx, api.TokenRequest{Name: given[0], Role: c.String("role"), Services: c.StringSlice("service"), Lanes: c.StringSlice("lane"), TTL: c.String("ttl")})
	if err != nil {
		return unchanged(err, "")
	}
	return p.print(c, made, nil, func() {
		p.say("%s  %s", made.Name, tokenText(made.Token))
		p.say("token     %s", made.Secret)
		p.say("          shown this once; use it with: rapidmimic login %s", environment.URL())
	})
}

func (p Program) tokenRecover(ctx context.Context, c *cli.Command, data, name string) error {
	if c.IsSet("role") && c.String("role") != "admin" || len(c.StringSlice("service"))+len(c.StringSlice("lane")) > 0 || c.String("ttl") != "" {
		return usage("--data creates an administrator's token, without limits: start the service, and create others with it")
	}
	secret, err := p.RecoverToken(ctx, data, name, p.logger(c, &slog.LevelVar{}))
	if err != nil {
		return unchanged(err, "")
	}
	p.say("%s  admin, in %s", name, data)
	p.say("token     %s", secret)
	p.say("          shown this once; start the service, and log in with it")
	return nil
}

// tokenText says what a token may: "editor of moorings, lanes ci-*, until 2026-12-28".
func tokenText(t api.Token) string {
	return strings.TrimPrefix(meText(api.Me{Role: t.Role, Services: t.Services, Lanes: t.Lanes, Expires: t.Expires}), ", ")
}

func (p Program) tokenList(ctx context.Context, c *cli.Command) error {
	if _, err := args(c); err != nil {
		return err
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	tokens, err := environment.Tokens(ctx)
	if err != nil {
		return err
	}
	return p.print(c, tokens, nil, func() {
		if len(tokens) == 0 {
			p.say("no token yet")
			p.say("create    rapidmimic token create NAME --role editor")
			return
		}
		rows := make([][]string, len(tokens))
		for i, t := range tokens {
			used, expires := "never", "never"
			if !t.LastUsed.IsZero() {
				used = momentText(t.LastUsed)
			}
			if !t.Expires.IsZero() {
				expires = t.Expires.Local().Format("2006-01-02 15:04")
			}
			if t.Expired {
				expires = "expired " + t.Expires.Local().Format(time.DateOnly)
			}
			rows[i] = []string{t.Name, t.Role, cmp.Or(strings.Join(t.Services, ", "), "all"), cmp.Or(strings.Join(t.Lanes, ", "), "all"), used, expires, t.By}
		}
		writeTable(p.Out, p.width(), []column{{title: "TOKEN", gives: titleGives}, {title: "ROLE"}, {title: "SERVICES", gives: titleGives}, {title: "LANES", gives: titleGives}, {title: "LAST USED"}, {title: "EXPIRES"}, {title: "BY", gives: titleGives}}, rows)
	})
}

func (p Program) tokenRevoke(ctx context.Context, c *cli.Command) error {
	given, environment, err := p.connect(c, "a NAME")
	if err != nil {
		return err
	}
	if err := environment.RevokeToken(ctx, given[0]); err != nil {
		return unchanged(err, "")
	}
	p.say("%s  revoked: nobody gets in with it any more", given[0])
	return nil
}
