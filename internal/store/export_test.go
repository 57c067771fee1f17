package store

import (
	"context"
	"fmt"
)

// LimitPages makes the disk of the definitions full beyond so many pages.
func (s *Store) LimitPages(ctx context.Context, pages int) error {
	limit := fmt.Sprintf("PRAGMA max_page_count = %d", pages)
	_, err := s.definitions.ExecContext(ctx, limit)
	if err == nil {
		err = s.calls.conn.exec(ctx, limit)
	}
	return err
}

// CountSecrets counts the secret variables that are stored, beside those of the activity.
func (s *Store) CountSecrets(ctx context.Context) (count int) {
	if err := s.definitions.GetContext(ctx, &count, `SELECT count(*) FROM secret_variables WHERE owner NOT LIKE 'entry %'`); err != nil {
		return -1
	}
	return count
}

// MoveSecret puts a secret in the place of another one.
func (s *Store) MoveSecret(ctx context.Context) error {
	_, err := s.definitions.ExecContext(ctx, `UPDATE secret_variables SET sealed = (SELECT other.sealed FROM secret_variables AS other WHERE other.place <> secret_variables.place) WHERE place = '/variables/key'`)
	return err
}
