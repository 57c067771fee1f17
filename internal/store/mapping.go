package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic/internal/core/catalog"
)

type mappingRow struct {
	ServiceID string `db:"service_id"`
	Version   int64  `db:"version"`
	Position  int64  `db:"position"`
	Document  []byte `db:"document"`
}

func (s *Store) loadMappings(ctx context.Context) ([]catalog.StoredMapping, error) {
	var rows []mappingRow
	err := s.definitions.SelectContext(ctx, &rows, `SELECT service_id, version, position, document FROM mappings
		ORDER BY service_id, position`)
	if err != nil {
		return nil, fmt.Errorf("read mappings: %w", err)
	}
	mappings := make([]catalog.StoredMapping, len(rows))
	for i, row := range rows {
		mappings[i] = catalog.StoredMapping{ServiceID: row.ServiceID, Version: row.Version, Position: row.Position}
		if err := json.Unmarshal(row.Document, &mappings[i].Mapping); err != nil {
			return nil, fmt.Errorf("read mapping: %w", err)
		}
	}
	return mappings, nil
}

func putMappings(ctx context.Context, tx *sqlx.Tx, mappings []catalog.StoredMapping, by string) error {
	if len(mappings) == 0 {
		return nil
	}
	insert, err := tx.PreparexContext(ctx, `INSERT INTO mappings (service_id, id, version, position, document) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT (service_id, id) DO UPDATE SET version = excluded.version, document = excluded.document`)
	if err != nil {
		return fmt.Errorf("keep mappings: %w", err)
	}
	defer insert.Close()
	keep, err := newVersionKeeper(ctx, tx, by)
	if err != nil {
		return err
	}
	defer keep.close()
	for _, m := range mappings {
		document, err := json.Marshal(m.Mapping)
		if err != nil {
			return fmt.Errorf("write mapping %q: %w", m.Mapping.ID, err)
		}
		if _, err := insert.ExecContext(ctx, m.ServiceID, m.Mapping.ID, m.Version, m.Position, string(document)); err != nil {
			return fmt.Errorf("keep mapping %q: %w", m.Mapping.ID, err)
		}
		if err := keep.version(ctx, m.ServiceID, m.Mapping.ID, m.Version, string(document)); err != nil {
			return err
		}
	}
	return nil
}

func removeMappings(ctx context.Context, tx *sqlx.Tx, gone []catalog.RemovedMapping, by string) error {
	if len(gone) == 0 {
		return nil
	}
	keep, err := newVersionKeeper(ctx, tx, by)
	if err != nil {
		return err
	}
	defer keep.close()
	for _, m := range gone {
		if _, err := tx.ExecContext(ctx, `DELETE FROM mappings WHERE service_id = ? AND id = ?`, m.ServiceID, m.ID); err != nil {
			return fmt.Errorf("remove mapping %q: %w", m.ID, err)
		}
		if err := keep.version(ctx, m.ServiceID, m.ID, m.Version, nil); err != nil {
			return err
		}
	}
	return nil
}
