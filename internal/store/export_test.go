package store

import (
	"context"
	"fmt"
	"testing"
	"time"
)

// LimitPages makes the disk of the definitions full beyond so many pages.
func (s *Store) LimitPages(ctx context.Context, pages int) error {
	limit := fmt.Sprintf("PRAGMA max_page_count = %d", pages)
	_, err := s.definitions.ExecContext(ctx, limit)
	if err == nil {
		err = s.calls.conn.exec(ctx, limit)
	}
	return err
}

// CountSecrets counts the secret variables that are stored, beside those of the activity.
func (s *Store) CountSecrets(ctx context.Context) (count int) {
	if err := s.definitions.GetContext(ctx, &count, `SELECT count(*) FROM secret_variables WHERE owner NOT LIKE 'entry %'`); err != nil {
		return -1
	}
	return count
}

// MoveSecret puts a secret in the place of another one.
func (s *Store) MoveSecret(ctx context.Context) error {
	_, err := s.definitions.ExecContext(ctx, `UPDATE secret_variables SET sealed = (SELECT other.sealed FROM secret_variables AS other WHERE other.place <> secret_variables.place) WHERE place = '/variables/key'`)
	return err
}

// FillActivity makes a year of entries out of the last one.
func (s *Store) FillActivity(ctx context.Context, count int) error {
	_, err := s.definitions.ExecContext(ctx, `WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < ?)
		INSERT INTO activity (version, at, made_by, via, origin, services, items, heads, states)
		SELECT a.version + i, a.at + i, a.made_by, a.via, a.origin, a.services, a.items, a.heads, a.states FROM n, (SELECT * FROM activity ORDER BY version DESC LIMIT 1) AS a`, count)
	return err
}

// Trim removes what of the activity is not kept.
func (s *Store) Trim(ctx context.Context) error { return trimActivity(ctx, s.definitions) }

// AgeRemoved makes services and recordings that were removed as old as that they are not kept.
func (s *Store) AgeRemoved(ctx context.Context) error {
	age := (removedKept + time.Minute).Microseconds()
	_, err := s.definitions.ExecContext(ctx, `UPDATE services SET removed = removed - ?; UPDATE recordings SET removed = removed - ?`, age, age)
	return err
}

// MakeOlder makes the database what it was before the activity had the history of mappings:
// versions stand in a table of their own, and entries up to one do not exist. Nobody knows when the first was made.
func (s *Store) MakeOlder(ctx context.Context, first, upTo int64) error {
	_, err := s.definitions.ExecContext(ctx, `CREATE TABLE mapping_versions (service_id TEXT, id TEXT, version INTEGER, at INTEGER, made_by TEXT, document TEXT);
		INSERT INTO mapping_versions SELECT m.service_id, m.id, m.version, CASE a.version WHEN ? THEN 0 ELSE a.at END, a.made_by, json_extract(item.value, '$.after')
			FROM activity_mappings AS m JOIN activity AS a ON a.version = m.entry JOIN json_each(a.states) AS item ON item.value ->> 'id' = m.id;
		UPDATE activity SET states = (SELECT json_group_array(json(json_remove(value, '$.version'))) FROM json_each(states));
		DELETE FROM activity_mappings; DELETE FROM activity WHERE version <= ?`, first, upTo)
	return err
}

// AgeActivity makes all entries as old as that they are not kept.
func (s *Store) AgeActivity(ctx context.Context) error {
	_, err := s.definitions.ExecContext(ctx, `UPDATE activity SET at = at - ?`, (ageKept + time.Minute).Microseconds())
	return err
}

// MakeEarlier makes the schema the one before the last migration.
func (s *Store) MakeEarlier(ctx context.Context) error {
	_, err := s.definitions.ExecContext(ctx, `ALTER TABLE contents DROP COLUMN sizes; DELETE FROM goose_db_version WHERE version_id >= 22`)
	return err
}

// KeepEntries has the activity keep so many entries until the test ends.
func KeepEntries(t testing.TB, count int) {
	before := entriesKept
	entriesKept = count
	t.Cleanup(func() { entriesKept = before })
}
