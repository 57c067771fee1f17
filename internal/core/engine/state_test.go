package engine_test

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/engine"
)

// Numbers are given once each, and of callers, which may be invented, so many are
// remembered as there is room for.
func TestMemory(t *testing.T) {
	var m engine.Memory
	var seen sync.Map
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			for range 1_000 {
				for _, caller := range []string{"", "mara"} {
					_, twice := seen.LoadOrStore(caller+fmt.Sprint(m.Claim("tides/", caller)), true)
					assert.False(t, twice)
				}
			}
		})
	}
	all.Wait()
	assert.Equal(t, map[string]uint64{"": 8_000, "mara": 8_000}, m.Counts("tides/"))
	assert.Equal(t, uint64(8_000), m.Peek("tides/", "mara"))
	assert.Zero(t, m.Peek("tides/", "ben")+m.Peek("moorings/", ""))

	for i := range engine.MaxCallers + 500 {
		m.Claim("customs/", strings.Repeat("long", 1_000)+fmt.Sprint(i))
	}
	assert.Len(t, m.Counts("customs/"), engine.MaxCallers)
	assert.Equal(t, int64(500), m.Evicted())
	assert.Equal(t, uint64(8_000), m.Peek("tides/", "mara"), "those of other subjects stay")
	m.Forget("cust")
	assert.Empty(t, m.Counts("customs/"))
	assert.Equal(t, uint64(8_000), m.Peek("tides/", ""))
}
