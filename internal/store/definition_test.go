package store_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
)

func put(t *testing.T, c *catalog.Catalog, service, document string) {
	list, err := spec.ReadMappings([]byte(document))
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), service, list)
	require.NoError(t, err)
}

// The states of mappings come back after a restart, the last hundred of each,
// and what is gone can be restored.
func TestVersionsAreKept(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	c, err := catalog.Open(t.Context(), s)
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), spec.NewService("quay"))
	require.NoError(t, err)
	for i := range 120 {
		put(t, c, "quay", fmt.Sprintf("{id: often, call: {path: /a}, answer: {text: '%d'}}", i))
	}
	many := "[" // so many that they go into the store many at a time
	for i := range 130 {
		many += fmt.Sprintf("{id: m%d, call: {path: /m}},", i)
	}
	put(t, c, "quay", many+"]")
	_, err = c.EditMappings(catalog.By(t.Context(), "Ida"), []string{"quay"}, catalog.Selection{Text: "often"}, catalog.BulkEdit{Remove: true})
	require.NoError(t, err)
	require.NoError(t, s.Close())

	c, err = catalog.Open(t.Context(), open(t, folder))
	require.NoError(t, err)
	versions, err := c.MappingVersions(t.Context(), "quay", "often")
	require.NoError(t, err)
	assert.Len(t, versions, 121, "all its states and the removal")
	assert.Equal(t, "Ida", versions[0].By)
	assert.True(t, versions[0].Removed)
	assert.WithinDuration(t, time.Now(), versions[0].At, time.Minute)
	service, err := c.Find("quay")
	require.NoError(t, err)
	assert.Len(t, service.Mappings, 130)
	removed, err := c.RemovedMappings(t.Context(), "quay")
	require.NoError(t, err)
	require.Len(t, removed, 1)
	m, err := c.RestoreMapping(t.Context(), "quay", "often", 0, "")
	require.NoError(t, err)
	assert.Equal(t, "119", *m.Spec.Answer.Text)
	assert.Greater(t, m.Version, versions[0].Version, "versions go on where they were")
	_, err = c.RestoreMapping(t.Context(), "quay", "often", versions[0].Version, "")
	assert.ErrorContains(t, err, "was deleted in version")
}

// Payloads with one content are stored once, and go when nothing names them.
func TestPayloadsAreKeptByContent(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	c, err := catalog.Open(t.Context(), s)
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), spec.NewService("quay"))
	require.NoError(t, err)
	for name, text := range map[string]string{"a.txt": "same", "b.txt": "same", "empty.bin": "", "c.txt": "${1 + 1}"} {
		_, created, err := c.PutPayload(t.Context(), "quay", name, []byte(text), "")
		require.NoError(t, err)
		assert.True(t, created)
	}
	put(t, c, "quay", "[{id: sums, call: {path: /c}, answer: {payload: c.txt}}]")
	_, _, err = c.PutPayload(t.Context(), "quay", "c.txt", []byte("${1 +"), "")
	assert.ErrorContains(t, err, `mapping "sums"`)
	_, _, err = c.PutPayload(t.Context(), "quay", "a.txt", []byte("x"), `"1"`)
	assert.ErrorContains(t, err, "was changed by somebody else")
	require.NoError(t, c.RemovePayload(t.Context(), "quay", "a.txt"))
	assert.ErrorContains(t, c.RemovePayload(t.Context(), "quay", "c.txt"), "is in use by sums")
	require.NoError(t, s.Close())

	c, err = catalog.Open(t.Context(), open(t, folder))
	require.NoError(t, err)
	service, err := c.Find("quay")
	require.NoError(t, err)
	assert.Equal(t, []string{"b.txt", "c.txt", "empty.bin"}, service.Payloads.Names())
	assert.Equal(t, "same", string(service.Payloads["b.txt"].Bytes))
	assert.Equal(t, "text/plain; charset=utf-8", service.Payloads["b.txt"].MediaType())
	assert.NotNil(t, service.Mapping("sums").Replies[0].Dynamic, "its expressions are compiled anew")
}

