package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec"
)

// ignoredKey is the setting that says which calls lists leave out.
const ignoredKey = "ignored calls"

func (s *Store) loadIgnored(ctx context.Context, d *catalog.Definitions) error {
	var document []byte
	err := s.definitions.GetContext(ctx, &document, `SELECT value FROM settings WHERE key = ?`, ignoredKey)
	switch {
	case errors.Is(err, sql.ErrNoRows):
		d.Ignored.Calls = []string{}
		return nil
	case err != nil:
		return fmt.Errorf("read ignored calls: %w", err)
	}
	if err := json.Unmarshal(document, &d.Ignored); err != nil {
		setAside(d, err, "ignored calls")
	}
	return nil
}

// putIgnored keeps which calls lists leave out; nil leaves it as it is.
func putIgnored(ctx context.Context, tx *sqlx.Tx, ignored *spec.Ignored) error {
	if ignored == nil {
		return nil
	}
	document, err := json.Marshal(ignored)
	if err != nil {
		return fmt.Errorf("write ignored calls: %w", err)
	}
	if _, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO settings (key, value) VALUES (?, ?)`, ignoredKey, document); err != nil {
		return fmt.Errorf("keep ignored calls: %w", err)
	}
	return nil
}
