package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

func (s *Store) loadLines(ctx context.Context, d *catalog.Definitions) error {
	var lines []struct {
		Name     string `db:"name"`
		Document []byte `db:"document"`
	}
	if err := s.definitions.SelectContext(ctx, &lines, `SELECT name, document FROM lines`); err != nil {
		return fmt.Errorf("read lines: %w", err)
	}
	d.Lines = make(map[string]spec.Line, len(lines))
	for _, row := range lines {
		var line spec.Line
		if err := json.Unmarshal(row.Document, &line); err != nil {
			setAside(d, err, "line %q", row.Name)
			continue
		}
		d.Lines[row.Name] = line
	}
	return nil
}

func putLines(ctx context.Context, tx *sqlx.Tx, change catalog.Change) error {
	for name, line := range change.Lines {
		document, err := json.Marshal(line)
		if err != nil {
			return fmt.Errorf("write line: %w", err)
		}
		if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO lines (name, document) VALUES (?, ?)`, name, document); err != nil {
			return fmt.Errorf("keep line %s: %w", name, err)
		}
	}
	for _, name := range change.RemoveLines {
		if _, err := tx.ExecContext(ctx, `DELETE FROM lines WHERE name = ?`, name); err != nil {
			return fmt.Errorf("remove line %s: %w", name, err)
		}
	}
	return nil
}