// A recording runs on over a restart, keeps its calls, and no id is given twice.
func TestRecordingsAreKept(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	c, err := catalog.Open(t.Context(), s)
	require.NoError(t, err)
	document := spec.NewService("quay")
	document.Upstream = "http://quay.example"
	_, err = c.CreateService(t.Context(), document)
	require.NoError(t, err)
	service, err := c.StartRecording(t.Context(), "quay", spec.Recording{Name: "first", Include: []string{"GET /a/{x}"}, Started: time.Now()})
	require.NoError(t, err)
	id := service.Recording.Spec.ID
	x := &call.Record{Number: 7, Recording: id, Request: call.Request{Method: "GET", Path: "/a/b"}, Answer: call.Answer{Status: 200, Body: []byte{0xff}}, AnswerSize: 1}
	plain, coded := []byte(strings.Repeat("tide ", 200)), bytes.Repeat([]byte{0x1f}, 300)
	large := &call.Record{Number: 9, Recording: id, Request: call.Request{Method: "GET", Path: "/a/c", Body: call.Body{Bytes: plain}}, Answer: call.Answer{Status: 200, Body: plain}, AnswerSize: 1000,
		Wire: &call.Wire{Coded: coded, Length: -1, Pieces: []call.Piece{{Bytes: 3, After: time.Second}}}}
	require.NoError(t, s.InsertExchanges(t.Context(), []*call.Record{x, {Number: 8, Recording: "r-gone"}, large}))
	require.NoError(t, s.Close())

	s = open(t, folder)
	c, err = catalog.Open(t.Context(), s)
	require.NoError(t, err)
	service, err = c.Find("quay")
	require.NoError(t, err)
	require.NotNil(t, service.Recording)
	assert.Empty(t, service.Recording.LeavesOut(&call.Request{Method: "GET"}, []string{"a", "b"}))
	assert.NotEmpty(t, service.Recording.LeavesOut(&call.Request{Method: "PUT"}, []string{"a", "b"}))
	_, err = c.StopRecording(t.Context(), "quay", "first", time.Now(), true, "")
	require.NoError(t, err)
	_, exchanges, err := c.Exchanges(t.Context(), "quay", "first")
	require.NoError(t, err)
	kept9 := recording.Of(large)
	assert.Nil(t, kept9.Wire.Coded, "what is no coding of the body is not kept")
	assert.Equal(t, []recording.Exchange{recording.Of(x), kept9}, exchanges)
	_, heads, err := c.ExchangeHeads(t.Context(), "quay", "first", 7, 1)
	require.NoError(t, err)
	require.Len(t, heads, 1, "those after a number")
	assert.Equal(t, []any{1000, 0}, []any{heads[0].Size, len(heads[0].Answer)}, "large bodies are left out, their sizes are told")
	on, err := c.EarlierExchanges(t.Context(), "quay", "another", []recording.Exchange{{Path: "/a/c"}})
	require.NoError(t, err)
	assert.Equal(t, []recording.Exchange{kept9}, on)
	on, err = c.EarlierExchanges(t.Context(), "quay", id, []recording.Exchange{{Path: "/a/c"}})
	require.NoError(t, err)
	assert.Empty(t, on, "those of the recording itself are not earlier")
	require.NoError(t, s.Close())

	s = open(t, folder)
	c, err = catalog.Open(t.Context(), s)
	require.NoError(t, err)
	kept, err := c.KeepAsRecording(t.Context(), "quay", spec.Recording{Name: "second", Stopped: time.Now()}, exchanges)
	require.NoError(t, err)
	assert.NotEqual(t, id, kept.ID)
	all, err := c.Recordings(t.Context(), "quay")
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, []int{2, 2}, []int{all[0].Calls, all[1].Calls})
	undo := func() error {
		entries, err := c.Activity(t.Context(), catalog.ActivityFilter{Limit: 1})
		require.NoError(t, err)
		_, err = c.Undo(t.Context(), catalog.EntryID(entries[0].Version), time.Now())
		return err
	}
	require.NoError(t, undo(), "one that was kept of calls is removed")
	require.NoError(t, undo(), "and is there again")
	require.NoError(t, c.RemoveRecording(t.Context(), "quay", "first"))
	require.NoError(t, undo())
	_, exchanges, err = c.Exchanges(t.Context(), "quay", "first")
	require.NoError(t, err)
	assert.Equal(t, []recording.Exchange{recording.Of(x), kept9}, exchanges)
	require.NoError(t, undo(), "which removes it again")
	require.NoError(t, s.AgeRemoved(t.Context()))
	require.NoError(t, s.Trim(t.Context()))
	assert.ErrorContains(t, undo(), `recording `+id+` of quay: it is not removed, or no longer kept`)
	_, err = c.FindRecording(t.Context(), "quay", "first")
	assert.ErrorContains(t, err, `recording "first" not found`)
	_, exchanges, err = c.Exchanges(t.Context(), "quay", "second")
	require.NoError(t, err)
	assert.Equal(t, plain, exchanges[1].Answer, "a body that another recording has, too, stays")
}

