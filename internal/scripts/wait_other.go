//go:build !linux

package scripts

import (
	"os"
	"time"
)

// await does nothing: the scheduler waits.
func await(*os.File, time.Duration) {}
