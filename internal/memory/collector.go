package memory

import (
	"context"
	"runtime/debug"
	"runtime/metrics"
	"sync"
	"time"
)

// The collector of garbage lets the heap grow to several times what is in use, since calls leave much
// behind that is dead at once. Where much is in use, as with large contracts, that would be gigabytes: then
// it grows by so much and no more.
const (
	mostPercent  = 400
	leastPercent = 50
	// heavyPercent is for while something large is read: what is in use then goes up for a moment.
	heavyPercent = 30
	// mostGarbage is how many bytes of garbage there may be, as far as leastPercent allows.
	mostGarbage = 256 << 20
	// tuneEvery is how often what is in use is looked at: reading a large contract takes seconds.
	tuneEvery = 250 * time.Millisecond
)

// Percent is by how much of what is in use, in bytes, the heap may grow until it is collected.
func Percent(live uint64) int {
	if live == 0 {
		return mostPercent
	}
	return max(leastPercent, int(min(mostPercent, mostGarbage*100/live)))
}

// Collector keeps the setting of the collector of garbage in line with what is in use. While something
// large is read, which takes many times its size, it collects more often. It is safe for concurrent use.
type Collector struct {
	mu    sync.Mutex // guards the fields below
	tunes bool
	heavy int
	set   int
}

// Tune keeps the setting in line, until ctx ends.
func (c *Collector) Tune(ctx context.Context) {
	c.mu.Lock()
	c.tunes = true
	c.mu.Unlock()
	ticker := time.NewTicker(tuneEvery)
	defer ticker.Stop()
	for {
		c.adjust()
		select {
		case <-ctx.Done():
			c.mu.Lock()
			c.tunes = false
			c.mu.Unlock()
			return
		case <-ticker.C:
		}
	}
}

// Heavy says that something large is read, until done is called.
func (c *Collector) Heavy() (done func()) {
	add := func(n int) {
		c.mu.Lock()
		c.heavy += n
		c.mu.Unlock()
		c.adjust()
	}
	add(1)
	return sync.OnceFunc(func() { add(-1) })
}

func (c *Collector) adjust() {
	live := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	metrics.Read(live)
	c.mu.Lock()
	defer c.mu.Unlock()
	percent := Percent(live[0].Value.Uint64())
	if c.heavy > 0 {
		percent = heavyPercent
	}
	if c.tunes && (percent > c.set+c.set/10 || percent < c.set-c.set/10) {
		debug.SetGCPercent(percent)
		c.set = percent
	}
}
