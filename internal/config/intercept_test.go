package config

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhichHostsMayBeIntercepted(t *testing.T) {
	for host, want := range map[string]string{
		"office.skerry-sound.example": "", "tides.test": "", "berths": "", "login.office.test": "", "10.0.0.7": "", "API.Internal": "", "office.example.com": "",
		"office-berths.net": "confirm", "api.office-berths.net.": "confirm", "203.0.113.7": "confirm", "blog-in.net": "confirm",
		"localhost": "this machine", "x.localhost": "this machine", "127.0.0.1": "this machine", "0.0.0.0": "this machine", "::1": "this machine",
		"login.office-berths.net": "log in or bank", "SSO.corp.net": "log in or bank", "our.bank": "log in or bank", "updates.office-berths.net": "log in or bank",
	} {
		confirm, err := (&Config{}).InterceptRule(host)
		switch want {
		case "", "confirm":
			assert.NoError(t, err, host)
			assert.Equal(t, want == "confirm", confirm, host)
		default:
			assert.ErrorContains(t, err, want, host)
		}
	}
	named := &Config{Intercept: []string{"*.office-berths.net", "login.tides.net"}}
	for host, allowed := range map[string]bool{"api.office-berths.net": true, "login.tides.net": true, "tides.net": false, "office.test": false, "localhost": false} {
		confirm, err := named.InterceptRule(host)
		assert.Equal(t, allowed, err == nil, host)
		assert.False(t, confirm, host)
	}
	for _, wrong := range []Config{{Intercept: []string{"https://x"}}, {Intercept: []string{"[a"}}, {Upstreams: []string{"x:80"}}, {Upstreams: []string{""}}} {
		assert.ErrorContains(t, wrong.checkIntercept(), "is the name of a host")
	}
}

func TestWhichPagesMayUseHints(t *testing.T) {
	c := &Config{Origins: []string{"https://*.office.test", "http://quay.test:8080"}}
	for origin, want := range map[string]bool{
		"http://localhost:3000": true, "http://127.0.0.1": true, "https://[::1]:8443": true, "https://board.office.test": true, "http://quay.test:8080": true, "HTTPS://BOARD.office.test": true,
		"http://board.office.test": false, "https://office.test.evil.net": false, "http://quay.test": false, "null": false, "": false, "file://": false, "https://localhost.evil.net": false,
	} {
		assert.Equal(t, want, c.IsListed(origin), origin)
	}
	for _, wrong := range []string{"office.test", "https://", "ftp://x.test", "https://x.test/", "https://[x"} {
		assert.ErrorContains(t, (&Config{Origins: []string{wrong}}).checkOrigins(), "--origins is such as", wrong)
	}
}
