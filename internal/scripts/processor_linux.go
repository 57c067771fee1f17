package scripts

import (
	"bytes"
	"fmt"
	"os"
	"strconv"
	"time"
)

// tick is the unit in which the kernel tells processor time: USER_HZ, which is 100 on all machines.
const tick = 10 * time.Millisecond

// processorTime is the processor time that a process has taken; ok is false where that is not known.
func processorTime(pid int) (_ time.Duration, ok bool) {
	stat, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	_, rest, found := bytes.Cut(stat, []byte(") ")) // the name before it may hold anything
	fields := bytes.Fields(rest)
	if err != nil || !found || len(fields) < 13 {
		return 0, false
	}
	user, err := strconv.ParseInt(string(fields[11]), 10, 64)
	if err != nil {
		return 0, false
	}
	system, err := strconv.ParseInt(string(fields[12]), 10, 64)
	return time.Duration(user+system) * tick, err == nil
}
