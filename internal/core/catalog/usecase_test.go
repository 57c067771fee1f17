package catalog_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/folder"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

func service(t *testing.T, c *catalog.Catalog, document string) *catalog.Service {
	s, err := spec.ReadService([]byte(document))
	require.NoError(t, err)
	made, err := c.CreateService(t.Context(), s)
	require.NoError(t, err)
	return made
}

func ids(s *catalog.Service) (all []string) {
	for _, m := range s.Mappings {
		all = append(all, m.Spec.ID)
	}
	return all
}

func refIDs(refs []catalog.MappingRef) (all []string) {
	for _, ref := range refs {
		all = append(all, ref.ID)
	}
	return all
}

// Lines can be made, changed, taken back and removed, and what uses one goes with it.
func TestLines(t *testing.T) {
	c, store := open(t)
	own := spec.Line{BytesPerSecond: 100}
	put := func(name string, line spec.Line, tag string) (bool, error) {
		return c.PutLine(t.Context(), name, line, tag)
	}
	must := func(name string, line spec.Line) {
		_, err := put(name, line, "")
		require.NoError(t, err)
	}
	must("own", own)
	assert.Equal(t, own, c.Snapshot().Lines()["own"])
	for tag, code := range map[string]problem.Code{catalog.NotThere: problem.Stale, catalog.LineTag(spec.Line{}): problem.Stale, catalog.LineTag(own): ""} {
		isNew, err := put("own", own, tag)
		assert.False(t, isNew)
		assert.Equal(t, code, codeOf(err), tag)
	}
	_, err := put("other", own, `"1"`)
	assert.Equal(t, problem.NotFound, codeOf(err), "what is not there has no version")
	assert.Len(t, store.changes, 2, "what is there as it is given is not written again")
	faster := spec.Line{BytesPerSecond: 200}
	_, err = c.SetImpairment(t.Context(), spec.Target{Service: "moorings"}, spec.Impairment{Connection: &spec.Connection{Line: "own"}}, "", 1, time.Now())
	require.NoError(t, err)
	must("own", faster)
	assert.Equal(t, faster, c.Snapshot().Impairments()[0].Plan.Line, "what uses it goes with it")
	assert.ErrorContains(t, c.RemoveLine(t.Context(), "own", ""), `line "own" is in use by the impairment of moorings`)
	_, err = c.RemoveImpairments(t.Context(), spec.Target{Service: "moorings"}, false, "")
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "moorings", mappings(t, "{id: slow, call: {path: /x}, impair: {connection: {line: own}}}"))
	require.NoError(t, err)
	assert.ErrorContains(t, c.RemoveLine(t.Context(), "own", ""), `line "own" is in use by mapping slow of moorings`)
	_, err = c.RemoveMapping(t.Context(), "moorings", "slow", "")
	require.NoError(t, err)
	require.NoError(t, c.RemoveLine(t.Context(), "own", ""))
	assert.NotContains(t, c.Snapshot().Lines(), "own")
	assert.Equal(t, []string{"own"}, store.changes[len(store.changes)-1].RemoveLines)
	assert.ErrorContains(t, c.RemoveLine(t.Context(), "own", ""), `line "own" not found`)
	_, err = put("own", spec.Line{BytesPerSecond: 1}, "")
	assert.Error(t, err)

	original := spec.Lines()["sea-cable"]
	must("sea-cable", own)
	assert.Equal(t, own, c.Snapshot().Lines()["sea-cable"])
	require.NoError(t, c.RemoveLine(t.Context(), "sea-cable", ""))
	assert.Equal(t, original, c.Snapshot().Lines()["sea-cable"], "taken back, not removed")
}

