package catalog_test

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// defined is all that an environment says, as one text.
func defined(t *testing.T, c *catalog.Catalog) string {
	s := c.Snapshot()
	secrets := s.Secrets()
	slices.Sort(secrets)
	all := []any{s.Variables().Variables, s.Ignored().Spec, s.ImpairmentsOff(), s.Lines(), secrets, s.LaneNames(noon)}
	for _, service := range s.Services() {
		all = append(all, service.Spec, service.Contract != nil && service.Contract.Title == "Berths")
		for _, m := range service.Mappings {
			all = append(all, m.Spec)
		}
		for _, name := range service.Payloads.Names() {
			all = append(all, name, service.Payloads[name].Bytes)
		}
	}
	for _, scenario := range s.Scenarios() {
		all = append(all, scenario.Spec)
	}
	for _, lane := range s.Lanes(noon) {
		all = append(all, lane.StoredLane.Spec, lane.Active)
	}
	for _, i := range s.Impairments() {
		all = append(all, s.TargetOf(i.StoredImpairment), i.Impairment)
	}
	if on := s.Active(nil, noon); on != nil {
		all = append(all, on.Scenario)
	}
	text, err := json.MarshalIndent(all, "", " ")
	require.NoError(t, err)
	return string(text)
}

// Each kind of edit is undone and redone exactly; and all of them together by a mark.
func TestUndoOfEachKind(t *testing.T) {
	c, store := open(t)
	ctx := catalog.Through(catalog.By(t.Context(), "Ida"), "command", "10.0.0.7")
	quick := spec.Impairment{Latency: &spec.Latency{Low: 1, High: 1}, Seed: new(int64)}
	line := func(rate int64) func(context.Context) error {
		return func(ctx context.Context) error {
			_, err := c.PutLine(ctx, "rope", spec.Line{BytesPerSecond: rate}, "")
			return err
		}
	}
	put := func(text string) func(context.Context) error {
		return func(ctx context.Context) error {
			_, _, err := c.PutMappings(ctx, "moorings", mappings(t, text))
			return err
		}
	}
	settings := func(document string) func(context.Context) error {
		return func(ctx context.Context) error {
			s, err := spec.ReadServiceNamed([]byte(document), "moorings")
			require.NoError(t, err)
			_, _, err = c.PutService(ctx, "moorings", s, "")
			return err
		}
	}
	scenario := func(document string) func(context.Context) error {
		return func(ctx context.Context) error {
			list, err := spec.ReadScenarios([]byte(document))
			require.NoError(t, err)
			_, _, err = c.PutScenarios(ctx, list)
			return err
		}
	}
	set := func(document string) func(context.Context) error {
		return func(ctx context.Context) error {
			_, err := c.PutVariables(ctx, variables(t, document), "")
			return err
		}
	}
	mark, err := c.SetMark(t.Context(), "morning", "", noon)
	require.NoError(t, err)
	atMark := defined(t, c)
	for i, k := range []struct {
		edit func(context.Context) error
		want string // kind and what changed
	}{
		{put("{id: a, call: {path: /a}, answer: {text: one}}"), "mapping a of moorings"},
		{put("[{id: a, call: {path: /a}, answer: {text: two}}, {id: b, call: {path: /b}}]"), "mapping a of moorings: answer.text one → two"},
		{func(ctx context.Context) error { _, err := c.RemoveMapping(ctx, "moorings", "b", ""); return err }, "mapping b of moorings"},
		{settings("{title: T, seed: 3, variables: {own: {secret: true, value: hush-hush-1}}}"), "service moorings: title Berths → T, variables.own, seed none → 3"},
		{settings("{title: T, seed: 3, variables: {own: {secret: true, value: hush-hush-2}}}"), "service moorings: the value of a secret"},
		{settings("{title: T, seed: 3}"), "service moorings: variables.own"},
		{func(ctx context.Context) error { _, err := c.CreateService(ctx, spec.NewService("quay")); return err }, "service quay"},
		{func(ctx context.Context) error {
			_, _, err := c.PutPayload(ctx, "moorings", "p", []byte("1"), "")
			return err
		}, "payload p of moorings"},
		{scenario("{name: storm, title: S, variables: {own: {secret: true, value: hush-hush-3}}}"), "scenario storm"},
		{scenario("{name: storm, title: R, variables: {own: {secret: true}}}"), "scenario storm: title S → R"},
		{func(ctx context.Context) error { _, _, err := c.UseScenario(ctx, "", "storm", 0, noon); return err }, "the scenario that is on"},
		{func(ctx context.Context) error { _, err := c.LeaveScenario(ctx, "", noon); return err }, "the scenario that is on"},
		{func(ctx context.Context) error { return c.RemoveScenario(ctx, "storm", "", noon) }, "scenario storm"},
		{func(ctx context.Context) error {
			_, err := c.SetImpairment(ctx, spec.Target{Service: "moorings", Mapping: "a"}, quick, "", 1, noon)
			return err
		}, "impairment of mapping a of moorings"},
		{func(ctx context.Context) error {
			_, err := c.SetImpairment(ctx, spec.Target{}, quick, "", 1, noon)
			return err
		}, "impairment of everything"},
		{func(ctx context.Context) error {
			_, err := c.RemoveImpairments(ctx, spec.Target{}, true, "")
			return err
		}, "impairment of everything"},
		{line(50), "line rope"},
		{line(60), "line rope: bytesPerSecond 50 → 60"},
		{func(ctx context.Context) error { return c.RemoveLine(ctx, "rope", "") }, "line rope"},
		{func(ctx context.Context) error { _, err := c.OpenLane(ctx, spec.NewLane("night"), noon); return err }, "lane night"},
		{func(ctx context.Context) error {
			_, err := c.EditLane(ctx, "night", "", noon, func(l *spec.Lane) error { l.Title = "N"; return nil })
			return err
		}, "lane night: title none → N"},
		{func(ctx context.Context) error { _, err := c.CloseLane(ctx, "night", noon); return err }, "lane night"},
		{set("{variables: {v: 1, key: {secret: true, value: hush-hush-4}}}"), "variables: variables.key, variables.v none → 1"},
		{set("{variables: {v: 2}}"), "variables: variables.key, variables.v 1 → 2"},
		{func(ctx context.Context) error {
			_, err := c.PutIgnored(ctx, spec.Ignored{Calls: []string{"path:/a"}}, "")
			return err
		}, "ignored calls: calls"},
		{func(ctx context.Context) error {
			off := true
			return c.ReplaceImpairments(ctx, "moorings", nil, nil, &off, 1, noon)
		}, "the switch of all impairments"},
	} {
		name := fmt.Sprint(i, " ", k.want)
		before := defined(t, c)
		var noted int64
		require.NoError(t, k.edit(catalog.Noted(ctx, func(version int64) { noted = version })), name)
		entry := store.changes[len(store.changes)-1].Entry
		require.Equal(t, noted, entry.Version, name)
		assert.Equal(t, []string{"Ida", "command", "10.0.0.7"}, []string{entry.By, entry.Via, entry.From})
		text := entry.Items[0].Name()
		if changed := entry.Items[0].Changed; changed != "" {
			text += ": " + changed
		}
		assert.Equal(t, k.want, text)
		after := defined(t, c)
		require.NotEqual(t, before, after, name)
		undo, err := c.Undo(ctx, catalog.EntryID(entry.Version), noon)
		require.NoError(t, err, name)
		require.Equal(t, before, defined(t, c), name)
		_, err = c.Undo(ctx, catalog.EntryID(entry.Version), noon)
		assert.ErrorContains(t, err, "is undone already", name)
		if entry.Items[0].Kind == catalog.KindService && entry.Items[0].Before == nil { // its rows are kept by a real store
			store.removed = map[string]catalog.Definitions{entry.Items[0].ServiceID: {}}
		}
		if entry.Items[0].Kind == catalog.KindPayload {
			store.payloads = map[string][]byte{fmt.Sprint(undo.Version, "p"): []byte("1")}
		}
		_, err = c.Undo(ctx, catalog.EntryID(undo.Version), noon)
		require.NoError(t, err, name)
		require.Equal(t, after, defined(t, c), "%s, redone", name)
	}
	last := defined(t, c)
	differences, err := c.Differences(t.Context(), mark.Version)
	require.NoError(t, err)
	names := []string{}
	for _, item := range differences {
		names = append(names, item.Name())
	}
	assert.Equal(t, []string{"mapping a of moorings", "service moorings", "service quay", "payload p of moorings", "variables", "ignored calls", "the switch of all impairments"}, names)
	planned, err := c.BackTo(ctx, "morning", true, noon)
	require.NoError(t, err)
	assert.Len(t, planned.Items, 7)
	require.Equal(t, last, defined(t, c), "a dry run changes nothing")
	_, err = c.BackTo(ctx, "morning", false, noon)
	require.NoError(t, err)
	require.Equal(t, atMark, defined(t, c))
	nothing, err := c.BackTo(ctx, "morning", false, noon)
	require.NoError(t, err)
	assert.Nil(t, nothing)
}

