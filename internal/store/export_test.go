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