// Scenarios, lanes and what is on come back after a restart as they were, and are
// gone when they were removed.
func TestSituationsComeBack(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	c, err := catalog.Open(t.Context(), s)
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), spec.NewService("quay"))
	require.NoError(t, err)
	scenarios, err := spec.ReadScenarios([]byte(`
- { name: full, labels: [a], services: { quay: { mappings: [{ id: m, call: { path: /a }, answer: { json: { n: 7.0 } } }], impair: { errors: { rate: 20% } } } } }
- { name: gone }
`))
	require.NoError(t, err)
	ida := catalog.By(t.Context(), "Ida")
	_, _, err = c.PutScenarios(ida, scenarios, "")
	require.NoError(t, err)
	lane, err := spec.ReadLane([]byte(`{ name: mara, ttl: 8h, scenario: full, when: { where: [{ header: x, equals: "1" }] }, services: { quay: { off: true } } }`), "")
	require.NoError(t, err)
	now := time.Now()
	opened, err := c.OpenLane(ida, lane, now)
	require.NoError(t, err)
	_, err = c.OpenLane(ida, spec.NewLane("gone"), now)
	require.NoError(t, err)
	used, _, err := c.UseScenario(ida, "", "full", time.Hour, now)
	require.NoError(t, err)
	require.NoError(t, c.RemoveScenario(t.Context(), "gone", "", now))
	_, err = c.CloseLane(t.Context(), "gone", now)
	require.NoError(t, err)
	require.NoError(t, s.Close())

	again := open(t, folder)
	c, err = catalog.Open(t.Context(), again)
	require.NoError(t, err)
	snapshot := c.Snapshot()
	assert.Equal(t, []string{"full"}, snapshot.ScenarioNames())
	full := snapshot.Scenario("full")
	assert.Equal(t, scenarios[0].Document().AppendJSON(nil), full.Spec.Document().AppendJSON(nil))
	active := snapshot.Active(nil, now)
	require.NotNil(t, active)
	assert.True(t, used.Until.Equal(active.Until) && used.Since.Equal(active.Since))
	assert.Equal(t, "Ida", active.By)
	lanes := snapshot.Lanes(now)
	require.Len(t, lanes, 1)
	assert.Equal(t, opened.ID, lanes[0].ID)
	assert.True(t, opened.Until.Equal(lanes[0].Until))
	assert.Len(t, snapshot.Ruled(), 1)
	assert.Equal(t, `lane "mara"`, snapshot.View(lanes[0], now).Named("quay").Off())
	assert.Len(t, snapshot.View(nil, now).Named("quay").OwnMappings(), 1)
	_, err = c.LeaveScenario(t.Context(), "", now)
	require.NoError(t, err)
	require.NoError(t, again.Close())
	c, err = catalog.Open(t.Context(), open(t, folder))
	require.NoError(t, err)
	assert.Nil(t, c.Snapshot().Active(nil, now))
}

// Lane and scenario stand on calls, and select them exactly.
func TestCallsOfLanes(t *testing.T) {
	s := open(t, t.TempDir())
	var records []*call.Record
	for i, in := range [][2]string{{"", ""}, {"run-1", "full"}, {"run-10", ""}, {"", "full"}, {"run-1", ""}, {"", ""}} {
		r := record(uint64(i+1), "")
		r.Lane, r.Scenario = in[0], in[1]
		records = append(records, r)
	}
	records[5].By = `getBerth, "as lane:run-1 had it"` // is in none
	require.NoError(t, s.InsertCalls(t.Context(), records))
	for _, k := range []struct {
		filter call.Filter
		want   []uint64
	}{
		{call.Filter{}, []uint64{6, 5, 4, 3, 2, 1}},
		{call.Filter{Lane: "run-1"}, []uint64{5, 2}},
		{call.Filter{Lane: "run-10"}, []uint64{3}},
		{call.Filter{Lane: "run"}, nil},
		{call.Filter{Lane: call.NoLane}, []uint64{6, 4, 1}},
		{call.Filter{Lane: "run-1", Text: "scenario:full"}, []uint64{2}},
		{call.Filter{Text: "scenario:full"}, []uint64{4, 2}},
		{call.Filter{Text: "lane:run-1"}, []uint64{6, 5, 3, 2}},
	} {
		lines, err := s.ListCalls(t.Context(), k.filter, 0, 10)
		require.NoError(t, err)
		var got []uint64
		for i := range lines {
			got = append(got, lines[i].Number)
		}
		assert.Equal(t, k.want, got, "%+v", k.filter)
	}
	whole, err := s.Call(t.Context(), 2)
	require.NoError(t, err)
	assert.Equal(t, [2]string{"run-1", "full"}, [2]string{whole.Lane, whole.Scenario})
}