// Everything comes back to the nightly mark once a night, also where the service was stopped
// then; nothing else ends it, and a night that fails is told.
func TestNightlyReturn(t *testing.T) {
	evening := time.Date(2026, 11, 28, 20, 0, 0, 0, time.Local)
	c, store := open(t)
	ctx := t.Context()
	change := func(answer string) {
		_, _, err := c.PutMappings(ctx, "moorings", mappings(t, "{id: a, call: {path: /a}, answer: {text: "+answer+"}}"))
		require.NoError(t, err)
	}
	answer := func() string {
		service, err := c.Find("moorings")
		require.NoError(t, err)
		return *service.Mapping("a").Spec.Answer.Text
	}
	returned := func(now time.Time) bool {
		mark, err := c.ReturnNightly(ctx, now)
		require.NoError(t, err)
		return mark != nil
	}
	change("clean")
	for _, wrong := range []string{"3", "25:00", "noon"} {
		_, err := c.SetMark(ctx, "clean", wrong, evening)
		assert.ErrorContains(t, err, "is no time of day: write it as 03:00")
	}
	_, err := c.SetMark(ctx, "other", "", evening)
	require.NoError(t, err)
	_, err = c.SetMark(ctx, "clean", "4:00", evening)
	require.NoError(t, err, "nothing was made of the wrong ones")
	mark, err := c.SetNightly(ctx, "clean", "03:00", evening)
	require.NoError(t, err)
	assert.Equal(t, "2026-11-29 03:00", mark.Next().Format("2006-01-02 15:04"))
	change("dirty")
	night := mark.Next()
	assert.False(t, returned(night.Add(-time.Second)))
	assert.True(t, returned(night))
	assert.Equal(t, "clean", answer())
	last := store.changes[len(store.changes)-1].Entry
	assert.Equal(t, `back to "clean", as every night`, last.Note)
	change("dirty")
	assert.False(t, returned(night.Add(time.Hour)), "once a night")
	assert.Equal(t, "dirty", answer())

	c, err = catalog.Open(ctx, &fakeStore{stored: store.stored, changes: store.changes, marks: store.marks})
	require.NoError(t, err)
	mark, err = c.FindMark(ctx, "clean")
	require.NoError(t, err)
	assert.Equal(t, []any{last.Version, night.AddDate(0, 0, 1)}, []any{mark.Version, mark.Next()}, "it is after the last return")
	_, err = c.ReturnNightly(ctx, night.AddDate(0, 0, 1).Add(5*time.Hour))
	assert.ErrorContains(t, err, "the environment cannot come back", "there is no service in this one: the night was missed, it is tried")

	other, err := c.SetNightly(ctx, "other", "22:30", evening)
	require.NoError(t, err)
	assert.Equal(t, "2026-11-28 22:30", other.Next().Format("2006-01-02 15:04"))
	mark, err = c.FindMark(ctx, "clean")
	require.NoError(t, err)
	assert.Empty(t, mark.Nightly, "there is one at most")
	require.NoError(t, c.RemoveMark(ctx, "other"))
	assert.False(t, returned(evening.AddDate(1, 0, 0)))
}

