package store_test

import (
	"fmt"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/store"
)

// Contents of all sizes share rows, over batches and restarts, and each comes back as it was.
func TestContentsShareRows(t *testing.T) {
	folder := t.TempDir()
	const batches, calls = 4, 60
	body := func(n uint64) string {
		return fmt.Sprintf("<%d%s>", n, strings.Repeat("quay", []int{0, 3, 400, 20_000}[n%4]))
	}
	for batch := range uint64(batches) {
		s := open(t, folder)
		var records []*call.Record
		for n := batch*calls + 1; n <= (batch+1)*calls; n++ {
			records = append(records, record(n, body(n)))
		}
		require.NoError(t, s.InsertCalls(t.Context(), records))
		require.NoError(t, s.Close())
	}
	s := open(t, folder)
	for n := uint64(1); n <= batches*calls; n++ {
		got, err := s.Call(t.Context(), n)
		require.NoError(t, err)
		require.Equal(t, body(n), string(got.Request.Body.Bytes), n)
		require.Equal(t, record(n, body(n)).Explanation, got.Explanation, n)
	}
	found := func(text string) int {
		list, err := s.ListCalls(t.Context(), call.Filter{Text: "body:" + text}, 0, 1_000)
		require.NoError(t, err)
		return len(list)
	}
	assert.Equal(t, 1, found("<77quay"))
	assert.Equal(t, batches*calls*3/4, found("quay"))
	assert.Zero(t, found("><"), "what two contents make together is in none")

	db, err := sqlx.Open("sqlite", filepath.Join(folder, store.FileName))
	require.NoError(t, err)
	defer db.Close()
	var rows, longest int
	require.NoError(t, db.Get(&rows, `SELECT count(*) FROM contents`))
	assert.Less(t, rows, batches*calls*3/4, "a row holds many")
	require.NoError(t, db.Get(&longest, `SELECT max(size) FROM contents`))
	assert.Less(t, longest, 120_000, "but not too many: to read one, its row is read")

	_, err = db.Exec(`UPDATE contents SET sizes = x'ffff7f' WHERE sizes IS NOT NULL`)
	require.NoError(t, err)
	_, err = s.Call(t.Context(), 1)
	assert.ErrorContains(t, err, "damaged")
}
