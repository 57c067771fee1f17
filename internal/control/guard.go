package control

import (
	"net"
	"net/http"
	"net/netip"
	"net/url"

	"github.com/gin-gonic/gin"

	"rapidmimic/spec/problem"
)

// hostGuard keeps web pages of others from using the API through a tester's
// browser: a name that was made to resolve to us (DNS rebinding) is told by
// its Host header, a page of another origin by its Origin header.
type hostGuard struct{ any bool }

func (g hostGuard) check(c *gin.Context) {
	if !g.any && !isOwnHost(c.Request.Host) {
		writeProblem(c, problem.New(problem.Refused, "the control port does not answer to the name %q", c.Request.Host), http.StatusForbidden, nil)
		return
	}
	if origin := c.Request.Header.Get("Origin"); origin != "" {
		if u, err := url.Parse(origin); err != nil || u.Host != c.Request.Host {
			writeProblem(c, problem.New(problem.Refused, "pages of %s may not use the control port", origin), http.StatusForbidden, nil)
		}
	}
}

func isOwnHost(hostport string) bool {
	host, _, err := net.SplitHostPort(hostport)
	if err != nil {
		host = hostport
	}
	if host == "localhost" {
		return true
	}
	ip, err := netip.ParseAddr(host)
	return err == nil && ip.IsLoopback()
}

func limitBody(c *gin.Context) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, MaxUpload)
}
