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
