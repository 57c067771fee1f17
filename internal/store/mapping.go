package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
)

type mappingRow struct {
	ServiceID string `db:"service_id"`
	ID        string `db:"id"`
	Version   int64  `db:"version"`
	Position  int64  `db:"position"`
	Document  []byte `db:"document"`
}

func (s *Store) loadMappings(ctx context.Context, d *catalog.Definitions) error {
	var rows []mappingRow
	err := s.definitions.SelectContext(ctx, &rows, `SELECT service_id, id, version, position, document FROM mappings
		WHERE service_id IN (SELECT id FROM services WHERE removed IS NULL) ORDER BY service_id, position`)
	if err != nil {
		return fmt.Errorf("read mappings: %w", err)
	}
	for _, row := range rows {
		m := catalog.StoredMapping{ServiceID: row.ServiceID, Version: row.Version, Position: row.Position}
		if err := json.Unmarshal(row.Document, &m.Mapping); err != nil {
			setAside(d, err, "mapping %q of service %s", row.ID, row.ServiceID)
			continue
		}
		d.Mappings = append(d.Mappings, m)
	}
	return nil
}

func putMappings(ctx context.Context, tx *sqlx.Tx, mappings []catalog.StoredMapping) error {
	documents := make([]string, len(mappings))
	for i, m := range mappings {
		document, err := json.Marshal(m.Mapping)
		if err != nil {
			return fmt.Errorf("write mapping %q: %w", m.Mapping.ID, err)
		}
		documents[i] = string(document)
	}
	err := insertRows(ctx, tx, `INSERT INTO mappings (service_id, id, version, position, document) VALUES`,
		`ON CONFLICT (service_id, id) DO UPDATE SET version = excluded.version, document = excluded.document`, len(mappings), func(i int) []any {
			m := &mappings[i]
			return []any{m.ServiceID, m.Mapping.ID, m.Version, m.Position, documents[i]}
		})
	if err != nil {
		return fmt.Errorf("keep mappings: %w", err)
	}
	return nil
}

func removeMappings(ctx context.Context, tx *sqlx.Tx, gone []catalog.RemovedMapping) error {
	for _, m := range gone {
		if _, err := tx.ExecContext(ctx, `DELETE FROM mappings WHERE service_id = ? AND id = ?`, m.ServiceID, m.ID); err != nil {
			return fmt.Errorf("remove mapping %q: %w", m.ID, err)
		}
	}
	return nil
}
