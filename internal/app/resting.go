package app

import (
	"context"
	"runtime"
	"runtime/debug"
	"time"

	"rapidmimic.example/internal/traffic"
)

// A connection that rests keeps a stack as deep as its calls made it, 32 kB of it.
// Stacks shrink when memory is collected, by half each time, and connections that rest
// cause no collection. So there are some when many have come, or gone.

const (
	// lookEvery is how often the connections are looked at for those whose time is
	// over, tidyEvery after how many looks they are counted.
	lookEvery = time.Second
	tidyEvery = 10
	// tidyFrom is by how many their number has to differ.
	tidyFrom = 1_000
	// tidyRounds bring stacks from 32 kB to 8, the least that net/http needs.
	tidyRounds = 3
)

// watchConnections ends connections whose time is over, and gives back the memory of
// those that rest.
func (a *app) watchConnections(ctx context.Context) {
	ticker := time.NewTicker(lookEvery)
	defer ticker.Stop()
	for looks, before := 1, 0; ; looks++ {
		select {
		case <-ctx.Done():
			return
		case now := <-ticker.C:
			open := 0
			for _, l := range []*traffic.Listener{a.called, a.proxied} {
				if l != nil {
					l.Expire(now)
					open += l.Open()
				}
			}
			if looks%tidyEvery == 0 && max(open-before, before-open) >= tidyFrom {
				tidy()
				before = open
			}
		}
	}
}

func tidy() {
	for range tidyRounds - 1 {
		runtime.GC()
	}
	debug.FreeOSMemory() // collects too
}
