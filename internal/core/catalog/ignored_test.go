package catalog_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

func TestIgnored(t *testing.T) {
	c := quay(t)
	list, err := spec.ReadMappings([]byte("{id: beat, labels: [noise], call: {path: /beat}, answer: {text: a}}"))
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "quay", list)
	require.NoError(t, err)
	none := c.Snapshot().Ignored()
	first, err := c.PutIgnored(t.Context(), spec.Ignored{Calls: []string{"label:noise", "path:/health"}}, none.ETag())
	require.NoError(t, err)
	beat := call.Summary{Service: "quay", Source: call.FromMapping, By: "beat", Path: "/beat"}
	assert.Equal(t, 0, first.Rule(&beat))
	assert.Equal(t, 1, first.Rule(&call.Summary{Path: "/health"}))
	assert.False(t, first.IsIgnored(&call.Summary{Service: "quay", Source: call.FromContract, By: "beat", Path: "/beat"}), "another thing answered")
	assert.True(t, first.IsIgnored(&beat))
	scenarios, err := spec.ReadScenarios([]byte("[{name: calm, services: {quay: {mappings: [{id: own, labels: [noise], call: {path: /own}}, {id: beat, call: {path: /beat}}]}}}, {name: storm, buildsOn: calm}]"))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), scenarios)
	require.NoError(t, err)
	for _, scenario := range []string{"calm", "storm"} {
		assert.Equal(t, 0, first.Rule(&call.Summary{Service: "quay", Source: call.FromMapping, By: "own", Path: "/own", Scenario: scenario}))
	}
	assert.Equal(t, -1, first.Rule(&call.Summary{Service: "quay", Source: call.FromMapping, By: "own", Path: "/own"}))
	assert.Equal(t, -1, first.Rule(&call.Summary{Service: "quay", Source: call.FromMapping, By: "beat", Path: "/beat", Scenario: "storm"}), "its own has no label")
	_, err = c.PutIgnored(t.Context(), spec.Ignored{}, none.ETag())
	assert.ErrorContains(t, err, "was changed by somebody else")
	version := c.Snapshot().Ignored()
	same, err := c.PutIgnored(t.Context(), first.Spec, "")
	require.NoError(t, err)
	assert.Same(t, version, same, "nothing changed")
	off, err := c.PutIgnored(t.Context(), spec.Ignored{Off: true, Calls: first.Spec.Calls}, first.ETag())
	require.NoError(t, err)
	assert.False(t, off.IsIgnored(&beat))
	assert.Equal(t, 0, off.Rule(&beat), "it is counted all the same")
	_, err = c.PutIgnored(t.Context(), spec.Ignored{Calls: []string{"get", "body:x", "stauts:1"}}, "")
	assert.ErrorContains(t, err, "/calls/1: body: is not looked at here")
	assert.ErrorContains(t, err, "/calls/2: stauts: means nothing in a filter (status?)")
	assert.Same(t, off, c.Snapshot().Ignored())
}

// A rule that cannot be read any more is set aside, and the others keep their places.
func TestIgnoredCallsAreLoaded(t *testing.T) {
	store := &fakeStore{stored: catalog.Definitions{Ignored: spec.Ignored{Calls: []string{"stauts:5xx", "path:/health"}}}}
	c, err := catalog.Open(t.Context(), store)
	require.NoError(t, err)
	ignored := c.Snapshot().Ignored()
	assert.Equal(t, 1, ignored.Rule(&call.Summary{Path: "/health"}))
	assert.Equal(t, -1, ignored.Rule(&call.Summary{Path: "/berths"}))
	assert.Equal(t, store.stored.Ignored, ignored.Spec)
	assert.Len(t, c.Aside(), 1)
}
