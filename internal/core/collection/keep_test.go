package collection_test

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/spec/tree"
)

// What is kept comes back: values with the time that they have left, and lanes; what has not
// changed is not written again, and what is gone is told once.
func TestValuesAreKept(t *testing.T) {
	now := time.Date(2026, 12, 1, 10, 0, 0, 0, time.UTC)
	shared, lane := collection.Space{Service: "s"}, collection.Space{Service: "s", Lane: "night"}
	m := &collection.Memory{}
	m.Remember(shared, []collection.Write{{Key: "a", Node: tree.NewNumber("1.50")}, {Key: "b", Node: tree.NewString("x"), For: time.Minute}, {Key: "l", Node: tree.NewNumber("1"), Append: true}}, now)
	m.Remember(lane, []collection.Write{{Key: "a"}}, now)
	known := map[collection.Space]uint64{}
	kept, err := m.Changed(known)
	require.NoError(t, err)
	require.Len(t, kept, 2)
	again, err := m.Changed(known)
	require.NoError(t, err)
	assert.Empty(t, again)

	other := &collection.Memory{}
	require.NoError(t, other.Restore(kept))
	again, err = other.Changed(map[collection.Space]uint64{shared: collection.Restored, lane: collection.Restored})
	require.NoError(t, err)
	assert.Empty(t, again, "what was restored is not written again")
	text := func(where collection.Space, key string, at time.Time) string {
		if n := other.Recall(where, key, at); n != nil {
			return string(n.AppendJSON(nil))
		}
		return ""
	}
	assert.Equal(t, "1.50", text(shared, "a", now))
	assert.Empty(t, text(lane, "a", now), "the lane has its own")
	assert.Equal(t, `"x"`, text(lane, "b", now.Add(59*time.Second)))
	assert.Empty(t, text(lane, "b", now.Add(time.Minute)))
	other.Remember(shared, []collection.Write{{Key: "l", Node: tree.NewNumber("2"), Append: true}}, now)
	assert.Equal(t, "[1,2]", text(shared, "l", now))

	m.ForgetLane("night")
	m.Remember(shared, []collection.Write{{Key: "a"}}, now)
	kept, err = m.Changed(known)
	require.NoError(t, err)
	require.Len(t, kept, 2)
	for _, one := range kept {
		assert.Equal(t, one.Space == lane, one.Document == nil, one.Space)
	}
	// a space that is made anew is told from the old one, though as much has happened in it
	for name, k := range map[string]struct {
		where  collection.Space
		forget func(*collection.Memory)
	}{
		"for everybody": {shared, func(m *collection.Memory) { m.Reset(shared, "") }},
		"in a lane":     {lane, func(m *collection.Memory) { m.ForgetLane("night") }},
	} {
		m, known := &collection.Memory{}, map[collection.Space]uint64{}
		for _, text := range []string{"old", "new"} {
			k.forget(m)
			m.Remember(k.where, []collection.Write{{Key: "a", Node: tree.NewString(text)}}, now)
			kept, err := m.Changed(known)
			require.NoError(t, err)
			require.Len(t, kept, 1, name)
			assert.Contains(t, string(kept[0].Document), text, name)
		}
	}
	m = &collection.Memory{}
	require.NoError(t, m.Restore([]collection.Kept{{Space: shared, Document: []byte("{}")}}))
	m.Reset(shared, "")
	m.Remember(shared, []collection.Write{{Key: "a", Node: tree.NewString("new")}}, now)
	kept, err = m.Changed(map[collection.Space]uint64{shared: collection.Restored})
	require.NoError(t, err)
	assert.Len(t, kept, 1, "after a restart, too")
	assert.Error(t, other.Restore([]collection.Kept{{Space: shared, Document: []byte("{")}}))
}

// One call at a time holds a space; who waits too long, or whose caller leaves, does not get it.
func TestHold(t *testing.T) {
	m, where := &collection.Memory{}, collection.Space{Service: "s"}
	release, ok := m.Hold(t.Context(), where, time.Minute)
	require.True(t, ok)
	_, ok = m.Hold(t.Context(), where, time.Millisecond)
	assert.False(t, ok)
	left, cancel := context.WithCancel(t.Context())
	cancel()
	_, ok = m.Hold(left, where, time.Minute)
	assert.False(t, ok)
	other, ok := m.Hold(t.Context(), collection.Space{Service: "s", Lane: "night"}, time.Millisecond)
	require.True(t, ok, "a lane has a turn of its own")
	other()
	release()
	release, ok = m.Hold(t.Context(), where, time.Millisecond)
	require.True(t, ok)
	release()
}

// A list that is appended to keeps its end unless it is given another; what has ended makes room
// before what has not.
func TestEndsOfValues(t *testing.T) {
	now, where := time.Date(2026, 12, 1, 10, 0, 0, 0, time.UTC), collection.Space{Service: "s"}
	m := &collection.Memory{}
	one := tree.NewNumber("1")
	m.Remember(where, []collection.Write{{Key: "l", Node: one, Append: true, For: time.Minute}, {Key: "l", Node: one, Append: true}, {Key: "m", Node: one, Append: true, For: time.Minute}, {Key: "m", Node: one, Append: true, For: time.Hour}}, now)
	assert.Nil(t, m.Recall(where, "l", now.Add(time.Minute)))
	assert.NotNil(t, m.Recall(where, "m", now.Add(time.Minute)))

	m = &collection.Memory{}
	m.Remember(where, []collection.Write{{Key: "stays", Node: one}}, now)
	for i := range collection.DefaultLimits.Items - 1 {
		m.Remember(where, []collection.Write{{Key: fmt.Sprint("ends", i), Node: one, For: time.Minute}}, now)
	}
	m.Remember(where, []collection.Write{{Key: "new", Node: one}}, now.Add(time.Minute))
	assert.NotNil(t, m.Recall(where, "stays", now))
}
