// Package sniff lets one port speak TLS and plain HTTP: the first byte of a connection tells
// which. Connections are handed on as *tls.Conn, or as they are, so that net/http shakes hands
// and speaks HTTP/2 as usual.
package sniff

import (
	"crypto/tls"
	"net"
	"sync"
	"time"
)

// handshake is the first byte of a TLS connection: the type of its first record.
const handshake = 0x16

// Unreader is a connection that takes a byte back, to be read again first.
type Unreader interface{ Unread(b byte) }

// Listener looks at the connections of another one.
type Listener struct {
	net.Listener
	config *tls.Config
	// wait is how long a connection may say nothing.
	wait time.Duration

	begin sync.Once
	told  chan told
	ended chan struct{} // closed with the listener
	end   sync.Once
}

type told struct {
	conn net.Conn
	err  error
}

// New wraps a listener.
func New(l net.Listener, config *tls.Config, wait time.Duration) *Listener {
	return &Listener{Listener: l, config: config, wait: wait, told: make(chan told), ended: make(chan struct{})}
}

// Accept implements net.Listener. A connection that says nothing keeps no other waiting.
func (l *Listener) Accept() (net.Conn, error) {
	l.begin.Do(func() { go l.acceptAll() })
	select {
	case t := <-l.told:
		return t.conn, t.err
	case <-l.ended:
		return nil, net.ErrClosed
	}
}

// Close implements net.Listener.
func (l *Listener) Close() error {
	l.end.Do(func() { close(l.ended) })
	return l.Listener.Close()
}

func (l *Listener) acceptAll() {
	for {
		conn, err := l.Listener.Accept()
		if err != nil {
			select {
			case l.told <- told{err: err}:
			case <-l.ended:
				return
			}
			continue
		}
		go l.look(conn)
	}
}

// look reads the first byte, and hands the connection on.
func (l *Listener) look(conn net.Conn) {
	var first [1]byte
	_ = conn.SetReadDeadline(time.Now().Add(l.wait)) // one that is closed says so when it is read
	n, err := conn.Read(first[:])
	_ = conn.SetReadDeadline(time.Time{})
	if err != nil || n == 0 {
		_ = conn.Close() // its caller has left, or says nothing
		return
	}
	if u, ok := conn.(Unreader); ok {
		u.Unread(first[0])
	} else {
		conn = &unread{Conn: conn, first: first[0]}
	}
	if first[0] == handshake {
		conn = tls.Server(conn, l.config)
	}
	select {
	case l.told <- told{conn: conn}:
	case <-l.ended:
		_ = conn.Close()
	}
}

// unread is a connection of which a byte was read.
type unread struct {
	net.Conn
	first byte
	given bool
}

// Read implements net.Conn.
func (c *unread) Read(b []byte) (int, error) {
	if c.given || len(b) == 0 {
		return c.Conn.Read(b)
	}
	c.given, b[0] = true, c.first
	if len(b) == 1 {
		return 1, nil
	}
	n, err := c.Conn.Read(b[1:]) // a call has more than a byte
	return n + 1, err
}

// NetConn gives the connection below.
func (c *unread) NetConn() net.Conn { return c.Conn }
