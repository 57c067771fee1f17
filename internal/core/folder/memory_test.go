package folder_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/folder"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/tree"
)

// What a collection begins with may stand in a file of its own; an export writes it there again,
// leaves what says the same alone, and takes a file away that is not needed any more.
func TestStartingDataInFiles(t *testing.T) {
	file := func(name, text string) folder.File { return folder.File{Name: name, Text: []byte(text)} }
	files := []folder.File{
		file("quay/service.yaml", "memory: { berths: { key: number }, dues: off }\n"),
		file("quay/memory/berths.yaml", "# by hand\n- { number: N7, pier: north }\n- { number: N9 }\n"),
		file("quay/memory/tugs.json", `{"name": "Tern"}`),
	}
	f := folder.Read(files)
	require.Empty(t, f.Faults)
	memory := f.Find("quay").Settings.Memory
	assert.True(t, memory.On)
	assert.Len(t, memory.Collections["berths"].Items, 2)
	assert.Equal(t, "number", memory.Collections["berths"].Key)
	assert.True(t, memory.Collections["dues"].Off)
	assert.Len(t, memory.Collections["tugs"].Items, 1)

	state := folder.State{Settings: *f.Find("quay").Settings}
	changes, err := folder.Update(files, []folder.State{state}, never)
	require.NoError(t, err)
	assert.Empty(t, changes)
	state.Settings.Title = "The quay"
	berths := memory.Collections["berths"]
	berths.Items = append(berths.Items[:1:1], tree.NewMap(tree.Member{Key: "number", Value: tree.NewString("S1")}))
	state.Settings.Memory.Collections = map[string]spec.CollectionRule{"berths": berths, "dues": {Off: true}}
	changes, err = folder.Update(files, []folder.State{state}, never)
	require.NoError(t, err)
	files = after(files, changes)
	texts := map[string]string{}
	for _, f := range files {
		texts[f.Name] = string(f.Text)
	}
	assert.Contains(t, texts["quay/service.yaml"], "title: The quay")
	assert.NotContains(t, texts["quay/service.yaml"], "S1")
	assert.Contains(t, texts["quay/memory/berths.yaml"], "S1")
	assert.NotContains(t, texts, "quay/memory/tugs.json")
	changes, err = folder.Update(files, []folder.State{state}, never)
	require.NoError(t, err)
	assert.Empty(t, changes, "the folder says what the environment holds")

	for name, k := range map[string]struct {
		files []folder.File
		want  string
	}{
		"twice":      {[]folder.File{file("q/service.yaml", "memory: {a: {items: []}}"), file("q/memory/a.yaml", "[]")}, "stands in service.yaml too"},
		"two files":  {[]folder.File{file("q/service.yaml", "title: q"), file("q/memory/a.yaml", "[]"), file("q/memory/a.json", "[]")}, "the items of a stand in q/memory/a.json too"},
		"no list":    {[]folder.File{file("q/service.yaml", "title: q"), file("q/memory/a.yaml", "- 7")}, "an item is an object"},
		"no YAML":    {[]folder.File{file("q/service.yaml", "title: q"), file("q/memory/a.yaml", "[")}, "q/memory/a.yaml:1"},
		"by itself":  {[]folder.File{file("q/memory/a.yaml", "[]")}, "needs a service.yaml beside memory/"},
		"left out":   {[]folder.File{file("q/service.yaml", "memory: {a: off}"), file("q/memory/a.yaml", "[]")}, "stands in service.yaml too"},
		"not usable": {[]folder.File{file("q/service.yaml", "title: [a"), file("q/memory/a.yaml", "[]")}, "q/service.yaml:2"},
	} {
		f := folder.Read(k.files)
		require.Len(t, f.Faults, 1, name)
		assert.Contains(t, f.Faults[0].String(), k.want, name)
		assert.True(t, f.Find("q").Faulty, name)
	}
}
