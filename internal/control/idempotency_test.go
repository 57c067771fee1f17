package control

import (
	"crypto/sha256"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// The answers that are remembered are bounded in sum: the oldest go first, and none that is
// still in the making.
func TestRememberedAnswersAreBounded(t *testing.T) {
	r, now := newRepeats(), time.Now()
	working, isNew := r.begin("at work", [sha256.Size]byte{}, now)
	assert.True(t, isNew)
	const size = rememberedSum / 4
	for i := range 6 {
		first, isNew := r.begin(strconv.Itoa(i), [sha256.Size]byte{}, now)
		assert.True(t, isNew)
		first.done, first.body = true, make([]byte, size)
		r.limit()
	}
	known := ""
	for i := range 6 {
		if _, isNew := r.begin(strconv.Itoa(i), [sha256.Size]byte{}, now); !isNew {
			known += strconv.Itoa(i)
		}
	}
	assert.Equal(t, "2345", known)
	_, isNew = r.begin("at work", [sha256.Size]byte{}, now)
	assert.False(t, isNew)
	assert.False(t, working.done)
	_, isNew = r.begin("5", [sha256.Size]byte{}, now.Add(rememberedFor))
	assert.True(t, isNew, "a day later it is forgotten")
}
