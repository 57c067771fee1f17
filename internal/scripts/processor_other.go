//go:build !linux

package scripts

import "time"

// processorTime is the processor time that a process has taken; ok is false where that is not known.
func processorTime(int) (_ time.Duration, ok bool) { return 0, false }
