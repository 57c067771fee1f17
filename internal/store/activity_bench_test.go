package store_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/store"
	"rapidmimic.example/spec"
)

// tenThousand is an environment with so many mappings of one service.
func tenThousand(b *testing.B) (*catalog.Catalog, []spec.Mapping) {
	s, err := store.Open(b.Context(), b.TempDir(), false)
	require.NoError(b, err)
	b.Cleanup(func() { _ = s.Close() })
	c, err := catalog.Open(b.Context(), s)
	require.NoError(b, err)
	_, err = c.CreateService(b.Context(), spec.NewService("quay"))
	require.NoError(b, err)
	list := make([]spec.Mapping, 10_000)
	for i := range list {
		read, err := spec.ReadMappings(fmt.Appendf(nil, "{id: m%d, labels: [x], call: {path: '/m/%d', where: [{query: a, equals: b}]}, answer: {json: {a: 1, b: [1, 2, 3], c: 'text of some length'}}}", i, i))
		require.NoError(b, err)
		list[i] = read[0]
	}
	_, _, err = c.PutMappings(b.Context(), "quay", list)
	require.NoError(b, err)
	return c, list
}

// An edit among 10,000 mappings.
func BenchmarkEdit(b *testing.B) {
	c, list := tenThousand(b)
	for i := 0; b.Loop(); i++ {
		m := list[i%len(list)]
		m.Title = fmt.Sprint(i)
		_, _, err := c.PutMappings(b.Context(), "quay", []spec.Mapping{m})
		require.NoError(b, err)
	}
}

// A change of 10,000 mappings, taken back.
func BenchmarkUndo(b *testing.B) {
	c, _ := tenThousand(b)
	for name, edit := range map[string]catalog.BulkEdit{"disabled": {Enabled: new(bool)}, "removed": {Remove: true}} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				_, err := c.EditMappings(b.Context(), []string{"quay"}, catalog.Selection{Label: "x"}, edit)
				require.NoError(b, err)
				_, err = c.Undo(b.Context(), catalog.EntryID(c.Snapshot().Entry()), time.Now())
				require.NoError(b, err)
			}
		})
	}
}

// Opening a year of work: 100,000 entries, the last ones, and those of a service that has
// none, for which all are looked at.
func BenchmarkActivity(b *testing.B) {
	s, err := store.Open(b.Context(), b.TempDir(), false)
	require.NoError(b, err)
	defer s.Close()
	c, err := catalog.Open(b.Context(), s)
	require.NoError(b, err)
	_, err = c.CreateService(b.Context(), spec.NewService("quay"))
	require.NoError(b, err)
	require.NoError(b, s.FillActivity(b.Context(), 100_000))
	for name, filter := range map[string]catalog.ActivityFilter{"last": {Limit: 100}, "of-nothing": {Limit: 100, Service: "dock"}, "of-one": {Limit: 100, Service: "quay"}} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				_, err := c.Activity(b.Context(), filter)
				require.NoError(b, err)
			}
		})
	}
}
