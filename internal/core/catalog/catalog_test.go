package catalog_test

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// fakeStore remembers the changes and fails when told to.
type fakeStore struct {
	stored   catalog.Definitions
	changes  []catalog.Change
	applied  []catalog.Applied // what came from a folder; kept from the changes
	fail     error
	panics   bool
	removed  map[string]catalog.Definitions
	payloads map[string][]byte
	marks    []catalog.Mark
	// versions are those of every mapping, the newest first.
	versions []catalog.MappingVersion
}

func (s *fakeStore) Load(context.Context) (catalog.Definitions, error) {
	return s.stored, s.fail
}

func (s *fakeStore) Apply(_ context.Context, change catalog.Change) error {
	if s.panics {
		panic("the store is broken")
	}
	if s.fail == nil {
		s.changes, s.applied = append(s.changes, change), append(s.applied, change.Applied...)
	}
	return s.fail
}

// whole is an entry as a store gives it.
func (s *fakeStore) whole(e catalog.Entry) catalog.Entry {
	e.Whole, e.Count = true, len(e.Items)
	for _, change := range s.changes {
		if change.Entry != nil && change.Entry.Undoes == e.Version {
			e.UndoneBy = change.Entry.Version
		}
	}
	return e
}

func (s *fakeStore) EntriesSince(_ context.Context, version int64) (entries []catalog.Entry, _ error) {
	for _, change := range s.changes {
		if change.Entry != nil && change.Entry.Version > version {
			entries = append(entries, s.whole(*change.Entry))
		}
	}
	return entries, s.fail
}

func (s *fakeStore) Marks(context.Context) ([]catalog.Mark, error) { return s.marks, s.fail }

func (s *fakeStore) VersionAt(context.Context, time.Time) (int64, error) { return 0, s.fail }

func (s *fakeStore) PutMark(_ context.Context, mark catalog.Mark) error {
	_ = s.RemoveMark(context.Background(), mark.Name)
	s.marks = append(s.marks, mark)
	return s.fail
}

func (s *fakeStore) RemoveMark(_ context.Context, name string) error {
	s.marks = slices.DeleteFunc(s.marks, func(m catalog.Mark) bool { return m.Name == name })
	return s.fail
}

func (s *fakeStore) Removed(_ context.Context, id string) (catalog.Definitions, error) {
	return s.removed[id], s.fail
}

func (s *fakeStore) PayloadBefore(_ context.Context, entry int64, _, name string) ([]byte, error) {
	return s.payloads[fmt.Sprint(entry, name)], s.fail
}

func (s *fakeStore) Activity(_ context.Context, f catalog.ActivityFilter) (entries []catalog.Entry, _ error) {
	for _, change := range slices.Backward(s.changes) {
		if change.Entry != nil {
			entries = append(entries, *change.Entry)
		}
	}
	return entries, s.fail
}

func (s *fakeStore) Entry(_ context.Context, version int64) (catalog.Entry, error) {
	for _, change := range s.changes {
		if change.Entry != nil && change.Entry.Version == version {
			return s.whole(*change.Entry), nil
		}
	}
	return catalog.Entry{}, problem.New(problem.NotFound, "no entry")
}

func (s *fakeStore) Contract(_ context.Context, service string, revision int) (catalog.StoredContract, error) {
	for _, stored := range s.contracts(service) {
		if stored.Revision == revision {
			return stored, s.fail
		}
	}
	return catalog.StoredContract{}, s.fail
}

func (s *fakeStore) contracts(service string) (all []catalog.StoredContract) {
	for _, change := range s.changes {
		for _, stored := range change.Contracts {
			if stored.ServiceID == service {
				all = append(all, stored)
			}
		}
	}
	return all
}

func (s *fakeStore) Revisions(_ context.Context, service string) ([]catalog.StoredContract, error) {
	return s.contracts(service), s.fail
}