// What stands in the way of an undo is told, and nothing changes then.
func TestWhatStandsInTheWayOfAnUndo(t *testing.T) {
	c, store := open(t)
	entries := map[string]string{}
	note := func(name string, err error) {
		require.NoError(t, err, name)
		entries[name] = catalog.EntryID(store.changes[len(store.changes)-1].Entry.Version)
	}
	scenarios, err := spec.ReadScenarios([]byte("{name: storm}"))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), scenarios)
	note("scenario", err)
	_, _, err = c.UseScenario(t.Context(), "", "storm", 0, noon)
	note("use", err)
	_, err = c.PutLine(t.Context(), "rope", spec.Line{BytesPerSecond: 50}, "")
	note("line", err)
	_, _, err = c.PutMappings(t.Context(), "moorings", mappings(t, "{id: a, call: {path: /a}, answer: {text: '${vars.v}'}, impair: {connection: {line: rope}}}"))
	assert.Error(t, err, "there is no variable yet")
	_, err = c.PutVariables(t.Context(), spec.Variables{VariableTable: spec.VariableTable{Variables: map[string]spec.Variable{"v": {Value: tree.NewNumber("1")}}}}, "")
	note("variables", err)
	_, _, err = c.PutMappings(t.Context(), "moorings", mappings(t, "{id: a, call: {path: /a}, answer: {text: '${vars.v}'}, impair: {connection: {line: rope}}}"))
	note("mapping", err)
	_, err = c.CreateService(t.Context(), spec.NewService("quay"))
	note("service", err)
	_, _, err = c.PutMappings(t.Context(), "quay", mappings(t, "{id: b, call: {path: /b}}"))
	require.NoError(t, err)
	_, err = c.OpenLane(t.Context(), spec.NewLane("night"), noon)
	require.NoError(t, err)
	_, err = c.CloseLane(t.Context(), "night", noon)
	note("lane", err)
	require.NoError(t, c.Note(t.Context(), "quay", "took something out"))
	note("note", nil)
	was := defined(t, c)
	for name, want := range map[string]string{
		"scenario": "it is in use by everybody in no lane", "line": "it is in use by mapping", "variables": `variable "v" is used by mapping "a" of moorings`,
		"service": "it has mapping b since", "note": "there is nothing to take back",
	} {
		_, err := c.Undo(t.Context(), entries[name], noon)
		require.ErrorContains(t, err, want, name)
		assert.Equal(t, was, defined(t, c), name)
	}
	_, err = c.Undo(t.Context(), entries["lane"], noon.Add(2*time.Hour))
	assert.ErrorContains(t, err, "its time was over at 13:00:00 UTC")
	_, err = c.Undo(t.Context(), entries["lane"], noon.Add(30*time.Minute))
	require.NoError(t, err, "it is open for the time that was left")
	assert.Equal(t, noon.Add(time.Hour), c.Snapshot().Lane("night", noon).Until)
	for _, name := range []string{"mapping", "line", "variables", "use", "scenario"} { // in their order nothing stands in the way
		_, err := c.Undo(t.Context(), entries[name], noon)
		require.NoError(t, err, name)
	}
}

