package budget_test

import (
	"bytes"
	"context"
	"io"
	"runtime"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/budget"
)

func TestSpend(t *testing.T) {
	var none *budget.Budget
	require.NoError(t, none.Spend(budget.MaxSteps*2))
	require.NoError(t, none.Err())

	b := budget.New(t.Context(), nil, nil)
	require.NoError(t, b.Spend(budget.MaxSteps-1))
	require.NoError(t, b.Spend(1))
	err := b.Spend(1)
	assert.ErrorContains(t, err, "more than 20000000 steps")
	assert.Same(t, err, b.Spend(0), "what was said stays said")
	assert.Same(t, err, b.Fail(budget.ErrLeft))
	assert.Same(t, err, b.Err())
}

func TestSpendEndsWithTheCaller(t *testing.T) {
	ctx, leave := context.WithCancel(t.Context())
	b := budget.New(ctx, nil, nil)
	require.NoError(t, b.Spend(5_000))
	leave()
	for range 5_000 {
		if b.Spend(1) != nil {
			break
		}
	}
	assert.ErrorIs(t, b.Err(), budget.ErrLeft)
}

func TestSpendEndsWithTheTime(t *testing.T) {
	now := time.Unix(0, 0)
	b := budget.New(t.Context(), func() time.Time { return now }, nil)
	require.NoError(t, b.Spend(10_000))
	now = now.Add(budget.MaxTime)
	require.NoError(t, b.Spend(10_000), "the time is up after it, not at it")
	now = now.Add(1)
	var exhausted *budget.Exhausted
	require.ErrorAs(t, b.Spend(10_000), &exhausted)
	assert.True(t, exhausted.Time)
}

// gate counts who is within; it lets nobody in while it is shut.
type gate struct {
	within int
	shut   bool
}

func (g *gate) Enter(context.Context) bool {
	if !g.shut {
		g.within++
	}
	return !g.shut
}

func (g *gate) Leave() { g.within-- }

func TestHeavyWorkPassesTheGate(t *testing.T) {
	g := &gate{}
	light := budget.New(t.Context(), nil, g)
	for range 20 {
		require.NoError(t, light.Spend(1_000))
	}
	assert.Zero(t, g.within)
	light.Release()
	assert.Zero(t, g.within)

	heavy := budget.New(t.Context(), nil, g)
	for range 100 {
		require.NoError(t, heavy.Spend(1_000))
	}
	assert.Equal(t, 1, g.within)
	heavy.Release()
	heavy.Release()
	assert.Zero(t, g.within)

	g.shut = true
	late := budget.New(t.Context(), nil, g)
	for late.Spend(1_000) == nil {
	}
	var exhausted *budget.Exhausted
	require.ErrorAs(t, late.Err(), &exhausted)
	assert.True(t, exhausted.Time)
}

// othersRun reports whether another goroutine gets the only processor while work runs.
func othersRun(t *testing.T, work func()) bool {
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1))
	var ran atomic.Bool
	go ran.Store(true)
	work()
	return ran.Load()
}

func TestLongWorkLetsOthersRun(t *testing.T) {
	b := budget.New(t.Context(), nil, nil)
	assert.True(t, othersRun(t, func() {
		for range 2_000 {
			require.NoError(t, b.Spend(1))
		}
	}))
	short := budget.New(t.Context(), nil, nil)
	assert.False(t, othersRun(t, func() { require.NoError(t, short.Spend(100)) }), "short work is not interrupted")

	text := bytes.Repeat([]byte("N7 "), 1<<20)
	var read []byte
	assert.True(t, othersRun(t, func() {
		var err error
		read, err = io.ReadAll(budget.Fair(bytes.NewReader(text)))
		require.NoError(t, err)
	}))
	assert.Equal(t, text, read)
	assert.False(t, othersRun(t, func() { _, _ = io.ReadAll(budget.Fair(bytes.NewReader(text[:1000]))) }))
}
