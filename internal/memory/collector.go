package memory

import (
	"context"
	"runtime/debug"
	"runtime/metrics"
	"time"
)

// The collector of garbage lets the heap grow to several times what is in use, since calls leave much
// behind that is dead at once. Where much is in use, as with large contracts, that would be gigabytes: then
// it grows by so much and no more.
const (
	mostPercent  = 400
	leastPercent = 50
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

// Tune keeps the collector's setting in line with what is in use, until ctx ends.
func Tune(ctx context.Context) {
	live := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	set := 0
	ticker := time.NewTicker(tuneEvery)
	defer ticker.Stop()
	for {
		metrics.Read(live)
		if percent := Percent(live[0].Value.Uint64()); percent > set+set/10 || percent < set-set/10 {
			debug.SetGCPercent(percent)
			set = percent
		}
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}
