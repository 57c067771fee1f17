package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"rapidmimic/internal/core/call"
	"rapidmimic/spec/problem"
)

type callRow struct {
	Number  int64  `db:"number"`
	At      int64  `db:"at"`
	Service string `db:"service"`
	Line    string `db:"line"`
	Detail  []byte `db:"detail"`
}

// ListCalls returns calls the newest first: at most limit of those with a
// number below before (0 for no bound).
func (s *Store) ListCalls(ctx context.Context, f call.Filter, before uint64, limit int) ([]call.Summary, error) {
	where, args := []string{"1"}, []any{}
	if before > 0 {
		where, args = append(where, "number < ?"), append(args, int64(before))
	}
	if f.Service != "" {
		where, args = append(where, "service = ?"), append(args, f.Service)
	}
	switch f.Lane {
	case "":
	case call.NoLane:
		where, args = append(where, `instr(line, ?) <> 1`), append(args, f.LineStart())
	default:
		where, args = append(where, `instr(line, ?) = 1`), append(args, f.LineStart())
	}
	for _, word := range f.Words() {
		where = append(where, `instr(lower(line), ?) > 0`)
		args = append(args, word)
	}
	query := `SELECT ` + callColumns + ` FROM calls WHERE ` + strings.Join(where, " AND ") + ` ORDER BY number DESC LIMIT ?`
	var rows []callRow
	if err := s.read.SelectContext(ctx, &rows, query, append(args, limit)...); err != nil {
		return nil, fmt.Errorf("list calls: %w", err)
	}
	lines := make([]call.Summary, len(rows))
	for i := range rows {
		record, _, beside, err := rows[i].record()
		if err != nil {
			return nil, err
		}
		lines[i] = record.Summary()
		lines[i].Deviations, lines[i].Injected = int(beside.deviations), beside.injected
	}
	return lines, nil
}

// Call returns one call, whole.
func (s *Store) Call(ctx context.Context, number uint64) (*call.Record, error) {
	var row callRow
	err := s.read.GetContext(ctx, &row, `SELECT `+callColumns+` FROM calls WHERE number = ?`, int64(number))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.NotFound, "call %s is not in the log", call.ID(number))
	}
	if err != nil {
		return nil, fmt.Errorf("read call: %w", err)
	}
	record, contents, _, err := row.record()
	if err != nil {
		return nil, err
	}
	parts, err := s.contents(ctx, contents)
	if err != nil {
		return nil, fmt.Errorf("read contents of call: %w", err)
	}
	addParts(record, parts)
	return record, nil
}

// contents reads the parts of a call.
func (s *Store) contents(ctx context.Context, ids [partCount]int64) (parts [partCount][]byte, err error) {
	for i, id := range ids {
		if id == 0 {
			continue
		}
		if err := s.read.GetContext(ctx, &parts[i], `SELECT data FROM contents WHERE id = ?`, id); err != nil && !errors.Is(err, sql.ErrNoRows) {
			return parts, err
		}
	}
	return parts, nil
}

// FirstCall tells when the oldest call came; zero without any.
func (s *Store) FirstCall(ctx context.Context) (time.Time, error) {
	var at sql.NullInt64
	if err := s.read.GetContext(ctx, &at, `SELECT at FROM calls ORDER BY number LIMIT 1`); err != nil && !errors.Is(err, sql.ErrNoRows) {
		return time.Time{}, fmt.Errorf("read first call: %w", err)
	}
	if !at.Valid {
		return time.Time{}, nil
	}
	return time.UnixMicro(at.Int64), nil
}

// Settings of the call log: when the newest call came that was cleared, and when that
// was done, since when calls are being written, and until when some are missing;
// times in Unix microseconds.
const (
	clearedKey = "last call cleared at"
	beginsKey  = "the log begins"
	writingKey = "calls are written"
	missingKey = "calls missing until"
)

// moment reads a setting that is a time; zero where it is not there.
func (s *Store) moment(ctx context.Context, key string) (time.Time, error) {
	var at []int64
	if err := s.definitions.SelectContext(ctx, &at, `SELECT CAST(value AS INTEGER) FROM settings WHERE key = ?`, key); err != nil {
		return time.Time{}, fmt.Errorf("read setting %q: %w", key, err)
	}
	if len(at) == 0 {
		return time.Time{}, nil
	}
	return time.UnixMicro(at[0]), nil
}

// Cleared tells when the newest call came that was cleared, and when the log was
// cleared; zero for never.
func (s *Store) Cleared(ctx context.Context) (last, at time.Time, err error) {
	if last, err = s.moment(ctx, clearedKey); err == nil {
		at, err = s.moment(ctx, beginsKey)
	}
	return last, at, err
}

