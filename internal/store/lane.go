package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
)

func (s *Store) loadLanes(ctx context.Context, d *catalog.Definitions) error {
	var documents [][]byte
	if err := s.definitions.SelectContext(ctx, &documents, `SELECT document FROM lanes`); err != nil {
		return fmt.Errorf("read lanes: %w", err)
	}
	for _, document := range documents {
		var stored catalog.StoredLane
		if err := json.Unmarshal(document, &stored); err != nil {
			setAside(d, err, "a lane")
			continue
		}
		d.Lanes = append(d.Lanes, stored)
	}
	return nil
}

func putLanes(ctx context.Context, tx *sqlx.Tx, change catalog.Change) error {
	for _, stored := range change.Lanes {
		document, err := json.Marshal(stored)
		if err != nil {
			return fmt.Errorf("write lane: %w", err)
		}
		if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO lanes (name, document) VALUES (?, ?)`, stored.Spec.Name, string(document)); err != nil {
			return fmt.Errorf("keep lane %q: %w", stored.Spec.Name, err)
		}
	}
	for _, name := range change.RemoveLanes {
		if _, err := tx.ExecContext(ctx, `DELETE FROM lanes WHERE name = ?`, name); err != nil {
			return fmt.Errorf("remove lane %q: %w", name, err)
		}
	}
	return nil
}
