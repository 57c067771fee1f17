package store

import (
	"bytes"
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/spec/problem"
)

// ListCalls returns calls the newest first: at most limit of those with a
// number below before (0 for no bound).
func (s *Store) ListCalls(ctx context.Context, f call.Filter, before uint64, limit int) (found []call.Summary, err error) {
	below := int64(math.MaxInt64)
	if before > 0 {
		below = int64(before)
	}
	selection, err := f.Compile()
	if err != nil {
		return nil, err
	}
	bodies, err := s.contentsWith(ctx, selection.Bodies)
	if err != nil {
		return nil, err
	}
	err = s.eachBlock(ctx, `first < ? AND last > ? ORDER BY last DESC`, []any{below, int64(f.After)}, func(last int64, block *blockReader) (more bool, err error) {
		if len(found) == limit && int64(found[limit-1].Number) > last {
			return false, nil // calls of one block can come between those of another
		}
		err = block.each(func(e callEntry) bool {
			if line := e.summary(); e.number < below && selection.Fits(&line, func(place int) bool { return e.holds(bodies[place]) }) {
				found = append(found, line)
			}
			return true
		})
		slices.SortFunc(found, func(a, b call.Summary) int { return cmp.Compare(b.Number, a.Number) })
		found = found[:min(len(found), limit)]
		return true, err
	})
	if err != nil {
		return nil, fmt.Errorf("list calls: %w", err)
	}
	return found, nil
}

// contentsWith finds, for each text, the contents in which it occurs. SQLite's own
// search is several times as slow.
func (s *Store) contentsWith(ctx context.Context, texts []string) (found []map[int64]bool, err error) {
	if len(texts) == 0 {
		return nil, nil
	}
	for range texts {
		found = append(found, make(map[int64]bool))
	}
	rows, err := s.read.QueryContext(ctx, `SELECT id, sizes, data FROM contents`)
	if err != nil {
		return nil, fmt.Errorf("search bodies: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var p pack
		if err := rows.Scan(&p.First, (*sql.RawBytes)(&p.Sizes), (*sql.RawBytes)(&p.Data)); err != nil {
			return nil, fmt.Errorf("search bodies: %w", err)
		}
		for i, text := range texts {
			if !bytes.Contains(p.Data, []byte(text)) {
				continue
			}
			err := p.each(func(id int64, data []byte) bool {
				if bytes.Contains(data, []byte(text)) {
					found[i][id] = true
				}
				return true
			})
			if err != nil {
				return nil, fmt.Errorf("search bodies: %w", err)
			}
		}
	}
	return found, rows.Err()
}

// holds reports whether one of the bodies of a call is among contents.
func (e *callEntry) holds(contents map[int64]bool) bool {
	return contents[e.contents[partRequestBody]] || contents[e.contents[partAnswerBody]]
}

// eachBlock reads the blocks that a condition selects, until visit wants no more.
func (s *Store) eachBlock(ctx context.Context, where string, args []any, visit func(last int64, block *blockReader) (more bool, err error)) error {
	rows, err := s.read.QueryContext(ctx, `SELECT last, data FROM call_blocks WHERE `+where, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var last int64
		var data sql.RawBytes
		if err := rows.Scan(&last, &data); err != nil {
			return err
		}
		block, err := readBlock(string(data))
		if err != nil {
			return err
		}
		if more, err := visit(last, block); !more || err != nil {
			return err
		}
	}
	return rows.Err()
}

// Call returns one call, whole.
func (s *Store) Call(ctx context.Context, number uint64) (*call.Record, error) {
	var found *callEntry
	err := s.eachBlock(ctx, `last BETWEEN ?1 AND ?1 + ?2 AND first <= ?1`, []any{int64(number), blockSpan}, func(_ int64, block *blockReader) (bool, error) {
		err := block.each(func(e callEntry) bool {
			if e.number == int64(number) {
				found = &e
			}
			return found == nil
		})
		return found == nil, err
	})
	if err != nil {
		return nil, fmt.Errorf("read call: %w", err)
	}
	if found == nil {
		return nil, problem.New(problem.NotFound, "call %s is not in the log", call.ID(number))
	}
	parts, err := readParts(ctx, s.read, found.contents)
	if err != nil {
		return nil, fmt.Errorf("read contents of call: %w", err)
	}
	record := found.record()
	addParts(record, parts)
	return record, nil
}

// Settings of the call log: when the newest call came that retention has removed, when
// the newest one that was cleared, and when that was done, since when calls are being
// written, and until when some are missing; times in Unix microseconds.
const (
	trimmedKey = "last call trimmed at"
	clearedKey = "last call cleared at"
	beginsKey  = "the log begins"
	writingKey = "calls are written"
	missingKey = "calls missing until"
	// reservedKey is the highest number that may have been given.
	reservedKey = "call numbers given up to"
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

// Trimmed tells when the newest call came that retention has removed; zero for none.
func (s *Store) Trimmed(ctx context.Context) (time.Time, error) { return s.moment(ctx, trimmedKey) }

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

// EndRun notes that all calls were written but those that are missing until a time,
// zero for none, and the highest number that was given.
func (s *Store) EndRun(ctx context.Context, missing time.Time, given uint64) error {
	if err := s.ReserveNumbers(ctx, given); err != nil {
		return err
	}
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

// ReserveNumbers keeps that numbers of calls up to one may have been given.
func (s *Store) ReserveNumbers(ctx context.Context, upTo uint64) error {
	if _, err := s.definitions.ExecContext(ctx, `INSERT OR REPLACE INTO settings (key, value) VALUES (?, ?)`, reservedKey, int64(upTo)); err != nil {
		return fmt.Errorf("reserve numbers of calls: %w", err)
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
	err = s.read.GetContext(ctx, &row, `SELECT (SELECT coalesce(sum(calls), 0) FROM call_blocks) AS count, max((SELECT coalesce(max(last), 0) FROM call_blocks),
		(SELECT coalesce(max(CAST(value AS INTEGER)), 0) FROM settings WHERE key IN ('highest call cleared', '`+reservedKey+`'))) AS highest`)
	if err != nil {
		return 0, 0, fmt.Errorf("count calls: %w", err)
	}
	return row.Count, uint64(row.Highest), nil
}

func addParts(record *call.Record, parts [partCount][]byte) {
	record.Request.Header = call.Header{}
	for _, f := range parseLines(parts[partRequestHeaders]) {
		record.Request.Header[f.Name] = append(record.Request.Header[f.Name], f.Value)
	}
	body := &record.Request.Body
	body.Bytes = parts[partRequestBody]
	body.Truncated = body.Size > int64(len(body.Bytes))
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
		record.Explanation, _ = call.ReadExplanation(text) // the call is worth showing without it
	}
}