func TestCopiesAndEarlierStatesOfMappings(t *testing.T) {
	c, _ := open(t)
	service(t, c, "{name: tides}")
	ida := catalog.By(t.Context(), "Ida")
	_, _, err := c.PutMappings(ida, "moorings", mappings(t, "{id: a, call: {path: /x}, answer: {text: one}}"))
	require.NoError(t, err)
	at, m, err := c.CopyMapping(t.Context(), "moorings", "a", catalog.Copy{})
	require.NoError(t, err)
	assert.Equal(t, []string{"moorings", "a-copy"}, []string{at.Spec.Name, m.Spec.ID})
	_, m, err = c.CopyMapping(t.Context(), "moorings", "a", catalog.Copy{})
	require.NoError(t, err)
	assert.Equal(t, "a-copy-2", m.Spec.ID)
	at, m, err = c.CopyMapping(t.Context(), "moorings", "a", catalog.Copy{Service: "tides", Move: true})
	require.NoError(t, err)
	assert.Equal(t, []string{"tides", "a"}, []string{at.Spec.Name, m.Spec.ID})
	moorings, err := c.Find("moorings")
	require.NoError(t, err)
	assert.Equal(t, []string{"a-copy", "a-copy-2"}, ids(moorings), "it is taken away where it was")
	at, _, err = c.CopyMapping(t.Context(), "moorings", "a-copy", catalog.Copy{ID: "b", Move: true})
	require.NoError(t, err)
	assert.Equal(t, []string{"b", "a-copy-2"}, ids(at), "what comes back is the service after the move, in which it keeps its place")
	for to, why := range map[catalog.Copy]string{{ID: "a-copy-2"}: "is in service", {Service: "tide"}: "tides?", {ID: "a b"}: "id must be"} {
		_, _, err = c.CopyMapping(t.Context(), "moorings", "b", to)
		assert.ErrorContains(t, err, why)
	}
	_, _, err = c.CopyMapping(t.Context(), "moorings", "none", catalog.Copy{})
	assert.ErrorContains(t, err, `mapping "none" not found`)

	_, _, err = c.PutMappings(t.Context(), "tides", mappings(t, "{id: a, call: {path: /x}, answer: {text: two}}"))
	require.NoError(t, err)
	_, err = c.RemoveMapping(t.Context(), "tides", "a", "")
	require.NoError(t, err)
	versions, err := c.MappingVersions(t.Context(), "tides", "a")
	require.NoError(t, err)
	require.Len(t, versions, 3)
	last, err := c.MappingAt(t.Context(), "tides", "a", 0)
	require.NoError(t, err)
	assert.Equal(t, "two", *last.Mapping.Answer.Text, "the last one in which it was there")
	_, err = c.RestoreMapping(t.Context(), "tides", "a", versions[0].Version, "")
	assert.ErrorContains(t, err, "was deleted in version")
	m, err = c.RestoreMapping(t.Context(), "tides", "a", versions[2].Version, "")
	require.NoError(t, err)
	assert.Equal(t, "one", *m.Spec.Answer.Text)
	_, err = c.MappingAt(t.Context(), "tides", "a", 99_999)
	assert.ErrorContains(t, err, `version "99999" not found`)
	_, err = c.MappingVersions(t.Context(), "tides", "never")
	assert.ErrorContains(t, err, `mapping "never" not found`)
}

