package upstream

import (
	"bytes"
	"context"
	"crypto/tls"
	"net"
	"strings"
	"sync"
	"time"

	"rapidmimic.example/internal/core/call"
)

// headConn is a connection to an upstream that remembers the head of the answer that
// comes next as it is written: net/http forgets the order of its lines, and how their
// names are spelled.
type headConn struct {
	net.Conn

	mu      sync.Mutex // guards all below
	reading bool       // the head has not ended yet
	head    []byte
	fields  []call.Field
}

// mostHead bounds what is remembered of a head, in bytes.
const mostHead = 1 << 20

// Begin expects the head of another answer.
func (c *headConn) Begin() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.reading, c.head, c.fields = true, nil, nil
}

// Head are the lines of the last answer, in their order and spelling; nil where they are
// not known.
func (c *headConn) Head() []call.Field {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.fields
}

// Read implements net.Conn.
func (c *headConn) Read(b []byte) (int, error) {
	n, err := c.Conn.Read(b)
	if n > 0 {
		c.mu.Lock()
		if c.reading {
			c.take(b[:n])
		}
		c.mu.Unlock()
	}
	return n, err
}

// CloseWrite ends what we say on a connection, where that can be done.
func (c *headConn) CloseWrite() error {
	if half, ok := c.Conn.(interface{ CloseWrite() error }); ok {
		return half.CloseWrite()
	}
	return c.Close()
}

// take takes a part of what is read. The caller holds mu.
func (c *headConn) take(b []byte) {
	parts := len(c.head) > 0
	if parts {
		b = append(c.head, b...)
	}
	for {
		head, rest, over := bytes.Cut(b, headEnd)
		if !over {
			if !parts {
				b = bytes.Clone(b)
			}
			c.head, c.reading = b, len(b) < mostHead
			return
		}
		status, lines, _ := strings.Cut(string(head), "\r\n")
		if _, code, _ := strings.Cut(status, " "); strings.HasPrefix(code, "1") && !strings.HasPrefix(code, "101") {
			b = rest // what goes before the answer
			continue
		}
		c.reading, c.head = false, nil
		c.fields = make([]call.Field, 0, strings.Count(lines, "\r\n")+1)
		for line := range strings.SplitSeq(lines, "\r\n") {
			if name, value, ok := strings.Cut(line, ":"); ok && name != "" && name[0] != ' ' && name[0] != '\t' {
				c.fields = append(c.fields, call.Field{Name: name, Value: strings.TrimSpace(value)})
			}
		}
		return
	}
}

var headEnd = []byte("\r\n\r\n")

// dialPlain connects to an upstream without TLS.
func dialPlain(dial func(ctx context.Context, network, address string) (net.Conn, error)) func(ctx context.Context, network, address string) (net.Conn, error) {
	return func(ctx context.Context, network, address string) (net.Conn, error) {
		c, err := dial(ctx, network, address)
		if err != nil {
			return nil, err
		}
		return &headConn{Conn: c}, nil
	}
}

// handshakeTimeout is how long an upstream may take for TLS.
const handshakeTimeout = 10 * time.Second

// dialTLS connects to an upstream with TLS. Over HTTP/2 lines of a head have no order.
func dialTLS(dial func(ctx context.Context, network, address string) (net.Conn, error)) func(ctx context.Context, network, address string) (net.Conn, error) {
	return func(ctx context.Context, network, address string) (net.Conn, error) {
		plain, err := dial(ctx, network, address)
		if err != nil {
			return nil, err
		}
		host, _, err := net.SplitHostPort(address)
		if err != nil {
			host = address
		}
		secured := tls.Client(plain, &tls.Config{ServerName: host, NextProtos: []string{"h2", "http/1.1"}, MinVersion: tls.VersionTLS12})
		within, cancel := context.WithTimeout(ctx, handshakeTimeout)
		defer cancel()
		if err := secured.HandshakeContext(within); err != nil {
			_ = plain.Close()
			return nil, err
		}
		if secured.ConnectionState().NegotiatedProtocol == "h2" {
			return secured, nil
		}
		return &headConn{Conn: secured}, nil
	}
}
