package secret

import (
	"hash/maphash"
	"sync"
	"unsafe"
)

// cleanBodies remembers bodies in which nothing was secret: many calls bring or get the same one.
// Those that are the same place in memory, which nobody changes, are known by it; others by a
// digest of 128 bits under keys that nobody knows.
type cleanBodies struct {
	mu      sync.Mutex
	held    [256]heldBody
	digests [4096]bodyDigest
}

// heldBody is held on to, so that no other body can have its place in memory.
type heldBody struct {
	of   bodyKind
	body []byte
}

// bodyKind is how a body is read, and what was known then.
type bodyKind struct {
	contentType, coding string
	known               *known
}

type bodyDigest struct{ first, second uint64 }

var digestSeeds = [2]maphash.Seed{maphash.MakeSeed(), maphash.MakeSeed()}

// mostHeld bounds, in bytes, a body that is held on to.
const mostHeld = 64 << 10

// forget has every body looked at anew.
func (c *cleanBodies) forget() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.held, c.digests = [256]heldBody{}, [4096]bodyDigest{}
}

// look reports whether a body is known to be clean, one that is shared by its place, too. If it
// is not, digest is for saw.
func (c *cleanBodies) look(body []byte, of bodyKind, shared bool) (digest bodyDigest, clean bool) {
	if len(body) == 0 {
		return digest, true
	}
	held := &c.held[uintptr(unsafe.Pointer(&body[0]))>>4&255]
	if shared = shared && len(body) <= mostHeld; shared {
		c.mu.Lock()
		clean = same(held.body, body) && held.of == of
		c.mu.Unlock()
		if clean {
			return digest, true
		}
	}
	digest = digestOf(body, of)
	c.mu.Lock()
	defer c.mu.Unlock()
	if clean = c.digests[digest.first%uint64(len(c.digests))] == digest; clean && shared {
		*held = heldBody{of, body}
	}
	return digest, clean
}

// saw notes that a body is clean.
func (c *cleanBodies) saw(digest bodyDigest) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.digests[digest.first%uint64(len(c.digests))] = digest
}

func digestOf(body []byte, of bodyKind) bodyDigest {
	under := func(seed maphash.Seed) uint64 {
		return maphash.Bytes(seed, body) ^ 3*maphash.Comparable(seed, of)
	}
	return bodyDigest{under(digestSeeds[0]), under(digestSeeds[1])}
}