func TestManyAtOnce(t *testing.T) {
	c, store := open(t)
	_, _, err := c.PutMappings(t.Context(), "moorings", mappings(t, `
- {id: a, title: Night Light, labels: [quay], call: {method: GET, path: /x}}
- {id: b, labels: [quay, old], enabled: false, call: {operation: list}}
- {id: c, call: {path: /y}}`))
	require.NoError(t, err)
	on := true
	for name, k := range map[string]struct {
		which catalog.Selection
		edit  catalog.BulkEdit
		want  []string
	}{
		"by label":          {catalog.Selection{Label: "quay"}, catalog.BulkEdit{AddLabels: []string{"new"}}, []string{"a", "b"}},
		"by text":           {catalog.Selection{Text: "night light"}, catalog.BulkEdit{AddLabels: []string{"n"}}, []string{"a"}},
		"by its path":       {catalog.Selection{Text: "get /x"}, catalog.BulkEdit{AddLabels: []string{"g"}}, []string{"a"}},
		"by its operation":  {catalog.Selection{Text: "list"}, catalog.BulkEdit{AddLabels: []string{"l"}}, []string{"b"}},
		"both must hold":    {catalog.Selection{Label: "quay", IDs: []string{"b", "c"}}, catalog.BulkEdit{AddLabels: []string{"x"}}, []string{"b"}},
		"what is off":       {catalog.Selection{IDs: []string{"a", "b"}}, catalog.BulkEdit{Enabled: &on}, []string{"b"}},
		"what has it":       {catalog.Selection{IDs: []string{"a", "b"}}, catalog.BulkEdit{DropLabels: []string{"old"}}, []string{"b"}},
		"nothing to change": {catalog.Selection{IDs: []string{"a"}}, catalog.BulkEdit{AddLabels: []string{"quay"}}, nil},
	} {
		changes := len(store.changes)
		changed, err := c.EditMappings(t.Context(), []string{"moorings"}, k.which, k.edit)
		require.NoError(t, err, name)
		assert.Equal(t, k.want, refIDs(changed), name)
		assert.Equal(t, k.want != nil, len(store.changes) > changes, "%s: only a change is stored", name)
	}
	b, err := c.FindMapping("moorings", "b")
	require.NoError(t, err)
	assert.Equal(t, []any{true, true}, []any{b.Spec.Enabled, b.Spec.Labels[0] == "quay"})
	_, err = c.EditMappings(t.Context(), []string{"moorings"}, catalog.Selection{IDs: []string{"a", "none"}}, catalog.BulkEdit{Remove: true})
	assert.ErrorContains(t, err, `mapping "none" not found`)
	removed, err := c.EditMappings(t.Context(), []string{"moorings"}, catalog.Selection{Label: "quay"}, catalog.BulkEdit{Remove: true})
	require.NoError(t, err)
	assert.Equal(t, []string{"a", "b"}, refIDs(removed))
	moorings, _ := c.Find("moorings")
	assert.Equal(t, []string{"c"}, ids(moorings))
}

func TestPayloads(t *testing.T) {
	c, _ := open(t)
	_, _, err := c.PutPayload(t.Context(), "moorings", "a/b", nil, "")
	assert.ErrorContains(t, err, "the name of a payload must be")
	p, created, err := c.PutPayload(t.Context(), "moorings", "a.txt", []byte("one"), "")
	require.NoError(t, err)
	assert.True(t, created)
	tag := catalog.ETag(p.Version)
	_, _, err = c.PutMappings(t.Context(), "moorings", mappings(t, "[{id: sends, call: {path: /x}, answer: {payload: a.txt}}, {id: other, call: {path: /y}}]"))
	require.NoError(t, err)
	moorings, _ := c.Find("moorings")
	assert.Equal(t, []string{"sends"}, moorings.Senders("a.txt"))
	_, _, err = c.PutPayload(t.Context(), "moorings", "key.txt", []byte("k"), "")
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "moorings", mappings(t, `[{id: signs, call: {path: /s}, answer: {json: {a: ['${payload("key.txt") + payload("key.txt")}']}}}, {id: looks, call: {path: /l, if: "payload('key.txt') == call.method"}}]`))
	require.NoError(t, err)
	assert.ErrorContains(t, c.RemovePayload(t.Context(), "moorings", "key.txt"), "in use by signs, looks")
	again, created, err := c.PutPayload(t.Context(), "moorings", "a.txt", []byte("two"), tag)
	require.NoError(t, err)
	assert.False(t, created)
	moorings, _ = c.Find("moorings")
	assert.Equal(t, "two", string(moorings.Mapping("sends").Replies[0].Answer.Body), "its sender is live with it")
	stale, _, err := c.PutPayload(t.Context(), "moorings", "a.txt", []byte("three"), tag)
	assert.ErrorContains(t, err, "changed")
	assert.Equal(t, again, stale, "the present one is told")
	_, _, err = c.PutPayload(t.Context(), "moorings", "new.txt", nil, tag)
	assert.ErrorContains(t, err, `payload "new.txt" not found`)
	found, err := c.FindPayload("moorings", "a.txt")
	require.NoError(t, err)
	assert.Equal(t, "two", string(found.Bytes))
	_, err = c.FindPayload("moorings", "a.tx")
	assert.ErrorContains(t, err, "a.txt?")
	_, _, err = c.PutPayload(t.Context(), "moorings", "a.txt", []byte("${unknown("), "")
	assert.ErrorContains(t, err, `mapping "sends"`, "a sender that cannot be used with it")
	assert.ErrorContains(t, c.RemovePayload(t.Context(), "moorings", "a.txt"), "in use by sends")
	assert.ErrorContains(t, c.RemovePayload(t.Context(), "moorings", "b.txt"), "not found")
	_, err = c.RemoveMapping(t.Context(), "moorings", "sends", "")
	require.NoError(t, err)
	require.NoError(t, c.RemovePayload(t.Context(), "moorings", "a.txt"))
	_, err = c.FindPayload("moorings", "a.txt")
	assert.Error(t, err)
}

