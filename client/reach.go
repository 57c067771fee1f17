package client

import (
	"context"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"syscall"
	"time"
)

// Reach tells where a probe ended that went the way a program goes.
type Reach struct {
	Way     string `json:"way"`     // how it went: "address", "proxy", …
	Address string `json:"address"` // what was called
	Reached bool   `json:"reached"` // it stands in the log of the service
	// Status is what came back, 0 for nothing; Call the id in the log.
	Status int    `json:"status,omitempty"`
	Call   string `json:"call,omitempty"`
	Source string `json:"source,omitempty"` // who answered
	// Why says where it ended instead.
	Why string `json:"why,omitempty"`
}

// Reach sends marked probes to a service: to its address, or the one given, and
// through the proxy to each of its hosts. Whether one arrived is looked up in
// the log, so that an answer of somebody else is not taken for ours.
func (c *Client) Reach(ctx context.Context, service, address string) ([]Reach, error) {
	found, err := c.Service(ctx, service)
	if err != nil {
		return nil, err
	}
	if address == "" {
		address = found.Address
	}
	direct := &http.Transport{Proxy: nil}
	reached := []Reach{c.probe(ctx, direct, "address", address)}
	if len(found.Hosts) == 0 {
		return reached, nil
	}
	ca, err := c.Authority(ctx)
	if err != nil {
		return nil, err
	}
	if ca.Proxy == "" {
		return append(reached, Reach{Way: "proxy", Address: "http://" + found.Hosts[0], Why: "the service runs without a proxy (serve --proxy HOST:PORT)"}), nil
	}
	proxy, err := url.Parse(ca.Proxy)
	if err != nil {
		return nil, fmt.Errorf("read address of the proxy: %w", err)
	}
	ours := x509.NewCertPool()
	ours.AppendCertsFromPEM([]byte(ca.PEM))
	for _, host := range found.Hosts {
		through := func(roots *x509.CertPool) *http.Transport {
			return &http.Transport{Proxy: http.ProxyURL(proxy), TLSClientConfig: &tls.Config{RootCAs: roots, MinVersion: tls.VersionTLS12}}
		}
		reached = append(reached, c.probe(ctx, through(nil), "proxy", "http://"+host),
			c.probe(ctx, through(ours), "proxy, our authority trusted", "https://"+host),
			c.probe(ctx, through(nil), "proxy, as this machine trusts", "https://"+host))
	}
	return reached, nil
}

// probe makes one marked call and looks for it in the log.
func (c *Client) probe(ctx context.Context, transport *http.Transport, way, address string) Reach {
	defer transport.CloseIdleConnections()
	r := Reach{Way: way, Address: address}
	var random [6]byte
	_, _ = rand.Read(random[:]) // it never fails
	mark := "rapid-mimic-reach-" + hex.EncodeToString(random[:])
	ctx, cancel := context.WithTimeout(ctx, 15*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, strings.TrimSuffix(address, "/")+"/"+mark, nil)
	if err != nil {
		r.Why = fmt.Sprintf("%q is no address", address)
		return r
	}
	resp, err := transport.RoundTrip(req)
	if err != nil {
		r.Why = unreached(err)
		return r
	}
	_ = resp.Body.Close()
	r.Status = resp.StatusCode
	list, err := c.Calls(ctx, CallQuery{Text: mark, Limit: 1})
	switch {
	case err != nil:
		r.Why = "the log cannot be asked: " + err.Error()
	case len(list.Items) == 0:
		r.Why = "something else answers there"
		if server := resp.Header.Get("Server"); server != "" {
			r.Why += " (" + server + ")"
		}
	default:
		call := list.Items[0]
		r.Reached, r.Call, r.Source = call.Service != "", call.ID, call.Source
		if !r.Reached {
			r.Why = "it arrived, and its path names no service"
		}
	}
	return r
}

// unreached says why a probe got no answer.
func unreached(err error) string {
	var authority x509.UnknownAuthorityError
	switch {
	case errors.Is(err, syscall.ECONNREFUSED):
		return "nothing listens there"
	case errors.As(err, &authority):
		return "the certificate is not trusted (rapidmimic ca trust-help)"
	case errors.Is(err, context.DeadlineExceeded):
		return "no answer in time"
	default:
		return err.Error()
	}
}
