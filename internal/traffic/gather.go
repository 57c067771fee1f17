package traffic

import (
	"io"
	"net"
	"net/http"
	"sync"
)

// Whoever has an answer finds its call in the log. net/http sends the rest of an answer when its handler
// has returned, so handlers leave it the last byte, and add the call before they return. Where an answer
// has no length it ends with its last chunk or with its stream, which go out then too.

const (
	// keptByHTTP is how many bytes of a body net/http keeps until there are more.
	keptByHTTP = 2 << 10
	// gatherBytes is how much of an answer a connection gathers.
	gatherBytes = 16 << 10
)

// writeEnd writes the end of an answer, its last byte by itself, so that net/http keeps that.
func writeEnd(w io.Writer, b []byte) (written int, err error) {
	if len(b) > 1 {
		if written, err = w.Write(b[:len(b)-1]); err != nil {
			return written, err
		}
	}
	n, err := w.Write(b[written:])
	return written + n, err
}

// gather has the connection of a call gather what is written to it, as far as gatherBytes, until it is let
// go: so the last byte of an answer costs no system call. Over HTTP/2 connections carry several answers.
func gather(r *http.Request) {
	if c := trackedConn(r); c != nil && r.ProtoMajor == 1 {
		c.gathering.Store(true)
	}
}

// letGo has what was gathered go out with what is written next.
func letGo(r *http.Request) {
	if c := trackedConn(r); c != nil {
		c.gathering.Store(false)
	}
}

var gatherBuffers = sync.Pool{New: func() any { b := make([]byte, 0, gatherBytes); return &b }}

// send writes, or gathers what is written.
func (c *conn) send(b []byte) (int, error) {
	gathering := c.gathering.Load()
	if c.gathered == nil {
		if !gathering || len(b) > gatherBytes {
			return c.Conn.Write(b)
		}
		c.gathered = gatherBuffers.Get().(*[]byte)
	}
	out := net.Buffers{*c.gathered, b}
	if len(*c.gathered)+len(b) <= gatherBytes {
		*c.gathered = append(*c.gathered, b...)
		if gathering {
			return len(b), nil
		}
		out = net.Buffers{*c.gathered}
	}
	_, err := out.WriteTo(c.Conn)
	*c.gathered = (*c.gathered)[:0]
	gatherBuffers.Put(c.gathered)
	c.gathered = nil
	if err != nil {
		return 0, err
	}
	return len(b), nil
}
