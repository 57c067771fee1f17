package memory

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestLedger(t *testing.T) {
	l := NewLedger(100)
	first, ok := l.Reserve("", 60)
	assert.True(t, ok)
	_, ok = l.Reserve("", 41)
	assert.False(t, ok)
	second, ok := l.Reserve("", 40)
	assert.True(t, ok)
	first()
	first() // once counts
	_, ok = l.Reserve("", 61)
	assert.False(t, ok)
	third, ok := l.Reserve("", 60)
	assert.True(t, ok)
	second()
	third()
	_, ok = l.Reserve("", 100)
	assert.True(t, ok)
	assert.Equal(t, int64(2), l.Refused())
}

func TestLedgerLeavesSomeToOthers(t *testing.T) {
	l := NewLedger(100)
	first, ok := l.Reserve("mara", 75)
	assert.True(t, ok)
	_, ok = l.Reserve("mara", 1)
	assert.False(t, ok, "three quarters are the most")
	ida, ok := l.Reserve("ida", 25)
	assert.True(t, ok)
	first()
	again, ok := l.Reserve("mara", 75)
	assert.True(t, ok, "what was released counts no more")
	again()
	ida()
	assert.Empty(t, l.by)
}

func TestDefault(t *testing.T) {
	assert.GreaterOrEqual(t, Default(), int64(Least))
	assert.Equal(t, int64(2048<<10), total("MemFree: 1 kB\nMemTotal:        2048 kB\n"))
	assert.Equal(t, int64(4<<30), total("nothing of it"))
}
