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
	position uint64         // calls published so far, and clearings
	cleared  uint64         // the position after the last clearing
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
	l.wake()
}

// clear tells followers that the log was cleared. They get nothing of what was published before.
func (l *live) clear() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.position++
	l.cleared = l.position
	l.wake()
}

// wake needs l.mu.
func (l *live) wake() {
	close(l.changed)
	l.changed = make(chan struct{})
}

// Position is where a new follower begins.
func (l *Log) Position() uint64 {
	l.live.mu.Lock()
	defer l.live.mu.Unlock()
	return l.live.position
}

// Follow waits for calls after a position. It returns at once when there are any, or when the log
// was cleared since, and the error of ctx when that ends first.
func (l *Log) Follow(ctx context.Context, from uint64) (call.Followed, error) {
	for {
		l.live.mu.Lock()
		changed := l.live.changed
		news := l.live.since(from)
		l.live.mu.Unlock()
		if len(news.Lines) > 0 || news.Cleared {
			return news, nil
		}
		select {
		case <-changed:
		case <-ctx.Done():
			return call.Followed{Position: from}, ctx.Err()
		}
	}
}

// since needs l.mu. A position from before a restart lies in the future; it
// starts anew.
func (l *live) since(from uint64) call.Followed {
	from = min(from, l.position)
	news := call.Followed{Position: l.position, Cleared: from < l.cleared}
	from = max(from, l.cleared)
	if l.position-from > ringSize {
		news.Skipped = int(l.position - ringSize - from)
		from = l.position - ringSize
	}
	for p := from; p < l.position; p++ {
		news.Lines = append(news.Lines, l.ring[p%ringSize])
	}
	return news
}
