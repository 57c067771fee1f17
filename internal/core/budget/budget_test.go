package budget_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic/internal/core/budget"
)

func TestSpend(t *testing.T) {
	var none *budget.Budget
	require.NoError(t, none.Spend(budget.MaxSteps*2))
	require.NoError(t, none.Err())

	b := budget.New(nil, nil)
	require.NoError(t, b.Spend(budget.MaxSteps-1))
	require.NoError(t, b.Spend(1))
	err := b.Spend(1)
	assert.ErrorContains(t, err, "more than 20000000 steps")
	assert.Same(t, err, b.Spend(0), "what was said stays said")
	assert.Same(t, err, b.Fail(budget.ErrLeft))
	assert.Same(t, err, b.Err())
}

func TestSpendEndsWithTheCaller(t *testing.T) {
	done := make(chan struct{})
	b := budget.New(done, nil)
	require.NoError(t, b.Spend(5_000))
	close(done)
	for range 5_000 {
		if b.Spend(1) != nil {
			break
		}
	}
	assert.ErrorIs(t, b.Err(), budget.ErrLeft)
}

func TestSpendEndsWithTheTime(t *testing.T) {
	now := time.Unix(0, 0)
	b := budget.New(nil, func() time.Time { return now })
	require.NoError(t, b.Spend(10_000))
	now = now.Add(budget.MaxTime)
	require.NoError(t, b.Spend(10_000), "the time is up after it, not at it")
	now = now.Add(1)
	var exhausted *budget.Exhausted
	require.ErrorAs(t, b.Spend(10_000), &exhausted)
	assert.True(t, exhausted.Time)
}
