package store_test

import (
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/collection"
	"rapidmimic.example/internal/store"
)

// What services remember is kept encrypted, bound to its place, and goes when it is gone.
func TestMemoryIsKept(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	require.NoError(t, s.SealWith([]byte("key")))
	ctx := t.Context()
	shared, night := collection.Space{Service: "s"}, collection.Space{Service: "s", Lane: "night"}
	secret := []byte(`{"values": [{"key": "a", "value": "hush-hush-harbour"}]}`)
	require.NoError(t, s.KeepMemory(ctx, []collection.Kept{{Space: shared, Document: secret}, {Space: night, Document: []byte(`{}`)}}))
	require.NoError(t, s.KeepMemory(ctx, nil))
	kept, err := s.KeptMemory(ctx)
	require.NoError(t, err)
	assert.Equal(t, []collection.Kept{{Space: shared, Document: secret}, {Space: night, Document: []byte(`{}`)}}, kept)
	require.NoError(t, s.KeepMemory(ctx, []collection.Kept{{Space: night}}))
	require.NoError(t, s.Close())
	files, err := filepath.Glob(filepath.Join(folder, "*"))
	require.NoError(t, err)
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.False(t, bytes.Contains(text, []byte("hush-hush")), file)
	}
	db, err := sqlx.Open("sqlite", filepath.Join(folder, store.FileName))
	require.NoError(t, err)
	_, err = db.Exec(`INSERT INTO memory SELECT 'other', lane, of_situation, sealed FROM memory`)
	require.NoError(t, err)
	require.NoError(t, db.Close())
	s = open(t, folder)
	require.NoError(t, s.SealWith([]byte("key")))
	kept, err = s.KeptMemory(ctx)
	assert.ErrorContains(t, err, "service other", "it stands in another place")
	assert.Len(t, kept, 1)
	require.NoError(t, s.SealWith([]byte("another key")))
	kept, err = s.KeptMemory(ctx)
	assert.ErrorContains(t, err, "another digest.key")
	assert.Empty(t, kept)
	require.NoError(t, s.ForgetMemory(ctx))
	kept, err = s.KeptMemory(ctx)
	require.NoError(t, err)
	assert.Empty(t, kept)
}
