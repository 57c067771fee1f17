package config

import (
	"errors"
	"fmt"
	"net/netip"
	"os"
	"path"
	"slices"
	"strings"
)

// sensitive are parts of the names of hosts where people log in or bank, or where
// programs get updates and check certificates.
var sensitive = []string{"login", "signin", "logon", "sso", "idp", "auth", "oauth", "accounts", "account", "identity", "bank", "banking", "update", "updates", "swupdate", "windowsupdate", "ocsp", "crl", "pki"}

// reserved are the ends of names that lead nowhere on the public internet.
var reserved = []string{"test", "example", "invalid", "local", "internal", "lan", "home", "corp", "intranet", "private", "arpa"}

// InterceptRule says whether a service may list a host, so that calls to it are taken
// over. confirm is set for hosts of the public internet, which somebody has to confirm.
func (c *Config) InterceptRule(host string) (confirm bool, err error) {
	host = strings.ToLower(strings.TrimSuffix(host, "."))
	labels := strings.Split(host, ".")
	end := labels[len(labels)-1]
	ip, notIP := netip.ParseAddr(host)
	machine, _ := os.Hostname() // none is fine
	switch {
	case end == "localhost", notIP == nil && (ip.IsLoopback() || ip.IsUnspecified()), host == strings.ToLower(machine):
		return false, errors.New("it is this machine itself")
	case len(c.Intercept) > 0:
		for _, pattern := range c.Intercept {
			if fits, _ := path.Match(strings.ToLower(pattern), host); fits {
				return false, nil
			}
		}
		return false, errors.New("it is not among those that may be intercepted (serve --intercept)")
	case end == "bank" || slices.ContainsFunc(labels[:len(labels)-1], func(label string) bool { return slices.Contains(sensitive, label) }) && !slices.Contains(reserved, end):
		return false, errors.New("people may log in or bank there, or programs get updates: serve --intercept names it if it is to be intercepted all the same")
	case notIP == nil:
		return !ip.IsPrivate(), nil
	default:
		return len(labels) > 1 && !slices.Contains(reserved, end) && !strings.HasSuffix("."+host, ".example.com") && !strings.HasSuffix("."+host, ".example.org") && !strings.HasSuffix("."+host, ".example.net"), nil
	}
}

// checkIntercept finds what cannot be a pattern of hosts.
func (c *Config) checkIntercept() error {
	for flag, patterns := range map[string][]string{"--intercept": c.Intercept, "--upstreams": c.Upstreams} {
		for _, pattern := range patterns {
			if _, err := path.Match(pattern, ""); err != nil || pattern == "" || strings.ContainsAny(pattern, "/: ") {
				return fmt.Errorf("%s is the name of a host, such as office.example or *.test, not %q", flag, pattern)
			}
		}
	}
	return nil
}
