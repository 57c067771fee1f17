package scripts

import (
	"os"
	"syscall"
	"time"
	"unsafe"

	"golang.org/x/sys/unix"
)

// await waits a little until something can be read of a file. It does not tell the scheduler of Go, which
// would take the processor from this thread and give it back with each message: that takes longer than
// most waiting does. Nothing else of this process runs meanwhile.
func await(file *os.File, patience time.Duration) {
	asked := unix.PollFd{Fd: int32(file.Fd()), Events: unix.POLLIN}
	within := unix.NsecToTimespec(int64(patience))
	// Whatever comes of it, the reading that follows sees it too.
	_, _, _ = syscall.RawSyscall6(unix.SYS_PPOLL, uintptr(unsafe.Pointer(&asked)), 1, uintptr(unsafe.Pointer(&within)), 0, 0, 0)
}
