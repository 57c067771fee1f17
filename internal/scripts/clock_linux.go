package scripts

import (
	"time"

	"golang.org/x/sys/unix"

	"rapidmimic.example/internal/core/script"
)

// threadClock tells the processor time that the calling thread has taken, to any thread of this
// process: what the garbage collector does beside a script is not the script's.
func threadClock() script.Clock {
	clock := int32(^unix.Gettid()<<3 | perThread | scheduled)
	return func() time.Duration {
		var taken unix.Timespec
		_ = unix.ClockGettime(clock, &taken) // which fails for wrong arguments alone
		return time.Duration(taken.Nano())
	}
}

// Bits of the id of a clock, which the kernel makes of a thread's number (clock_gettime(2) of Linux
// has them in its notes on dynamic clocks).
const (
	scheduled = 2
	perThread = 4
)
