//go:build !unix

package scripts

import (
	"time"

	"rapidmimic.example/internal/core/script"
)

// threadClock tells how long this process has run, since processor time is told in another way here.
func threadClock() script.Clock {
	began := time.Now()
	return func() time.Duration { return time.Since(began) }
}
