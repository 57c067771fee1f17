package traffic

import (
	"bytes"
	"context"
	"net"
	"net/http"
	"sync"
	"sync/atomic"
	"time"
)

// Listener takes the connections of a port that programs call. It holds their number
// below a limit, by closing the one that has been idle the longest, and sees what
// net/http refuses by itself, before any handler: a call that nobody knows of would be
// a riddle.
type Listener struct {
	net.Listener
	max int
	// writeTimeout is how long a caller may take to take what is written.
	writeTimeout time.Duration
	// malformed is told of what was refused.
	malformed func(Malformed)

	mu   sync.Mutex // guards open
	open map[*conn]struct{}
	free chan struct{} // signals that a connection was closed

	closed atomic.Int64
	// looked is when Expire looked at the connections last, in Unix nanoseconds; 0 for
	// never. Where a second does not matter it is the time.
	looked atomic.Int64
}

// Malformed is a call that net/http refused.
type Malformed struct {
	Caller string
	// Begins is the beginning of what came.
	Begins []byte
	Status int
	Reason string // "400 Bad Request: missing required Host header"
}

// NewListener wraps a listener. max is how many connections may be open at once,
// writeTimeout how long a caller may take to take what is written.
func NewListener(l net.Listener, max int, writeTimeout time.Duration, malformed func(Malformed)) *Listener {
	return &Listener{Listener: l, max: max, writeTimeout: writeTimeout, malformed: malformed, open: make(map[*conn]struct{}), free: make(chan struct{}, 1)}
}

// Open is how many connections are open, Closed how many idle ones had to go for
// others.
func (l *Listener) Open() int {
	l.mu.Lock()
	defer l.mu.Unlock()
	return len(l.open)
}

// Closed is how many idle connections were closed for new ones.
func (l *Listener) Closed() int64 { return l.closed.Load() }

// Accept implements net.Listener. Where all connections are busy it waits for one to
// end; new ones wait in the queue of the system.
func (l *Listener) Accept() (net.Conn, error) {
	for !l.room() {
		select {
		case <-l.free:
		case <-time.After(100 * time.Millisecond): // one may have become idle
		}
	}
	accepted, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	c := &conn{Conn: accepted, listener: l}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.open[c] = struct{}{}
	return c, nil
}

// room makes room for one more connection. It reports false where that cannot be.
func (l *Listener) room() bool {
	l.mu.Lock()
	if len(l.open) < l.max {
		l.mu.Unlock()
		return true
	}
	var oldest *conn
	since := time.Now().UnixNano()
	for c := range l.open {
		if idle := c.idle.Load(); idle != 0 && idle < since {
			oldest, since = c, idle
		}
	}
	l.mu.Unlock()
	if oldest == nil {
		return false
	}
	l.closed.Add(1)
	_ = oldest.Close() // its caller may have closed it already
	return true
}

// tracked is the connection of a Listener that c is, or is upon; nil for none.
func tracked(c net.Conn) *conn {
	for {
		if ours, ok := c.(*conn); ok {
			return ours
		}
		upon, ok := c.(interface{ NetConn() net.Conn })
		if !ok {
			return nil
		}
		c = upon.NetConn()
	}
}

// trackedConn is that of a request; nil for none.
func trackedConn(r *http.Request) *conn {
	c, _ := r.Context().Value(connKey{}).(net.Conn)
	return tracked(c)
}

// firstCall is how long a new connection may take to its first call before it counts as idle: one that
// has just come is about to call.
const firstCall = time.Second

// Track notes which connections are idle, and does what waits for the end of a call; it is the
// ConnState of the server.
func (l *Listener) Track(c net.Conn, state http.ConnState) {
	ours := tracked(c)
	if ours == nil {
		return
	}
	ours.callOver(state)
	switch state {
	case http.StateNew:
		ours.idle.Store(time.Now().Add(firstCall).UnixNano())
	case http.StateIdle:
		ours.idle.Store(time.Now().UnixNano())
		ours.beginsSize.Store(0)
	case http.StateActive:
		ours.idle.Store(0)
	case http.StateHijacked:
		ours.hijacked.Store(true)
	}
}

// conn is a connection of a Listener.
type conn struct {
	net.Conn
	listener *Listener
	idle     atomic.Int64 // since or from when, in Unix nanoseconds; 0 while a call is answered
	once     sync.Once
	// renewed is when the deadline for writing was set, in Unix nanoseconds. A connection
	// that was hijacked has none: what it carries may rest.
	renewed  atomic.Int64
	hijacked atomic.Bool
	reading  readDeadline
	// whenOver is what its goroutine does when the present call is over, before it reads the next.
	whenOver atomic.Pointer[func()]
	// beforeNext is what calls over HTTP/2 do before they are answered, each of them, until another call
	// has left something else or nothing.
	beforeNext atomic.Pointer[func()]
	// order is that of the head that is sent next; nil for the usual one.
	order atomic.Pointer[headOrder]
	// gathering says that gathered, which Write alone uses, waits for more: see gather.
	gathering atomic.Bool
	gathered  *[]byte

	// begins is the beginning of the present request, of which there are beginsSize
	// bytes. Reading and refusing happen in one goroutine.
	begins     [200]byte
	beginsSize atomic.Int32

	// unread is a byte that is read again first, where hasUnread is set.
	unread    byte
	hasUnread bool
}

