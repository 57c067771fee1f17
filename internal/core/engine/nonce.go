package engine

import (
	"sync"
	"time"

	"rapidmimic.example/internal/core/lru"
)

// mostNonces is how many nonces of messages are known again; the least recently seen give way.
const mostNonces = 100_000

// nonceAge is how long one is known: older messages are refused by their time.
const nonceAge = 15 * time.Minute

// nonces are those of messages that came, which must not come again.
type nonces struct {
	mu   sync.Mutex
	seen *lru.Map[time.Time]
}

func newNonces() *nonces { return &nonces{seen: lru.New[time.Time](mostNonces)} }

// fresh reports whether a nonce was not seen before; it is from now on, unless somebody only looks.
func (n *nonces) fresh(key string, now time.Time, looks bool) bool {
	n.mu.Lock()
	defer n.mu.Unlock()
	key = lru.Key(key)
	if at := n.seen.Peek(key); at != nil && now.Sub(*at) < nonceAge {
		return false
	}
	if !looks {
		*n.seen.Ensure(key, func() time.Time { return now }) = now
	}
	return true
}
