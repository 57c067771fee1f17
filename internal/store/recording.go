package store

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

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
	if err := s.definitions.SelectContext(ctx, &rows, `SELECT service_id, document, 0 AS calls FROM recordings WHERE running = 1 AND removed IS NULL AND service_id IN (SELECT id FROM services WHERE removed IS NULL)`); err != nil {
		return nil, fmt.Errorf("read recordings: %w", err)
	}
	return storedRecordings(rows)
}

// Recordings implements catalog.Store.
func (s *Store) Recordings(ctx context.Context, serviceID string) ([]catalog.StoredRecording, error) {
	return s.recordings(ctx, `service_id = ? AND removed IS NULL`, serviceID)
}

// RemovedRecordings implements catalog.Store.
func (s *Store) RemovedRecordings(ctx context.Context, serviceID string) ([]catalog.StoredRecording, error) {
	return s.recordings(ctx, `service_id = ? AND removed IS NOT NULL`, serviceID)
}

func (s *Store) recordings(ctx context.Context, condition string, args ...any) ([]catalog.StoredRecording, error) {
	var rows []recordingRow
	err := s.read.SelectContext(ctx, &rows, `SELECT service_id, document, (SELECT count(*) FROM exchanges WHERE recording_id = recordings.id) AS calls
		FROM recordings WHERE `+condition+` ORDER BY started DESC, id DESC`, args...)
	if err != nil {
		return nil, fmt.Errorf("list recordings: %w", err)
	}
	return storedRecordings(rows)
}

// exchangeRow is a recorded call, its large bodies from a table of their own.
type exchangeRow struct {
	RecordingID string `db:"recording_id"`
	Document    []byte `db:"document"`
	RequestBody []byte `db:"request_body"`
	AnswerBody  []byte `db:"answer_body"`
	CodedBody   []byte `db:"coded_body"`
}

func (r exchangeRow) exchange() (x recording.Exchange, err error) {
	if err := json.Unmarshal(r.Document, &x); err != nil {
		return x, fmt.Errorf("read recorded call: %w", err)
	}
	if r.RequestBody != nil {
		x.Body = r.RequestBody
	}
	if r.AnswerBody != nil {
		x.Answer = r.AnswerBody
	}
	if len(x.Answer) == x.Size {
		x.Size = 0
	}
	if r.CodedBody != nil && x.Wire != nil {
		x.Wire.Coded = r.CodedBody
	}
	return x, nil
}

// withBodies reads recorded calls whole.
const withBodies = `SELECT e.recording_id, e.document, q.bytes AS request_body, a.bytes AS answer_body, c.bytes AS coded_body FROM exchanges e
	LEFT JOIN recorded_bodies q ON q.hash = e.request_body LEFT JOIN recorded_bodies a ON a.hash = e.answer_body LEFT JOIN recorded_bodies c ON c.hash = e.coded_body `

// exchanges reads recorded calls.
func (s *Store) exchanges(ctx context.Context, query string, args ...any) (exchanges []recording.Exchange, err error) {
	rows, err := s.read.QueryxContext(ctx, query, args...)
	if err != nil {
		return nil, fmt.Errorf("read recorded calls: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var row exchangeRow
		if err := rows.StructScan(&row); err != nil {
			return nil, fmt.Errorf("read recorded calls: %w", err)
		}
		x, err := row.exchange()
		if err != nil {
			return nil, err
		}
		exchanges = append(exchanges, x)
	}
	return exchanges, rows.Err()
}

// Exchanges implements catalog.Store.
func (s *Store) Exchanges(ctx context.Context, recordingID string) ([]recording.Exchange, error) {
	return s.exchanges(ctx, withBodies+`WHERE e.recording_id = ? ORDER BY e.number`, recordingID)
}

// ExchangeHeads implements catalog.Store.
func (s *Store) ExchangeHeads(ctx context.Context, recordingID string, after uint64, last int) ([]recording.Exchange, error) {
	if last == 0 {
		last = -1 // no limit
	}
	heads, err := s.exchanges(ctx, `SELECT recording_id, document FROM exchanges WHERE recording_id = ? AND number > ? ORDER BY number DESC LIMIT ?`, recordingID, after, last)
	slices.Reverse(heads)
	return heads, err
}

// CountExchanges implements catalog.Store.
func (s *Store) CountExchanges(ctx context.Context, recordingID string) (count int, err error) {
	if err := s.read.GetContext(ctx, &count, `SELECT count(*) FROM exchanges WHERE recording_id = ?`, recordingID); err != nil {
		return 0, fmt.Errorf("count recorded calls: %w", err)
	}
	return count, nil
}

// mostEarlier bounds the bodies of calls of other recordings that are read, in bytes: of
// more the oldest recordings are left out.
const mostEarlier = 128 << 20

// ExchangesOn implements catalog.Store.
func (s *Store) ExchangesOn(ctx context.Context, serviceID, except string, paths []string) ([]recording.Exchange, error) {
	var ids []string
	if err := s.read.SelectContext(ctx, &ids, `SELECT id FROM recordings WHERE service_id = ? AND id <> ? AND removed IS NULL ORDER BY started DESC, id DESC`, serviceID, except); err != nil {
		return nil, fmt.Errorf("list recordings: %w", err)
	}
	var newestFirst [][]recording.Exchange
	bytes := 0
	for _, id := range ids {
		var one []recording.Exchange
		for chunk := range slices.Chunk(paths, 500) { // SQLite bounds the parameters of a statement
			query, args, err := sqlx.In(withBodies+`WHERE e.recording_id = ? AND e.path IN (?) ORDER BY e.number`, id, chunk)
			if err != nil {
				return nil, fmt.Errorf("read recorded calls: %w", err)
			}
			found, err := s.exchanges(ctx, query, args...)
			if err != nil {
				return nil, err
			}
			one = append(one, found...)
		}
		for _, x := range one {
			bytes += len(x.Body) + len(x.Answer)
		}
		if bytes > mostEarlier {
			break
		}
		newestFirst = append(newestFirst, one)
	}
	slices.Reverse(newestFirst)
	return slices.Concat(newestFirst...), nil
}

// InsertExchanges keeps calls with the recordings that they belong to.
func (s *Store) InsertExchanges(ctx context.Context, records []*call.Record) error {
	tx, err := s.definitions.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin: %w", err)
	}
	w, err := newExchangeWriter(ctx, tx)
	if err != nil {
		return errors.Join(err, tx.Rollback())
	}
	for _, r := range records {
		if err := w.insert(ctx, r.Recording, recording.Of(r)); err != nil {
			return errors.Join(err, tx.Rollback())
		}
	}
	return tx.Commit()
}