// MappingVersions gives versions, or what the changes say, the newest first.
func (s *fakeStore) MappingVersions(_ context.Context, service, id string) ([]catalog.MappingVersion, error) {
	if s.versions != nil {
		return s.versions, s.fail
	}
	var all []catalog.MappingVersion
	for _, change := range slices.Backward(s.changes) {
		if change.Entry == nil {
			continue
		}
		for _, item := range change.Entry.Items {
			if item.Key == (catalog.Key{Kind: catalog.KindMapping, ServiceID: service, ID: id}) {
				all = append(all, catalog.MappingVersion{ID: id, Version: item.Version, Entry: change.Entry.Version, By: change.Entry.By, Removed: item.After == nil})
			}
		}
	}
	return all, s.fail
}

// Recordings gives those of the changes, the newest first.
func (s *fakeStore) Recordings(_ context.Context, service string) (all []catalog.StoredRecording, _ error) {
	at := make(map[string]int)
	for _, change := range s.changes {
		for _, r := range change.Recordings {
			if i, known := at[r.Recording.ID]; known {
				all[i] = r
			} else if r.ServiceID == service {
				at[r.Recording.ID] = len(all)
				all = append(all, r)
			}
		}
	}
	slices.Reverse(all)
	return all, nil
}
func (s *fakeStore) RemovedRecordings(context.Context, string) ([]catalog.StoredRecording, error) {
	return nil, s.fail
}
func (s *fakeStore) ExchangeHeads(context.Context, string, uint64, int) ([]recording.Exchange, error) {
	return nil, nil
}
func (s *fakeStore) CountExchanges(context.Context, string) (int, error) { return 0, nil }
func (s *fakeStore) ExchangesOn(context.Context, string, string, []string) ([]recording.Exchange, error) {
	return nil, nil
}
func (s *fakeStore) Exchanges(context.Context, string) ([]recording.Exchange, error) { return nil, nil }
func (s *fakeStore) Applied(context.Context) ([]catalog.Applied, error) {
	return s.applied, nil
}

func (s *fakeStore) RemovedMappings(context.Context, string) ([]catalog.MappingVersion, error) {
	return nil, s.fail
}

const contract = "openapi: 3.1.0\ninfo: {title: Berths}\npaths:\n  /berths: {get: {operationId: list, responses: {'200': {description: ok}}}}\n"

func open(t testing.TB) (*catalog.Catalog, *fakeStore) {
	store := &fakeStore{}
	c, err := catalog.Open(t.Context(), store)
	require.NoError(t, err)
	_, err = c.Import(t.Context(), catalog.Import{Text: []byte(contract), File: "moorings.yaml"})
	require.NoError(t, err)
	return c, store
}

func mappings(t *testing.T, text string) []spec.Mapping {
	list, err := spec.ReadMappings([]byte(text))
	require.NoError(t, err)
	return list
}

func codeOf(err error) problem.Code {
	var p *problem.Error
	if errors.As(err, &p) {
		return p.Code
	}
	return ""
}

func TestImportNamesAndRevisions(t *testing.T) {
	c, store := open(t)
	for name, try := range map[string]struct {
		in   catalog.Import
		code problem.Code
	}{
		"the name is taken":     {catalog.Import{Text: []byte(contract), File: "moorings.yaml"}, problem.Exists},
		"into nothing":          {catalog.Import{Text: []byte(contract), Into: "moring"}, problem.NotFound},
		"name and into":         {catalog.Import{Text: []byte(contract), Name: "a", Into: "moorings"}, problem.Invalid},
		"a name with a slash":   {catalog.Import{Text: []byte(contract), Name: "a//b"}, problem.Invalid},
		"nothing to name it by": {catalog.Import{Text: []byte("openapi: 3.1.0\npaths:\n  /a: {get: {responses: {'200': {description: x}}}}\n")}, problem.Invalid},
		"not a contract":        {catalog.Import{Text: []byte("x: 1"), File: "x.yaml"}, problem.Invalid},
		"not even YAML":         {catalog.Import{Text: []byte("x: [1"), File: "x.yaml"}, problem.Syntax},
	} {
		_, err := c.Import(t.Context(), try.in)
		assert.Equal(t, try.code, codeOf(err), "%s: %v", name, err)
	}
	assert.Len(t, store.changes, 1, "what failed stored nothing")
	assert.Equal(t, []string{"moorings"}, c.Snapshot().Names())

	_, _, err := c.PutMappings(t.Context(), "moorings", mappings(t, "{id: a, call: {path: /x}}"))
	require.NoError(t, err)
	imported, err := c.Import(t.Context(), catalog.Import{Text: []byte(contract), Into: "moorings"})
	require.NoError(t, err)
	s := imported.Service
	assert.Equal(t, 2, s.Contract.Revision)
	assert.NotNil(t, s.Mapping("a"), "hand-made mappings stay")

	titled, err := c.Import(t.Context(), catalog.Import{Text: []byte(contract)})
	require.NoError(t, err)
	assert.Equal(t, "berths", titled.Service.Spec.Name, "without a file the title names it")
}

