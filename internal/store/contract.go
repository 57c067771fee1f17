package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec/problem"
)

type contractRow struct {
	ServiceID string     `db:"service_id"`
	Revision  int        `db:"revision"`
	File      string     `db:"file"`
	Main      string     `db:"main"`
	Imported  int64      `db:"imported"`
	Text      packedText `db:"text"`
	Withdrawn bool       `db:"withdrawn"`
}

func (r contractRow) stored() catalog.StoredContract {
	return catalog.StoredContract{
		ServiceID: r.ServiceID, Revision: r.Revision, File: r.File, Main: r.Main, Imported: time.UnixMicro(r.Imported), Text: r.Text, Withdrawn: r.Withdrawn,
	}
}

func (s *Store) loadContracts(ctx context.Context) ([]catalog.StoredContract, error) {
	var rows []contractRow
	err := s.definitions.SelectContext(ctx, &rows, `SELECT service_id, revision, file, main, imported, text FROM contracts AS c
		WHERE revision = (SELECT max(revision) FROM contracts WHERE service_id = c.service_id AND withdrawn = 0)
		AND service_id IN (SELECT id FROM services WHERE removed IS NULL)`)
	if err != nil {
		return nil, fmt.Errorf("read contracts: %w", err)
	}
	return storedContracts(rows), nil
}

func storedContracts(rows []contractRow) []catalog.StoredContract {
	contracts := make([]catalog.StoredContract, len(rows))
	for i, row := range rows {
		contracts[i] = row.stored()
	}
	return contracts
}

// Revisions implements catalog.Store.
func (s *Store) Revisions(ctx context.Context, serviceID string) ([]catalog.StoredContract, error) {
	var rows []contractRow
	err := s.read.SelectContext(ctx, &rows, `SELECT service_id, revision, file, main, imported, withdrawn FROM contracts
		WHERE service_id = ? ORDER BY revision`, serviceID)
	if err != nil {
		return nil, fmt.Errorf("list revisions: %w", err)
	}
	return storedContracts(rows), nil
}

// Contract implements catalog.Store.
func (s *Store) Contract(ctx context.Context, serviceID string, revision int) (catalog.StoredContract, error) {
	var row contractRow
	err := s.read.GetContext(ctx, &row, `SELECT service_id, revision, file, main, imported, text FROM contracts
		WHERE service_id = ? AND revision = ?`, serviceID, revision)
	if errors.Is(err, sql.ErrNoRows) {
		return catalog.StoredContract{}, problem.New(problem.NotFound, "there is no revision %d of this contract", revision)
	}
	if err != nil {
		return catalog.StoredContract{}, fmt.Errorf("read contract: %w", err)
	}
	return row.stored(), nil
}

func putContract(ctx context.Context, tx *sqlx.Tx, c catalog.StoredContract) error {
	_, err := tx.NamedExecContext(ctx, `INSERT INTO contracts (service_id, revision, file, main, imported, text)
		VALUES (:service_id, :revision, :file, :main, :imported, :text)`,
		contractRow{ServiceID: c.ServiceID, Revision: c.Revision, File: c.File, Main: c.Main, Imported: c.Imported.UnixMicro(), Text: c.Text})
	if err != nil {
		return fmt.Errorf("keep contract %q: %w", c.File, err)
	}
	return nil
}

// withdrawContracts keeps revisions that are none any more, in case they come back.
func withdrawContracts(ctx context.Context, tx *sqlx.Tx, contracts []catalog.StoredContract) error {
	for _, c := range contracts {
		if _, err := tx.ExecContext(ctx, `UPDATE contracts SET withdrawn = 1 WHERE service_id = ? AND revision <= ?`, c.ServiceID, c.Revision); err != nil {
			return fmt.Errorf("withdraw contract: %w", err)
		}
	}
	return nil
}
