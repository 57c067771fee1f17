package catalog_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/folder"
	"rapidmimic.example/spec"
)

// tides is a folder with one service and mappings.
func tides(mappings string) *folder.Folder {
	return folder.Read([]folder.File{{Name: "tides/service.yaml", Text: []byte("title: Tides")}, {Name: "tides/all.mappings.yaml", Text: []byte(mappings)}})
}

// has lists the mappings of the service with what they answer.
func has(t *testing.T, c *catalog.Catalog) (texts []string) {
	service, err := c.Find("tides")
	require.NoError(t, err)
	for _, m := range service.Mappings {
		texts = append(texts, m.Spec.ID+" "+string(m.Replies[0].Answer.Body))
	}
	return texts
}

const moonAndSun = "- {id: moon, call: {path: /moon}, answer: {text: up}}\n- {id: sun, call: {path: /sun}, answer: {text: up}}"

func TestAConflictStopsAllOfAFolder(t *testing.T) {
	c, store := open(t)
	_, err := c.ApplyFolder(t.Context(), tides(moonAndSun), catalog.Apply{})
	require.NoError(t, err)
	assert.Equal(t, []string{"moon up", "sun up"}, has(t, c))
	_, _, err = c.PutMappings(t.Context(), "tides", mappings(t, "{id: moon, call: {path: /moon}, answer: {text: full}}"))
	require.NoError(t, err)

	changes := len(store.changes)
	report, err := c.ApplyFolder(t.Context(), tides("- {id: moon, call: {path: /moon}, answer: {text: new}}\n- {id: sun, call: {path: /sun}, answer: {text: down}}"), catalog.Apply{})
	require.NoError(t, err)
	assert.Equal(t, 1, report.Conflicts)
	assert.Equal(t, []string{"moon full", "sun up"}, has(t, c), "nothing was changed, also of what is no conflict")
	assert.Len(t, store.changes, changes)
}

// A comparison tells all that differs, whichever side made it and whoever it came from, and
// changes nothing.
func TestCompareFolder(t *testing.T) {
	c, store := open(t)
	f := tides(moonAndSun)
	_, err := c.ApplyFolder(t.Context(), f, catalog.Apply{Source: "harbour"})
	require.NoError(t, err)
	_, err = c.RemoveService(t.Context(), "moorings", "")
	require.NoError(t, err)
	compared := func(f *folder.Folder) (lines []string) {
		items, _, err := c.CompareFolder(t.Context(), f, noon)
		require.NoError(t, err)
		for _, item := range items {
			line := item.Name()
			if item.Before == nil {
				line = "there: " + line
			}
			if item.After == nil {
				line = "here: " + line
			}
			lines = append(lines, line)
		}
		return lines
	}
	assert.Empty(t, compared(f))
	list, err := spec.ReadScenarios([]byte("{name: fog, services: {tides: {off: true}}}"))
	require.NoError(t, err)
	_, _, err = c.PutScenarios(t.Context(), list)
	require.NoError(t, err)
	_, _, err = c.UseScenario(t.Context(), "", "fog", 0, noon)
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "tides", mappings(t, "[{id: moon, call: {path: /moon}, answer: {text: full}}, {id: own, call: {path: /own}}]"))
	require.NoError(t, err)
	_, err = c.RemoveMapping(t.Context(), "tides", "sun", "")
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), spec.NewService("quay"))
	require.NoError(t, err)
	changes := len(store.changes)
	f.Environment.Scenario = new(string) // it says that none is on
	assert.ElementsMatch(t, []string{"mapping moon of tides", "there: mapping sun of tides", "here: mapping own of tides", "here: service quay", "here: scenario fog", "here: the scenario that is on"}, compared(f))
	assert.Len(t, store.changes, changes)
}