func TestWritesNeedTheCurrentVersion(t *testing.T) {
	c, _ := open(t)
	ctx := t.Context()
	m := mappings(t, "{id: a, call: {path: /x}}")[0]
	first, outcome, err := c.PutMapping(ctx, "moorings", m, "")
	require.NoError(t, err)
	assert.Equal(t, catalog.Created, outcome)
	again, outcome, err := c.PutMapping(ctx, "moorings", m, catalog.ETag(first.Version))
	require.NoError(t, err)
	assert.Equal(t, catalog.Unchanged, outcome)
	assert.Same(t, first, again, "what is there as it is given keeps its version")
	m.Title = "changed"
	second, outcome, err := c.PutMapping(ctx, "moorings", m, catalog.ETag(first.Version))
	require.NoError(t, err)
	assert.Equal(t, catalog.Changed, outcome)

	current, _, err := c.PutMapping(ctx, "moorings", m, catalog.ETag(first.Version))
	assert.Equal(t, problem.Stale, codeOf(err))
	assert.Equal(t, second, current, "the present state comes with the refusal")
	_, err = c.RemoveMapping(ctx, "moorings", "a", catalog.ETag(first.Version))
	assert.Equal(t, problem.Stale, codeOf(err))
	_, _, err = c.PutMapping(ctx, "moorings", mappings(t, "{id: b, call: {path: /x}}")[0], `"1"`)
	assert.Equal(t, problem.NotFound, codeOf(err), "what is gone was changed too")
	_, err = c.RemoveMapping(ctx, "moorings", "a", "*")
	require.NoError(t, err)
	_, err = c.FindMapping("moorings", "a")
	assert.Equal(t, problem.NotFound, codeOf(err))

	s, err := c.Find("moorings")
	require.NoError(t, err)
	changed := s.Spec
	changed.Name = "berths"
	renamed, _, err := c.PutService(ctx, s.Spec.ID, changed, catalog.ETag(s.Version))
	require.NoError(t, err)
	assert.Equal(t, s.Spec.ID, renamed.Spec.ID)
	_, _, err = c.PutService(ctx, "berths", changed, catalog.ETag(s.Version))
	assert.Equal(t, problem.Stale, codeOf(err))
	_, err = c.RemoveService(ctx, "berths", catalog.ETag(s.Version))
	assert.Equal(t, problem.Stale, codeOf(err))
}

func TestManyMappingsAreAllOrNone(t *testing.T) {
	c, store := open(t)
	before := len(store.changes)
	_, _, err := c.PutMappings(t.Context(), "moorings", mappings(t, "[{id: a, call: {path: /x}}, {id: b, call: {path: '/{'}}, {id: c, call: {path: y}}]"))
	var p *problem.Error
	require.ErrorAs(t, err, &p)
	require.Len(t, p.Items, 2)
	assert.Equal(t, "/1/call/path", p.Items[0].At)
	assert.Len(t, store.changes, before)
	assert.Empty(t, c.Snapshot().Find("moorings").Mappings)
}

func TestAStoreThatFailsChangesNothing(t *testing.T) {
	c, store := open(t)
	store.fail = errors.New("disk full")
	snapshot := c.Snapshot()
	_, _, err := c.PutMappings(t.Context(), "moorings", mappings(t, "{id: a, call: {path: /x}}"))
	assert.ErrorContains(t, err, "disk full")
	_, err = c.RemoveService(t.Context(), "moorings", "")
	assert.ErrorContains(t, err, "disk full")
	assert.Same(t, snapshot, c.Snapshot())
}

