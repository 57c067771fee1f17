package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/jmoiron/sqlx"

	"rapidmimic/internal/core/call"
)

// callWriter inserts calls in batches over a connection of its own. What
// repeats (headers, bodies, explanations) is stored once: contents holds each
// text, calls refer to it.
//
// It is used from one goroutine at a time.
type callWriter struct {
	db     *sqlx.DB
	many   *sql.Stmt // inserts rowsPerInsert calls
	one    *sql.Stmt
	store  *sql.Stmt                   // inserts a content
	known  map[[sha256.Size]byte]int64 // ids of contents
	shared map[*call.Explanation]int64 // ids of explanations that calls share
	nextID int64
	high   uint64 // highest call number so far
	since  uint64 // high when known was last emptied
	args   []any
}

const (
	rowsPerInsert = 25
	// reuseWindow is for how many call numbers a stored content is reused. A
	// content may go when the calls that far beyond it have gone.
	reuseWindow = 20_000
	maxKnown    = 8_192
)

var callColumns = []string{
	"number", "at", "service", "method", "address", "path", "query", "host", "protocol", "caller",
	"status", "source", "answered_by", "read_ns", "decide_ns", "send_ns", "explanation",
	"request_headers", "request_body", "request_size", "answer_headers", "answer_body", "answer_size",
}

func newCallWriter(ctx context.Context, db *sqlx.DB) (*callWriter, error) {
	w := &callWriter{db: db}
	w.forget()
	row := "(?" + strings.Repeat(", ?", len(callColumns)-1) + ")"
	insert := "INSERT INTO calls (" + strings.Join(callColumns, ", ") + ") VALUES " + row
	var err error
	for _, p := range []struct {
		into *(*sql.Stmt)
		text string
	}{
		{&w.one, insert},
		{&w.many, insert + strings.Repeat(", "+row, rowsPerInsert-1)},
		{&w.store, "INSERT INTO contents (id, stored_by, size, data) VALUES (?, ?, ?, ?)"},
	} {
		if *p.into, err = db.PrepareContext(ctx, p.text); err != nil {
			return nil, errors.Join(fmt.Errorf("prepare call writer: %w", err), db.Close())
		}
	}
	if err := db.GetContext(ctx, &w.nextID, `SELECT coalesce(max(id), 0) + 1 FROM contents`); err != nil {
		return nil, errors.Join(fmt.Errorf("read contents: %w", err), db.Close())
	}
	return w, nil
}

func (w *callWriter) close() error {
	return errors.Join(w.one.Close(), w.many.Close(), w.store.Close(), w.db.Close())
}

func (w *callWriter) forget() {
	w.known = make(map[[sha256.Size]byte]int64)
	w.shared = make(map[*call.Explanation]int64)
	w.since = w.high
}

// InsertCalls keeps all records or, on an error, none.
func (s *Store) InsertCalls(ctx context.Context, records []*call.Record) error {
	if err := s.calls.insert(ctx, records); err != nil {
		s.calls.forget() // contents of the failed transaction do not exist
		return fmt.Errorf("keep %d calls: %w", len(records), err)
	}
	return nil
}

func (w *callWriter) insert(ctx context.Context, records []*call.Record) error {
	for _, r := range records {
		w.high = max(w.high, r.Number)
	}
	if w.high-w.since > reuseWindow || max(len(w.known), len(w.shared)) > maxKnown {
		w.forget()
	}
	tx, err := w.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	if err := w.insertIn(ctx, tx, records); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	return tx.Commit()
}

func (w *callWriter) insertIn(ctx context.Context, tx *sql.Tx, records []*call.Record) error {
	store := tx.StmtContext(ctx, w.store)
	for batch := range slices.Chunk(records, rowsPerInsert) {
		w.args = w.args[:0]
		for _, r := range batch {
			if err := w.appendRow(ctx, store, r); err != nil {
				return err
			}
		}
		if len(batch) == rowsPerInsert {
			if _, err := tx.StmtContext(ctx, w.many).ExecContext(ctx, w.args...); err != nil {
				return err
			}
			continue
		}
		one := tx.StmtContext(ctx, w.one)
		for row := range slices.Chunk(w.args, len(callColumns)) {
			if _, err := one.ExecContext(ctx, row...); err != nil {
				return err
			}
		}
	}
	return nil
}