// largeRecorded is from which size on, in bytes, a body has a row of its own.
const largeRecorded = 256

// exchangeWriter keeps recorded calls within a transaction.
type exchangeWriter struct {
	tx     *sqlx.Tx
	add    *sqlx.Stmt
	exists map[string]bool // which recordings there are, as far as was asked
}

func newExchangeWriter(ctx context.Context, tx *sqlx.Tx) (*exchangeWriter, error) {
	add, err := tx.PreparexContext(ctx, `INSERT INTO exchanges (recording_id, number, path, document, request_body, answer_body, coded_body) VALUES (?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT DO NOTHING`) // closed with the transaction
	if err != nil {
		return nil, fmt.Errorf("prepare to keep recorded calls: %w", err)
	}
	return &exchangeWriter{tx: tx, add: add, exists: make(map[string]bool)}, nil
}

// insert keeps a recorded call. One whose recording is gone is nobody's.
func (w *exchangeWriter) insert(ctx context.Context, recordingID string, x recording.Exchange) error {
	exists, known := w.exists[recordingID]
	if !known {
		if err := w.tx.GetContext(ctx, &exists, `SELECT count(*) > 0 FROM recordings WHERE id = ?`, recordingID); err != nil {
			return err
		}
		w.exists[recordingID] = exists
	}
	if !exists {
		return nil
	}
	hashes := make([][]byte, 3)
	var wire call.Wire
	if x.Wire != nil {
		wire = *x.Wire
		x.Wire = &wire
	}
	x.Size = len(x.Answer)
	for i, body := range []*[]byte{&x.Body, &x.Answer, &wire.Coded} {
		if len(*body) < largeRecorded {
			continue
		}
		sum := sha256.Sum256(*body)
		hashes[i] = sum[:]
		if _, err := w.tx.ExecContext(ctx, `INSERT INTO recorded_bodies (hash, bytes) VALUES (?, ?) ON CONFLICT DO NOTHING`, sum[:], *body); err != nil {
			return fmt.Errorf("keep recorded body: %w", err)
		}
		*body = nil
	}
	document, err := json.Marshal(x)
	if err != nil {
		return fmt.Errorf("write recorded call: %w", err)
	}
	_, err = w.add.ExecContext(ctx, recordingID, x.Number, x.Path, document, hashes[0], hashes[1], hashes[2])
	if err != nil {
		return fmt.Errorf("keep recorded call: %w", err)
	}
	return nil
}

// dropRecordedBodies removes bodies that no recorded call has any more.
func dropRecordedBodies(ctx context.Context, db sqlx.ExtContext) error {
	_, err := db.ExecContext(ctx, `DELETE FROM recorded_bodies WHERE hash NOT IN (SELECT request_body FROM exchanges WHERE request_body IS NOT NULL
		UNION SELECT answer_body FROM exchanges WHERE answer_body IS NOT NULL UNION SELECT coded_body FROM exchanges WHERE coded_body IS NOT NULL)`)
	if err != nil {
		return fmt.Errorf("remove recorded bodies: %w", err)
	}
	return nil
}

// putExchanges keeps the calls that a recording was made with.
func putExchanges(ctx context.Context, tx *sqlx.Tx, change catalog.Change) error {
	if len(change.Exchanges) == 0 {
		return nil
	}
	w, err := newExchangeWriter(ctx, tx)
	if err != nil {
		return err
	}
	for _, x := range change.Exchanges {
		if err := w.insert(ctx, change.Recordings[0].Recording.ID, x); err != nil {
			return err
		}
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
	if err := putExchanges(ctx, tx, change); err != nil {
		return err
	}
	for _, r := range change.RemoveRecordings {
		if _, err := tx.ExecContext(ctx, `UPDATE recordings SET removed = ? WHERE id = ?`, time.Now().UnixMicro(), r.Recording.ID); err != nil {
			return fmt.Errorf("remove recording %s: %w", r.Recording.ID, err)
		}
	}
	for _, r := range change.RestoreRecordings {
		if _, err := tx.ExecContext(ctx, `UPDATE recordings SET removed = NULL WHERE id = ?`, r.Recording.ID); err != nil {
			return fmt.Errorf("bring recording %s back: %w", r.Recording.ID, err)
		}
	}
	return nil
}
