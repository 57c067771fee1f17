package store_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

// The versions of mappings of an older data folder are part of the activity: they are listed,
// compared and restored as before, and undone as any edit.
func TestVersionsOfAnOlderFolderAreCarriedOver(t *testing.T) {
	folder := t.TempDir()
	s, c := sealed(t, folder, 1)
	_, err := c.CreateService(t.Context(), spec.NewService("quay"))
	require.NoError(t, err)
	for _, text := range []string{"one", "two", "three", "four", "five"} {
		put(t, c, "quay", "[{id: a, call: {path: /a}, answer: {text: "+text+"}}, {id: "+text+", call: {path: /b}}]")
	}
	_, err = c.RemoveMapping(catalog.By(t.Context(), "Ida"), "quay", "two", "")
	require.NoError(t, err)
	before, err := c.MappingVersions(t.Context(), "quay", "a")
	require.NoError(t, err)
	require.Len(t, before, 5)
	require.NoError(t, s.MakeOlder(t.Context(), before[4].Entry, before[2].Entry))
	require.NoError(t, s.Close())

	for range 2 { // it is done once
		s, c = sealed(t, folder, 1)
		after, err := c.MappingVersions(t.Context(), "quay", "a")
		require.NoError(t, err)
		require.Len(t, after, 5)
		assert.True(t, after[4].At.IsZero(), "the first is from before there were versions")
		for i, text := range []string{"five", "four", "three", "two", "one"} {
			assert.Equal(t, before[i].Version, after[i].Version)
			whole, err := c.MappingAt(t.Context(), "quay", "a", after[i].Version)
			require.NoError(t, err)
			assert.Equal(t, text, *whole.Mapping.Answer.Text)
		}
		removed, err := c.RemovedMappings(t.Context(), "quay")
		require.NoError(t, err)
		require.Len(t, removed, 1)
		assert.Equal(t, []string{"two", "Ida"}, []string{removed[0].ID, removed[0].By})
		entries, err := c.Activity(t.Context(), catalog.ActivityFilter{Service: "quay", Limit: 100})
		require.NoError(t, err)
		assert.Len(t, entries, 5, "four edits and the removal; not what was there before")
		require.NoError(t, s.Close())
	}
	_, c = sealed(t, folder, 1)
	_, _, err = c.RestoreMappings(t.Context(), "quay", catalog.Selection{})
	require.NoError(t, err)
	service, err := c.Find("quay")
	require.NoError(t, err)
	assert.NotNil(t, service.Mapping("two"))
	three, err := c.MappingVersions(t.Context(), "quay", "three")
	require.NoError(t, err)
	_, err = c.Undo(t.Context(), catalog.EntryID(three[0].Entry), time.Now())
	assert.ErrorContains(t, err, "mapping a of quay: it was changed since")
}
