package cli

import (
	"context"
	"fmt"
	"time"

	"github.com/urfave/cli/v3"

	"rapidmimic.example/spec/api"
)

func (p Program) caCommand() *cli.Command {
	return &cli.Command{
		Name: "ca", Usage: "the certificate authority with which the proxy intercepts TLS", OnUsageError: usageError,
		Commands: []*cli.Command{
			{
				Name: "show", Usage: "where it is, and its fingerprint", UsageText: "rapidmimic ca show", OnUsageError: usageError, Action: p.caShow,
			},
			{
				Name: "rotate", Usage: "make another one instead; programs have to come to trust it", UsageText: "rapidmimic ca rotate", OnUsageError: usageError, Action: p.caRotate,
			},
			{
				Name: "export", Usage: "write its certificate to standard output", UsageText: "rapidmimic ca export > rapid-mimic.pem", OnUsageError: usageError, Action: p.caExport,
			},
			{
				Name: "trust-help", Usage: "how programs come to trust it, and how to undo that", UsageText: "rapidmimic ca trust-help", OnUsageError: usageError, Action: p.caHelp,
			},
		},
	}
}

func (p Program) caShow(ctx context.Context, c *cli.Command) error {
	_, api, err := p.connect(c)
	if err != nil {
		return err
	}
	ca, err := api.Authority(ctx)
	if err != nil {
		return err
	}
	return p.print(c, ca, nil, func() { p.sayAuthority(ca) })
}

func (p Program) caRotate(ctx context.Context, c *cli.Command) error {
	_, client, err := p.connect(c)
	if err != nil {
		return err
	}
	ca, err := client.RotateAuthority(ctx)
	if err != nil {
		return err
	}
	return p.print(c, ca, nil, func() {
		p.say("rotated   programs that trusted the one before must come to trust this one: rapidmimic ca trust-help")
		p.sayAuthority(ca)
	})
}

func (p Program) sayAuthority(ca api.Authority) {
	p.say("file      %s", ca.File)
	p.say("sha256    %s", ca.SHA256)
	p.say("until     %s", ca.Expires.Local().Format(time.DateOnly))
	if ca.Proxy == "" {
		p.say("proxy     there is none (serve --proxy HOST:PORT)")
		return
	}
	p.say("proxy     %s", ca.Proxy)
	p.say("try       curl --proxy %s --cacert %s https://HOST-THAT-A-SERVICE-LISTS/", ca.Proxy, ca.File)
}

func (p Program) caExport(ctx context.Context, c *cli.Command) error {
	_, api, err := p.connect(c)
	if err != nil {
		return err
	}
	ca, err := api.Authority(ctx)
	if err == nil {
		_, err = fmt.Fprint(p.Out, ca.PEM)
	}
	return err
}

// caHelp explains trust; nothing on the machine is changed by us.
func (p Program) caHelp(ctx context.Context, c *cli.Command) error {
	_, api, err := p.connect(c)
	if err != nil {
		return err
	}
	ca, err := api.Authority(ctx)
	if err != nil {
		return err
	}
	const help = `Programs must trust this certificate, or they refuse what the proxy answers for the hosts
that a service lists. Trust it in test environments only, for one program where that is
possible; whoever has the key beside it can speak for any host there. Nothing was changed.

  %[1]s
  rapidmimic ca export > rapid-mimic.pem      # on another machine

one program at a time (undo: leave it out again)
  curl            curl --proxy %[2]s --cacert rapid-mimic.pem https://…
  Go, OpenSSL     SSL_CERT_FILE=rapid-mimic.pem HTTPS_PROXY=%[2]s program
  Node 24         NODE_EXTRA_CA_CERTS=rapid-mimic.pem HTTPS_PROXY=%[2]s node --use-env-proxy program.js
  Python          REQUESTS_CA_BUNDLE=rapid-mimic.pem HTTPS_PROXY=%[2]s python program.py
  Java            keytool -importcert -alias rapid-mimic -file rapid-mimic.pem -keystore test.jks
                  java -Djavax.net.ssl.trustStore=test.jks -Dhttps.proxyHost=… -Dhttps.proxyPort=…
                  undo: keytool -delete -alias rapid-mimic -keystore test.jks

a whole system
  Debian          cp rapid-mimic.pem /usr/local/share/ca-certificates/rapid-mimic.crt && update-ca-certificates
                  undo: rm that file, update-ca-certificates --fresh
  Fedora          cp rapid-mimic.pem /etc/pki/ca-trust/source/anchors/ && update-ca-trust
                  undo: rm that file, update-ca-trust
  macOS           security add-trusted-cert -r trustRoot -k ~/Library/Keychains/login.keychain-db rapid-mimic.pem
                  undo: security remove-trusted-cert rapid-mimic.pem
  Windows         certutil -user -addstore Root rapid-mimic.pem
                  undo: certutil -user -delstore Root "Rapid Mimic"

browsers
  Chromium        takes the system's, on Linux its own: certutil -d sql:$HOME/.pki/nssdb -A -t C,, -n rapid-mimic -i rapid-mimic.pem
                  undo: certutil -d sql:$HOME/.pki/nssdb -D -n rapid-mimic
  Firefox         Settings, Certificates, Authorities, Import; undo in the same place
  any             send only listed hosts through the proxy: automatic configuration at %[3]s/proxy.pac

Programs with pinned certificates, and protocols other than HTTP, cannot be intercepted;
the log of the service names the hosts whose clients refused.
`
	proxy := ca.Proxy
	if proxy == "" {
		proxy = "http://127.0.0.1:7402"
	}
	fmt.Fprintf(p.Out, help, ca.File, proxy, api.URL())
	return nil
}
