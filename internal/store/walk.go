package store

import (
	"context"
	"encoding/json"
	"fmt"

	"rapidmimic.example/internal/core/walk"
)

// Walks lists all walks by their names.
func (s *Store) Walks(ctx context.Context) ([]walk.Walk, error) {
	var documents []string
	if err := s.read.SelectContext(ctx, &documents, `SELECT document FROM walks ORDER BY name`); err != nil {
		return nil, fmt.Errorf("list walks: %w", err)
	}
	walks := make([]walk.Walk, len(documents))
	for i, document := range documents {
		if err := json.Unmarshal([]byte(document), &walks[i]); err != nil {
			return nil, fmt.Errorf("read a walk: %w", err)
		}
	}
	return walks, nil
}

// PutWalk keeps a walk, in the place of the one with its name.
func (s *Store) PutWalk(ctx context.Context, w walk.Walk) error {
	document, err := json.Marshal(w)
	if err == nil {
		_, err = s.definitions.ExecContext(ctx, `INSERT OR REPLACE INTO walks (name, document) VALUES (?, ?)`, w.Name, string(document))
	}
	if err != nil {
		return inWords(fmt.Errorf("keep walk %q: %w", w.Name, err), unchanged)
	}
	return nil
}

// RemoveWalk forgets a walk.
func (s *Store) RemoveWalk(ctx context.Context, name string) error {
	if _, err := s.definitions.ExecContext(ctx, `DELETE FROM walks WHERE name = ?`, name); err != nil {
		return inWords(fmt.Errorf("remove walk %q: %w", name, err), unchanged)
	}
	return nil
}
