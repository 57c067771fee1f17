package control

import (
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// So many at most are here; who was not heard of for a while makes room for others.
func TestPresenceIsBounded(t *testing.T) {
	var p presence
	now := time.Now()
	for i := range maxPresent {
		assert.True(t, p.put(strconv.Itoa(i), visitor{"eve", "/", false, now}))
	}
	_, later := p.list(now)
	assert.False(t, p.put("more", visitor{"eve", "/", false, now}))
	assert.True(t, p.put("0", visitor{"eve", "/", false, now.Add(presentFor)}), "who is here stays")
	select {
	case <-later:
		assert.Fail(t, "nobody came, moved or left")
	default:
	}
	p.put("0", visitor{"eve", "/", true, now.Add(presentFor)})
	_, open := <-later
	assert.False(t, open, "who begins to edit is told of")
	assert.True(t, p.put("more", visitor{"eve", "/calls", false, now.Add(presentFor + 1)}))
	here, _ := p.list(now.Add(presentFor + 1))
	assert.Len(t, here, 2)
}

// What a page said before it said that it leaves, and comes after it, does not bring it back.
func TestWhoLeavesIsGone(t *testing.T) {
	var p presence
	now := time.Now()
	here := func(after time.Duration) int {
		list, _ := p.list(now.Add(after))
		return len(list)
	}
	p.put("tab", visitor{"eve", "/", false, now})
	p.remove("tab", now)
	assert.Zero(t, here(0))
	p.put("tab", visitor{"eve", "/lanes", false, now.Add(goneFor)})
	p.put("other", visitor{"ida", "/", false, now.Add(goneFor)})
	assert.Equal(t, 1, here(goneFor))
	p.put("tab", visitor{"eve", "/lanes", false, now.Add(goneFor + 1)})
	assert.Equal(t, 2, here(goneFor+1), "the page was opened again")

	p.heard("tab", now.Add(time.Minute), staysFor)
	p.heard("nobody", now, staysFor)
	p.heard("other", now.Add(time.Minute), presentFor)
	assert.Equal(t, 2, here(time.Minute+staysFor))
	assert.Equal(t, 1, here(time.Minute+staysFor+1), "its stream ended, and it did not come back")
}
