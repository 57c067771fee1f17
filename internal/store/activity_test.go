package store_test

import (
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/store"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// everything is all that an environment says, as one text; versions and the moments at which
// something was switched on are none of it.
func everything(t *testing.T, c *catalog.Catalog, now time.Time) string {
	s := c.Snapshot()
	all := make(map[string]any)
	for _, service := range s.Services() {
		at := service.Spec.ID + " "
		all[at+"settings"] = service.Spec
		var order []string
		for _, m := range service.Mappings {
			all[at+"mapping "+m.Spec.ID] = m.Spec
			order = append(order, m.Spec.ID)
		}
		all[at+"order"] = order
		for name, p := range service.Payloads {
			all[at+"payload "+name] = string(p.Bytes)
		}
		if service.Contract != nil {
			all[at+"contract"] = service.Contract.Title
		}
	}
	for _, scenario := range s.Scenarios() {
		all["scenario "+scenario.Spec.Name] = scenario.Spec
	}
	for _, lane := range s.Lanes(now) {
		all["lane "+lane.StoredLane.Spec.Name] = lane.StoredLane.Spec
	}
	for _, i := range s.Impairments() {
		all["impairment "+s.TargetOf(i.StoredImpairment).String()] = i.Impairment
	}
	secrets := s.Secrets()
	slices.Sort(secrets)
	all["lines"], all["variables"], all["ignored"], all["off"], all["secrets"] = s.Lines(), s.Variables().Variables, s.Ignored().Spec, s.ImpairmentsOff(), secrets
	if on := s.Active(nil, now); on != nil {
		all["on"] = on.Scenario
	}
	text, err := json.MarshalIndent(all, "", " ")
	require.NoError(t, err)
	return string(text)
}

const contractText = "openapi: 3.1.0\ninfo: {title: %s, version: '1'}\npaths:\n  /berths: {get: {operationId: listBerths, responses: {'200': {description: ok}}}}\n"

// anyEdit makes one of all kinds of edits; it may be refused.
func anyEdit(t *testing.T, c *catalog.Catalog, chance *rand.Rand, now time.Time) error {
	ctx := catalog.By(t.Context(), []string{"Ida", "Ben", "Mara"}[chance.IntN(3)])
	services := []string{"quay", "dock", "pier"}
	service, id, text := services[chance.IntN(len(services))], fmt.Sprint("m", chance.IntN(4)), fmt.Sprint(chance.IntN(1000))
	edits := []func() error{
		func() error {
			_, err := c.Import(ctx, catalog.Import{Name: service, File: "a.yaml", Text: fmt.Appendf(nil, contractText, "T"+text), At: now})
			return err
		},
		func() error {
			_, err := c.Import(ctx, catalog.Import{Into: service, File: "a.yaml", Text: fmt.Appendf(nil, contractText, "T"+text), At: now})
			return err
		},
		func() error {
			document := fmt.Sprintf("{title: T%s, variables: {own: {secret: true, value: hush-hush-%s}}}", text, text)
			s, err := spec.ReadServiceNamed([]byte(document), service)
			require.NoError(t, err)
			_, _, err = c.PutService(ctx, service, s, "")
			return err
		},
		func() error { _, err := c.RemoveService(ctx, service, ""); return err },
		func() error {
			list, err := spec.ReadMappings(fmt.Appendf(nil, "[{id: %s, call: {path: /a}, answer: {text: 't%s'}}, {id: x, call: {path: /x}, answer: {text: 'x%s'}}]", id, text, text))
			require.NoError(t, err)
			_, _, err = c.PutMappings(ctx, service, list)
			return err
		},
		func() error { _, err := c.RemoveMapping(ctx, service, id, ""); return err },
		func() error { _, _, err := c.PutPayload(ctx, service, "p.txt", []byte(text), ""); return err },
		func() error { return c.RemovePayload(ctx, service, "p.txt") },
		func() error {
			scenarios, err := spec.ReadScenarios(fmt.Appendf(nil, "{name: storm, title: 'S%s', variables: {own: {secret: true, value: hush-storm-%s}}}", text, text))
			require.NoError(t, err)
			_, _, err = c.PutScenarios(ctx, scenarios)
			return err
		},
		func() error { return c.RemoveScenario(ctx, "storm", "", now) },
		func() error { _, _, err := c.UseScenario(ctx, "", "storm", 0, now); return err },
		func() error { _, err := c.LeaveScenario(ctx, "", now); return err },
		func() error {
			lane, err := spec.ReadLane([]byte("{ttl: 1h, title: L"+text+"}"), "night")
			require.NoError(t, err)
			_, err = c.OpenLane(ctx, lane, now)
			return err
		},
		func() error { _, err := c.CloseLane(ctx, "night", now); return err },
		func() error {
			_, err := c.EditLane(ctx, "night", "", now, func(l *spec.Lane) error { l.Title = "E" + text; return nil })
			return err
		},
		func() error {
			i := spec.Impairment{Latency: &spec.Latency{Low: spec.Duration(1 + chance.IntN(9)), High: 20}}
			target := []spec.Target{{}, {Service: service}, {Service: service, Mapping: id}}[chance.IntN(3)]
			_, err := c.SetImpairment(ctx, target, i, "", 1, now)
			return err
		},
		func() error { _, err := c.RemoveImpairments(ctx, spec.Target{Service: service}, true, ""); return err },
		func() error {
			_, err := c.PutLine(ctx, "rope", spec.Line{BytesPerSecond: int64(10 + chance.IntN(90))}, "")
			return err
		},
		func() error { return c.RemoveLine(ctx, "rope", "") },
		func() error {
			v := c.Snapshot().Variables().Variables
			v.Variables = maps.Clone(v.Variables)
			if v.Variables == nil {
				v.Variables = make(map[string]spec.Variable)
			}
			v.Variables["key"] = spec.Variable{Secret: true, Value: tree.NewString("hush-key-" + text)}
			v.Variables["v"] = spec.Variable{Value: tree.NewNumber(text)}
			if chance.IntN(3) == 0 {
				delete(v.Variables, "key")
			}
			_, err := c.PutVariables(ctx, v, "")
			return err
		},
		func() error {
			_, err := c.PutIgnored(ctx, spec.Ignored{Calls: []string{"path:/" + text}}, "")
			return err
		},
		func() error { off := chance.IntN(2) == 0; return c.ReplaceImpairments(ctx, "", nil, nil, &off, 1, now) },
	}
	return edits[chance.IntN(len(edits))]()
}

// Whatever three people changed in whatever order: undone from the last one to the first all
// is as it was, also over a restart; and one from the middle is undone exactly, or is refused
// and changes nothing.
func TestEverythingCanBeUndone(t *testing.T) {
	for seed := range uint64(8) {
		chance := rand.New(rand.NewPCG(seed, 7))
		now := time.Now()
		folder := t.TempDir()
		s, c := sealed(t, folder, 1)
		for range 20 {
			_ = anyEdit(t, c, chance, now) // to begin with something
		}
		beginning, err := c.Activity(t.Context(), catalog.ActivityFilter{Limit: 1})
		require.NoError(t, err)
		before := everything(t, c, now)
		states := map[int64]string{} // what was there before each entry
		made := 0
		for range 60 {
			was := everything(t, c, now)
			if err := anyEdit(t, c, chance, now); err != nil {
				require.Equal(t, was, everything(t, c, now), "what is refused changes nothing: %v", err)
				continue
			}
			last, err := c.Activity(t.Context(), catalog.ActivityFilter{Limit: 1})
			require.NoError(t, err)
			if everything(t, c, now) == was {
				continue
			}
			made++
			require.NotContains(t, states, last[0].Version, "it has an entry of its own: %s", everything(t, c, now))
			states[last[0].Version] = was
		}
		require.Greater(t, made, 10)

		entries, err := c.Activity(t.Context(), catalog.ActivityFilter{Limit: 1000})
		require.NoError(t, err)
		middle := entries[len(entries)/2]
		was := everything(t, c, now)
		undo, err := c.Undo(t.Context(), catalog.EntryID(middle.Version), now)
		if err != nil {
			require.Equal(t, was, everything(t, c, now), "%v", err)
		} else {
			_, err = c.Undo(t.Context(), catalog.EntryID(undo.Version), now)
			require.NoError(t, err, "undo of the undo")
			require.Equal(t, was, everything(t, c, now), "entry %s of seed %d", catalog.EntryID(middle.Version), seed)
		}

		require.NoError(t, s.Close())
		s, c = sealed(t, folder, 1)
		require.Equal(t, was, everything(t, c, now), "after a restart, seed %d", seed)
		for { // from the last to the first, but those that were taken back
			entries, err := c.Activity(t.Context(), catalog.ActivityFilter{Limit: 1000})
			require.NoError(t, err)
			at := slices.IndexFunc(entries, func(e catalog.Entry) bool {
				return e.UndoneBy == 0 && e.Undoes == 0 && e.Version > beginning[0].Version
			})
			if at < 0 {
				break
			}
			version := entries[at].Version
			_, err = c.Undo(catalog.By(t.Context(), "Mara"), catalog.EntryID(version), now)
			require.NoError(t, err, "seed %d: %+v", seed, entries[at].Items)
			if want, known := states[version]; known {
				require.Equal(t, want, everything(t, c, now), "seed %d: before %s", seed, catalog.EntryID(version))
			}
		}
		assert.Equal(t, before, everything(t, c, now))
		require.NoError(t, s.Close())
	}
}

// Whatever was changed since a mark: back to it all is as it was, lanes aside, as one change
// that can be undone; a dry run says what would be another and changes nothing.
func TestBackToAMark(t *testing.T) {
	for seed := range uint64(8) {
		chance := rand.New(rand.NewPCG(seed, 9))
		now := time.Now()
		_, c := sealed(t, t.TempDir(), 1)
		for range 20 {
			_ = anyEdit(t, c, chance, now)
		}
		state := func() string {
			for _, lane := range c.Snapshot().LaneNames(now) {
				_, err := c.CloseLane(t.Context(), lane, now)
				require.NoError(t, err)
			}
			return everything(t, c, now)
		}
		atMark := state()
		_, err := c.SetMark(t.Context(), "a-7", "", now)
		assert.ErrorContains(t, err, "is what an entry is called")
		mark, err := c.SetMark(catalog.By(t.Context(), "Ida"), " before the test ", "", now)
		require.NoError(t, err)
		assert.Equal(t, "before the test", mark.Name)
		nothing, err := c.BackTo(t.Context(), mark.Name, false, now)
		require.NoError(t, err)
		assert.Nil(t, nothing, "nothing was changed since")
		for range 40 {
			_ = anyEdit(t, c, chance, now)
		}
		since := state()
		planned, err := c.BackTo(t.Context(), mark.Name, true, now)
		require.NoError(t, err, "seed %d", seed)
		require.Equal(t, since, everything(t, c, now), "a dry run changes nothing")
		done, err := c.BackTo(t.Context(), mark.Name, false, now)
		require.NoError(t, err)
		require.Equal(t, atMark, everything(t, c, now), "seed %d", seed)
		assert.Len(t, done.Items, len(planned.Items))
		assert.Equal(t, `back to "before the test"`, done.Note)
		_, err = c.Undo(t.Context(), catalog.EntryID(done.Version), now)
		require.NoError(t, err)
		require.Equal(t, since, everything(t, c, now), "seed %d", seed)
	}
	_, c := sealed(t, t.TempDir(), 1)
	for _, name := range []string{"", " ", "a\nb", strings.Repeat("x", 101)} {
		_, err := c.SetMark(t.Context(), name, "", time.Now())
		assert.ErrorContains(t, err, "the name of a mark", "%q", name)
	}
	_, err := c.SetMark(t.Context(), "a", "", time.Now())
	require.NoError(t, err)
	_, err = c.SetMark(t.Context(), "a", "", time.Now())
	assert.ErrorContains(t, err, `mark "a" already exists`)
	_, err = c.BackTo(t.Context(), "ab", false, time.Now())
	assert.ErrorContains(t, err, `mark "ab" not found`)
	require.NoError(t, c.RemoveMark(t.Context(), "a"))
	assert.ErrorContains(t, c.RemoveMark(t.Context(), "a"), "not found")
}

// Services that took each other's names get theirs back, and what names them follows.
func TestNamesThatWereSwappedComeBack(t *testing.T) {
	_, c := sealed(t, t.TempDir(), 1)
	now := time.Now()
	for _, name := range []string{"quay", "tides", "dock"} {
		_, err := c.CreateService(t.Context(), spec.NewService(name))
		require.NoError(t, err)
		put(t, c, name, "{id: "+name+", call: {path: /a}}")
	}
	scenarios, err := spec.ReadScenarios([]byte("{name: fog, services: {quay: {off: true}, dock: {mode: answer}}}"))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), scenarios)
	require.NoError(t, err)
	was := everything(t, c, now)
	mark, err := c.SetMark(t.Context(), "clean", "", now)
	require.NoError(t, err)
	rename := func(from, to string) {
		service, err := c.Find(from)
		require.NoError(t, err)
		next := service.Spec
		next.Name = to
		_, _, err = c.PutService(t.Context(), from, next, "")
		require.NoError(t, err)
	}
	rename("quay", "free")
	rename("tides", "quay")
	rename("dock", "tides")
	rename("free", "dock")
	rotated := everything(t, c, now)
	require.NotEqual(t, was, rotated)
	done, err := c.BackTo(t.Context(), mark.Name, false, now)
	require.NoError(t, err)
	require.Equal(t, was, everything(t, c, now))
	_, err = c.Undo(t.Context(), catalog.EntryID(done.Version), now)
	require.NoError(t, err)
	require.Equal(t, rotated, everything(t, c, now))
}

