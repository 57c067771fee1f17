// Package rescue keeps a fault in the work on one thing from ending all other work.
// Every goroutine that works on what came from outside does so within Do.
package rescue

import (
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync/atomic"
)

var faults atomic.Int64

// Do runs work. A panic in it is logged with its stack and counted, and becomes the
// error; what names the work in a message, such as "check a call".
func Do(logger *slog.Logger, what string, work func()) (err error) {
	defer func() {
		if fault := recover(); fault != nil {
			faults.Add(1)
			logger.Error("the service failed, and goes on without this one thing", "work", what, "fault", fault, "stack", string(debug.Stack()))
			err = fmt.Errorf("%s: %v", what, fault)
		}
	}()
	work()
	return nil
}

// Faults is how many panics there were since the process began.
func Faults() int64 { return faults.Load() }
