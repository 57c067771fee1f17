package cli

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/spec/api"
)

// A service that is not to be trusted writes no files but ours, and none elsewhere.
func TestExportsWriteOurFilesAlone(t *testing.T) {
	outside := t.TempDir()
	for name, want := range map[string]string{
		".git/config": "has no place in a folder", "../x.mappings.yaml": "has no place in a folder", "README.md": "has no place in a folder",
		"moorings/contract/a\x1b.yaml": "has no place in a folder", "linked/service.yaml": "linked is a link", "moorings/service.yaml": "moorings/service.yaml is a link",
	} {
		folder := t.TempDir()
		require.NoError(t, os.Symlink(outside, filepath.Join(folder, "linked")))
		require.NoError(t, os.Mkdir(filepath.Join(folder, "moorings"), 0o755))
		require.NoError(t, os.Symlink(filepath.Join(outside, "x"), filepath.Join(folder, "moorings/service.yaml")))
		err := writeFiles(folder, []api.ExportFile{{Name: "tides/service.yaml", Content: []byte("a")}, {Name: name, Content: []byte("b")}})
		assert.ErrorContains(t, err, want, name)
		assert.ErrorContains(t, err, "nothing was written", name)
		assert.NoFileExists(t, filepath.Join(folder, "tides/service.yaml"), "all or nothing")
	}
	entries, err := os.ReadDir(outside)
	require.NoError(t, err)
	assert.Empty(t, entries)
}

func TestFoldersSendOurFilesAlone(t *testing.T) {
	folder := t.TempDir()
	for name, text := range map[string]string{"moorings/service.yaml": "name: moorings", "moorings/notes.txt": "x", ".env": "SECRET=1", ".git/config": "x", "README.md": "x"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(folder, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600))
	}
	require.NoError(t, os.Symlink("/etc/hostname", filepath.Join(folder, "moorings/all.mappings.yaml")))
	archive, left, err := packAll(folder)
	require.NoError(t, err)
	assert.Equal(t, []string{"README.md", "moorings/all.mappings.yaml", "moorings/notes.txt"}, left)
	for _, private := range []string{"SECRET", ".git", "hostname", "README"} {
		assert.NotContains(t, string(archive), private)
	}
}
