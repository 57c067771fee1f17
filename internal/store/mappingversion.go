package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"

	"rapidmimic/internal/core/catalog"
	"rapidmimic/spec"
)

// versionsKept is how many states of one mapping are kept; older ones go.
const versionsKept = 100

// versionKeeper adds states of mappings within a transaction.
type versionKeeper struct {
	insert, trim *sqlx.Stmt
	by           string
	at           int64
}

func newVersionKeeper(ctx context.Context, tx *sqlx.Tx, by string) (*versionKeeper, error) {
	k := &versionKeeper{by: by, at: time.Now().UnixMicro()}
	var err error
	k.insert, err = tx.PreparexContext(ctx, `INSERT INTO mapping_versions (service_id, id, version, at, made_by, document) VALUES (?, ?, ?, ?, ?, ?)`)
	if err == nil {
		k.trim, err = tx.PreparexContext(ctx, `DELETE FROM mapping_versions WHERE service_id = ? AND id = ? AND version <=
			(SELECT version FROM mapping_versions WHERE service_id = ? AND id = ? ORDER BY version DESC LIMIT 1 OFFSET ?)`)
	}
	if err != nil {
		return nil, fmt.Errorf("keep versions: %w", err)
	}
	return k, nil
}

func (k *versionKeeper) close() {
	_ = k.insert.Close()
	_ = k.trim.Close()
}

// version keeps a state; document is nil for a removal.
func (k *versionKeeper) version(ctx context.Context, serviceID, id string, version int64, document any) error {
	_, err := k.insert.ExecContext(ctx, serviceID, id, version, k.at, k.by, document)
	if err == nil {
		_, err = k.trim.ExecContext(ctx, serviceID, id, serviceID, id, versionsKept)
	}
	if err != nil {
		return fmt.Errorf("keep version of mapping %q: %w", id, err)
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
