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
	Number         int64  `db:"number"`
	At             int64  `db:"at"`
	Service        string `db:"service"`
	Method         string `db:"method"`
	Address        string `db:"address"`
	Path           string `db:"path"`
	Query          string `db:"query"`
	Host           string `db:"host"`
	Protocol       string `db:"protocol"`
	Caller         string `db:"caller"`
	Status         int    `db:"status"`
	Source         string `db:"source"`
	By             string `db:"answered_by"`
	ReadNS         int64  `db:"read_ns"`
	DecideNS       int64  `db:"decide_ns"`
	SendNS         int64  `db:"send_ns"`
	RequestSize    int64  `db:"request_size"`
	AnswerSize     int64  `db:"answer_size"`
	Explanation    []byte `db:"explanation_data"`
	RequestHeaders []byte `db:"request_headers_data"`
	RequestBody    []byte `db:"request_body_data"`
	AnswerHeaders  []byte `db:"answer_headers_data"`
	AnswerBody     []byte `db:"answer_body_data"`
}

const plainColumns = `number, at, service, method, address, path, query, host, protocol, caller, status, source,
	answered_by, read_ns, decide_ns, send_ns, request_size, answer_size`

// ListCalls returns calls the newest first, without headers, bodies and
// explanations: at most limit of those with a number below before (0 for no
// bound).
func (s *Store) ListCalls(ctx context.Context, f call.Filter, before uint64, limit int) ([]*call.Record, error) {
	where, args := []string{"1"}, []any{}
	if before > 0 {
		where, args = append(where, "number < ?"), append(args, int64(before))
	}
	if f.Service != "" {
		where, args = append(where, "service = ?"), append(args, f.Service)
	}
	for _, word := range f.Words() { // the text is that of call.Record.Line
		where = append(where, `instr(lower(method || ' /' || service || path || iif(query = '', '', '?' || query)
			|| ' ' || status || ' ' || source || ' ' || answered_by), ?) > 0`)
		args = append(args, word)
	}
	query := `SELECT ` + plainColumns + ` FROM calls WHERE ` + strings.Join(where, " AND ") + ` ORDER BY number DESC LIMIT ?`
	var rows []callRow
	if err := s.read.SelectContext(ctx, &rows, query, append(args, limit)...); err != nil {
		return nil, fmt.Errorf("list calls: %w", err)
	}
	records := make([]*call.Record, len(rows))
	for i := range rows {
		records[i] = rows[i].record()
	}
	return records, nil
}

// Call returns one call, whole.
func (s *Store) Call(ctx context.Context, number uint64) (*call.Record, error) {
	var row callRow
	query := `SELECT ` + plainColumns
	for _, column := range []string{"explanation", "request_headers", "request_body", "answer_headers", "answer_body"} {
		query += `, (SELECT data FROM contents WHERE id = calls.` + column + `) AS ` + column + `_data`
	}
	err := s.read.GetContext(ctx, &row, query+` FROM calls WHERE number = ?`, int64(number))
	if errors.Is(err, sql.ErrNoRows) {
		return nil, problem.New(problem.NotFound, "call %s is not in the log", call.ID(number))
	}
	if err != nil {
		return nil, fmt.Errorf("read call: %w", err)
	}
	return row.record(), nil
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

func (r *callRow) record() *call.Record {
	record := &call.Record{
		Number: uint64(r.Number), At: time.UnixMicro(r.At), Service: r.Service,
		Request: call.Request{
			Method: r.Method, Address: r.Address, Path: r.Path, Query: r.Query, Host: r.Host,
			Protocol: r.Protocol, Caller: r.Caller, Header: call.Header{},
			Body: call.Body{Bytes: r.RequestBody, Size: r.RequestSize, Cut: r.RequestSize > int64(len(r.RequestBody))},
		},
		Answer: call.Answer{Status: r.Status, Header: parseLines(r.AnswerHeaders), Body: r.AnswerBody}, AnswerSize: r.AnswerSize,
		Source: call.Source(r.Source), By: r.By,
		Read: time.Duration(r.ReadNS), Decide: time.Duration(r.DecideNS), Send: time.Duration(r.SendNS),
	}
	for _, f := range parseLines(r.RequestHeaders) {
		record.Request.Header[f.Name] = append(record.Request.Header[f.Name], f.Value)
	}
	if len(r.Explanation) > 0 {
		record.Explanation = &call.Explanation{}
		if json.Unmarshal(r.Explanation, record.Explanation) != nil {
			record.Explanation = nil // written by an older version; the call is still worth showing
		}
	}
	return record
}