// What was changed since is not overwritten, an entry is undone once, and what stands in the
// way is told.
func TestUndoIsRefused(t *testing.T) {
	_, c := sealed(t, t.TempDir(), 1)
	now := time.Now()
	last := func() string {
		entries, err := c.Activity(t.Context(), catalog.ActivityFilter{Limit: 1})
		require.NoError(t, err)
		return catalog.EntryID(entries[0].Version)
	}
	_, err := c.CreateService(catalog.Through(catalog.By(t.Context(), "Ida"), "console", "10.0.0.7"), spec.NewService("quay"))
	require.NoError(t, err)
	created := last()
	put(t, c, "quay", "{id: a, call: {path: /a}, answer: {text: one}}")
	first := last()
	put(t, c, "quay", "{id: a, call: {path: /a}, answer: {text: two}}")
	second := last()
	was := everything(t, c, now)
	for id, want := range map[string]string{
		first: "mapping a of quay: it was changed since", created: "service quay: it has mapping a since, which would go with it", "a-zzzz": "not found", "x": "is not the id of an entry", "a-0": "is not the id",
	} {
		_, err := c.Undo(t.Context(), id, now)
		assert.ErrorContains(t, err, want, id)
	}
	assert.Equal(t, was, everything(t, c, now))
	entry, err := c.FindEntry(t.Context(), created)
	require.NoError(t, err)
	assert.Equal(t, []string{"Ida", "console", "10.0.0.7"}, []string{entry.By, entry.Via, entry.From})

	undone, err := c.Undo(t.Context(), second, now)
	require.NoError(t, err)
	_, err = c.Undo(t.Context(), second, now)
	assert.ErrorContains(t, err, "is undone already, by "+catalog.EntryID(undone.Version))
	_, err = c.RemoveService(t.Context(), "quay", "")
	require.NoError(t, err)
	removed := last()
	_, err = c.Undo(t.Context(), first, now)
	assert.ErrorContains(t, err, "it was removed since")
	_, err = c.CreateService(t.Context(), spec.NewService("quay"))
	require.NoError(t, err)
	_, err = c.Undo(t.Context(), removed, now)
	assert.ErrorContains(t, err, `the name "quay" belongs to another service since`)
	_, err = c.RemoveService(t.Context(), "quay", "")
	require.NoError(t, err)
	_, err = c.Undo(t.Context(), removed, now)
	require.NoError(t, err)
	service, err := c.Find("quay")
	require.NoError(t, err)
	assert.Equal(t, "one", *service.Mapping("a").Spec.Answer.Text)

	require.NoError(t, c.Note(catalog.By(t.Context(), "Ida"), "quay", "took something out"))
	told, err := c.Activity(t.Context(), catalog.ActivityFilter{Service: "quay", Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, "took something out", told[0].Note)
	_, err = c.Undo(t.Context(), last(), now)
	assert.ErrorContains(t, err, "changed no definition: there is nothing to take back")
	differences, err := c.Differences(t.Context(), 0)
	require.NoError(t, err, "also over what is no edit")
	assert.Len(t, differences, 2, "the service and its mapping")

	only, err := c.Activity(t.Context(), catalog.ActivityFilter{Service: "quay", By: "ida", Limit: 10})
	require.NoError(t, err)
	assert.Len(t, only, 2)
	none, err := c.Activity(t.Context(), catalog.ActivityFilter{Since: now.Add(time.Hour), Limit: 10})
	require.NoError(t, err)
	assert.Empty(t, none)
	many := make([]string, 40)
	for i := range many {
		many[i] = fmt.Sprintf("{id: m%d, call: {path: /m}}", i)
	}
	put(t, c, "quay", "["+strings.Join(many, ",")+"]")
	entries, err := c.Activity(t.Context(), catalog.ActivityFilter{Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, 40, entries[0].Count)
	assert.Less(t, len(entries[0].Items), 40)
	_, err = c.Undo(t.Context(), last(), now)
	require.NoError(t, err, "all forty at once")
	service, err = c.Find("quay")
	require.NoError(t, err)
	assert.Len(t, service.Mappings, 1)
}

// Entries are bounded by number and bytes; what is gone is told, the secrets go along, and so
// does a service that was removed long ago.
func TestWhatTheActivityKeeps(t *testing.T) {
	s, c := sealed(t, t.TempDir(), 1)
	now := time.Now()
	service, err := spec.ReadServiceNamed([]byte("{variables: {own: {secret: true, value: hush-hush-1}}}"), "quay")
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), service)
	require.NoError(t, err)
	_, err = c.RemoveService(t.Context(), "quay", "")
	require.NoError(t, err)
	removed, err := c.Activity(t.Context(), catalog.ActivityFilter{Limit: 1})
	require.NoError(t, err)
	require.NoError(t, s.AgeRemoved(t.Context()))
	require.NoError(t, s.Trim(t.Context()))
	_, err = c.Undo(t.Context(), catalog.EntryID(removed[0].Version), now)
	assert.ErrorContains(t, err, "it is no longer kept: what is removed is kept for 30 days")

	require.NoError(t, c.Note(t.Context(), "quay", "cleared the log"))
	since, err := c.Activity(t.Context(), catalog.ActivityFilter{After: removed[0].Version, Limit: 10})
	require.NoError(t, err)
	require.Len(t, since, 1, "later ones alone")
	assert.Equal(t, "quay", since[0].About)
	assert.Empty(t, removed[0].About, "items say what they are about")

	store.KeepEntries(t, 1_000)
	require.NoError(t, s.FillActivity(t.Context(), 1_010))
	_, err = c.VersionAt(t.Context(), "2h", now.Add(-2*time.Hour))
	require.NoError(t, err, "it is known what was there before the first entry: nothing")
	require.NoError(t, s.Trim(t.Context()))
	_, err = c.VersionAt(t.Context(), "2h", now.Add(-2*time.Hour))
	assert.ErrorContains(t, err, "the activity goes back to ")
	_, err = c.FindEntry(t.Context(), catalog.EntryID(removed[0].Version))
	assert.ErrorContains(t, err, "not found")
	all, err := c.Activity(t.Context(), catalog.ActivityFilter{Limit: 2_000})
	require.NoError(t, err)
	assert.Len(t, all, 1_000)
	_, err = c.VersionAt(t.Context(), catalog.EntryID(removed[0].Version), time.Time{})
	assert.ErrorContains(t, err, "not found")

	s, c = sealed(t, t.TempDir(), 1)
	require.NoError(t, c.Note(t.Context(), "quay", "cleared the log"))
	require.NoError(t, s.AgeActivity(t.Context()))
	require.NoError(t, c.Note(t.Context(), "quay", "a year later"))
	require.NoError(t, s.Trim(t.Context()))
	all, err = c.Activity(t.Context(), catalog.ActivityFilter{Limit: 10})
	require.NoError(t, err)
	assert.Len(t, all, 1, "the one that is not too old")
}

