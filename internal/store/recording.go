package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/core/recording"
)

type recordingRow struct {
	ServiceID string `db:"service_id"`
	Document  []byte `db:"document"`
	Calls     int    `db:"calls"`
}

func storedRecordings(rows []recordingRow) ([]catalog.StoredRecording, error) {
	recordings := make([]catalog.StoredRecording, len(rows))
	for i, row := range rows {
		recordings[i] = catalog.StoredRecording{ServiceID: row.ServiceID, Calls: row.Calls}
		if err := json.Unmarshal(row.Document, &recordings[i].Recording); err != nil {
			return nil, fmt.Errorf("read recording: %w", err)
		}
	}
	return recordings, nil
}

func (s *Store) loadRunning(ctx context.Context) ([]catalog.StoredRecording, error) {
	var rows []recordingRow
	if err := s.definitions.SelectContext(ctx, &rows, `SELECT service_id, document, 0 AS calls FROM recordings WHERE running = 1`); err != nil {
		return nil, fmt.Errorf("read recordings: %w", err)
	}
	return storedRecordings(rows)
}

// Recordings implements catalog.Store.
func (s *Store) Recordings(ctx context.Context, serviceID string) ([]catalog.StoredRecording, error) {
	var rows []recordingRow
	err := s.read.SelectContext(ctx, &rows, `SELECT service_id, document, (SELECT count(*) FROM exchanges WHERE recording_id = recordings.id) AS calls
		FROM recordings WHERE service_id = ? ORDER BY started DESC, id DESC`, serviceID)
	if err != nil {
		return nil, fmt.Errorf("list recordings: %w", err)
	}
	return storedRecordings(rows)
}

// Exchanges implements catalog.Store.
func (s *Store) Exchanges(ctx context.Context, recordingID string) ([]recording.Exchange, error) {
	var documents [][]byte
	if err := s.read.SelectContext(ctx, &documents, `SELECT document FROM exchanges WHERE recording_id = ? ORDER BY number`, recordingID); err != nil {
		return nil, fmt.Errorf("read recorded calls: %w", err)
	}
	exchanges := make([]recording.Exchange, len(documents))
	for i, document := range documents {
		if err := json.Unmarshal(document, &exchanges[i]); err != nil {
			return nil, fmt.Errorf("read recorded call: %w", err)
		}
	}
	return exchanges, nil
}

// InsertExchanges keeps calls with the recordings that they belong to.
func (s *Store) InsertExchanges(ctx context.Context, records []*call.Record) error {
	tx, err := s.definitions.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin: %w", err)
	}
	for _, r := range records {
		if err := insertExchange(ctx, tx, r.Recording, recording.Of(r)); err != nil {
			return errors.Join(err, tx.Rollback())
		}
	}
	return tx.Commit()
}

// insertExchange keeps a recorded call. One whose recording is gone is nobody's.
func insertExchange(ctx context.Context, tx *sqlx.Tx, recordingID string, x recording.Exchange) error {
	document, err := json.Marshal(x)
	if err != nil {
		return fmt.Errorf("write recorded call: %w", err)
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO exchanges (recording_id, number, document) SELECT id, ?, ? FROM recordings WHERE id = ?
		ON CONFLICT DO NOTHING`, x.Number, document, recordingID)
	if err != nil {
		return fmt.Errorf("keep recorded call: %w", err)
	}
	return nil
}

func putRecordings(ctx context.Context, tx *sqlx.Tx, change catalog.Change) error {
	for _, stored := range change.Recordings {
		document, err := json.Marshal(stored.Recording)
		if err != nil {
			return fmt.Errorf("write recording: %w", err)
		}
		_, err = tx.ExecContext(ctx, `INSERT INTO recordings (id, service_id, started, running, document) VALUES (?, ?, ?, ?, ?)
			ON CONFLICT (id) DO UPDATE SET running = excluded.running, document = excluded.document`,
			stored.Recording.ID, stored.ServiceID, stored.Recording.Started.UnixMicro(), stored.Recording.Runs(), string(document))
		if err != nil {
			return fmt.Errorf("keep recording %q: %w", stored.Recording.Name, err)
		}
	}
	for _, x := range change.Exchanges {
		if err := insertExchange(ctx, tx, change.Recordings[0].Recording.ID, x); err != nil {
			return err
		}
	}
	for _, id := range change.RemoveRecordings {
		if _, err := tx.ExecContext(ctx, `DELETE FROM recordings WHERE id = ?`, id); err != nil {
			return fmt.Errorf("remove recording %s: %w", id, err)
		}
	}
	return nil
}
