package app

import (
	"context"
	"runtime"
	"runtime/debug"
	"time"

	"rapidmimic/internal/traffic"
)

// A connection that rests keeps a stack as deep as its calls made it, 32 kB of it.
// Stacks shrink when memory is collected, by half each time, and connections that rest
// cause no collection. So there are some when many have come, or gone.

const (
	// tidyEvery is how often the connections are counted, tidyFrom by how many their
	// number has to differ.
	tidyEvery = 10 * time.Second
	tidyFrom  = 1_000
	// tidyRounds bring stacks from 32 kB to 8, the least that net/http needs.
	tidyRounds = 3
)

func (a *app) tidyUntil(ctx context.Context) {
	ticker := time.NewTicker(tidyEvery)
	defer ticker.Stop()
	for before := 0; ; {
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
		open := 0
		for _, l := range []*traffic.Listener{a.called, a.proxied} {
			if l != nil {
				open += l.Open()
			}
		}
		if max(open-before, before-open) < tidyFrom {
			continue
		}
		for range tidyRounds - 1 {
			runtime.GC()
		}
		debug.FreeOSMemory() // collects too
		before = open
	}
}
