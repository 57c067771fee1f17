package store

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
)

// Load implements catalog.Store.
func (s *Store) Load(ctx context.Context) (d catalog.Definitions, err error) {
	if err := trimActivity(ctx, s.definitions); err != nil {
		return d, err
	}
	if err := s.loadServices(ctx, &d); err != nil {
		return d, err
	}
	if d.Contracts, err = s.loadContracts(ctx); err != nil {
		return d, err
	}
	if err := s.loadMappings(ctx, &d); err != nil {
		return d, err
	}
	if d.Payloads, err = s.loadPayloads(ctx); err != nil {
		return d, err
	}
	if d.Version, err = s.loadVersion(ctx); err != nil {
		return d, err
	}
	if d.Running, err = s.loadRunning(ctx); err != nil {
		return d, err
	}
	if err := s.loadImpairments(ctx, &d); err != nil {
		return d, err
	}
	if err := s.loadScenarios(ctx, &d); err != nil {
		return d, err
	}
	if err := s.loadLanes(ctx, &d); err != nil {
		return d, err
	}
	return d, s.loadVariables(ctx, &d)
}

// setAside notes a definition that cannot be read. Its row stays.
func setAside(d *catalog.Definitions, err error, format string, args ...any) {
	d.Aside = append(d.Aside, catalog.Aside{What: fmt.Sprintf(format, args...), Reason: err.Error()})
}

// loadVersion is the version of the last change. Data of before it was kept know
// it by what changed last.
func (s *Store) loadVersion(ctx context.Context) (version int64, err error) {
	err = s.definitions.GetContext(ctx, &version, `SELECT max(
		coalesce((SELECT CAST(value AS INTEGER) FROM settings WHERE key = 'version'), 0),
		coalesce((SELECT max(version) FROM mappings), 0), coalesce((SELECT max(version) FROM activity), 0), coalesce((SELECT max(version) FROM payloads), 0))`)
	if err != nil {
		return 0, fmt.Errorf("read version: %w", err)
	}
	return version, nil
}

// unchanged is what becomes of a change that fails.
const unchanged = "nothing was changed"

// Apply implements catalog.Store.
func (s *Store) Apply(ctx context.Context, change catalog.Change) error {
	if err := s.Lost(); err != nil {
		return err
	}
	tx, err := s.definitions.BeginTxx(ctx, nil)
	if err != nil {
		return inWords(fmt.Errorf("begin: %w", err), unchanged)
	}
	defer func() { _ = tx.Rollback() }() // nothing to do after a commit
	if err := s.apply(ctx, tx, change); err != nil {
		return inWords(err, unchanged)
	}
	if err := tx.Commit(); err != nil {
		return inWords(err, unchanged)
	}
	s.noteVersion(change.Version)
	return nil
}

func (s *Store) apply(ctx context.Context, tx *sqlx.Tx, change catalog.Change) error {
	_, err := tx.ExecContext(ctx, `INSERT INTO settings (key, value) VALUES ('version', ?) ON CONFLICT (key) DO UPDATE SET value = excluded.value`,
		strconv.FormatInt(change.Version, 10))
	if err != nil {
		return fmt.Errorf("keep version: %w", err)
	}
	if err := s.putEntry(ctx, tx, change.Entry); err != nil {
		return err
	}
	for _, service := range change.Services {
		if err := putService(ctx, tx, service); err != nil {
			return err
		}
	}
	for _, contract := range change.Contracts {
		if err := putContract(ctx, tx, contract); err != nil {
			return err
		}
	}
	if err := withdrawContracts(ctx, tx, change.WithdrawContracts); err != nil {
		return err
	}
	if err := putPayloads(ctx, tx, change.Payloads); err != nil {
		return err
	}
	if err := putMappings(ctx, tx, change.Mappings); err != nil {
		return err
	}
	if err := removeMappings(ctx, tx, change.RemoveMappings); err != nil {
		return err
	}
	if err := removePayloads(ctx, tx, change.RemovePayloads); err != nil {
		return err
	}
	if err := putRecordings(ctx, tx, change); err != nil {
		return err
	}
	if err := putImpairments(ctx, tx, change); err != nil {
		return err
	}
	if err := putScenarios(ctx, tx, change); err != nil {
		return err
	}
	if err := putLanes(ctx, tx, change); err != nil {
		return err
	}
	if err := s.putVariables(ctx, tx, change); err != nil {
		return err
	}
	if err := markApplied(ctx, tx, change.Applied, change.Forgotten); err != nil {
		return err
	}
	for _, id := range change.RemoveServices {
		if _, err := tx.ExecContext(ctx, `UPDATE services SET removed = ? WHERE id = ?`, time.Now().UnixMicro(), id); err != nil {
			return fmt.Errorf("remove service %s: %w", id, err)
		}
	}
	if len(change.Payloads)+len(change.RemovePayloads) > 0 {
		return dropUnusedContents(ctx, tx)
	}
	return nil
}