// BeginRun notes that calls are written from now on. It tells until when calls of
// earlier runs are missing; zero for never.
func (s *Store) BeginRun(ctx context.Context, now time.Time) (missing time.Time, err error) {
	if missing, err = s.moment(ctx, missingKey); err != nil {
		return missing, err
	}
	torn, err := s.moment(ctx, writingKey)
	if err == nil && !torn.IsZero() { // the last run did not come to EndRun
		missing = now
	}
	if err == nil {
		err = s.keepMoment(ctx, writingKey, now)
	}
	return missing, err
}

// EndRun notes that all calls were written but those that are missing until a time;
// zero for none.
func (s *Store) EndRun(ctx context.Context, missing time.Time) error {
	if !missing.IsZero() {
		if err := s.keepMoment(ctx, missingKey, missing); err != nil {
			return err
		}
	}
	if _, err := s.definitions.ExecContext(ctx, `DELETE FROM settings WHERE key = ?`, writingKey); err != nil {
		return fmt.Errorf("end the writing of calls: %w", err)
	}
	return nil
}

func (s *Store) keepMoment(ctx context.Context, key string, at time.Time) error {
	if _, err := s.definitions.ExecContext(ctx, `INSERT OR REPLACE INTO settings (key, value) VALUES (?, ?)`, key, at.UnixMicro()); err != nil {
		return fmt.Errorf("keep setting %q: %w", key, err)
	}
	return nil
}

// CountCalls returns how many calls are kept and the highest number used.
func (s *Store) CountCalls(ctx context.Context) (count int64, highest uint64, err error) {
	var row struct {
		Count   int64 `db:"count"`
		Highest int64 `db:"highest"`
	}
	err = s.read.GetContext(ctx, &row, `SELECT (SELECT count(*) FROM calls) AS count, max((SELECT coalesce(max(number), 0) FROM calls),
		(SELECT coalesce(max(CAST(value AS INTEGER)), 0) FROM settings WHERE key = 'highest call cleared')) AS highest`)
	if err != nil {
		return 0, 0, fmt.Errorf("count calls: %w", err)
	}
	return row.Count, uint64(row.Highest), nil
}

// lineOnly is what the line of a call says of contents that are not read for it.
type lineOnly struct {
	deviations int64
	injected   string
}

// record is the call without its contents, whose ids come beside it, as does
// what only its line says of them.
func (r *callRow) record() (record *call.Record, contents [partCount]int64, beside lineOnly, err error) {
	var d callDetail
	if err := d.parse(r.Detail); err != nil {
		return nil, contents, beside, fmt.Errorf("read call %s: %w", call.ID(uint64(r.Number)), err)
	}
	return &call.Record{
		Number: uint64(r.Number), At: time.UnixMicro(r.At), Service: r.Service,
		Request: call.Request{
			Method: d.method, Address: d.address, Path: d.path, Query: d.query, Host: d.host,
			Protocol: d.protocol, Caller: d.caller, Body: call.Body{Size: d.requestSize},
		},
		Answer: call.Answer{Status: int(d.status)},
		Lane:   d.lane, Scenario: d.scenario, AnswerSize: d.answerSize, Source: call.Source(d.source), By: d.by, Operation: d.operation,
		Read: d.read, Decide: d.decide, Wait: d.wait, Ask: d.ask, Send: d.send,
	}, d.contents, lineOnly{d.deviations, d.injected}, nil
}

func addParts(record *call.Record, parts [partCount][]byte) {
	record.Request.Header = call.Header{}
	for _, f := range parseLines(parts[partRequestHeaders]) {
		record.Request.Header[f.Name] = append(record.Request.Header[f.Name], f.Value)
	}
	body := &record.Request.Body
	body.Bytes = parts[partRequestBody]
	body.Cut = body.Size > int64(len(body.Bytes))
	record.Answer.Header, record.Answer.Body = parseLines(parts[partAnswerHeaders]), parts[partAnswerBody]
	if text := parts[partDeviations]; len(text) > 0 && json.Unmarshal(text, &record.Deviations) != nil {
		record.Deviations = nil // the call is worth showing without them
	}
	if text := parts[partUpstream]; len(text) > 0 && json.Unmarshal(text, &record.Upstream) != nil {
		record.Upstream = nil // the call is worth showing without it
	}
	if text := parts[partInjected]; len(text) > 0 && json.Unmarshal(text, &record.Injected) != nil {
		record.Injected = nil // likewise
	}
	if text := parts[partExplanation]; len(text) > 0 {
		record.Explanation = &call.Explanation{}
		if json.Unmarshal(text, record.Explanation) != nil {
			record.Explanation = nil // the call is worth showing without it
		}
	}
}
