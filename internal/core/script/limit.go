package script

import (
	"fmt"
	"sync"
	"time"
)

// limit stops runs whose time is over. Its timer goes on from one run to the next, as long as they follow
// one another.
type limit struct {
	mu      sync.Mutex    // guards the fields below
	current *run          // nil between runs
	began   time.Duration // when it did, by the clock
	timer   *time.Timer
	goes    bool // whether timer does
}

// begins notes a run that begins, ends that it has ended: from then on it is not stopped.
func (it *Interpreter) begins() {
	l := &it.limit
	l.mu.Lock()
	defer l.mu.Unlock()
	l.current, l.began = it.run, it.clock()
	switch {
	case l.timer == nil:
		l.timer = time.AfterFunc(Time, it.late)
	case !l.goes:
		l.timer.Reset(Time)
	}
	l.goes = true
}

func (it *Interpreter) ends() {
	it.limit.mu.Lock()
	defer it.limit.mu.Unlock()
	it.limit.current = nil
	it.rt.ClearInterrupt()
}

// late stops the present run where its time is over, and else looks again.
func (it *Interpreter) late() {
	l := &it.limit
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.goes = l.current != nil; !l.goes {
		return
	}
	left := Time - (it.clock() - l.began - time.Duration(l.current.waited.Load()))
	if left > 0 || l.current.asks.Load() {
		l.timer.Reset(max(left, time.Millisecond))
		return
	}
	l.goes = false
	it.rt.Interrupt(fmt.Sprintf("the script took longer than %s", Time))
}
