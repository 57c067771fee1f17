package memory_test

import (
	"context"
	"runtime"
	"runtime/debug"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/memory"
)

func TestPercent(t *testing.T) {
	for live, want := range map[uint64]int{0: 400, 1 << 20: 400, 64 << 20: 400, 128 << 20: 200, 256 << 20: 100, 400 << 20: 64, 600 << 20: 50, 10 << 30: 50} {
		assert.Equal(t, want, memory.Percent(live), "%d MB", live>>20)
	}
}

// What is in use decides while it changes, both ways.
func TestTune(t *testing.T) {
	before := debug.SetGCPercent(100)
	defer debug.SetGCPercent(before)
	var collector memory.Collector
	collector.Heavy()() // which nobody tunes yet, and is over
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		collector.Tune(ctx)
	}()
	percent := func() int {
		now := debug.SetGCPercent(100)
		debug.SetGCPercent(now)
		return now
	}
	assert.Eventually(t, func() bool { return percent() == 400 }, 5*time.Second, 10*time.Millisecond)
	uploads := memory.NewLedger(100).During(collector.Heavy)
	_, ok := uploads.Reserve("", 101)
	assert.False(t, ok)
	assert.Equal(t, 400, percent(), "what is refused is not read")
	first, _ := uploads.Reserve("", 60)
	second, _ := uploads.Reserve("", 40)
	assert.Equal(t, 30, percent(), "at once")
	first()
	first()
	time.Sleep(300 * time.Millisecond)
	assert.Equal(t, 30, percent(), "as long as anything is read")
	second()
	assert.Equal(t, 400, percent())
	held := make([]byte, 300<<20)
	runtime.GC()
	assert.Eventually(t, func() bool { return percent() < 100 }, 5*time.Second, 10*time.Millisecond)
	runtime.KeepAlive(held)
	held = nil
	runtime.GC()
	assert.Eventually(t, func() bool { return percent() > 300 }, 5*time.Second, 10*time.Millisecond)
	stop()
	<-ended
}
