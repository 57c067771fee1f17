package catalog_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

// Impairments stand with their targets: the widest first, under the names that
// services have now, and gone with what they were for.
func TestImpairmentsOfTheCatalog(t *testing.T) {
	ctx := t.Context()
	store := &fakeStore{}
	c, err := catalog.Open(ctx, store)
	require.NoError(t, err)
	for _, name := range []string{"quay", "a-much-longer-name"} {
		_, err := c.CreateService(ctx, spec.NewService(name))
		require.NoError(t, err)
	}
	mappings, err := spec.ReadMappings([]byte("id: dues\ncall: {path: /dues}\nanswer: {text: a}"))
	require.NoError(t, err)
	_, _, err = c.PutMappings(ctx, "quay", mappings)
	require.NoError(t, err)
	slow := func(ms int) spec.Impairment {
		d := spec.Duration(time.Duration(ms) * time.Millisecond)
		return spec.Impairment{Latency: &spec.Latency{Low: d, High: d}}
	}
	set := func(target spec.Target, i spec.Impairment) *catalog.Impairment {
		made, err := c.SetImpairment(ctx, target, i, "", 7, time.Unix(100, 0))
		require.NoError(t, err)
		return made
	}
	set(spec.Target{Service: "quay", Mapping: "dues"}, slow(1))
	set(spec.Target{Service: "a-much-longer-name"}, slow(2))
	set(spec.Target{}, slow(3))
	made := set(spec.Target{Service: "quay"}, slow(4))
	assert.Equal(t, int64(7), made.Plan.Seed, "one is drawn where none is given")
	targets := func(s *catalog.Snapshot) (texts []string) {
		for _, i := range s.Impairments() {
			texts = append(texts, i.Plan.Target)
		}
		return texts
	}
	assert.Equal(t, []string{"everything", "a-much-longer-name", "quay", "mapping dues of quay"}, targets(c.Snapshot()))
	assert.True(t, c.Snapshot().Impaired())

	renamed := spec.NewService("pier")
	_, _, err = c.PutService(ctx, "quay", renamed, "")
	require.NoError(t, err)
	assert.Equal(t, []string{"everything", "a-much-longer-name", "pier", "mapping dues of pier"}, targets(c.Snapshot()))
	_, err = c.RemoveMapping(ctx, "pier", "dues", "")
	require.NoError(t, err)
	assert.Equal(t, []string{"everything", "a-much-longer-name", "pier"}, targets(c.Snapshot()))
	assert.Equal(t, "dues", store.changes[len(store.changes)-1].RemoveImpairments[0].Mapping)
	_, err = c.RemoveService(ctx, "pier", "")
	require.NoError(t, err)
	assert.Equal(t, []string{"everything", "a-much-longer-name"}, targets(c.Snapshot()))

	off := true
	whole := func() (list []spec.TargetImpairment, tags []string) {
		for _, i := range c.Snapshot().Impairments() {
			list = append(list, spec.TargetImpairment{Target: c.Snapshot().TargetOf(i.StoredImpairment), Impairment: i.Impairment})
			tags = append(tags, catalog.ETag(i.Version))
		}
		return list, tags
	}
	list, tags := whole()
	require.NoError(t, c.ReplaceImpairments(ctx, "", list, tags, &off, 1, time.Now()))
	assert.False(t, c.Snapshot().Impaired())
	changes := len(store.changes)
	require.NoError(t, c.ReplaceImpairments(ctx, "", list, tags, &off, 1, time.Now()))
	assert.Len(t, store.changes, changes, "what is as it is given is not written again")
	assert.ErrorContains(t, c.ReplaceImpairments(ctx, "a-much-longer-name", list, tags, nil, 1, time.Now()), "the impairment is of everything")
	assert.ErrorContains(t, c.ReplaceImpairments(ctx, "", list[:1], []string{`"1"`}, nil, 1, time.Now()), "was changed by somebody else")
	require.NoError(t, c.ReplaceImpairments(ctx, "a-much-longer-name", nil, nil, nil, 1, time.Now()))
	assert.Equal(t, []string{"everything"}, targets(c.Snapshot()), "what a list does not name is switched off, within its service")
	require.NoError(t, c.ReplaceImpairments(ctx, "", list, []string{"", ""}, nil, 1, time.Now()))
	assert.Len(t, c.Snapshot().Impairments(), 2, "they are kept")
	gone, err := c.RemoveImpairments(ctx, spec.Target{}, true, "")
	require.NoError(t, err)
	assert.Len(t, gone, 2)
	gone, err = c.RemoveImpairments(ctx, spec.Target{}, true, "")
	require.NoError(t, err)
	assert.Empty(t, gone)
	for _, wrong := range []spec.Target{{Service: "quay"}, {Operation: "x"}, {Service: "a-much-longer-name", Mapping: "x"}, {Service: "a-much-longer-name", Operation: "x"}} {
		_, err := c.SetImpairment(ctx, wrong, slow(1), "", 1, time.Now())
		assert.Error(t, err, "%+v", wrong)
	}
}

// Who was slower is told, and is shown what is on.
func TestImpairmentsHaveVersions(t *testing.T) {
	ctx := t.Context()
	c, err := catalog.Open(ctx, &fakeStore{})
	require.NoError(t, err)
	_, err = c.CreateService(ctx, spec.NewService("quay"))
	require.NoError(t, err)
	quay := spec.Target{Service: "quay"}
	set := func(ms int, tag string) (*catalog.Impairment, error) {
		d := spec.Duration(time.Duration(ms) * time.Millisecond)
		return c.SetImpairment(ctx, quay, spec.Impairment{Latency: &spec.Latency{Low: d, High: d}}, tag, 7, time.Unix(100, 0))
	}
	first, err := set(1, catalog.NotThere)
	require.NoError(t, err)
	have, err := set(2, catalog.NotThere)
	assert.ErrorContains(t, err, "the impairment of quay already exists")
	assert.Same(t, c.Snapshot().Impairment(first.ServiceID, "", ""), have)
	second, err := set(3, catalog.ETag(first.Version))
	require.NoError(t, err)
	_, err = set(4, catalog.ETag(first.Version))
	assert.ErrorContains(t, err, "the impairment of quay was changed by somebody else")
	_, err = c.RemoveImpairments(ctx, quay, false, catalog.ETag(first.Version))
	assert.ErrorContains(t, err, "was changed by somebody else")
	_, err = c.RemoveImpairments(ctx, quay, false, catalog.ETag(second.Version))
	require.NoError(t, err)
	_, err = set(5, catalog.ETag(second.Version))
	assert.ErrorContains(t, err, "was switched off by somebody else since you read it")
	assert.False(t, c.Snapshot().Impaired())
}
