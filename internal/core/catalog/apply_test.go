package catalog_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/folder"
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
