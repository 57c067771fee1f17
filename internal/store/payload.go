package store

import (
	"context"
	"crypto/sha256"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
)

type payloadRow struct {
	ServiceID string `db:"service_id"`
	Name      string `db:"name"`
	Version   int64  `db:"version"`
	Bytes     []byte `db:"bytes"`
}

func (s *Store) loadPayloads(ctx context.Context) ([]catalog.StoredPayload, error) {
	var rows []payloadRow
	err := s.definitions.SelectContext(ctx, &rows, `SELECT service_id, name, version, bytes FROM payloads JOIN payload_contents USING (digest)
		WHERE service_id IN (SELECT id FROM services WHERE removed IS NULL)`)
	if err != nil {
		return nil, fmt.Errorf("read payloads: %w", err)
	}
	payloads := make([]catalog.StoredPayload, len(rows))
	for i, row := range rows {
		payloads[i] = catalog.StoredPayload(row)
	}
	return payloads, nil
}

func putPayloads(ctx context.Context, tx *sqlx.Tx, payloads []catalog.StoredPayload) error {
	for _, p := range payloads {
		digest := sha256.Sum256(p.Bytes)
		bytes := p.Bytes
		if bytes == nil {
			bytes = []byte{} // NULL is no body
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO payload_contents (digest, bytes) VALUES (?, ?) ON CONFLICT DO NOTHING`, digest[:], bytes); err != nil {
			return fmt.Errorf("keep payload %q: %w", p.Name, err)
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO payloads (service_id, name, version, digest) VALUES (?, ?, ?, ?)
			ON CONFLICT (service_id, name) DO UPDATE SET version = excluded.version, digest = excluded.digest`, p.ServiceID, p.Name, p.Version, digest[:])
		if err != nil {
			return fmt.Errorf("keep payload %q: %w", p.Name, err)
		}
	}
	return nil
}

func removePayloads(ctx context.Context, tx *sqlx.Tx, payloads []catalog.StoredPayload) error {
	for _, p := range payloads {
		if _, err := tx.ExecContext(ctx, `DELETE FROM payloads WHERE service_id = ? AND name = ?`, p.ServiceID, p.Name); err != nil {
			return fmt.Errorf("remove payload %q: %w", p.Name, err)
		}
	}
	return nil
}

// dropUnusedContents removes the texts that no payload has any more.
func dropUnusedContents(ctx context.Context, tx *sqlx.Tx) error {
	if _, err := tx.ExecContext(ctx, `DELETE FROM payload_contents WHERE digest NOT IN (SELECT digest FROM payloads) AND digest NOT IN (SELECT digest FROM activity_payloads)`); err != nil {
		return fmt.Errorf("remove payloads that nothing sends: %w", err)
	}
	return nil
}
