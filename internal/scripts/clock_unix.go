//go:build unix && !linux

package scripts

import (
	"syscall"
	"time"

	"rapidmimic.example/internal/core/script"
)

// threadClock tells the processor time that this process has taken, since that of one thread is not
// told here.
func threadClock() script.Clock {
	return func() time.Duration {
		var usage syscall.Rusage
		_ = syscall.Getrusage(syscall.RUSAGE_SELF, &usage) // which fails for wrong arguments alone
		return time.Duration(usage.Utime.Nano() + usage.Stime.Nano())
	}
}