func TestRecordingsOfTheCatalog(t *testing.T) {
	c, _ := open(t)
	_, err := c.StartRecording(t.Context(), "moorings", spec.Recording{Name: "r"})
	assert.ErrorContains(t, err, "has no upstream to record")
	service(t, c, "{name: office, upstream: 'http://real.example', mode: relay}")
	_, err = c.StartRecording(t.Context(), "office", spec.Recording{Name: "r", Missing: true})
	assert.ErrorContains(t, err, "does not ask its upstream")
	_, err = c.StartRecording(t.Context(), "office", spec.Recording{})
	assert.ErrorContains(t, err, "needs a name")
	_, err = c.StartRecording(t.Context(), "office", spec.Recording{Name: "r", Include: []string{"GET /a/{b"}})
	assert.Error(t, err)
	running, err := c.StartRecording(catalog.By(t.Context(), "Ida"), "office", spec.Recording{Name: "r", Include: []string{"GET|HEAD /a/{b}", "/c"}, Exclude: []string{"/a/log"}, Hosts: []string{"Real.example"}, MediaTypes: []string{"image/*", "text/plain"}})
	require.NoError(t, err)
	capture := running.Recording
	assert.Equal(t, []string{"Ida", "http://real.example"}, []string{capture.Spec.By, capture.Spec.Upstream})
	for _, k := range []struct {
		method, host string
		segments     []string
		why          string
	}{
		{"GET", "real.example:80", []string{"a", "b"}, ""}, {"HEAD", "REAL.example", []string{"a", "b"}, ""}, {"PUT", "real.example", []string{"c"}, ""},
		{"PUT", "real.example", []string{"a", "b"}, "none of those to capture"}, {"GET", "real.example", []string{"a", "log"}, "one of those to leave out"}, {"GET", "other.example", []string{"c"}, "to the host other.example"},
	} {
		why := capture.LeavesOut(&call.Request{Method: k.method, Host: k.host}, k.segments)
		assert.Contains(t, why, k.why, "%v", k)
		assert.Equal(t, k.why == "", why == "", "%v", k)
	}
	for contentType, want := range map[string]string{"image/png": "", "text/plain; charset=utf-8": "", "text/html": "its answer is text/html", "": "its answer has no media type"} {
		assert.Equal(t, want, capture.LeavesOutAnswer(contentType))
	}
	_, err = c.StartRecording(t.Context(), "office", spec.Recording{Name: "again"})
	assert.ErrorContains(t, err, `already being recorded, as "r"`)
	_, err = c.StopRecording(t.Context(), "office", "other", time.Now(), true, "")
	assert.ErrorContains(t, err, "is not running")
	assert.ErrorContains(t, c.RemoveRecording(t.Context(), "office", "r"), "is running: stop it first")
	at := time.Date(2026, 12, 1, 10, 0, 0, 0, time.UTC)
	stopped, err := c.StopRecording(t.Context(), "office", capture.Spec.ID, at, true, spec.RecorderGone)
	require.NoError(t, err)
	assert.Equal(t, []any{at, spec.RecorderGone, false}, []any{stopped.Stopped, stopped.Ended, stopped.Runs()})
	office, _ := c.Find("office")
	assert.Equal(t, spec.ModeAnswer, office.Spec.Mode, "it answers by itself from now on")
	assert.Nil(t, office.Recording)

	_, err = c.StartRecording(t.Context(), "office", spec.Recording{Name: "kept"})
	require.NoError(t, err)
	before := office.Version
	_, err = c.StopRecording(t.Context(), "office", "kept", at, false, "")
	require.NoError(t, err)
	office, _ = c.Find("office")
	assert.Equal(t, before, office.Version, "one that is only kept leaves the service as it is")
	made, err := c.KeepAsRecording(t.Context(), "office", spec.Recording{Name: "kept"}, []recording.Exchange{{Number: 1}})
	require.NoError(t, err)
	all, err := c.Recordings(t.Context(), "office")
	require.NoError(t, err)
	require.Len(t, all, 3)
	found, err := c.FindRecording(t.Context(), "office", "kept")
	require.NoError(t, err)
	assert.Equal(t, made.ID, found.Recording.ID, "of several with one name the newest")
	_, err = c.FindRecording(t.Context(), "office", "kep")
	assert.ErrorContains(t, err, "kept?")
	_, err = c.TryRecording(spec.Recording{})
	assert.NoError(t, err, "one that is tried needs no name")
	require.NoError(t, c.RemoveRecording(t.Context(), "office", "r"))
}

