// Package client speaks the control API of a running Rapid Mimic. The command
// line is built on it, and so can tests be.
//
// There is one file for each resource. Errors are *problem.Error where the
// service said what is wrong, with the code problem.Unreachable when it did
// not answer at all. A Client is safe for concurrent use.
package client

import (
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync/atomic"
	"time"

	"rapidmimic.example/spec/api"
	"rapidmimic.example/spec/problem"
)

// DefaultURL is where a service listens unless told otherwise.
const DefaultURL = "http://127.0.0.1:7400"

// Client talks to one environment.
type Client struct {
	base string
	by   string
	http *http.Client
	// agent names the program, "" for the one that Go names.
	agent string
	// token is the secret by which the environment knows who asks, "" for none.
	token     string
	lastEntry atomic.Pointer[string] // see LastEntry
}

// SetAgent has requests name the program that makes them. It is called before any is made.
func (c *Client) SetAgent(agent string) { c.agent = agent }

// SetToken has requests say who makes them. It is called before any is made.
func (c *Client) SetToken(secret string) { c.token = secret }

// Trust has the client believe that it speaks to the environment only where a certificate of
// this authority, in PEM, says so. It is called before any request is made.
func (c *Client) Trust(authority []byte) error {
	roots := x509.NewCertPool()
	if !roots.AppendCertsFromPEM(authority) {
		return problem.New(problem.Invalid, "the authority is no certificate in PEM")
	}
	c.http.Transport.(*http.Transport).TLSClientConfig = &tls.Config{RootCAs: roots, MinVersion: tls.VersionTLS12}
	return nil
}

// New builds a client for the control address of an environment, such as
// http://127.0.0.1:7400.
func New(base string) (*Client, error) { return NewAs(base, "") }

// NewAs builds a client whose edits are kept as made by somebody; "" for nobody
// in particular.
func NewAs(base, by string) (*Client, error) {
	u, err := url.Parse(base)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil, problem.New(problem.Invalid, "%q is not the address of an environment; it should look like %s", base, DefaultURL)
	}
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.ResponseHeaderTimeout = 2 * time.Minute
	return &Client{base: strings.TrimSuffix(base, "/"), by: by, http: &http.Client{Transport: transport}}, nil
}

// Close ends idle connections.
func (c *Client) Close() { c.http.CloseIdleConnections() }

// URL is the address the client talks to.
func (c *Client) URL() string { return c.base }

// path joins and escapes the parts of an API path.
func path(parts ...string) string {
	var b strings.Builder
	b.WriteString("/api/v1")
	for _, part := range parts {
		b.WriteString("/" + url.PathEscape(part))
	}
	return b.String()
}

type request struct {
	method, path string
	query        url.Values
	body         []byte
	header       http.Header
}

type confirmedKey struct{}

// Confirmed gives a context whose edits somebody has confirmed who was asked: see
// problem.ConfirmHosts.
func Confirmed(ctx context.Context) context.Context {
	return context.WithValue(ctx, confirmedKey{}, true)
}

type overTheirsKey struct{}

// OverTheirs gives a context whose writes overwrite what is there, also where a document
// says that it was read at an earlier version.
func OverTheirs(ctx context.Context) context.Context {
	return context.WithValue(ctx, overTheirsKey{}, true)
}