// callOver does what waits for the end of a call, where the state says that it has come.
func (c *conn) callOver(state http.ConnState) {
	if state != http.StateIdle && state != http.StateClosed {
		return
	}
	if work := c.whenOver.Swap(nil); work != nil {
		(*work)()
	}
}

// Unread gives back the first byte of the connection, before anybody else reads it.
func (c *conn) Unread(b byte) { c.unread, c.hasUnread = b, true }

// Read implements net.Conn.
func (c *conn) Read(b []byte) (int, error) {
	n, err := c.read(b)
	if n > 1 && c.beginsSize.Load() == 0 { // a single byte is read ahead by net/http
		c.beginsSize.Store(int32(copy(c.begins[:], b[:n])))
	}
	return n, err
}

func (c *conn) read(b []byte) (int, error) {
	if !c.hasUnread || len(b) == 0 {
		return c.Conn.Read(b)
	}
	c.hasUnread, b[0] = false, c.unread
	if len(b) == 1 {
		return 1, nil
	}
	n, err := c.Conn.Read(b[1:]) // a call has more than a byte
	return n + 1, err
}

// refused is how net/http begins and continues the answers that it gives by itself.
var (
	refused        = []byte("HTTP/1.1 4")
	notImplemented = []byte("HTTP/1.1 501 ")
	ownHead        = []byte("\r\nContent-Type: text/plain; charset=utf-8\r\nConnection: close\r\n\r\n")
	expectation    = []byte("HTTP/1.1 417 Expectation Failed\r\nConnection: close\r\n")
)

// Write implements net.Conn. The caller has to take what is written in time. Renewing
// that costs more than a small answer does, so it is done once between two looks at the
// connections.
func (c *conn) Write(b []byte) (int, error) {
	if !c.hijacked.Load() && (c.renewed.Load() <= c.listener.looked.Load() || len(b) > bytesPerSecond) {
		now := time.Now()
		c.renewed.Store(now.UnixNano())
		_ = c.Conn.SetWriteDeadline(due(now, c.listener.writeTimeout, int64(len(b)))) // a connection that is closed says so
	}
	if bytes.HasPrefix(b, refused) || bytes.HasPrefix(b, notImplemented) {
		c.note(b)
	}
	if order := c.order.Load(); order != nil {
		ready, over := order.take(b)
		if !over {
			return len(b), nil
		}
		c.order.Store(nil)
		if _, err := c.send(ready); err != nil {
			return 0, err
		}
		return len(b), nil
	}
	return c.send(b)
}

// note tells of an answer that no handler gave.
func (c *conn) note(b []byte) {
	head, reason, own := bytes.Cut(b, ownHead)
	switch {
	case own && len(head) < 60:
	case bytes.HasPrefix(b, expectation):
		reason = []byte("417 Expectation Failed: only 100-continue is known")
	default:
		return
	}
	status := 0
	for _, digit := range b[len("HTTP/1.1 "):][:3] {
		status = status*10 + int(digit-'0')
	}
	c.listener.malformed(Malformed{c.RemoteAddr().String(), bytes.Clone(c.begins[:c.beginsSize.Load()]), status, string(reason)})
}

// Close implements net.Conn.
func (c *conn) Close() error {
	c.once.Do(func() {
		c.listener.mu.Lock()
		delete(c.listener.open, c)
		c.listener.mu.Unlock()
		select {
		case c.listener.free <- struct{}{}:
		default:
		}
	})
	return c.Conn.Close()
}

// CloseWrite ends what we say on a connection, and leaves the other side the rest.
func (c *conn) CloseWrite() error {
	closeWrite(c.Conn)
	return nil
}

// NetConn gives the connection below.
func (c *conn) NetConn() net.Conn { return c.Conn }

// Gate lets as many calls do heavy work at once as it has places.
type Gate struct {
	places chan struct{}
	wait   time.Duration
}

// NewGate builds a gate with so many places, for which calls wait so long.
func NewGate(places int, wait time.Duration) *Gate {
	return &Gate{make(chan struct{}, places), wait}
}

// Enter implements budget.Gate.
func (g *Gate) Enter(ctx context.Context) bool {
	select {
	case g.places <- struct{}{}:
		return true
	default:
	}
	timer := time.NewTimer(g.wait)
	defer timer.Stop()
	select {
	case g.places <- struct{}{}:
		return true
	case <-ctx.Done():
	case <-timer.C:
	}
	return false
}

// Leave implements budget.Gate.
func (g *Gate) Leave() { <-g.places }
