// Package fetch gets contracts from URLs. What it asks for was named by
// whoever imports, so it is bounded in size and time, and by default reaches
// no address of this machine or of a private network.
package fetch

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"path"
	"time"

	"rapidmimic.example/internal/outgoing"
	"rapidmimic.example/spec/problem"
)

// Limits of one fetch.
const (
	within       = 30 * time.Second
	maxRedirects = 5
)

// Fetcher gets documents over HTTP. It is safe for concurrent use.
type Fetcher struct {
	client  *http.Client
	maxSize int64
}

// New builds a Fetcher for documents of at most maxSize bytes, from where the rules let
// it.
func New(maxSize int64, rules *outgoing.Rules) *Fetcher {
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.DialContext = rules.Dial
	transport.Proxy = nil // what is dialled must be what is asked for
	transport.ResponseHeaderTimeout = within
	return &Fetcher{maxSize: maxSize, client: &http.Client{
		Transport: transport, Timeout: within,
		CheckRedirect: func(_ *http.Request, via []*http.Request) error {
			if len(via) > maxRedirects {
				return fmt.Errorf("it redirects more than %d times", maxRedirects)
			}
			return nil
		},
	}}
}

// notFetched says why nothing came from an address, without what is only known on this
// side, such as who resolves names here.
func notFetched(address string, err error) error {
	var host *outgoing.ErrHost
	var dns *net.DNSError
	switch {
	case errors.Is(err, outgoing.ErrPrivate):
		return problem.New(problem.Refused, "%s is refused: %v (serve --import-private allows that)", address, outgoing.ErrPrivate)
	case errors.Is(err, outgoing.ErrOwn):
		return problem.New(problem.Refused, "%s is refused: %v", address, outgoing.ErrOwn)
	case errors.As(err, &host):
		return problem.New(problem.Refused, "%s is refused: host %q is not among those that this service may call (serve --upstreams)", address, host.Host)
	case errors.As(err, &dns):
		return problem.New(problem.Invalid, "no contract at %s: its host name %q is not known here", address, dns.Name)
	}
	return problem.New(problem.Invalid, "no contract at %s: %v", address, err)
}

// Fetch gets a document. name is the last part of its address.
func (f *Fetcher) Fetch(ctx context.Context, address string) (text []byte, name string, err error) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
		return nil, "", problem.New(problem.Invalid, "%q is not an address to import from; it should begin with http:// or https://", address)
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, "", problem.New(problem.Invalid, "cannot fetch %q: %v", address, err)
	}
	req.Header.Set("Accept", "application/yaml, application/json, application/zip, text/xml, */*;q=0.5")
	resp, err := f.client.Do(req)
	if err != nil {
		var wrapped *url.Error
		if errors.As(err, &wrapped) {
			err = wrapped.Err
		}
		return nil, "", notFetched(address, err)
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		return nil, "", problem.New(problem.Invalid, "no contract at %s: it answered %s", address, resp.Status)
	}
	text, err = io.ReadAll(io.LimitReader(resp.Body, f.maxSize+1))
	if err != nil {
		return nil, "", problem.New(problem.Invalid, "the download of %s broke off: %v", address, err)
	}
	if int64(len(text)) > f.maxSize {
		return nil, "", problem.New(problem.TooLarge, "%s is larger than the %d MB that are read", address, f.maxSize>>20)
	}
	return text, path.Base(u.Path), nil
}