// Whoever follows the activity is woken by each entry, and by nothing else.
func TestTheLastEntryIsFollowed(t *testing.T) {
	c, _ := open(t)
	woken := func(later <-chan struct{}) bool {
		select {
		case <-later:
			return true
		default:
			return false
		}
	}
	before, later := c.LastEntry()
	_, err := c.RemoveService(t.Context(), "nothing", "")
	require.Error(t, err)
	assert.False(t, woken(later), "nothing has changed")
	require.NoError(t, c.Note(t.Context(), "moorings", "cleared the log"))
	require.True(t, woken(later))
	last, later := c.LastEntry()
	assert.Greater(t, last, before)
	assert.False(t, woken(later))
	entries, err := c.Activity(t.Context(), catalog.ActivityFilter{Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, last, entries[0].Version, "it can be read when it is told")
}

func TestWhichServicesAnEntryConcerns(t *testing.T) {
	of := func(service string) catalog.Item { return catalog.Item{Service: service} }
	for name, one := range map[string]struct {
		entry catalog.Entry
		want  bool
	}{
		"its own mapping":         {catalog.Entry{Count: 1, Items: []catalog.Item{of("moorings")}}, true},
		"another's":               {catalog.Entry{Count: 1, Items: []catalog.Item{of("tides")}}, false},
		"one of several":          {catalog.Entry{Count: 2, Items: []catalog.Item{of("tides"), of("moorings")}}, true},
		"the environment":         {catalog.Entry{Count: 1, Items: []catalog.Item{of("")}}, true},
		"more than the list has":  {catalog.Entry{Count: 9, Items: []catalog.Item{of("tides")}}, true},
		"a note about it":         {catalog.Entry{Note: "cleared the log", About: "moorings"}, true},
		"a note about another":    {catalog.Entry{Note: "cleared the log", About: "tides"}, false},
		"a note about no service": {catalog.Entry{Note: "cleared the log"}, true},
	} {
		assert.Equal(t, one.want, one.entry.Concerns("moorings"), name)
	}
}
