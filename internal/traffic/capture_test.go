package traffic

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
)

// ledger gives so many times what it is asked for.
type ledger struct{ left, released int }

func (l *ledger) Reserve(string, int64) (func(), bool) {
	l.left--
	return func() { l.released++ }, l.left >= 0
}

// What is recorded takes memory as it grows, and keeps no part of what it cannot have.
func TestCaptureTakesMemory(t *testing.T) {
	piece := bytes.Repeat([]byte("x"), 1<<20)
	fill := func(memory *ledger, limit int) *capture {
		c := &capture{limit: limit, free: smallBody}
		if memory != nil {
			c.memory = memory
		}
		for range 8 {
			n, err := c.Write(piece)
			assert.NoError(t, err)
			assert.Equal(t, len(piece), n)
		}
		return c
	}
	all := &ledger{left: 100}
	c := fill(all, 16<<20)
	assert.False(t, c.body().Truncated)
	assert.Len(t, c.kept, 8<<20)
	c.release()
	assert.Equal(t, 100-all.left, all.released, "all is given back")
	assert.Positive(t, all.released)
	few := fill(&ledger{left: 1}, 16<<20)
	assert.Equal(t, []any{true, int64(8 << 20)}, []any{few.body().Truncated, few.body().Size})
	assert.Less(t, len(few.kept), 4<<20)
	assert.Len(t, fill(nil, 3<<20).kept, 3<<20)
}
