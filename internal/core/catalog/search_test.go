package catalog_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec"
)

func everything(string) bool { return true }

func TestSearch(t *testing.T) {
	c, _ := open(t)
	_, _, err := c.PutMappings(t.Context(), "moorings", mappings(t, "- { id: fog, title: Thick fog, labels: [night], call: { path: /fog } }\n- { id: berth-fog, call: { method: PUT, path: /berths/fog } }"))
	require.NoError(t, err)
	putScenarios(t, c, "{ name: fog-bank, title: No sight at all, labels: [drill] }")
	openLane(t, c, "{ name: foggy, title: For Mara }")
	for text, want := range map[string][]string{
		"":               nil,
		"  ":             nil,
		"FOG":            {"mapping fog", "lane foggy", "scenario fog-bank", "mapping berth-fog"},
		"bank fog":       {"scenario fog-bank"},
		"thick":          {"mapping fog"},
		"night":          {"mapping fog"},
		"drill":          {"scenario fog-bank"},
		"mara":           {"lane foggy"},
		"put /berths":    {"mapping berth-fog"},
		"moorings thick": {"mapping fog"},
		"moorings":       {"service moorings"},
		"nothing so":     nil,
	} {
		found, more := c.Snapshot().Search(text, noon, everything, everything, map[bool]int{true: 1, false: 4}[text == "moorings"])
		var names []string
		for _, f := range found {
			names = append(names, f.Kind+" "+f.ID)
		}
		assert.Equal(t, want, names, text)
		assert.Equal(t, text == "moorings", more, "what is in the service comes behind it")
	}
	operations, _ := c.Snapshot().Search("get", noon, everything, everything, 100)
	require.NotEmpty(t, operations)
	assert.Equal(t, []string{"operation", "moorings"}, []string{operations[0].Kind, operations[0].Service})

	nothing := func(string) bool { return false }
	found, more := c.Snapshot().Search("fog", noon, nothing, nothing, 1)
	assert.Len(t, found, 1)
	assert.Equal(t, "fog-bank", found[0].ID, "services and lanes that one does not see stay out")
	assert.False(t, more)
}

func BenchmarkSearch(b *testing.B) {
	c, _ := open(b)
	many := make([]spec.Mapping, 10_000)
	for i := range many {
		many[i] = spec.Mapping{ID: fmt.Sprintf("berth-%d", i), Enabled: true, Call: spec.Pattern{Path: fmt.Sprintf("/berths/N%d", i)}, Answer: spec.Answer{Status: spec.Status{Code: 200}}}
	}
	_, _, err := c.PutMappings(b.Context(), "moorings", many)
	require.NoError(b, err)
	snapshot := c.Snapshot()
	for b.Loop() {
		snapshot.Search("berth 99", noon, everything, everything, 20)
	}
}
