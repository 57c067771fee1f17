//go:build !unix

package scripts

import "time"

var began = time.Now()

// worked is how long this process has run, since the processor time is told in another way here.
func worked() time.Duration { return time.Since(began) }