func TestContractsOfTheCatalog(t *testing.T) {
	c, store := open(t)
	moorings, err := c.Find("moorings")
	require.NoError(t, err)
	assert.Equal(t, "Berths", moorings.Spec.Title, "the service has the title of its contract")
	_, _, err = c.PutMappings(t.Context(), "moorings", mappings(t, "[{id: stays, call: {path: /berths}}, {id: free, call: {path: /other}}]"))
	require.NoError(t, err)
	const next = "openapi: 3.1.0\ninfo: {title: Piers}\npaths:\n  /piers: {get: {operationId: piers, responses: {'200': {description: ok}}}}\n"
	changes := len(store.changes)
	shown := false
	dry, err := c.Import(t.Context(), catalog.Import{Text: []byte(next), Into: "moorings", DryRun: true, Before: func(i catalog.Imported) { shown = i.DryRun }})
	require.NoError(t, err)
	assert.True(t, shown, "it is shown before anything is stored")
	assert.Len(t, store.changes, changes, "a dry run stores nothing")
	assert.Equal(t, []string{"stays"}, []string{dry.Orphans[0].Spec.ID})
	require.Len(t, dry.Orphans, 1)
	imported, err := c.Import(t.Context(), catalog.Import{Text: []byte(next), Into: "moorings"})
	require.NoError(t, err)
	assert.Equal(t, 2, imported.Service.Contract.Revision)
	require.NotNil(t, imported.Changes)
	first, err := c.ContractText(t.Context(), "moorings", 1)
	require.NoError(t, err)
	assert.Equal(t, contract, string(first.Text))
	current, err := c.ContractText(t.Context(), "moorings", 0)
	require.NoError(t, err)
	assert.Equal(t, next, string(current.Text))
	back, err := c.CompareRevisions(t.Context(), "moorings", 2, 1)
	require.NoError(t, err)
	assert.NotEqual(t, *imported.Changes, back, "the other way round")
	_, err = c.CompareRevisions(t.Context(), "moorings", 1, 9)
	assert.Error(t, err)
	service(t, c, "{name: bare}")
	_, err = c.Revisions(t.Context(), "bare")
	assert.ErrorContains(t, err, "bare")
	_, op, err := c.FindOperation("moorings", "piers")
	require.NoError(t, err)
	assert.Equal(t, "/piers", op.Template.String())
	_, _, err = c.FindOperation("moorings", "peirs")
	assert.ErrorContains(t, err, "piers?")
	store.fail = errors.New("disk full")
	_, err = c.ContractText(t.Context(), "moorings", 1)
	assert.ErrorContains(t, err, "disk full")
}

