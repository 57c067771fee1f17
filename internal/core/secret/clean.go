package secret

import (
	"sync"
	"unsafe"
)

// cleanBodies remembers bodies in which nothing was secret: answers that do not depend
// on the call are the same bytes each time, which nobody changes. It holds on to them,
// so that no other body can have their place in memory.
type cleanBodies struct {
	mu    sync.Mutex
	slots [256]cleanBody
}

type cleanBody struct {
	at, size    uintptr
	contentType string
	held        []byte // nil while it was seen once
}

// mostHeld bounds, in bytes, a body that is held on to.
const mostHeld = 64 << 10

// forget has every body looked at anew.
func (c *cleanBodies) forget() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.slots = [256]cleanBody{}
}

// slot is the one for a body; nil for a body that is none to remember. The caller
// holds the lock.
func (c *cleanBodies) slot(body []byte) *cleanBody {
	if len(body) == 0 || len(body) > mostHeld {
		return nil
	}
	return &c.slots[uintptr(unsafe.Pointer(&body[0]))>>4&255]
}

func (b *cleanBody) is(body []byte, contentType string) bool {
	return b.at == uintptr(unsafe.Pointer(&body[0])) && b.size == uintptr(len(body)) && b.contentType == contentType
}

// has reports whether a body is known to be clean.
func (c *cleanBodies) has(body []byte, contentType string) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	b := c.slot(body)
	return b != nil && b.held != nil && b.is(body, contentType)
}

// saw notes that a body is clean. It is held when it comes for the second time.
func (c *cleanBodies) saw(body []byte, contentType string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	b := c.slot(body)
	switch {
	case b == nil:
	case b.is(body, contentType):
		b.held = body
	default:
		*b = cleanBody{at: uintptr(unsafe.Pointer(&body[0])), size: uintptr(len(body)), contentType: contentType}
	}
}
