package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

type serviceRow struct {
	ID       string `db:"id"`
	Version  int64  `db:"version"`
	Document []byte `db:"document"`
}

func (s *Store) loadServices(ctx context.Context, d *catalog.Definitions) error {
	var rows []serviceRow
	if err := s.definitions.SelectContext(ctx, &rows, `SELECT id, version, document FROM services WHERE removed IS NULL`); err != nil {
		return fmt.Errorf("read services: %w", err)
	}
	for _, row := range rows {
		service := spec.NewService("")
		if err := json.Unmarshal(row.Document, &service); err != nil {
			setAside(d, err, "service %s", row.ID)
			continue
		}
		d.Services = append(d.Services, catalog.StoredService{Service: service, Version: row.Version})
	}
	return nil
}

func putService(ctx context.Context, tx *sqlx.Tx, stored catalog.StoredService) error {
	document, err := json.Marshal(stored.Service)
	if err != nil {
		return fmt.Errorf("write service: %w", err)
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO services (id, version, document) VALUES (?, ?, ?)
		ON CONFLICT (id) DO UPDATE SET version = excluded.version, document = excluded.document, removed = NULL`,
		stored.Service.ID, stored.Version, string(document))
	if err != nil {
		return fmt.Errorf("keep service %q: %w", stored.Service.Name, err)
	}
	return nil
}
