package store

import (
	"context"
	"encoding/json"
	"fmt"

	"rapidmimic.example/internal/core/access"
)

// Tokens implements access.Store.
func (s *Store) Tokens(ctx context.Context) ([]access.Token, error) {
	var rows []struct {
		ID       string `db:"id"`
		Digest   []byte `db:"digest"`
		Document []byte `db:"document"`
	}
	if err := s.definitions.SelectContext(ctx, &rows, `SELECT id, digest, document FROM tokens`); err != nil {
		return nil, fmt.Errorf("read tokens: %w", err)
	}
	tokens := make([]access.Token, len(rows))
	for i, row := range rows {
		if err := json.Unmarshal(row.Document, &tokens[i]); err != nil || len(row.Digest) != len(tokens[i].Digest) {
			return nil, fmt.Errorf("token %s cannot be read: %w", row.ID, err)
		}
		copy(tokens[i].Digest[:], row.Digest)
	}
	return tokens, nil
}

// PutToken implements access.Store.
func (s *Store) PutToken(ctx context.Context, t access.Token) error {
	document, err := json.Marshal(t)
	if err == nil {
		_, err = s.definitions.ExecContext(ctx, `INSERT OR REPLACE INTO tokens (id, digest, document) VALUES (?, ?, ?)`, t.ID, t.Digest[:], string(document))
	}
	if err != nil {
		return inWords(fmt.Errorf("keep token %q: %w", t.Name, err), unchanged)
	}
	return nil
}

// RemoveToken implements access.Store.
func (s *Store) RemoveToken(ctx context.Context, id string) error {
	if _, err := s.definitions.ExecContext(ctx, `DELETE FROM tokens WHERE id = ?`, id); err != nil {
		return inWords(fmt.Errorf("revoke token: %w", err), unchanged)
	}
	return nil
}
