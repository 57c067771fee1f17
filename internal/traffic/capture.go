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
	// memory is asked, in the name of lane, for what goes beyond free bytes; nil gives all.
	// released gives it back.
	memory   Memory
	lane     string
	free     int
	released []func()
}

// reserveStep is how much memory a body that is recorded asks for at a time, in bytes.
const reserveStep = 4 << 20

// Write implements io.Writer; it never fails.
func (c *capture) Write(b []byte) (int, error) {
	if room := c.limit - len(c.kept); room > 0 {
		if c.grows(len(b)) {
			c.kept = append(c.kept, b[:min(room, len(b))]...)
		} else {
			c.limit = len(c.kept)
		}
	}
	c.size += int64(len(b))
	return len(b), nil
}

// grows takes the memory for so many bytes more; false when there is none.
func (c *capture) grows(bytes int) bool {
	if c.memory == nil || len(c.kept)+bytes <= c.free {
		return true
	}
	release, ok := c.memory.Reserve(c.lane, reserveStep)
	if ok {
		c.free += reserveStep / 2 // what is kept is copied when it grows
		c.released = append(c.released, release)
	}
	return ok
}

func (c *capture) release() {
	for _, release := range c.released {
		release()
	}
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
