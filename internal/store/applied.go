package store

import (
	"context"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
)

type appliedRow struct {
	Service string `db:"service"`
	Kind    string `db:"kind"`
	ID      string `db:"id"`
	Digest  string `db:"digest"`
	Source  string `db:"source"`
}

// Applied implements catalog.Store.
func (s *Store) Applied(ctx context.Context) ([]catalog.Applied, error) {
	var rows []appliedRow
	if err := s.definitions.SelectContext(ctx, &rows, `SELECT service, kind, id, digest, source FROM applied`); err != nil {
		return nil, fmt.Errorf("read what was applied: %w", err)
	}
	marks := make([]catalog.Applied, len(rows))
	for i, row := range rows {
		marks[i] = catalog.Applied(row)
	}
	return marks, nil
}

func markApplied(ctx context.Context, tx *sqlx.Tx, marks, forgotten []catalog.Applied) error {
	err := insertRows(ctx, tx, `INSERT INTO applied (service, kind, id, digest, source) VALUES`,
		`ON CONFLICT DO UPDATE SET digest = excluded.digest, source = excluded.source`, len(marks), func(i int) []any {
			m := &marks[i]
			return []any{m.Service, m.Kind, m.ID, m.Digest, m.Source}
		})
	if err != nil {
		return fmt.Errorf("mark what was applied: %w", err)
	}
	for _, m := range forgotten {
		if _, err := tx.ExecContext(ctx, `DELETE FROM applied WHERE service = ? AND kind = ? AND id = ?`, m.Service, m.Kind, m.ID); err != nil {
			return fmt.Errorf("forget %s %q: %w", m.Kind, m.ID, err)
		}
	}
	return nil
}
