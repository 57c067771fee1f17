// Package memory shares out what memory the process may use, so that one kind of
// work cannot take it from all others: who needs much asks a Ledger before.
package memory

import (
	"math"
	"os"
	"strconv"
	"strings"
	"sync"
)

// Least is the least limit that the service can work with.
const Least = 256 << 20

// Ledger knows how much of a share is in use. It is safe for concurrent use.
type Ledger struct {
	limit int64
	begin func() (done func()) // what goes on while some of it is taken; nil for nothing

	mu      sync.Mutex // guards used, by and refused
	used    int64
	by      map[string]int64 // what each of those has that took some; none with 0
	refused int64
}

// NewLedger builds the ledger of a share of so many bytes.
func NewLedger(limit int64) *Ledger { return &Ledger{limit: limit, by: make(map[string]int64)} }

// During has begin called whenever some of the share is taken, and what that returns when it is given back.
func (l *Ledger) During(begin func() (done func())) *Ledger {
	l.begin = begin
	return l
}

// Reserve takes bytes of the share until release is called. It reports false where
// that many are not left; then release does nothing. by is who takes them, such as a
// lane: all that it has at a time is at most three quarters, so that others find some.
// "" is nobody in particular, and may have all.
func (l *Ledger) Reserve(by string, bytes int64) (release func(), ok bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if bytes > l.limit-l.used || by != "" && bytes > l.limit/4*3-l.by[by] {
		l.refused++
		return func() {}, false
	}
	l.takeLocked(by, bytes)
	done := func() {}
	if l.begin != nil {
		done = l.begin()
	}
	return sync.OnceFunc(func() {
		done()
		l.mu.Lock()
		defer l.mu.Unlock()
		l.takeLocked(by, -bytes)
	}), true
}

func (l *Ledger) takeLocked(by string, bytes int64) {
	l.used += bytes
	if by == "" {
		return
	}
	if l.by[by] += bytes; l.by[by] == 0 {
		delete(l.by, by)
	}
}

// Limit is how many bytes the share has.
func (l *Ledger) Limit() int64 { return l.limit }

// Refused is how often there was not enough left.
func (l *Ledger) Refused() int64 {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.refused
}

// Default is the limit where none is given: four fifths of what a container may use,
// else half of what the machine has; 2 GiB where neither can be read.
func Default() int64 {
	for _, file := range []string{"/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory/memory.limit_in_bytes"} {
		text, err := os.ReadFile(file)
		if err != nil {
			continue
		}
		if n, err := strconv.ParseInt(strings.TrimSpace(string(text)), 10, 64); err == nil && n > 0 && n < 1<<50 { // "max", or a number that stands for it
			return max(n/5*4, Least)
		}
	}
	text, err := os.ReadFile("/proc/meminfo")
	if err != nil {
		return 2 << 30
	}
	return max(total(string(text))/2, Least)
}

// total reads MemTotal of /proc/meminfo, in bytes; 4 GiB where it is not there.
func total(meminfo string) int64 {
	for line := range strings.SplitSeq(meminfo, "\n") {
		fields := strings.Fields(line)
		if len(fields) == 3 && fields[0] == "MemTotal:" {
			if kB, err := strconv.ParseInt(fields[1], 10, 64); err == nil && kB < math.MaxInt64>>10 {
				return kB << 10
			}
		}
	}
	return 4 << 30
}