// What may have changed the answers of a service since a version: changes of its own, of the
// environment and of the lane, as far as they are in force.
func TestWhatMayHaveChangedAnswers(t *testing.T) {
	_, c := sealed(t, t.TempDir(), 1)
	for _, name := range []string{"quay", "tides"} {
		_, err := c.CreateService(t.Context(), spec.NewService(name))
		require.NoError(t, err)
	}
	put(t, c, "quay", "{id: a, call: {path: /a}}")
	early := c.Snapshot().Entry()
	put(t, c, "quay", "{id: a, call: {path: /a}, answer: {text: one}}")
	since := c.Snapshot().Entry()
	assert.Greater(t, since, early)
	now := time.Now()
	changed := func(service, lane string) (what []string) {
		entries, err := c.ChangedSince(t.Context(), since, service, lane, 10)
		require.NoError(t, err)
		for _, e := range entries {
			what = append(what, e.Items[0].Name())
		}
		return what
	}
	assert.Empty(t, changed("quay", ""))
	put(t, c, "tides", "{id: b, call: {path: /b}}")
	_, err := c.PutVariables(t.Context(), spec.Variables{VariableTable: spec.VariableTable{Variables: map[string]spec.Variable{"x": {Value: tree.NewNumber("1")}}}}, "")
	require.NoError(t, err)
	_, err = c.OpenLane(t.Context(), spec.Lane{Name: "ci"}, now)
	require.NoError(t, err)
	require.NoError(t, c.Note(t.Context(), "quay", "cleared the log"))
	put(t, c, "quay", "{id: a, call: {path: /a}, answer: {text: two}}")
	assert.Equal(t, []string{"mapping a of quay", "variables"}, changed("quay", ""))
	assert.Equal(t, []string{"mapping a of quay", "lane ci", "variables"}, changed("quay", "ci"))
	two := c.Snapshot().Entry()
	undo := func(version int64) int64 {
		entry, err := c.Undo(t.Context(), catalog.EntryID(version), now)
		require.NoError(t, err)
		return entry.Version
	}
	undone := undo(two)
	assert.Equal(t, []string{"variables"}, changed("quay", ""), "all of it came after")
	undo(since)
	assert.Equal(t, []string{"mapping a of quay", "variables"}, changed("quay", ""), "what was there is taken back")
	_, err = c.Undo(t.Context(), catalog.EntryID(undone), now)
	assert.ErrorContains(t, err, "it was changed since")
}
