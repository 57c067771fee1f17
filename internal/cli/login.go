package cli

import (
	"bufio"
	"context"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"encoding/hex"
	"encoding/pem"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"strings"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"rapidmimic.example/client"
	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

func (p Program) loginCommand() *cli.Command {
	return &cli.Command{
		Name: "login", Usage: "get into a shared environment with a token", ArgsUsage: "URL", OnUsageError: usageError,
		UsageText: "rapidmimic login https://mimic.qa.test:7400\nrapidmimic login https://mimic.qa.test:7400 < token.txt",
		Description: "Where people sign in at a provider, it says where to open which code. Else it asks for the token, or\n" +
			"reads it from the input. It is kept in the system's keyring, else in a\n" +
			"file for you alone. Commands speak to this environment from then on. A certificate that this\n" +
			"machine does not trust is shown by the fingerprint of its authority; once you have compared it,\n" +
			"Rapid Mimic's commands trust that one, and nothing else on this machine does.\n" +
			"In CI, RAPIDMIMIC_URL and RAPIDMIMIC_TOKEN do without login.",
		Flags: []cli.Flag{&cli.BoolFlag{Name: "token", Usage: "by a token, also where people sign in at a provider"},
			&cli.StringFlag{Name: "fingerprint", Usage: "trust the authority with this `SHA256` without asking"}},
		Action: p.login,
	}
}

func (p Program) logoutCommand() *cli.Command {
	return &cli.Command{
		Name: "logout", Usage: "forget the token of an environment", ArgsUsage: "[URL]", OnUsageError: usageError,
		UsageText: "rapidmimic logout\nrapidmimic logout https://mimic.qa.test:7400", Action: p.logout,
	}
}

func (p Program) login(ctx context.Context, c *cli.Command) error {
	given, err := args(c, "a URL")
	if err != nil {
		return err
	}
	address := strings.TrimSuffix(given[0], "/")
	kept, err := readCredentials()
	if err != nil {
		return err
	}
	environment, err := client.NewAs(address, c.String("as"))
	if err != nil {
		return err
	}
	environment.SetAgent("rapidmimic/" + p.Version)
	authority, err := p.authorityOf(ctx, address, c.String("fingerprint"))
	if err != nil {
		return err
	}
	if authority != "" {
		if err := environment.Trust([]byte(authority)); err != nil {
			return err
		}
	}
	at, err := environment.SignIn(ctx)
	if err != nil {
		return err
	}
	var secret string
	if at.Issuer == "" || c.Bool("token") || os.Getenv("RAPIDMIMIC_TOKEN") != "" {
		secret, err = p.askToken()
	} else {
		secret, err = p.signIn(ctx, environment, at)
	}
	if err != nil {
		return err
	}
	environment.SetToken(secret)
	me, err := environment.LogIn(ctx)
	if err != nil {
		return err
	}
	where, err := kept.put(address, secret, authority)
	if err != nil {
		return err
	}
	p.say("logged in to %s as %s", address, meText(me))
	p.say("token     in %s", where)
	p.say("out       rapidmimic logout")
	return nil
}

// meText says who somebody is: "ci, an editor of moorings".
func meText(me api.Me) string {
	text := me.Name + ", " + me.Role
	if len(me.Services) > 0 {
		text += " of " + strings.Join(me.Services, ", ")
	}
	if len(me.Lanes) > 0 {
		text += ", lanes " + strings.Join(me.Lanes, ", ")
	}
	if !me.Expires.IsZero() {
		text += ", until " + me.Expires.Local().Format("2006-01-02 15:04")
	}
	return text
}

// askToken reads the token from the environment, the terminal or the input.
func (p Program) askToken() (string, error) {
	if secret := os.Getenv("RAPIDMIMIC_TOKEN"); secret != "" {
		return secret, nil
	}
	if in, ok := p.In.(*os.File); ok && term.IsTerminal(int(in.Fd())) {
		fmt.Fprint(p.Err, "token: ")
		text, err := term.ReadPassword(int(in.Fd()))
		fmt.Fprintln(p.Err)
		return strings.TrimSpace(string(text)), err
	}
	line, err := bufio.NewReader(p.In).ReadString('\n')
	if line = strings.TrimSpace(line); line == "" {
		return "", errors.Join(usage("there is no token in the input"), err)
	}
	return line, nil
}

// authorityOf is the authority of a certificate that this machine does not trust, in PEM, once
// somebody has; "" where it needs none.
func (p Program) authorityOf(ctx context.Context, address, fingerprint string) (string, error) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "https" {
		return "", nil
	}
	host := u.Host
	if u.Port() == "" {
		host = net.JoinHostPort(u.Hostname(), "443")
	}
	chain, err := chainOf(ctx, host, u.Hostname())
	if err != nil || chain == nil {
		return "", err
	}
	top := chain[len(chain)-1]
	sum := sha256.Sum256(top.Raw)
	seen := hex.EncodeToString(sum[:])
	switch {
	case fingerprint != "" && plainHex(fingerprint) != seen:
		return "", problem.New(problem.Refused, "the authority of %s has another fingerprint: %s", address, seen)
	case fingerprint == "" && !p.confirms(fmt.Sprintf("Nothing on this machine trusts the certificate of %s. Its authority is\n  %s, with the fingerprint\n  %s\nwhich `serve` prints when it starts. Is it the same", address, top.Subject.CommonName, seen)):
		return "", problem.New(problem.Refused, "nothing on this machine trusts the certificate of %s (compare the fingerprint that serve prints, and give it: --fingerprint %s)", address, seen)
	}
	return string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: top.Raw})), nil
}

