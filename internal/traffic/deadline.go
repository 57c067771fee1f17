package traffic

import (
	"net"
	"sync"
	"time"
)

// readDeadline is until when a connection may be read. net/http sets it several times
// for each call; telling the runtime each time costs more than the rest of a small call
// does. So a deadline that is far away is only noted, and the connections are looked at
// now and then: it may come late by as much as that, never early.
type readDeadline struct {
	mu    sync.Mutex // guards until and exact
	until time.Time  // zero for none
	// exact is set while the connection itself has a deadline.
	exact bool
}

// farAway is how far away, in nanoseconds, a deadline that is only noted is at least.
// Expire is to be called more often.
const farAway = int64(3 * time.Second)

// set sets the deadline of a connection: exactly, or only noted.
func (d *readDeadline) set(c net.Conn, t time.Time, exactly bool) error {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.until = time.Time{}
	if exactly {
		d.exact = !t.IsZero()
		return c.SetReadDeadline(t)
	}
	if d.until = t; !d.exact {
		return nil
	}
	d.exact = false
	return c.SetReadDeadline(time.Time{})
}

// expire ends reading where the deadline has passed.
func (d *readDeadline) expire(c net.Conn, now time.Time) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if !d.until.IsZero() && now.After(d.until) {
		d.until, d.exact = time.Time{}, true
		_ = c.SetReadDeadline(time.Unix(1, 0)) // a connection that is closed needs none
	}
}

// SetReadDeadline implements net.Conn.
func (c *conn) SetReadDeadline(t time.Time) error {
	looked := c.listener.looked.Load()
	far := looked != 0 && (t.IsZero() || t.UnixNano()-looked > farAway)
	return c.reading.set(c.Conn, t, !far || c.hijacked.Load())
}

// SetDeadline implements net.Conn.
func (c *conn) SetDeadline(t time.Time) error {
	if err := c.reading.set(c.Conn, t, true); err != nil {
		return err
	}
	return c.SetWriteDeadline(t)
}

// Expire ends the reading of connections whose time is over. It is called every second
// or two; as long as it was not called, all deadlines are exact.
func (l *Listener) Expire(now time.Time) {
	l.looked.Store(now.UnixNano())
	l.mu.Lock()
	all := make([]*conn, 0, len(l.open))
	for c := range l.open {
		all = append(all, c)
	}
	l.mu.Unlock()
	for _, c := range all {
		c.reading.expire(c.Conn, now)
	}
}
