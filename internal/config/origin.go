package config

import (
	"fmt"
	"net/url"
	"path"
	"strings"
)

// IsListed reports whether pages of an origin may use hints and lanes: those of this
// machine, and those that Origins names.
func (c *Config) IsListed(origin string) bool {
	u, err := url.Parse(origin)
	if err != nil || u.Host == "" {
		return false // such as null, of a page without one
	}
	if IsLoopback(u.Host) || IsLoopback(u.Host+":80") {
		return true
	}
	for _, pattern := range c.Origins {
		scheme, host, _ := strings.Cut(strings.ToLower(pattern), "://")
		if fits, _ := path.Match(host, strings.ToLower(u.Host)); fits && scheme == u.Scheme {
			return true
		}
	}
	return false
}

// checkOrigins finds what cannot be one.
func (c *Config) checkOrigins() error {
	for _, pattern := range c.Origins {
		scheme, host, ok := strings.Cut(pattern, "://")
		if _, err := path.Match(host, ""); !ok || err != nil || host == "" || strings.Contains(host, "/") || scheme != "http" && scheme != "https" {
			return fmt.Errorf("--origins is such as https://*.office.test, not %q", pattern)
		}
	}
	return nil
}