func TestPruningLeavesWhatAFaultyFileMayHave(t *testing.T) {
	c, _ := open(t)
	_, err := c.ApplyFolder(t.Context(), tides(moonAndSun), catalog.Apply{})
	require.NoError(t, err)

	report, err := c.ApplyFolder(t.Context(), tides("- {id: moon, call: {path: /moon}, answer: {text: up}}\n- {id: sun, cal: x}"), catalog.Apply{Prune: true})
	require.NoError(t, err)
	assert.Len(t, report.Faults, 1)
	assert.Equal(t, []string{"moon up", "sun up"}, has(t, c), "what the faulty file stood for stays")

	report, err = c.ApplyFolder(t.Context(), folder.Read([]folder.File{{Name: "tides/service.yaml", Text: []byte("seed: x")}}), catalog.Apply{Prune: true})
	require.NoError(t, err)
	assert.NotEmpty(t, report.Faults)
	assert.Equal(t, []string{"moon up", "sun up"}, has(t, c), "also of a service whose settings are faulty")

	report, err = c.ApplyFolder(t.Context(), folder.Read([]folder.File{{Name: "tides/notes/service.yaml", Text: []byte("{")}, {Name: "tides/all.mappings.yaml", Text: []byte("- {id")}}), catalog.Apply{Prune: true})
	require.NoError(t, err)
	assert.NotEmpty(t, report.Faults)
	assert.Equal(t, []string{"moon up", "sun up"}, has(t, c), "also of one of which nothing can be read")

	dry, err := c.ApplyFolder(t.Context(), tides("- {id: moon, call: {path: /moon}, answer: {text: up}}"), catalog.Apply{Prune: true, DryRun: true})
	require.NoError(t, err)
	require.Len(t, dry.Outcomes, 1)
	assert.Equal(t, catalog.Removed, dry.Outcomes[0].Outcome)
	assert.Equal(t, []string{"moon up", "sun up"}, has(t, c), "a dry run changes nothing")
	_, err = c.ApplyFolder(t.Context(), tides("- {id: moon, call: {path: /moon}, answer: {text: up}}"), catalog.Apply{Prune: true})
	require.NoError(t, err)
	assert.Equal(t, []string{"moon up"}, has(t, c))
}

func TestBulkEditsNeedASelection(t *testing.T) {
	c, _ := open(t)
	_, err := c.ApplyFolder(t.Context(), tides(moonAndSun), catalog.Apply{})
	require.NoError(t, err)
	_, err = c.EditMappings(t.Context(), []string{"tides"}, catalog.Selection{}, catalog.BulkEdit{Remove: true})
	assert.ErrorContains(t, err, "select mappings by id, label or text")
	assert.Len(t, has(t, c), 2)
	_, err = c.EditMappings(t.Context(), []string{"tides"}, catalog.Selection{IDs: []string{"sun", "mars"}}, catalog.BulkEdit{Remove: true})
	assert.ErrorContains(t, err, `mapping "mars" not found`)
	assert.Len(t, has(t, c), 2, "all or none")
	changed, err := c.EditMappings(t.Context(), []string{"tides"}, catalog.Selection{IDs: []string{"sun"}}, catalog.BulkEdit{Remove: true})
	require.NoError(t, err)
	assert.Equal(t, []catalog.MappingRef{{Service: "tides", ID: "sun"}}, changed)
	assert.Equal(t, []string{"moon up"}, has(t, c))
}

func TestPruningLeavesPayloadsThatAFaultyFileMaySend(t *testing.T) {
	c, _ := open(t)
	settings := folder.File{Name: "tides/service.yaml", Text: []byte("title: Tides")}
	sends := folder.File{Name: "tides/all.mappings.yaml", Text: []byte("{id: year, call: {path: /year}, answer: {text: x}}")}
	_, err := c.ApplyFolder(t.Context(), folder.Read([]folder.File{settings, sends, {Name: "tides/payloads/year.json", Text: []byte("{}")}}), catalog.Apply{})
	require.NoError(t, err)
	sends.Text = []byte("{id: year, cal: x}")
	_, err = c.ApplyFolder(t.Context(), folder.Read([]folder.File{settings, sends}), catalog.Apply{Prune: true})
	require.NoError(t, err)
	service, err := c.Find("tides")
	require.NoError(t, err)
	assert.Equal(t, []string{"year.json"}, service.Payloads.Names())
}

