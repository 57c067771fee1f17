package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic/internal/core/catalog"
	"rapidmimic/spec/problem"
)

type contractRow struct {
	ServiceID string `db:"service_id"`
	Revision  int    `db:"revision"`
	File      string `db:"file"`
	Text      []byte `db:"text"`
}

func (s *Store) loadContracts(ctx context.Context) ([]catalog.StoredContract, error) {
	var rows []contractRow
	err := s.definitions.SelectContext(ctx, &rows, `SELECT service_id, revision, file, text FROM contracts AS c
		WHERE revision = (SELECT max(revision) FROM contracts WHERE service_id = c.service_id)`)
	if err != nil {
		return nil, fmt.Errorf("read contracts: %w", err)
	}
	contracts := make([]catalog.StoredContract, len(rows))
	for i, row := range rows {
		contracts[i] = catalog.StoredContract(row)
	}
	return contracts, nil
}

// Contract implements catalog.Store.
func (s *Store) Contract(ctx context.Context, serviceID string, revision int) (catalog.StoredContract, error) {
	var row contractRow
	err := s.read.GetContext(ctx, &row, `SELECT service_id, revision, file, text FROM contracts
		WHERE service_id = ? AND revision = ?`, serviceID, revision)
	if errors.Is(err, sql.ErrNoRows) {
		return catalog.StoredContract{}, problem.New(problem.NotFound, "there is no revision %d of this contract", revision)
	}
	if err != nil {
		return catalog.StoredContract{}, fmt.Errorf("read contract: %w", err)
	}
	return catalog.StoredContract(row), nil
}

func putContract(ctx context.Context, tx *sqlx.Tx, c catalog.StoredContract) error {
	_, err := tx.NamedExecContext(ctx, `INSERT INTO contracts (service_id, revision, file, text)
		VALUES (:service_id, :revision, :file, :text)`, contractRow(c))
	if err != nil {
		return fmt.Errorf("keep contract %q: %w", c.File, err)
	}
	return nil
}
