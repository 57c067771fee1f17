package store

import (
	"context"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic/internal/core/catalog"
)

// Load implements catalog.Store.
func (s *Store) Load(ctx context.Context) (d catalog.Definitions, err error) {
	if d.Services, err = s.loadServices(ctx); err != nil {
		return d, err
	}
	if d.Contracts, err = s.loadContracts(ctx); err != nil {
		return d, err
	}
	if d.Mappings, err = s.loadMappings(ctx); err != nil {
		return d, err
	}
	if d.Payloads, err = s.loadPayloads(ctx); err != nil {
		return d, err
	}
	if err = s.definitions.GetContext(ctx, &d.Version, `SELECT coalesce(max(version), 0) FROM mapping_versions`); err != nil {
		return d, fmt.Errorf("read versions: %w", err)
	}
	if d.Running, err = s.loadRunning(ctx); err != nil {
		return d, err
	}
	for _, p := range d.Payloads {
		d.Version = max(d.Version, p.Version)
	}
	return d, nil
}

// Apply implements catalog.Store.
func (s *Store) Apply(ctx context.Context, change catalog.Change) error {
	tx, err := s.definitions.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin: %w", err)
	}
	if err := apply(ctx, tx, change); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	return tx.Commit()
}

func apply(ctx context.Context, tx *sqlx.Tx, change catalog.Change) error {
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
	if err := putPayloads(ctx, tx, change.Payloads); err != nil {
		return err
	}
	if err := putMappings(ctx, tx, change.Mappings, change.By); err != nil {
		return err
	}
	if err := removeMappings(ctx, tx, change.RemoveMappings, change.By); err != nil {
		return err
	}
	if err := removePayloads(ctx, tx, change.RemovePayloads); err != nil {
		return err
	}
	if err := putRecordings(ctx, tx, change); err != nil {
		return err
	}
	if err := markApplied(ctx, tx, change.Applied, change.Forgotten); err != nil {
		return err
	}
	for _, id := range change.RemoveServices {
		if _, err := tx.ExecContext(ctx, `DELETE FROM services WHERE id = ?`, id); err != nil {
			return fmt.Errorf("remove service %s: %w", id, err)
		}
	}
	if len(change.Payloads)+len(change.RemovePayloads)+len(change.RemoveServices) > 0 {
		return dropUnusedContents(ctx, tx)
	}
	return nil
}
