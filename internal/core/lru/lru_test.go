package lru_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/lru"
)

func TestMap(t *testing.T) {
	m := lru.New[int](3)
	zero := func() int { return 0 }
	for _, key := range []string{"a", "b", "c"} {
		*m.Ensure(key, zero)++
	}
	*m.Ensure("a", zero)++
	assert.Equal(t, 1, *m.Peek("b"))
	m.Ensure("d", zero)
	assert.Nil(t, m.Get("b"), "it was asked for the longest ago, looking does not count")
	assert.Equal(t, 2, *m.Get("a"))
	assert.Equal(t, int64(1), m.Evicted())
	m.Delete("a")
	m.Delete("never")
	var keys []string
	for key, value := range m.All() {
		keys = append(keys, key)
		*value += 7
	}
	assert.Equal(t, []string{"d", "c"}, keys)
	assert.Equal(t, 8, *m.Get("c"))

	long := strings.Repeat("x", 1_000_000)
	*m.Ensure(long, zero) = 5
	assert.Equal(t, 5, *m.Get(long))
	assert.Nil(t, m.Peek(long+"y"))
	assert.Less(t, len(lru.Key(long)), 50)
	assert.Equal(t, strings.Repeat("x", 64), lru.Key(strings.Repeat("x", 64)))
}