// send returns the response of a request that succeeded; its body is open.
func (c *Client) send(ctx context.Context, r request) (*http.Response, error) {
	target := c.base + r.path
	if ctx.Value(confirmedKey{}) != nil {
		r.query = maps.Clone(r.query)
		if r.query == nil {
			r.query = url.Values{}
		}
		r.query.Set("confirm", "true")
	}
	if len(r.query) > 0 {
		target += "?" + r.query.Encode()
	}
	req, err := http.NewRequestWithContext(ctx, r.method, target, bytes.NewReader(r.body))
	if err != nil {
		return nil, fmt.Errorf("build request: %w", err)
	}
	for name, values := range r.header {
		req.Header[name] = values
	}
	if ctx.Value(overTheirsKey{}) != nil {
		req.Header.Set("If-Match", "*")
	}
	if c.agent != "" {
		req.Header.Set("User-Agent", c.agent)
	}
	if c.token != "" && req.URL.Scheme == "http" && !isLocal(req.URL.Hostname()) {
		return nil, problem.New(problem.Refused, "the token is not sent to %s: everybody on the way could read it (use https)", c.base)
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	if c.by != "" {
		req.Header.Set("Rapid-Mimic-By", url.PathEscape(c.by))
	}
	resp, err := c.http.Do(req)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		var wrapped *url.Error
		if errors.As(err, &wrapped) {
			err = wrapped.Err
		}
		var untrusted x509.UnknownAuthorityError
		if errors.As(err, &untrusted) {
			return nil, problem.New(problem.Unreachable, "nothing on this machine trusts the certificate of %s (rapidmimic login %s trusts its authority, for Rapid Mimic alone)", c.base, c.base)
		}
		return nil, problem.New(problem.Unreachable, "no Rapid Mimic answers at %s: %v", c.base, err)
	}
	if resp.StatusCode < 400 {
		if entry := resp.Header.Get("Rapid-Mimic-Activity"); entry != "" {
			c.lastEntry.Store(&entry)
		}
		return resp, nil
	}
	defer resp.Body.Close()
	return nil, readProblem(resp)
}

func isLocal(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

func readProblem(resp *http.Response) error {
	text, err := io.ReadAll(io.LimitReader(resp.Body, 1<<20))
	if err != nil {
		return fmt.Errorf("read answer: %w", err)
	}
	var p api.Problem
	if json.Unmarshal(text, &p) != nil || p.Code == "" {
		return problem.New(problem.Internal, "%s answered %s, which is not Rapid Mimic's API", resp.Request.URL, resp.Status)
	}
	return &problem.Error{Code: p.Code, Detail: p.Detail, Items: p.Errors, Hint: p.Hint}
}

// do sends a request and reads a JSON answer into a T.
func do[T any](ctx context.Context, c *Client, r request) (out T, err error) {
	resp, err := c.send(ctx, r)
	if err != nil {
		return out, err
	}
	defer resp.Body.Close()
	if resp.StatusCode == http.StatusNoContent {
		return out, nil
	}
	if err := json.NewDecoder(resp.Body).Decode(&out); err != nil {
		return out, fmt.Errorf("read answer of %s: %w", r.path, err)
	}
	return out, nil
}

// text sends a request and returns the answer as it stands.
func (c *Client) text(ctx context.Context, r request) ([]byte, error) {
	resp, err := c.send(ctx, r)
	if err != nil {
		return nil, err
	}
	defer resp.Body.Close()
	return io.ReadAll(resp.Body)
}

// all reads every page of a list.
func all[T any](ctx context.Context, c *Client, r request) ([]T, error) {
	items := []T{}
	if r.query == nil {
		r.query = url.Values{}
	}
	r.query.Set("limit", "1000")
	for {
		list, err := do[api.List[T]](ctx, c, r)
		if err != nil {
			return nil, err
		}
		items = append(items, list.Items...)
		if list.Next == "" {
			return items, nil
		}
		r.query.Set("after", list.Next)
	}
}

// Status returns the state of the whole environment.
func (c *Client) Status(ctx context.Context) (api.Status, error) { return c.LaneStatus(ctx, "") }

// LaneStatus is Status with scenario, modes and impairments as a lane has them.
func (c *Client) LaneStatus(ctx context.Context, lane string) (api.Status, error) {
	return do[api.Status](ctx, c, request{method: http.MethodGet, path: path("status"), query: inLane(lane)})
}

func yamlAnswer() http.Header { return http.Header{"Accept": {"application/yaml"}} }

// onlyNew demands that what is made is not there yet.
func onlyNew() http.Header { return http.Header{"If-None-Match": {"*"}} }

func ifMatch(tag string) http.Header {
	if tag == "" {
		return nil
	}
	return http.Header{"If-Match": {tag}}
}
