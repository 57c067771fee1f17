package cli

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/api"
)

func (p Program) digestCommand() *cli.Command {
	return &cli.Command{
		Name: "digest", Usage: "print the digest by which a mapping knows a secret", OnUsageError: usageError,
		UsageText: "printf %s \"$TOKEN\" | rapidmimic digest\nrapidmimic digest --plain < photo.png",
		Description: "The secret is read from standard input; the end of its line does not count. A condition such as\n" +
			"{ header: authorization, digest: secret-… } then fits it. The digest holds in environments with\n" +
			"the same key (serve --digest-key).",
		Flags:  []cli.Flag{&cli.BoolFlag{Name: "plain", Usage: "the SHA-256 of any value, which is no secret: it holds everywhere"}},
		Action: p.digest,
	}
}

// mostDigested bounds what a digest is made of, in bytes.
const mostDigested = 64 << 20

func (p Program) digest(ctx context.Context, c *cli.Command) error {
	if c.Args().Present() {
		return usage("%s reads the secret from standard input, so that no list of processes shows it", c.FullName())
	}
	value, err := io.ReadAll(io.LimitReader(p.In, mostDigested))
	if err != nil {
		return fmt.Errorf("read standard input: %w", err)
	}
	if c.Bool("plain") {
		sum := sha256.Sum256(value)
		return p.sayDigest(c, "sha256:"+hex.EncodeToString(sum[:]))
	}
	secret := strings.TrimRight(string(value), "\r\n")
	if secret == "" {
		return errors.New("standard input is empty: give the secret there")
	}
	environment, err := p.client(c)
	if err != nil {
		return err
	}
	digest, err := environment.Digest(ctx, secret)
	if err != nil {
		return err
	}
	return p.sayDigest(c, digest)
}

func (p Program) sayDigest(c *cli.Command, digest string) error {
	return p.print(c, api.Digest{Digest: digest}, nil, func() { p.say("%s", digest) })
}
