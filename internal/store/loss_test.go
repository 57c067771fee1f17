package store_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/store"
	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

func change(version int64, name string) catalog.Change {
	service := spec.NewService(name)
	service.ID = "s-" + name
	return catalog.Change{Version: version, Services: []catalog.StoredService{{Service: service, Version: version}},
		Mappings: []catalog.StoredMapping{{ServiceID: service.ID, Mapping: spec.Mapping{ID: "one"}, Version: version}, {ServiceID: service.ID, Mapping: spec.Mapping{ID: "two"}, Version: version}}}
}

// A database that knows less than it did is not taken for whole.
func TestLostChangesAreNoticed(t *testing.T) {
	for name, lose := range map[string]func(t *testing.T, file string){
		"emptied":       func(t *testing.T, file string) { require.NoError(t, os.Truncate(file, 0)) },
		"removed":       func(t *testing.T, file string) { require.NoError(t, os.Remove(file)) },
		"an older copy": func(t *testing.T, file string) { require.NoError(t, os.Rename(file+".copy", file)) },
	} {
		t.Run(name, func(t *testing.T) {
			folder := t.TempDir()
			file := filepath.Join(folder, store.FileName)
			s := open(t, folder)
			require.NoError(t, s.Apply(t.Context(), change(3, "moorings")))
			require.NoError(t, s.Close())
			text, err := os.ReadFile(file)
			require.NoError(t, err)
			require.NoError(t, os.WriteFile(file+".copy", text, 0o600))
			s = open(t, folder)
			require.NoError(t, s.Apply(t.Context(), change(4, "tides")))
			require.NoError(t, s.Close())
			lose(t, file)
			_, err = store.Open(t.Context(), folder, false)
			assert.ErrorContains(t, err, "had some up to 4")
			assert.ErrorContains(t, err, "--accept-loss")
			s, err = store.Open(t.Context(), folder, true)
			require.NoError(t, err)
			require.NoError(t, s.Close())
			s = open(t, folder) // accepted once is enough
			require.NoError(t, s.Close())
		})
	}
}

func TestADatabaseFromTheFutureIsRefused(t *testing.T) {
	folder := t.TempDir()
	require.NoError(t, open(t, folder).Close())
	db, err := sqlx.Open("sqlite", filepath.Join(folder, store.FileName))
	require.NoError(t, err)
	_, err = db.Exec(`INSERT INTO goose_db_version (version_id, is_applied) VALUES (9999, 1)`)
	require.NoError(t, err)
	require.NoError(t, db.Close())
	_, err = store.Open(t.Context(), folder, false)
	assert.ErrorContains(t, err, "a later version of Rapid Mimic (its schema is 9999")
}

// One definition that cannot be read is set aside, and stays; all others are there.
func TestWhatCannotBeReadIsSetAside(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	require.NoError(t, s.Apply(t.Context(), change(3, "moorings")))
	db, err := sqlx.Open("sqlite", filepath.Join(folder, store.FileName))
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec(`UPDATE mappings SET document = '{"id": "one", "call": 7}' WHERE id = 'one'`)
	require.NoError(t, err)
	d, err := s.Load(t.Context())
	require.NoError(t, err)
	require.Len(t, d.Mappings, 1)
	assert.Equal(t, "two", d.Mappings[0].Mapping.ID)
	require.Len(t, d.Aside, 1)
	assert.Equal(t, `mapping "one" of service s-moorings`, d.Aside[0].What)
	var rows int
	require.NoError(t, db.Get(&rows, `SELECT count(*) FROM mappings`))
	assert.Equal(t, 2, rows)
}

// What is written into a folder that is gone would be lost without a word.
func TestAFolderThatIsGoneIsNoticed(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "data")
	s := open(t, folder)
	require.NoError(t, s.Apply(t.Context(), change(3, "moorings")))
	require.NoError(t, s.CheckFolder())
	require.NoError(t, os.Rename(folder, folder+".gone"))
	require.NoError(t, os.Mkdir(folder, 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(folder, store.FileName), nil, 0o600), "another one stands there")
	err := s.CheckFolder()
	var p *problem.Error
	require.ErrorAs(t, err, &p)
	assert.Equal(t, problem.Unavailable, p.Code)
	assert.ErrorContains(t, err, folder+" was removed or replaced")
	assert.Equal(t, err, s.Apply(t.Context(), change(4, "tides")))
	assert.Equal(t, err, s.InsertCalls(t.Context(), []*call.Record{record(1, "")}))
	require.NoError(t, os.RemoveAll(folder))
	require.NoError(t, os.Rename(folder+".gone", folder))
	assert.Error(t, s.CheckFolder(), "it may have changed meanwhile")
}

func TestAFullDiskIsSaidInWords(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	require.NoError(t, s.LimitPages(t.Context(), 60))
	large := change(3, "moorings")
	large.Payloads = []catalog.StoredPayload{{ServiceID: "s-moorings", Name: "chart", Bytes: make([]byte, 10<<20)}}
	err := s.Apply(t.Context(), large)
	assert.EqualError(t, err, "the disk is full; nothing was changed")
	err = s.InsertCalls(t.Context(), []*call.Record{record(1, string(make([]byte, 10<<20)))})
	assert.EqualError(t, err, "the disk is full; calls are not kept")
	require.NoError(t, s.Apply(t.Context(), change(4, "tides")))
	d, err := s.Load(t.Context())
	require.NoError(t, err)
	assert.Len(t, d.Services, 1, "nothing of the change that failed")
}