// The folder wins over what was changed in the environment when that is asked for, and says
// which switches are on, and which impairments are.
func TestAFolderOverTheirsAndItsSwitches(t *testing.T) {
	c, _ := open(t)
	apply := func(how catalog.Apply, environment string, mapping string) catalog.ApplyReport {
		how.Source, how.At = "quay", time.Unix(1000, 0)
		files := []folder.File{{Name: "tides/service.yaml", Text: []byte("title: Tides")}, {Name: "environment.yaml", Text: []byte(environment)}}
		if mapping != "" {
			files = append(files, folder.File{Name: "tides/all.mappings.yaml", Text: []byte(mapping)})
		}
		report, err := c.ApplyFolder(t.Context(), folder.Read(files), how)
		require.NoError(t, err)
		assert.Empty(t, report.Faults)
		return report
	}
	const moon = "{id: moon, call: {path: /moon}, answer: {text: up}}"
	const on = "scenarios: [{name: storm}]\nscenario: storm\nimpairmentsOff: true\n"
	apply(catalog.Apply{}, on, moon)
	assert.Equal(t, "storm", c.Snapshot().Active(nil, time.Now()).Scenario)
	assert.True(t, c.Snapshot().ImpairmentsOff())
	assert.Empty(t, apply(catalog.Apply{}, on, moon).Outcomes, "again it changes nothing")
	apply(catalog.Apply{}, on+"ignored: {calls: [path:/health]}\n", moon)
	assert.Equal(t, []string{"path:/health"}, c.Snapshot().Ignored().Spec.Calls)
	apply(catalog.Apply{}, on, moon)
	assert.Len(t, c.Snapshot().Ignored().Spec.Calls, 1, "a folder that does not say leaves it")
	_, err := c.PutIgnored(t.Context(), spec.Ignored{Calls: []string{"path:/other"}}, "")
	require.NoError(t, err)
	assert.Equal(t, 1, apply(catalog.Apply{}, on+"ignored: {calls: [path:/live]}\n", moon).Conflicts)
	faulty, err := c.ApplyFolder(t.Context(), folder.Read([]folder.File{{Name: "environment.yaml", Text: []byte("ignored: {calls: ['stauts:1', '']}")}}), catalog.Apply{})
	require.NoError(t, err)
	assert.Equal(t, "/ignored/calls/1", faulty.Faults[0].At)

	theirs := mappings(t, "{id: moon, title: theirs, call: {path: /moon}}")
	_, _, err = c.PutMappings(t.Context(), "tides", theirs)
	require.NoError(t, err)
	_, err = c.LeaveScenario(t.Context(), "", time.Now())
	require.NoError(t, err)
	const edited = "{id: moon, call: {path: /moon}, answer: {text: mine}}"
	report := apply(catalog.Apply{}, on, edited)
	assert.Equal(t, 2, report.Conflicts, "the mapping, and the scenario that somebody switched off")
	assert.Nil(t, c.Snapshot().Active(nil, time.Now()))
	report = apply(catalog.Apply{OverTheirs: true}, on, edited)
	assert.Zero(t, report.Conflicts)
	m, err := c.FindMapping("tides", "moon")
	require.NoError(t, err)
	assert.Equal(t, "mine", *m.Spec.Answer.Text)
	assert.Equal(t, "storm", c.Snapshot().Active(nil, time.Now()).Scenario)

	_, _, err = c.PutMappings(t.Context(), "tides", theirs)
	require.NoError(t, err)
	assert.Zero(t, apply(catalog.Apply{OverTheirs: true}, on, "").Conflicts)
	_, err = c.FindMapping("tides", "moon")
	require.NoError(t, err, "what is not in the folder stays without prune")
	slow := spec.Impairment{Latency: &spec.Latency{Low: 1, High: 1}}
	_, err = c.SetImpairment(t.Context(), spec.Target{Service: "tides"}, slow, "", 1, time.Now())
	require.NoError(t, err)
	apply(catalog.Apply{OverTheirs: true, Prune: true}, on, "")
	assert.Len(t, c.Snapshot().Impairments(), 1, "a folder that says nothing of impairments leaves them")
	_, err = c.FindMapping("tides", "moon")
	assert.Error(t, err, "with it, it goes")
	apply(catalog.Apply{}, "scenarios: [{name: storm}]\nscenario: ''\nimpairments: []\nimpairmentsOff: false\n", "")
	assert.Len(t, c.Snapshot().Impairments(), 1, "without prune they stay")
	apply(catalog.Apply{Prune: true}, "scenarios: [{name: storm}]\nscenario: ''\nimpairments: []\nimpairmentsOff: false\n", "")
	assert.Empty(t, c.Snapshot().Impairments())
	assert.False(t, c.Snapshot().ImpairmentsOff())
	assert.Nil(t, c.Snapshot().Active(nil, time.Now()))
}
