package store

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/collection"
)

// memoryRow is what a service remembers, for everybody or in a lane.
type memoryRow struct {
	Service string `db:"service"`
	Lane    string `db:"lane"`
	With    string `db:"of_situation"`
	Sealed  []byte `db:"sealed"`
}

// bound is what the document is bound to, so that none can stand in another place.
func (r memoryRow) bound() []byte {
	return []byte("memory\x00" + r.Service + "\x00" + r.Lane + "\x00" + r.With)
}

// KeptMemory returns what services remembered when it was kept last. What cannot be read is left
// out, and told by the error beside the rest.
func (s *Store) KeptMemory(ctx context.Context) (all []collection.Kept, err error) {
	var rows []memoryRow
	if err := s.read.SelectContext(ctx, &rows, `SELECT service, lane, of_situation, sealed FROM memory ORDER BY service, lane, of_situation`); err != nil {
		return nil, fmt.Errorf("read what services remember: %w", err)
	}
	for _, row := range rows {
		size := s.seal.NonceSize()
		if len(row.Sealed) < size {
			err = errors.Join(err, fmt.Errorf("what service %s remembers is damaged", row.Service))
			continue
		}
		document, wrong := s.seal.Open(nil, row.Sealed[:size], row.Sealed[size:], row.bound())
		if wrong != nil {
			err = errors.Join(err, fmt.Errorf("what service %s remembers was encrypted under another digest.key, or is damaged", row.Service))
			continue
		}
		all = append(all, collection.Kept{Space: collection.Space{Service: row.Service, Lane: row.Lane, With: row.With}, Document: document})
	}
	return all, err
}

// KeepMemory keeps what has changed, encrypted, all of it or nothing.
func (s *Store) KeepMemory(ctx context.Context, changed []collection.Kept) error {
	if len(changed) == 0 {
		return nil
	}
	tx, err := s.definitions.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("keep what services remember: %w", err)
	}
	defer func() { _ = tx.Rollback() }() // nothing to do after a commit
	for _, kept := range changed {
		if err := s.keepMemory(ctx, tx, kept); err != nil {
			return fmt.Errorf("keep what services remember: %w", err)
		}
	}
	return tx.Commit()
}

func (s *Store) keepMemory(ctx context.Context, tx *sqlx.Tx, kept collection.Kept) error {
	row := memoryRow{Service: kept.Space.Service, Lane: kept.Space.Lane, With: kept.Space.With}
	if kept.Document == nil {
		_, err := tx.ExecContext(ctx, `DELETE FROM memory WHERE service = ? AND lane = ? AND of_situation = ?`, row.Service, row.Lane, row.With)
		return err
	}
	nonce := make([]byte, s.seal.NonceSize())
	_, _ = rand.Read(nonce) // never fails
	row.Sealed = s.seal.Seal(nonce, nonce, kept.Document, row.bound())
	_, err := tx.NamedExecContext(ctx, `INSERT OR REPLACE INTO memory (service, lane, of_situation, sealed) VALUES (:service, :lane, :of_situation, :sealed)`, row)
	return err
}

// ForgetMemory forgets all that was kept.
func (s *Store) ForgetMemory(ctx context.Context) error {
	_, err := s.definitions.ExecContext(ctx, `DELETE FROM memory`)
	return err
}