// What a folder has and what is here are brought together, with services, payloads,
// scenarios and impairments, and written out again as they are.
func TestAWholeFolder(t *testing.T) {
	c, _ := open(t)
	files := func(impairments string) *folder.Folder {
		return folder.Read([]folder.File{
			{Name: "environment.yaml", Text: []byte("scenarios:\n  - { name: storm, services: { tides: { mode: relay } } }\nimpairments:\n" + impairments)},
			{Name: "tides/service.yaml", Text: []byte("upstream: http://real.example\nhosts: [tides.example]")},
			{Name: "tides/all.mappings.yaml", Text: []byte("- {id: moon, call: {path: /moon}, answer: {payload: moon.txt}}")},
			{Name: "tides/payloads/moon.txt", Text: []byte("up")},
			{Name: "tides/contract.yaml", Text: []byte(contract)},
		})
	}
	const slow = "  - { target: { service: tides }, impairment: { latency: 5ms } }\n  - { target: { service: nowhere }, impairment: { latency: 5ms } }\n"
	f := files(slow)
	require.Empty(t, f.Faults)
	report, err := c.ApplyFolder(t.Context(), f, catalog.Apply{Source: "quay", At: time.Unix(7, 0)})
	require.NoError(t, err)
	var kinds []string
	for _, o := range report.Outcomes {
		kinds = append(kinds, o.Kind+" "+o.ID+" "+o.Outcome)
	}
	assert.ElementsMatch(t, []string{"service  created", "contract  created", "payload moon.txt created", "mapping moon created", "scenario storm created", "impairment tides created"}, kinds)
	require.Len(t, report.Faults, 1)
	assert.Contains(t, report.Faults[0].Detail, `service "nowhere" not found`)
	tides, err := c.Find("tides")
	require.NoError(t, err)
	assert.Equal(t, "up", string(tides.Mapping("moon").Replies[0].Answer.Body))
	assert.NotNil(t, tides.Operation("list"))
	on := c.Snapshot().Impairments()
	require.Len(t, on, 1)
	require.NotNil(t, on[0].Impairment.Seed, "it has a seed from now on")
	seed := *on[0].Impairment.Seed

	again, err := c.ApplyFolder(t.Context(), files(slow), catalog.Apply{Source: "quay"})
	require.NoError(t, err)
	assert.Empty(t, again.Outcomes, "the same folder again changes nothing")
	assert.Equal(t, 6, again.Unchanged)
	_, err = c.ApplyFolder(t.Context(), files("  - { target: { service: tides }, impairment: { latency: 9ms } }\n"), catalog.Apply{Source: "quay"})
	require.NoError(t, err)
	on = c.Snapshot().Impairments()
	assert.Equal(t, []any{seed, spec.Duration(9 * time.Millisecond)}, []any{*on[0].Impairment.Seed, on[0].Impairment.Latency.Low}, "its seed is none of the folder's business")

	applied := mappings(t, "{id: moon, call: {path: /moon}, answer: {payload: moon.txt}}")[0]
	if moon, err := c.FindMapping("tides", "moon"); assert.NoError(t, err) {
		applied = moon.Spec
	}
	mine := applied
	mine.Title = "edited in the folder"
	states, env, edits, err := c.FolderState(t.Context(), "tides")
	require.NoError(t, err)
	require.Len(t, states, 1)
	assert.Equal(t, []any{"up", contract, "moon"}, []any{string(states[0].Payloads["moon.txt"]), string(states[0].Contract.Text), states[0].Mappings[0].ID})
	assert.Empty(t, env.Scenarios, "of one service nothing that belongs to none")
	assert.False(t, edits.Keep("tides", "mapping", "moon", applied), "as it was applied")
	assert.True(t, edits.Keep("tides", "mapping", "moon", mine), "an edit of the folder's own")
	assert.True(t, edits.Keep("tides", "mapping", "new", mine), "one that was never applied")
	assert.Empty(t, edits.Both)
	_, _, err = c.PutMappings(t.Context(), "tides", mappings(t, "{id: moon, call: {path: /moon}}"))
	require.NoError(t, err)
	_, env, edits, err = c.FolderState(t.Context(), "")
	require.NoError(t, err)
	assert.Len(t, env.Scenarios, 1)
	assert.Len(t, env.Impairments, 1)
	assert.False(t, edits.Keep("tides", "mapping", "moon", applied), "it was edited in the environment alone")
	assert.Empty(t, edits.Both)
	assert.True(t, edits.Keep("tides", "mapping", "moon", mine), "it was edited on both sides")
	require.Len(t, edits.Both, 1)
	assert.Equal(t, "moon", edits.Both[0].ID)
	edits.OverMine = true
	assert.False(t, edits.Keep("tides", "mapping", "moon", mine))
	edits.OverMine = false
	assert.False(t, edits.Keep("", "scenario", "storm", env.Scenarios[0]))
	assert.True(t, edits.Keep("", "scenario", "storm", spec.Scenario{Name: "storm", Title: "mine"}))
	seedless := env.Impairments[0]
	seedless.Impairment.Seed = nil
	assert.False(t, edits.Keep("", "impairment", seedless.Target.String(), seedless), "the seed is none of the folder's business")
	assert.False(t, edits.Keep("tides", "payload", "moon.txt", []byte("up")))
	assert.True(t, edits.Keep("tides", "payload", "moon.txt", []byte("down")))
	assert.Len(t, edits.Both, 1)
	_, _, _, err = c.FolderState(t.Context(), "none")
	assert.Error(t, err)

	gone := folder.Read([]folder.File{{Name: "other/service.yaml", Text: []byte("title: x")}})
	left, err := c.ApplyFolder(t.Context(), gone, catalog.Apply{Source: "quay", Prune: true, DryRun: true})
	require.NoError(t, err)
	assert.Equal(t, 1, left.Conflicts, "a service with edits of somebody is not removed")
	elsewhere, err := c.ApplyFolder(t.Context(), gone, catalog.Apply{Source: "another", Prune: true, DryRun: true})
	require.NoError(t, err)
	assert.Zero(t, elsewhere.Conflicts, "what came from another folder is not missed in this one")
}

