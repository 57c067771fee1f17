package traffic

import (
	"bytes"
	"context"
	"net"
	"net/http"
	"slices"

	"rapidmimic.example/internal/core/call"
)

// net/http writes header lines ordered by name, in one spelling. Where an answer has its
// own order and spelling, the connection brings its head into that as it goes out.

type connKey struct{}

// WithConn is the ConnContext of servers on a Listener: handlers find their connection.
func WithConn(ctx context.Context, c net.Conn) context.Context {
	return context.WithValue(ctx, connKey{}, c)
}

// arrange has the next head that is sent in answer to r keep the order and the spelling
// of fields, those that are not among them behind. It does nothing where lines have no
// order or spelling (HTTP/2), nor on connections that were intercepted.
func arrange(r *http.Request, fields []call.Field) {
	c, ok := r.Context().Value(connKey{}).(*conn)
	if !ok || r.ProtoMajor != 1 {
		return
	}
	order := &headOrder{names: make([]string, len(fields))}
	for i, f := range fields {
		order.names[i] = f.Name
	}
	c.order.Store(order)
}

// headOrder is the order in which lines of a head are sent, and what came of it so far.
type headOrder struct {
	names []string
	head  []byte
}

// mostHead bounds what is held back of a head, in bytes: a longer one goes as it is.
const mostHead = 1 << 20

var (
	headEnd = []byte("\r\n\r\n")
	lineEnd = []byte("\r\n")
)

// take takes what is written; it gives what can be sent, and whether the head is over.
func (o *headOrder) take(b []byte) (ready []byte, over bool) {
	parts := len(o.head) > 0
	if parts {
		b = append(o.head, b...)
	}
	end := bytes.Index(b, headEnd)
	switch {
	case end < 0 && len(b) <= mostHead:
		if !parts {
			b = bytes.Clone(b)
		}
		o.head = b
		return nil, false
	case end < 0, bytes.HasPrefix(b, []byte("HTTP/1.1 1")): // what goes before is none of it
		return b, true
	}
	return o.arranged(b[:end], b[end:]), true
}

// arranged is a head, without its end, in the order, and what follows it.
func (o *headOrder) arranged(head, rest []byte) []byte {
	out := make([]byte, 0, len(head)+len(rest)) // names are as long in any spelling
	lines := bytes.Split(head, lineEnd)
	out = append(out, lines[0]...)
	lines = lines[1:]
	for _, name := range o.names {
		for i, line := range lines {
			if len(line) > len(name) && line[len(name)] == ':' && bytes.EqualFold(line[:len(name)], []byte(name)) {
				out = append(append(append(out, lineEnd...), name...), line[len(name):]...)
				lines = slices.Delete(lines, i, i+1)
				break
			}
		}
	}
	for _, line := range lines {
		out = append(append(out, lineEnd...), line...)
	}
	return append(out, rest...)
}
