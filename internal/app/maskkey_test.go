package app

import (
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/secret"
)

// digestOf is what stands for a secret under a key.
func digestOf(k *maskKey) string {
	r := &call.Record{Request: call.Request{Query: "token=x"}}
	k.masker.Mask(r)
	return r.Request.Query
}

func TestTheMaskKey(t *testing.T) {
	folder := t.TempDir()
	rules := secret.NewRules(nil, nil)
	first, err := openMaskKey(folder, []byte("the key that the database had once"), rules, nil, slog.Default())
	require.NoError(t, err)
	file := filepath.Join(folder, keyFile)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	again, err := openMaskKey(folder, nil, rules, nil, slog.Default())
	require.NoError(t, err)
	assert.Equal(t, digestOf(first), digestOf(again), "it is kept over restarts")

	before := digestOf(again)
	again.turned(time.Now().Add(-time.Hour))
	assert.Equal(t, before, digestOf(again), "calls that were masked under it are still there")
	again.turned(time.Now())
	assert.NotEqual(t, before, digestOf(again), "all that were have left the log")
	third, err := openMaskKey(folder, nil, rules, nil, slog.Default())
	require.NoError(t, err)
	assert.Equal(t, digestOf(again), digestOf(third))

	for _, text := range []string{"", "zz 1", "0102 1", "00"} {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
		_, err := openMaskKey(folder, nil, rules, nil, slog.Default())
		assert.ErrorContains(t, err, "is not a key", "%q", text)
	}
}

func TestDataFoldersAreTightened(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "data")
	require.NoError(t, os.Mkdir(folder, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "environment.db"), nil, 0o644))
	require.NoError(t, keepPrivate(folder, slog.Default()))
	for path, want := range map[string]os.FileMode{folder: 0o700, filepath.Join(folder, "environment.db"): 0o600} {
		info, err := os.Stat(path)
		require.NoError(t, err)
		assert.Equal(t, want, info.Mode().Perm(), path)
	}
}
