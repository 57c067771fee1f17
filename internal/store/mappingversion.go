package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

// versionsListed bounds the states of one mapping in a list, and the removals in another;
// activity lists all.
const versionsListed = 10_000

// putHistory notes which mappings an entry made another.
func putHistory(ctx context.Context, tx *sqlx.Tx, e *catalog.Entry) error {
	var mappings []catalog.Item
	for _, item := range e.Items {
		if item.Kind == catalog.KindMapping && item.Version > 0 {
			mappings = append(mappings, item)
		}
	}
	err := insertRows(ctx, tx, `INSERT OR REPLACE INTO activity_mappings (service_id, id, version, entry, removed) VALUES`, ``, len(mappings), func(i int) []any {
		item := &mappings[i]
		return []any{item.ServiceID, item.ID, item.Version, e.Version, item.After == nil}
	})
	if err != nil {
		return fmt.Errorf("keep history of mappings: %w", err)
	}
	return nil
}

type versionRow struct {
	ID      string `db:"id"`
	Version int64  `db:"version"`
	Entry   int64  `db:"entry"`
	At      int64  `db:"at"`
	By      string `db:"made_by"`
	Removed bool   `db:"removed"`
}

const versionColumns = `SELECT id, m.version, entry, at, made_by, removed FROM activity_mappings AS m JOIN activity AS a ON a.version = m.entry `

// MappingVersions implements catalog.Store.
func (s *Store) MappingVersions(ctx context.Context, serviceID, id string) ([]catalog.MappingVersion, error) {
	return s.versions(ctx, versionColumns+`WHERE service_id = ? AND id = ? ORDER BY m.version DESC LIMIT ?`, serviceID, id, versionsListed)
}

// RemovedMappings implements catalog.Store.
func (s *Store) RemovedMappings(ctx context.Context, serviceID string) ([]catalog.MappingVersion, error) {
	return s.versions(ctx, versionColumns+`WHERE service_id = ? AND removed
		AND m.version = (SELECT max(version) FROM activity_mappings WHERE service_id = m.service_id AND id = m.id)
		ORDER BY m.version DESC LIMIT ?`, serviceID, versionsListed)
}

func (s *Store) versions(ctx context.Context, query string, args ...any) ([]catalog.MappingVersion, error) {
	var rows []versionRow
	if err := s.read.SelectContext(ctx, &rows, query, args...); err != nil {
		return nil, fmt.Errorf("list versions: %w", err)
	}
	versions := make([]catalog.MappingVersion, len(rows))
	for i, row := range rows {
		versions[i] = catalog.MappingVersion{ID: row.ID, Version: row.Version, Entry: row.Entry, By: row.By, Removed: row.Removed}
		if row.At != 0 {
			versions[i].At = time.UnixMicro(row.At)
		}
	}
	return versions, nil
}

// keptVersion is a state of a mapping as data folders had it before the activity had it.
type keptVersion struct {
	ServiceID string `db:"service_id"`
	ID        string `db:"id"`
	Version   int64  `db:"version"`
	At        int64  `db:"at"`
	By        string `db:"made_by"`
	Document  []byte `db:"document"`
}

// carryVersions makes the versions of mappings that an older data folder has part of the
// activity: those that an entry made are joined to it, earlier ones become entries. All of it
// or nothing.
func carryVersions(ctx context.Context, db *sqlx.DB) error {
	var there bool
	if err := db.GetContext(ctx, &there, `SELECT EXISTS (SELECT 1 FROM sqlite_schema WHERE name = 'mapping_versions')`); err != nil || !there {
		return err
	}
	tx, err := db.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("carry versions over: %w", err)
	}
	defer func() { _ = tx.Rollback() }() // nothing to do after a commit
	var first int64
	err = tx.GetContext(ctx, &first, `SELECT coalesce(min(version), 9223372036854775807) FROM activity`)
	if err == nil {
		err = joinVersions(ctx, tx)
	}
	if err == nil {
		err = versionsToEntries(ctx, tx, first)
	}
	if err == nil {
		_, err = tx.ExecContext(ctx, `DROP TABLE mapping_versions`)
	}
	if err == nil {
		err = tx.Commit()
	}
	if err != nil {
		return fmt.Errorf("carry versions of mappings over: %w", err)
	}
	return nil
}

// joinVersions gives the mappings of the entries that there are the versions that these made,
// and takes those from the table.
func joinVersions(ctx context.Context, tx *sqlx.Tx) error {
	var entries []entryRow
	if err := tx.SelectContext(ctx, &entries, `SELECT version, states FROM activity WHERE states IS NOT NULL ORDER BY version`); err != nil {
		return err
	}
	for _, row := range entries {
		e := catalog.Entry{Version: row.Version}
		text, err := unpacked(row.States)
		if err == nil {
			err = json.Unmarshal(text, &e.Items)
		}
		for i, item := range e.Items {
			if err == nil && item.Kind == catalog.KindMapping {
				err = tx.GetContext(ctx, &e.Items[i].Version, `SELECT coalesce(max(version), 0) FROM mapping_versions WHERE service_id = ? AND id = ? AND version <= ?`, item.ServiceID, item.ID, e.Version)
			}
		}
		if err == nil {
			err = putHistory(ctx, tx, &e)
		}
		if err != nil {
			return err
		}
	}
	_, err := tx.ExecContext(ctx, `DELETE FROM mapping_versions WHERE (service_id, id, version) IN (SELECT service_id, id, version FROM activity_mappings)`)
	return err
}

// versionsToEntries makes entries of the versions from before the first one.
func versionsToEntries(ctx context.Context, tx *sqlx.Tx, first int64) error {
	names := make(map[string]string)
	var services []struct{ ID, Document string }
	if err := tx.SelectContext(ctx, &services, `SELECT id, document FROM services`); err != nil {
		return err
	}
	for _, row := range services {
		var service spec.Service
		if json.Unmarshal([]byte(row.Document), &service) == nil { // one that cannot be read is told where services are loaded
			names[row.ID] = service.Name
		}
	}
	var kept []keptVersion
	if err := tx.SelectContext(ctx, &kept, `SELECT service_id, id, version, at, made_by, document FROM mapping_versions WHERE version < ? ORDER BY version, service_id, id`, first); err != nil {
		return err
	}
	last := make(map[catalog.Key]json.RawMessage)
	for start := 0; start < len(kept); {
		end := start
		e := catalog.Entry{Version: kept[start].Version, At: time.UnixMicro(kept[start].At), By: kept[start].By}
		for ; end < len(kept) && kept[end].Version == e.Version; end++ {
			key := catalog.Key{Kind: catalog.KindMapping, ServiceID: kept[end].ServiceID, ID: kept[end].ID}
			after, err := asWritten(kept[end].Document)
			if err != nil {
				return fmt.Errorf("version %d of mapping %q: %w", e.Version, key.ID, err)
			}
			e.Items = append(e.Items, catalog.Item{Key: key, Service: names[key.ServiceID], Version: e.Version, Before: last[key], After: after})
			last[key] = after
		}
		if err := insertEntry(ctx, tx, &e); err != nil {
			return err
		}
		start = end
	}
	return nil
}

// asWritten is a document of a mapping as it is written today, so that it can be compared; nil
// for nil.
func asWritten(document []byte) (json.RawMessage, error) {
	if document == nil {
		return nil, nil
	}
	var m spec.Mapping
	if err := json.Unmarshal(document, &m); err != nil {
		return nil, err
	}
	return json.Marshal(m)
}
