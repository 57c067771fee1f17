package calllog

import (
	"context"
	"sync"

	"rapidmimic.example/internal/core/call"
)

// ringSize is how many of the last calls a follower may be behind before some
// are skipped for it.
const ringSize = 16_384

// live is the stream of calls as they were kept. Followers read from one ring
// at their own pace, so a slow one costs nothing and holds nobody up.
type live struct {
	mu       sync.Mutex     // guards all below
	ring     []call.Summary // ringSize of them
	position uint64         // calls published so far
	changed  chan struct{}
}

func newLive() *live {
	return &live{ring: make([]call.Summary, ringSize), changed: make(chan struct{})}
}

func (l *live) publish(batch []*call.Record) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, r := range batch {
		l.ring[l.position%ringSize] = r.Summary()
		l.position++
	}
	close(l.changed)
	l.changed = make(chan struct{})
}

// Position is how many calls were published since the start: where a new
// follower begins.
func (l *Log) Position() uint64 {
	l.live.mu.Lock()
	defer l.live.mu.Unlock()
	return l.live.position
}

// Follow waits for calls after a position and returns them with the position
// to go on from. skipped counts those that came too fast to be held. It
// returns at once when there are any, and the error of ctx when that ends
// first.
func (l *Log) Follow(ctx context.Context, from uint64) (lines []call.Summary, skipped int, position uint64, err error) {
	for {
		l.live.mu.Lock()
		changed := l.live.changed
		lines, skipped, position = l.live.since(from)
		l.live.mu.Unlock()
		if len(lines) > 0 {
			return lines, skipped, position, nil
		}
		select {
		case <-changed:
		case <-ctx.Done():
			return nil, 0, from, ctx.Err()
		}
	}
}

// since needs l.mu. A position from before a restart lies in the future; it
// starts anew.
func (l *live) since(from uint64) (lines []call.Summary, skipped int, position uint64) {
	if from > l.position {
		from = l.position
	}
	if l.position-from > ringSize {
		skipped = int(l.position - ringSize - from)
		from = l.position - ringSize
	}
	for p := from; p < l.position; p++ {
		lines = append(lines, l.ring[p%ringSize])
	}
	return lines, skipped, l.position
}
