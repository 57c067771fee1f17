// Package upstream asks the real thing behind a service: it carries requests as
// they are, over HTTP/1.1 and HTTP/2, and says in words why one got no answer.
// It changes nothing on the way.
package upstream

import (
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"strings"
	"syscall"
	"time"

	"rapidmimic.example/internal/outgoing"
)

// Client asks upstreams. It is safe for concurrent use.
type Client struct{ transport *http.Transport }

// Config is what a Client works with.
type Config struct {
	// HeaderTimeout is how long an upstream may take until its answer begins; zero
	// means DefaultHeaderTimeout.
	HeaderTimeout time.Duration
	// Forbidden refuses every call: nothing leaves this program.
	Forbidden bool
	// Rules say what may be reached.
	Rules *outgoing.Rules
}

// DefaultHeaderTimeout is a minute.
const DefaultHeaderTimeout = time.Minute

// errForbidden is what every call gets where none may be made.
var errForbidden = errors.New("calls to upstreams are forbidden")

// New builds a Client.
func New(c Config) *Client {
	if c.HeaderTimeout == 0 {
		c.HeaderTimeout = DefaultHeaderTimeout
	}
	t := &http.Transport{
		DialContext: dialPlain(c.Rules.Dial), DialTLSContext: dialTLS(c.Rules.Dial), ForceAttemptHTTP2: true, DisableCompression: true,
		MaxIdleConns: 500, MaxIdleConnsPerHost: 100, IdleConnTimeout: 90 * time.Second,
		ExpectContinueTimeout: time.Second, ResponseHeaderTimeout: c.HeaderTimeout,
		// No proxy from the environment: the upstream is asked where it says it is.
	}
	if c.Forbidden {
		return &Client{}
	}
	return &Client{transport: t}
}

// RoundTrip implements http.RoundTripper.
func (c *Client) RoundTrip(r *http.Request) (*http.Response, error) {
	if c.transport == nil {
		return nil, errForbidden
	}
	return c.transport.RoundTrip(r)
}

// Close ends idle connections.
func (c *Client) Close() {
	if c.transport != nil {
		c.transport.CloseIdleConnections()
	}
}

// Explain says why a call got no answer, and with which status its caller is
// told so: 502, or 504 where the upstream took too long.
func (c *Client) Explain(err error) (status int, why string) {
	var dns *net.DNSError
	var host *outgoing.ErrHost
	var authority x509.UnknownAuthorityError
	var hostname x509.HostnameError
	var invalid x509.CertificateInvalidError
	var record tls.RecordHeaderError
	var timeout net.Error
	switch {
	case errors.Is(err, errForbidden):
		return http.StatusBadGateway, "this service was started with --no-upstream, which forbids every call to an upstream"
	case errors.Is(err, outgoing.ErrOwn):
		return http.StatusLoopDetected, outgoing.ErrOwn.Error() + ", and the call would come back to it"
	case errors.Is(err, outgoing.ErrPrivate):
		return http.StatusBadGateway, outgoing.ErrPrivate.Error() + ", and the service does not list it among the hosts that it may call back (service set NAME --callback-hosts HOST)"
	case errors.As(err, &host):
		return http.StatusBadGateway, fmt.Sprintf("host %q is not among those that this service may call (serve --upstreams)", host.Host)
	case errors.As(err, &dns):
		return http.StatusBadGateway, fmt.Sprintf("its host name %q is not known here", dns.Name)
	case errors.Is(err, syscall.ECONNREFUSED):
		return http.StatusBadGateway, "the connection was refused: nothing listens there"
	case errors.As(err, &authority):
		return http.StatusBadGateway, "its certificate is from an authority that is not trusted here"
	case errors.As(err, &hostname):
		return http.StatusBadGateway, "its certificate is for another name: " + hostname.Error()
	case errors.As(err, &invalid):
		return http.StatusBadGateway, "its certificate cannot be used: " + invalid.Error()
	case errors.As(err, &record):
		return http.StatusBadGateway, "it does not speak TLS (http instead of https?)"
	case errors.Is(err, os.ErrDeadlineExceeded), errors.As(err, &timeout) && timeout.Timeout():
		return http.StatusGatewayTimeout, "it did not answer in time"
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF), strings.Contains(err.Error(), "server closed idle connection"):
		return http.StatusBadGateway, "it closed the connection without an answer"
	case errors.Is(err, syscall.ECONNRESET):
		return http.StatusBadGateway, "it reset the connection"
	default:
		return http.StatusBadGateway, err.Error()
	}
}
