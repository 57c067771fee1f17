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

// versionsKept is how many states of one mapping are kept; older ones go.
const versionsKept = 100

// trimVersions removes the states of mappings that are more than are kept.
func trimVersions(ctx context.Context, tx *sqlx.Tx, changed []catalog.StoredMapping) error {
	if len(changed) <= rowsAtOnce {
		for _, m := range changed {
			_, err := tx.ExecContext(ctx, `DELETE FROM mapping_versions WHERE service_id = ? AND id = ? AND version <=
				(SELECT version FROM mapping_versions WHERE service_id = ? AND id = ? ORDER BY version DESC LIMIT 1 OFFSET ?)`,
				m.ServiceID, m.Mapping.ID, m.ServiceID, m.Mapping.ID, versionsKept)
			if err != nil {
				return fmt.Errorf("remove old versions: %w", err)
			}
		}
		return nil
	}
	done := make(map[string]bool)
	for _, m := range changed {
		if done[m.ServiceID] {
			continue
		}
		done[m.ServiceID] = true
		_, err := tx.ExecContext(ctx, `DELETE FROM mapping_versions WHERE service_id = ? AND id IN (
				SELECT id FROM mapping_versions WHERE service_id = ? GROUP BY id HAVING count(*) > ?)
			AND version <= (SELECT version FROM mapping_versions AS v WHERE v.service_id = mapping_versions.service_id AND v.id = mapping_versions.id
				ORDER BY version DESC LIMIT 1 OFFSET ?)`, m.ServiceID, m.ServiceID, versionsKept, versionsKept)
		if err != nil {
			return fmt.Errorf("remove old versions: %w", err)
		}
	}
	return nil
}

type versionRow struct {
	ID       string `db:"id"`
	Version  int64  `db:"version"`
	At       int64  `db:"at"`
	By       string `db:"made_by"`
	Document []byte `db:"document"`
}

func (r versionRow) version() (catalog.MappingVersion, error) {
	v := catalog.MappingVersion{ID: r.ID, Version: r.Version, By: r.By}
	if r.At != 0 {
		v.At = time.UnixMicro(r.At)
	}
	if r.Document == nil {
		return v, nil
	}
	v.Mapping = &spec.Mapping{}
	if err := json.Unmarshal(r.Document, v.Mapping); err != nil {
		return v, fmt.Errorf("read version %d of mapping %q: %w", r.Version, r.ID, err)
	}
	return v, nil
}

// MappingVersions implements catalog.Store.
func (s *Store) MappingVersions(ctx context.Context, serviceID, id string) ([]catalog.MappingVersion, error) {
	return s.versions(ctx, `SELECT id, version, at, made_by, document FROM mapping_versions WHERE service_id = ? AND id = ?
		ORDER BY version DESC`, serviceID, id)
}

// RemovedMappings implements catalog.Store.
func (s *Store) RemovedMappings(ctx context.Context, serviceID string) ([]catalog.MappingVersion, error) {
	return s.versions(ctx, `SELECT id, version, at, made_by, document FROM mapping_versions AS v WHERE service_id = ? AND document IS NULL
		AND version = (SELECT max(version) FROM mapping_versions WHERE service_id = v.service_id AND id = v.id)
		ORDER BY version DESC`, serviceID)
}

func (s *Store) versions(ctx context.Context, query string, args ...any) ([]catalog.MappingVersion, error) {
	var rows []versionRow
	if err := s.read.SelectContext(ctx, &rows, query, args...); err != nil {
		return nil, fmt.Errorf("list versions: %w", err)
	}
	versions := make([]catalog.MappingVersion, len(rows))
	for i, row := range rows {
		var err error
		if versions[i], err = row.version(); err != nil {
			return nil, err
		}
	}
	return versions, nil
}
