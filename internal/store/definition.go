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
	d.Mappings, err = s.loadMappings(ctx)
	return d, err
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
	if change.Service != nil {
		if err := putService(ctx, tx, *change.Service); err != nil {
			return err
		}
	}
	if change.Contract != nil {
		if err := putContract(ctx, tx, *change.Contract); err != nil {
			return err
		}
	}
	if err := putMappings(ctx, tx, change.Mappings); err != nil {
		return err
	}
	for _, id := range change.RemoveMappings {
		if _, err := tx.ExecContext(ctx, `DELETE FROM mappings WHERE service_id = ? AND id = ?`, change.OfService, id); err != nil {
			return fmt.Errorf("remove mapping %q: %w", id, err)
		}
	}
	if change.RemoveService != "" {
		if _, err := tx.ExecContext(ctx, `DELETE FROM services WHERE id = ?`, change.RemoveService); err != nil {
			return fmt.Errorf("remove service %s: %w", change.RemoveService, err)
		}
	}
	return nil
}