func TestServicesOfTheCatalog(t *testing.T) {
	c, store := open(t)
	office := service(t, c, "{name: office, hosts: [office.example]}")
	tag := catalog.ETag(office.Version)
	renamed := office.Spec
	renamed.Name = "bureau"
	next, created, err := c.PutService(t.Context(), "office", renamed, tag)
	require.NoError(t, err)
	assert.False(t, created)
	assert.Equal(t, office.Spec.ID, next.Spec.ID)
	_, _, err = c.PutService(t.Context(), "bureau", renamed, tag)
	assert.ErrorContains(t, err, "changed")
	byID, err := c.Find(office.Spec.ID)
	require.NoError(t, err)
	assert.Equal(t, "bureau", byID.Spec.Name)
	taken := renamed
	taken.Name = "moorings"
	_, _, err = c.PutService(t.Context(), "bureau", taken, "")
	assert.ErrorContains(t, err, `service "moorings" already exists`)
	_, created, err = c.PutService(t.Context(), "fresh", spec.NewService("fresh"), "")
	require.NoError(t, err)
	assert.True(t, created)
	_, _, err = c.PutService(t.Context(), "never", spec.NewService("never"), tag)
	assert.ErrorContains(t, err, "not found", "one that demands a version is no new one")
	_, err = c.CreateService(t.Context(), spec.NewService("fresh"))
	assert.ErrorContains(t, err, "already exists")
	c.SetHostRule(func(host string) (confirm bool, err error) {
		if host == "bank.example" {
			return false, errors.New("people bank there")
		}
		return host == "public.example", nil
	})
	wanted := spec.NewService("hosts")
	wanted.Hosts = []string{"public.example/v1", "bank.example", "office.example"}
	_, err = c.CreateService(t.Context(), wanted)
	assert.ErrorContains(t, err, "is on the public internet")
	assert.ErrorContains(t, err, "people bank there")
	assert.ErrorContains(t, err, `host "office.example" is listed by service "bureau"`)
	wanted.Hosts = []string{"public.example/v1", "public.example/v2"}
	_, err = c.CreateService(catalog.Confirmed(t.Context()), wanted)
	require.NoError(t, err)
	assert.Equal(t, []string{"public.example"}, c.PublicHosts())
	kept, _, err := c.PutService(t.Context(), "hosts", wanted, "")
	require.NoError(t, err, "what is listed already needs no confirmation")
	_, err = c.RemoveService(t.Context(), "hosts", tag)
	assert.Error(t, err)
	_, err = c.RemoveService(t.Context(), "hosts", catalog.ETag(kept.Version))
	require.NoError(t, err)
	assert.Equal(t, []string{kept.Spec.ID}, store.changes[len(store.changes)-1].RemoveServices)
	_, err = c.Find("hosts")
	assert.Error(t, err)
}
