//go:build linux && !race

package scripts

import "syscall"

const rlimitData = 2 // RLIMIT_DATA, which package syscall does not name

// limitSystem has the system refuse this process more private memory than that.
func limitSystem(bytes uint64) {
	_ = syscall.Setrlimit(rlimitData, &syscall.Rlimit{Cur: bytes, Max: bytes}) // else watch is alone
}
