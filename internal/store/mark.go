package store

import (
	"context"
	"database/sql"
	"fmt"
	"time"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec/problem"
)

// Marks implements catalog.Store.
func (s *Store) Marks(ctx context.Context) ([]catalog.Mark, error) {
	var rows []struct {
		Name    string `db:"name"`
		Version int64  `db:"version"`
		At      int64  `db:"at"`
		By      string `db:"made_by"`
		// see catalog.Mark
		Nightly  string `db:"nightly"`
		Returned int64  `db:"returned"`
	}
	if err := s.read.SelectContext(ctx, &rows, `SELECT name, version, at, made_by, nightly, returned FROM marks ORDER BY version, at`); err != nil {
		return nil, fmt.Errorf("list marks: %w", err)
	}
	marks := make([]catalog.Mark, len(rows))
	for i, row := range rows {
		marks[i] = catalog.Mark{Name: row.Name, Version: row.Version, At: time.UnixMicro(row.At), By: row.By, Nightly: row.Nightly, Returned: time.UnixMicro(row.Returned)}
	}
	return marks, nil
}

// PutMark implements catalog.Store.
func (s *Store) PutMark(ctx context.Context, m catalog.Mark) error {
	if _, err := s.definitions.ExecContext(ctx, `INSERT OR REPLACE INTO marks (name, version, at, made_by, nightly, returned) VALUES (?, ?, ?, ?, ?, ?)`,
		m.Name, m.Version, m.At.UnixMicro(), m.By, m.Nightly, m.Returned.UnixMicro()); err != nil {
		return inWords(fmt.Errorf("keep mark %q: %w", m.Name, err), unchanged)
	}
	return nil
}

// RemoveMark implements catalog.Store.
func (s *Store) RemoveMark(ctx context.Context, name string) error {
	if _, err := s.definitions.ExecContext(ctx, `DELETE FROM marks WHERE name = ?`, name); err != nil {
		return inWords(fmt.Errorf("remove mark %q: %w", name, err), unchanged)
	}
	return nil
}

// EntriesSince implements catalog.Store.
func (s *Store) EntriesSince(ctx context.Context, version int64) ([]catalog.Entry, error) {
	var versions []int64
	if err := s.read.SelectContext(ctx, &versions, `SELECT version FROM activity WHERE version > ? ORDER BY version`, version); err != nil {
		return nil, fmt.Errorf("list activity: %w", err)
	}
	entries := make([]catalog.Entry, len(versions))
	for i, v := range versions {
		var err error
		if entries[i], err = s.Entry(ctx, v); err != nil {
			return nil, err
		}
	}
	return entries, nil
}

// VersionAt implements catalog.Store.
func (s *Store) VersionAt(ctx context.Context, at time.Time) (version int64, err error) {
	var found struct {
		Version int64         `db:"version"`
		Since   sql.NullInt64 `db:"since"` // of the oldest entry, where there were earlier ones
	}
	err = s.read.GetContext(ctx, &found, `SELECT coalesce((SELECT max(version) FROM activity WHERE at <= ?), 0) AS version,
		(SELECT min(at) FROM activity WHERE at > 0 AND EXISTS (SELECT 1 FROM settings WHERE key = ?)) AS since`, at.UnixMicro(), activityTrimmedKey)
	if err != nil {
		return 0, fmt.Errorf("find the last change by then: %w", err)
	}
	if found.Version == 0 && found.Since.Valid {
		return 0, problem.New(problem.NotFound, "the activity goes back to %s only: name a later moment", time.UnixMicro(found.Since.Int64).UTC().Format("2006-01-02 15:04:05 UTC"))
	}
	return found.Version, nil
}
