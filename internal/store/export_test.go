package store

import (
	"context"
	"fmt"
)

// LimitPages makes the disk of the definitions full beyond so many pages.
func (s *Store) LimitPages(ctx context.Context, pages int) error {
	_, err := s.definitions.ExecContext(ctx, fmt.Sprintf("PRAGMA max_page_count = %d", pages))
	return err
}
