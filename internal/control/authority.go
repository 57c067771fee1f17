package control

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/api"
)

func (s *server) getAuthority(c *gin.Context) {
	pem, err := s.Authority.PEM()
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	if strings.Contains(c.GetHeader("Accept"), "pem") {
		c.Data(http.StatusOK, "application/x-pem-file", pem)
		return
	}
	fingerprint, err := s.Authority.Fingerprint()
	if err != nil {
		s.fail(c, err, nil)
		return
	}
	c.PureJSON(http.StatusOK, api.Authority{PEM: string(pem), SHA256: fingerprint, File: s.Authority.File(), Proxy: s.ProxyURL, Expires: s.Authority.Expires().UTC()})
}

// rotateAuthority makes another authority instead of the present one.
func (s *server) rotateAuthority(c *gin.Context) {
	if err := s.Authority.Rotate(); err != nil {
		s.fail(c, err, nil)
		return
	}
	s.getAuthority(c)
}

// getPAC sends only the hosts that a service lists through the proxy.
func (s *server) getPAC(c *gin.Context) {
	var tests []string
	proxy, err := url.Parse(s.ProxyURL)
	if err == nil && proxy.Host != "" {
		for _, service := range s.Catalog.Snapshot().Services() {
			for _, host := range service.Spec.Hosts {
				name, _ := spec.SplitHost(host)
				if test := fmt.Sprintf("host === %q", name); !slices.Contains(tests, test) {
					tests = append(tests, test)
				}
			}
		}
	}
	script := "function FindProxyForURL(url, host) {\n"
	if len(tests) > 0 {
		script += fmt.Sprintf("  host = host.toLowerCase();\n  if (%s) return \"PROXY %s\";\n", strings.Join(tests, " || "), proxy.Host)
	}
	c.Data(http.StatusOK, "application/x-ns-proxy-autoconfig", []byte(script+"  return \"DIRECT\";\n}\n"))
}