// appendRow appends the values of callColumns, storing the contents first.
func (w *callWriter) appendRow(ctx context.Context, store *sql.Stmt, r *call.Record) error {
	var ids [5]int64
	var err error
	keep := func(i int, data []byte) {
		if err == nil {
			ids[i], err = w.content(ctx, store, data)
		}
	}
	if id, ok := w.shared[r.Explanation]; ok {
		ids[0] = id
	} else if r.Explanation != nil {
		text, _ := json.Marshal(r.Explanation) // plain structs always marshal
		keep(0, text)
		w.shared[r.Explanation] = ids[0]
	}
	keep(1, appendHeader(nil, r.Request.Header))
	keep(2, r.Request.Body.Bytes)
	keep(3, appendFields(nil, r.Answer.Header))
	keep(4, r.Answer.Body)
	if err != nil {
		return fmt.Errorf("keep contents: %w", err)
	}
	q := &r.Request
	w.args = append(w.args,
		int64(r.Number), r.At.UnixMicro(), r.Service, q.Method, q.Address, q.Path, q.Query, q.Host, q.Protocol, q.Caller,
		int64(r.Answer.Status), string(r.Source), r.By, int64(r.Read), int64(r.Decide), int64(r.Send), ids[0],
		ids[1], ids[2], q.Body.Size, ids[3], ids[4], r.AnswerSize)
	return nil
}

// content returns the id of a content, storing it when it is new. The empty
// content is 0.
func (w *callWriter) content(ctx context.Context, store *sql.Stmt, data []byte) (int64, error) {
	if len(data) == 0 {
		return 0, nil
	}
	key := sha256.Sum256(data)
	if have, ok := w.known[key]; ok {
		return have, nil
	}
	id := w.nextID
	if _, err := store.ExecContext(ctx, id, int64(w.high), len(data), data); err != nil {
		return 0, err
	}
	w.nextID++
	w.known[key] = id
	return id, nil
}

// Header sets are kept as "Name: value" lines.

func appendHeader(b []byte, h call.Header) []byte {
	names := make([]string, 0, len(h))
	for name := range h {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		for _, value := range h[name] {
			b = appendLine(b, name, value)
		}
	}
	return b
}

func appendFields(b []byte, fields []call.Field) []byte {
	for _, f := range fields {
		b = appendLine(b, f.Name, f.Value)
	}
	return b
}

func appendLine(b []byte, name, value string) []byte {
	b = append(b, name...)
	b = append(b, ": "...)
	b = append(b, value...)
	return append(b, '\n')
}

func parseLines(text []byte) (fields []call.Field) {
	for line := range strings.Lines(string(text)) {
		name, value, _ := strings.Cut(strings.TrimSuffix(line, "\n"), ": ")
		fields = append(fields, call.Field{Name: name, Value: value})
	}
	return fields
}

// TrimCalls removes the oldest calls until at most keep are left and the
// contents take at most maxBytes. It returns how many calls it removed.
func (s *Store) TrimCalls(ctx context.Context, keep int64, maxBytes int64) (removed int64, err error) {
	return s.calls.trim(ctx, keep, maxBytes)
}

func (w *callWriter) trim(ctx context.Context, keep, maxBytes int64) (int64, error) {
	var span struct {
		First sql.NullInt64 `db:"first"`
		Last  sql.NullInt64 `db:"last"`
	}
	if err := w.db.GetContext(ctx, &span, `SELECT (SELECT min(number) FROM calls) AS first, (SELECT max(number) FROM calls) AS last`); err != nil {
		return 0, fmt.Errorf("read extent of calls: %w", err)
	}
	if !span.Last.Valid {
		return 0, nil
	}
	upTo := span.Last.Int64 - keep
	var stored int64
	if err := w.db.GetContext(ctx, &stored, `SELECT coalesce(sum(size), 0) FROM contents`); err != nil {
		return 0, fmt.Errorf("measure calls: %w", err)
	}
	if stored > maxBytes { // the oldest tenth goes; the next round looks again
		upTo = max(upTo, span.First.Int64+(span.Last.Int64-span.First.Int64)/10)
		w.forget() // so that the contents of old calls are not held by new ones
	}
	if upTo < span.First.Int64 {
		return 0, nil
	}
	result, err := w.db.ExecContext(ctx, `DELETE FROM calls WHERE number <= ?`, upTo)
	if err != nil {
		return 0, fmt.Errorf("remove old calls: %w", err)
	}
	if _, err := w.db.ExecContext(ctx, `DELETE FROM contents WHERE stored_by <= ?`, upTo-reuseWindow); err != nil {
		return 0, fmt.Errorf("remove old contents: %w", err)
	}
	return result.RowsAffected()
}

// ClearCalls removes every call. Their numbers are not given again.
func (s *Store) ClearCalls(ctx context.Context) error {
	s.calls.forget()
	for _, statement := range []string{
		`INSERT INTO settings (key, value) SELECT 'highest call cleared', max(number) FROM calls HAVING max(number) > 0
			ON CONFLICT (key) DO UPDATE SET value = excluded.value`,
		`DELETE FROM calls`,
		`DELETE FROM contents`,
	} {
		if _, err := s.calls.db.ExecContext(ctx, statement); err != nil {
			return fmt.Errorf("clear calls: %w", err)
		}
	}
	return nil
}
