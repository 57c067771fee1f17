//go:build unix

package scripts

import (
	"syscall"
	"time"
)

// worked is the processor time that this process has taken.
func worked() time.Duration {
	var usage syscall.Rusage
	_ = syscall.Getrusage(syscall.RUSAGE_SELF, &usage) // which fails for wrong arguments alone
	return time.Duration(usage.Utime.Nano() + usage.Stime.Nano())
}