func plainHex(text string) string {
	return strings.ToLower(strings.TrimPrefix(strings.NewReplacer(":", "", " ", "").Replace(text), "SHA256"))
}

// chainOf is the chain of certificates that a server shows, where the system does not trust it;
// nil where it does.
func chainOf(ctx context.Context, address, name string) ([]*x509.Certificate, error) {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	var chain []*x509.Certificate
	dialer := tls.Dialer{Config: &tls.Config{ServerName: name, MinVersion: tls.VersionTLS12, InsecureSkipVerify: true, VerifyConnection: func(s tls.ConnectionState) error {
		between := x509.NewCertPool()
		for _, c := range s.PeerCertificates[1:] {
			between.AddCert(c)
		}
		if _, err := s.PeerCertificates[0].Verify(x509.VerifyOptions{DNSName: name, Intermediates: between}); err != nil {
			chain = s.PeerCertificates
		}
		return nil
	}}}
	conn, err := dialer.DialContext(ctx, "tcp", address)
	if err != nil {
		return nil, problem.New(problem.Unreachable, "no Rapid Mimic answers at %s: %v", address, err)
	}
	return chain, conn.Close()
}

// confirms asks somebody at a terminal; where there is none, nobody does.
func (p Program) confirms(question string) bool {
	in, ok := p.In.(*os.File)
	if !ok || !term.IsTerminal(int(in.Fd())) {
		return false
	}
	fmt.Fprintf(p.Err, "%s (yes or no)? ", question)
	line, _ := bufio.NewReader(in).ReadString('\n')
	return strings.TrimSpace(line) == "yes"
}

func (p Program) logout(_ context.Context, c *cli.Command) error {
	kept, err := readCredentials()
	if err != nil {
		return err
	}
	address := strings.TrimSuffix(c.Args().First(), "/")
	if address == "" {
		address = kept.Current
	}
	if _, known := kept.At[address]; !known {
		return fmt.Errorf("you are not logged in%s", map[bool]string{true: "", false: " to " + address}[address == ""])
	}
	if err := kept.remove(address); err != nil {
		return err
	}
	p.say("logged out of %s; the token still holds: whoever is admin revokes it (rapidmimic token revoke)", address)
	return nil
}