// A panic, wherever in an edit, leaves everything as it was, and the next edit works.
func TestAPanicInAnEditChangesNothing(t *testing.T) {
	c, store := open(t)
	before := c.Snapshot()
	assert.Panics(t, func() {
		_, _ = c.Import(t.Context(), catalog.Import{Text: []byte(contract), Name: "tides", Before: func(imported catalog.Imported) {
			assert.Equal(t, "tides", imported.Service.Spec.Name)
			panic("no report of it can be made")
		}})
	})
	store.panics = true
	assert.Panics(t, func() { _, _, _ = c.PutMappings(t.Context(), "moorings", mappings(t, "{id: a, call: {path: /x}}")) })
	store.panics = false
	assert.Same(t, before, c.Snapshot())
	assert.Len(t, store.changes, 1)
	_, _, err := c.PutMappings(t.Context(), "moorings", mappings(t, "{id: a, call: {path: /x}}"))
	require.NoError(t, err)
	assert.NotNil(t, c.Snapshot().Named("moorings").Mapping("a"))
}

// What is stored and cannot be used is set aside and named; all else is there.
func TestWhatCannotBeUsedIsSetAside(t *testing.T) {
	service := func(id, name string) catalog.StoredService {
		s := spec.NewService(name)
		s.ID = id
		return catalog.StoredService{Service: s, Version: 7}
	}
	mapping := func(text string) catalog.StoredMapping {
		return catalog.StoredMapping{ServiceID: "s-1", Mapping: mappings(t, text)[0], Version: 9, Position: 12}
	}
	bad := mapping(`{id: bad, call: {path: /x}}`)
	bad.Mapping.Call.If = "call.path.number +"
	store := &fakeStore{stored: catalog.Definitions{
		Aside:       []catalog.Aside{{What: "a lane", Reason: "it is none"}},
		Services:    []catalog.StoredService{service("s-1", "moorings"), service("s-2", "tides")},
		Contracts:   []catalog.StoredContract{{ServiceID: "s-2", File: "tides.yaml", Text: []byte("openapi: [")}},
		Mappings:    []catalog.StoredMapping{mapping(`{id: good, call: {path: /x}}`), bad},
		Impairments: []catalog.StoredImpairment{{ServiceID: "s-1", Impairment: spec.Impairment{Connection: &spec.Connection{Line: "none"}}}},
	}}
	c, err := catalog.Open(t.Context(), store)
	require.NoError(t, err)
	var what []string
	for _, aside := range c.Aside() {
		what = append(what, aside.What)
		assert.NotEmpty(t, aside.Reason)
	}
	assert.Equal(t, []string{"a lane", "contract tides.yaml of tides", `mapping "bad" of moorings`, "impairment of moorings"}, what)
	assert.Nil(t, c.Snapshot().Named("tides").Contract)
	assert.NotNil(t, c.Snapshot().Named("moorings").Mapping("good"))
	assert.Nil(t, c.Snapshot().Named("moorings").Mapping("bad"))
	_, _, err = c.PutMappings(t.Context(), "moorings", mappings(t, "{id: bad, call: {path: /x}}"))
	require.NoError(t, err)
	assert.Greater(t, c.Snapshot().Named("moorings").Mapping("bad").Version, int64(12), "no version is given twice")
}

func TestNamesThatAreNotThere(t *testing.T) {
	c, _ := open(t)
	_, err := c.Find("morings")
	assert.EqualError(t, err, `service "morings" not found (moorings?)`)
	_, err = c.Find("else")
	assert.EqualError(t, err, `service "else" not found (there is moorings)`)
	_, err = c.FindMapping("moorings", "x")
	assert.EqualError(t, err, `mapping "x" not found (there is no mapping yet)`)
}

// What explains the calls that a mapping alone fits is made once.
func TestMappingsExplainThemselves(t *testing.T) {
	c, _ := open(t)
	_, _, err := c.PutMappings(t.Context(), "moorings", mappings(t, "{id: a, call: {path: /x}, answer: {text: full}}"))
	require.NoError(t, err)
	m := c.Snapshot().Named("moorings").Mapping("a")
	alone := m.Alone()
	assert.Equal(t, m.Summary(), alone.Summary)
	assert.Equal(t, []call.Step{m.Taken(), m.Built(0, "")}, alone.Steps)
	assert.Same(t, alone, m.Alone())
}
