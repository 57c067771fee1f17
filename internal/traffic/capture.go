package traffic

import (
	"io"
	"sync"

	"rapidmimic.example/internal/core/call"
)

// capture keeps the beginning of what goes by and counts the rest.
type capture struct {
	limit int
	kept  []byte
	size  int64
}

// Write implements io.Writer; it never fails.
func (c *capture) Write(b []byte) (int, error) {
	if room := c.limit - len(c.kept); room > 0 {
		c.kept = append(c.kept, b[:min(room, len(b))]...)
	}
	c.size += int64(len(b))
	return len(b), nil
}

func (c *capture) body() call.Body {
	return call.Body{Bytes: c.kept, Size: c.size, Truncated: c.size > int64(len(c.kept))}
}

// count gives a writer that counts and keeps nothing.
func (c *capture) count() io.Writer { return counter{c} }

type counter struct{ c *capture }

func (w counter) Write(b []byte) (int, error) {
	w.c.size += int64(len(b))
	return len(b), nil
}

// buffers are for copying bodies.
var buffers = sync.Pool{New: func() any { b := make([]byte, 32<<10); return &b }}
