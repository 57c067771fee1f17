package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
)

// activeKey is the setting that has the scenario that calls in no lane are under.
const activeKey = "active scenario"

func (s *Store) loadScenarios(ctx context.Context, d *catalog.Definitions) error {
	var rows []struct {
		Name     string `db:"name"`
		Version  int64  `db:"version"`
		Document []byte `db:"document"`
	}
	if err := s.definitions.SelectContext(ctx, &rows, `SELECT name, version, document FROM scenarios`); err != nil {
		return fmt.Errorf("read scenarios: %w", err)
	}
	for _, row := range rows {
		stored := catalog.StoredScenario{Version: row.Version}
		if err := json.Unmarshal(row.Document, &stored.Scenario); err != nil {
			setAside(d, err, "scenario %q", row.Name)
			continue
		}
		d.Scenarios = append(d.Scenarios, stored)
	}
	var active []byte
	switch err := s.definitions.GetContext(ctx, &active, `SELECT value FROM settings WHERE key = ?`, activeKey); {
	case errors.Is(err, sql.ErrNoRows):
		return nil
	case err != nil:
		return fmt.Errorf("read active scenario: %w", err)
	}
	d.Active = &catalog.Activation{}
	if err := json.Unmarshal(active, d.Active); err != nil {
		return fmt.Errorf("read active scenario: %w", err)
	}
	return nil
}

func putScenarios(ctx context.Context, tx *sqlx.Tx, change catalog.Change) error {
	for _, stored := range change.Scenarios {
		document, err := json.Marshal(stored.Scenario)
		if err != nil {
			return fmt.Errorf("write scenario: %w", err)
		}
		if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO scenarios (name, version, document) VALUES (?, ?, ?)`, stored.Scenario.Name, stored.Version, string(document)); err != nil {
			return fmt.Errorf("keep scenario %q: %w", stored.Scenario.Name, err)
		}
	}
	for _, name := range change.RemoveScenarios {
		if _, err := tx.ExecContext(ctx, `DELETE FROM scenarios WHERE name = ?`, name); err != nil {
			return fmt.Errorf("remove scenario %q: %w", name, err)
		}
	}
	return switchScenario(ctx, tx, change.Switched)
}

func switchScenario(ctx context.Context, tx *sqlx.Tx, to *catalog.Activation) error {
	if to == nil {
		return nil
	}
	if to.Scenario == "" {
		if _, err := tx.ExecContext(ctx, `DELETE FROM settings WHERE key = ?`, activeKey); err != nil {
			return fmt.Errorf("keep active scenario: %w", err)
		}
		return nil
	}
	value, err := json.Marshal(to)
	if err != nil {
		return fmt.Errorf("write active scenario: %w", err)
	}
	if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO settings (key, value) VALUES (?, ?)`, activeKey, string(value)); err != nil {
		return fmt.Errorf("keep active scenario: %w", err)
	}
	return nil
}
