package impair_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rapidmimic.example/internal/core/impair"
)

// What an impairment did is told by the minute, and begins anew when it is set anew.
func TestHits(t *testing.T) {
	var e impair.Hits
	set := time.Date(2026, 11, 29, 12, 0, 0, 0, time.UTC)
	at := func(minute, second int) time.Time {
		return set.Add(time.Duration(minute)*time.Minute + time.Duration(second)*time.Second)
	}
	assert.Equal(t, impair.HitCount{Minutes: make([]impair.Minute, 15)}, e.Of("fog", set, set))
	e.Forget("fog")
	e.Count("fog", set, at(0, 1), true)
	e.Count("fog", set, at(0, 59), false)
	e.Count("gale", set, at(0, 59), true)
	e.Count("fog", set, at(2, 0), true)
	e.Count("fog", set, at(1, 59), true) // which was decided a moment earlier
	want := make([]impair.Minute, 15)
	want[12], want[14] = impair.Minute{Calls: 2, Hit: 1}, impair.Minute{Calls: 2, Hit: 2}
	assert.Equal(t, impair.HitCount{Calls: 4, Hit: 3, Minutes: want}, e.Of("fog", set, at(2, 30)))

	later := e.Of("fog", set, at(14, 0))
	assert.Equal(t, []impair.Minute{{Calls: 2, Hit: 1}, {}, {Calls: 2, Hit: 2}}, later.Minutes[:3])
	assert.Equal(t, make([]impair.Minute, 15), e.Of("fog", set, at(90, 0)).Minutes, "what is long ago is in the sum alone")
	assert.Equal(t, uint64(4), e.Of("fog", set, at(90, 0)).Calls)

	anew := at(91, 0)
	assert.Zero(t, e.Of("fog", anew, anew).Calls)
	e.Count("fog", anew, anew, false)
	assert.Equal(t, []uint64{1, 0}, []uint64{e.Of("fog", anew, anew).Calls, e.Of("fog", anew, anew).Hit})
	e.Forget("fog")
	assert.Zero(t, e.Of("fog", anew, anew).Calls)
	assert.Equal(t, uint64(1), e.Of("gale", set, at(3, 0)).Hit)
}
