package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
)

type impairmentRow struct {
	ServiceID string `db:"service_id"`
	Operation string `db:"operation"`
	Mapping   string `db:"mapping"`
	Since     int64  `db:"since"`
	By        string `db:"by"`
	Version   int64  `db:"version"`
	Document  []byte `db:"document"`
}

// offKey is the setting that is there when all impairments are switched off.
const offKey = "impairments off"

func (s *Store) loadImpairments(ctx context.Context, d *catalog.Definitions) error {
	var rows []impairmentRow
	if err := s.definitions.SelectContext(ctx, &rows, `SELECT service_id, operation, mapping, since, by, version, document FROM impairments`); err != nil {
		return fmt.Errorf("read impairments: %w", err)
	}
	for _, row := range rows {
		stored := catalog.StoredImpairment{ServiceID: row.ServiceID, Operation: row.Operation, Mapping: row.Mapping,
			Since: time.UnixMicro(row.Since), By: row.By, Version: row.Version}
		if err := json.Unmarshal(row.Document, &stored.Impairment); err != nil {
			setAside(d, err, "impairment of service %q", row.ServiceID)
			continue
		}
		d.Impairments = append(d.Impairments, stored)
	}
	if err := s.loadIgnored(ctx, d); err != nil {
		return err
	}
	if err := s.loadLines(ctx, d); err != nil {
		return err
	}
	if err := s.definitions.GetContext(ctx, &d.ImpairmentsOff, `SELECT count(*) FROM settings WHERE key = ?`, offKey); err != nil {
		return fmt.Errorf("read switch of impairments: %w", err)
	}
	return nil
}

func putImpairments(ctx context.Context, tx *sqlx.Tx, change catalog.Change) error {
	for _, gone := range change.RemoveImpairments {
		if _, err := tx.ExecContext(ctx, `DELETE FROM impairments WHERE service_id = ? AND operation = ? AND mapping = ?`, gone.ServiceID, gone.Operation, gone.Mapping); err != nil {
			return fmt.Errorf("remove impairment: %w", err)
		}
	}
	for _, i := range change.Impairments {
		document, err := json.Marshal(i.Impairment)
		if err != nil {
			return fmt.Errorf("write impairment: %w", err)
		}
		_, err = tx.ExecContext(ctx, `INSERT OR REPLACE INTO impairments (service_id, operation, mapping, since, by, version, document) VALUES (?, ?, ?, ?, ?, ?, ?)`,
			i.ServiceID, i.Operation, i.Mapping, i.Since.UnixMicro(), i.By, i.Version, document)
		if err != nil {
			return fmt.Errorf("keep impairment: %w", err)
		}
	}
	if err := putLines(ctx, tx, change); err != nil {
		return err
	}
	if err := putIgnored(ctx, tx, change.Ignored); err != nil {
		return err
	}
	if change.ImpairmentsOff == nil {
		return nil
	}
	statement := `DELETE FROM settings WHERE key = ?`
	if *change.ImpairmentsOff {
		statement = `INSERT OR REPLACE INTO settings (key, value) VALUES (?, '1')`
	}
	if _, err := tx.ExecContext(ctx, statement, offKey); err != nil {
		return fmt.Errorf("keep switch of impairments: %w", err)
	}
	return nil
}
