package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"hash/maphash"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/call"
)

// callWriter inserts calls in batches over a connection of its own. What
// repeats (headers, bodies, explanations) is stored once: contents holds each
// text, calls refer to it.
//
// It is used from one goroutine at a time.
type callWriter struct {
	db     *sqlx.DB
	conn   *rawConn
	block  *rawStmt             // inserts a block of calls
	store  *rawStmt             // inserts a pack of contents
	pack   pack                 // contents that are to be inserted
	known  map[contentKey]int64 // ids of contents
	shared map[any]int64        // ids of what calls share, by pointer
	bodies map[sharedBody]int64 // those of answers' bodies
	pinned int                  // bytes that bodies keeps in memory
	nextID int64
	high   uint64 // highest call number so far
	// since is high when known was last emptied, which began a generation: calls refer
	// to contents of their own generation only. bytes are those that it has stored,
	// most how many it may.
	since       uint64
	bytes, most int64
	// count is how many calls are kept, total how many bytes their contents take.
	count, total int64

	sharing sync.Mutex // guards what follows, which others read
	shares  map[callGroup]*share
	// rescued is up to which number the calls that stay are in blocks of their own.
	rescued int64
	// vanished is set when calls have left the log of which no group tells any more.
	vanished bool

	order []*call.Record // scratch, as are data, told, names and lines
	data  []byte
	told  []byte
	names []string
	lines []byte
}

const (
	// blockCalls is how many calls a block has at most. To show one call its block is
	// read.
	blockCalls = 64
	// blockSpan bounds how far the numbers of a block lie apart: a call that took long
	// is in one of its own, so that a call can be found by its number.
	blockSpan = 1_024
	// reuseWindow is for how many call numbers a stored content is reused: it bounds a
	// generation of contents, which goes when the calls up to the next one have gone.
	reuseWindow = 20_000
	maxKnown    = 8_192
	// generations is into how many of them the bytes that are kept are parted at least.
	generations = 10
	// maxPinned bounds the bodies that are remembered by pointer, and so kept
	// from being collected. Those of mappings are in memory anyway, generated
	// ones are not.
	maxPinned = 16 << 20
)

// newCallWriter takes over db, which has two connections: one to write calls
// over, one for the rest.
func newCallWriter(ctx context.Context, db *sqlx.DB) (*callWriter, error) {
	w := &callWriter{db: db, most: math.MaxInt64}
	if err := w.prepare(ctx); err != nil {
		return nil, errors.Join(fmt.Errorf("prepare call writer: %w", err), w.close())
	}
	w.forget()
	return w, nil
}

func (w *callWriter) prepare(ctx context.Context) (err error) {
	if w.conn, err = openRaw(ctx, w.db.DB); err != nil {
		return err
	}
	if w.block, err = w.conn.prepare(ctx, "INSERT INTO call_blocks (last, first, calls, newest, data) VALUES (?, ?, ?, ?, ?)"); err != nil {
		return err
	}
	if w.store, err = w.conn.prepare(ctx, insertPack); err != nil {
		return err
	}
	if err := w.db.GetContext(ctx, &w.high, `SELECT coalesce(max(last), 0) FROM call_blocks`); err != nil {
		return err
	}
	if err := errors.Join(w.measure(ctx), w.noteAll(ctx)); err != nil {
		return err
	}
	var newest pack
	if err := w.db.GetContext(ctx, &newest, `SELECT id, sizes, data FROM contents ORDER BY id DESC LIMIT 1`); err != nil && !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	return newest.each(func(id int64, _ []byte) bool {
		w.nextID = id + 1
		return true
	})
}

// measure counts what is kept.
func (w *callWriter) measure(ctx context.Context) error {
	if err := w.db.GetContext(ctx, &w.count, `SELECT coalesce(sum(calls), 0) FROM call_blocks`); err != nil {
		return err
	}
	return w.db.GetContext(ctx, &w.total, `SELECT coalesce(sum(size), 0) FROM contents`)
}

func (w *callWriter) close() error {
	var all error
	for _, stmt := range []*rawStmt{w.block, w.store} {
		if stmt != nil {
			all = errors.Join(all, stmt.stmt.Close())
		}
	}
	if w.conn != nil {
		all = errors.Join(all, w.conn.conn.Close())
	}
	return errors.Join(all, w.db.Close())
}

func (w *callWriter) forget() {
	w.known = make(map[contentKey]int64)
	w.shared, w.bodies = make(map[any]int64), make(map[sharedBody]int64)
	w.since, w.pinned, w.bytes = w.high, 0, 0
	w.pack.empty()
}

// InsertCalls keeps all records or, on an error, none.
func (s *Store) InsertCalls(ctx context.Context, records []*call.Record) error {
	if err := s.Lost(); err != nil {
		return err
	}
	count, total := s.calls.count, s.calls.total
	if err := s.calls.insert(ctx, records); err != nil {
		s.calls.forget() // contents of the failed transaction do not exist
		s.calls.count, s.calls.total = count, total
		return inWords(fmt.Errorf("keep %d calls: %w", len(records), err), "calls are not kept")
	}
	return nil
}

func (w *callWriter) insert(ctx context.Context, records []*call.Record) error {
	if w.high-w.since > reuseWindow || w.bytes > w.most || max(len(w.known), len(w.shared), len(w.bodies)) > maxKnown || w.pinned > maxPinned {
		w.forget()
	}
	for _, r := range records {
		w.high = max(w.high, r.Number)
	}
	if err := w.conn.inTransaction(ctx, func() error { return w.insertAll(ctx, records) }); err != nil {
		return err
	}
	w.sharing.Lock()
	defer w.sharing.Unlock()
	for _, r := range records {
		w.note(r.Service, r.Lane, int64(r.Number), r.At.UnixMicro())
	}
	return nil
}

func (w *callWriter) insertAll(ctx context.Context, records []*call.Record) error {
	w.order = append(w.order[:0], records...)
	defer clear(w.order)
	slices.SortFunc(w.order, func(a, b *call.Record) int { return cmp.Compare(a.Number, b.Number) })
	for rest := w.order; len(rest) > 0; {
		count := 1
		for count < min(len(rest), blockCalls) && rest[count].Number-rest[0].Number < blockSpan {
			count++
		}
		if err := w.insertBlock(ctx, rest[:count]); err != nil {
			return err
		}
		rest = rest[count:]
	}
	return w.storePack(w.insertPack(ctx))
}

// insertBlock inserts a block of calls, which are in the order of their numbers.
func (w *callWriter) insertBlock(ctx context.Context, records []*call.Record) error {
	var before callEntry
	newest := records[0].At
	w.data = append(w.data[:0], blockVersion)
	for _, r := range records {
		entry := entryOf(r, w.keepContents(r))
		if len(w.pack.Data) >= packSize {
			if err := w.storePack(w.insertPack(ctx)); err != nil {
				return err
			}
		}
		w.data = appendEntry(w.data, &entry, &before)
		before = entry
		if r.At.After(newest) {
			newest = r.At
		}
	}
	first, last := records[0].Number, records[len(records)-1].Number
	w.count += int64(len(records))
	return w.block.exec(ctx, int64(last), int64(first), int64(len(records)), newest.UnixMicro(), w.data)
}

// keepContents packs what a call consists of, where it is new, and returns the ids.
func (w *callWriter) keepContents(r *call.Record) (ids [partCount]int64) {
	keep := func(part int, data []byte) { ids[part] = w.content(data) }
	// what other calls share is known by where it is, before anything is put together
	if r.Explanation != nil {
		if ids[partExplanation] = w.shared[r.Explanation]; ids[partExplanation] == 0 {
			w.told = r.Explanation.AppendJSON(w.told[:0])
			keep(partExplanation, w.told)
			w.shared[r.Explanation] = ids[partExplanation]
		}
	}
	if header := r.Answer.Header; len(header) > 0 {
		if ids[partAnswerHeaders] = w.shared[&header[0]]; ids[partAnswerHeaders] == 0 {
			keep(partAnswerHeaders, appendFields(nil, header))
			w.shared[&header[0]] = ids[partAnswerHeaders]
		}
	}
	if body := r.Answer.Body; len(body) > 0 {
		place := sharedBody{&body[0], len(body)} // one that was cut shares its beginning with the whole one
		if ids[partAnswerBody] = w.bodies[place]; ids[partAnswerBody] == 0 {
			w.pinned += len(body)
			keep(partAnswerBody, body)
			w.bodies[place] = ids[partAnswerBody]
		}
	}
	keep(partRequestHeaders, w.headerLines(r.Request.Header))
	keep(partRequestBody, r.Request.Body.Bytes)
	if len(r.Deviations) > 0 {
		keep(partDeviations, plainJSON(r.Deviations))
	}
	if r.Upstream != nil {
		keep(partUpstream, plainJSON(r.Upstream))
	}
	if len(r.Injected) > 0 {
		keep(partInjected, plainJSON(r.Injected))
	}
	return ids
}

func plainJSON(value any) []byte {
	text, _ := json.Marshal(value) // plain structs always marshal
	return text
}

type sharedBody struct {
	first  *byte
	length int
}

// contentKey tells contents apart for as long as the process runs: two that differ have the same key once
// in 2^128 cases, and nobody can bring that about, since the seeds are known to nobody.
type contentKey struct {
	first, second uint64
	length        int
}

var contentSeeds = [2]maphash.Seed{maphash.MakeSeed(), maphash.MakeSeed()}

func keyOf(data []byte) contentKey {
	return contentKey{maphash.Bytes(contentSeeds[0], data), maphash.Bytes(contentSeeds[1], data), len(data)}
}

// content returns the id of a content, packing it when it is new. The empty content is 0.
func (w *callWriter) content(data []byte) int64 {
	if len(data) == 0 {
		return 0
	}
	key := keyOf(data)
	if have, ok := w.known[key]; ok {
		return have
	}
	id := w.nextID
	w.pack.add(id, data)
	w.nextID++
	w.bytes += int64(len(data))
	w.total += int64(len(data))
	w.known[key] = id
	return id
}

const insertPack = "INSERT INTO contents (id, stored_by, size, data, sizes) VALUES (?, ?, ?, ?, ?)"

// insertPack inserts a pack over the connection that writes calls.
func (w *callWriter) insertPack(ctx context.Context) func(values ...any) error {
	return func(values ...any) error { return w.store.exec(ctx, values...) }
}

// storePack stores what is packed, in the transaction of insert.
func (w *callWriter) storePack(insert func(values ...any) error) error {
	p := &w.pack
	if len(p.Data) == 0 {
		return nil
	}
	var sizes any // none for one content alone
	if _, first := binary.Uvarint(p.Sizes); first < len(p.Sizes) {
		sizes = p.Sizes
	}
	if err := insert(p.First, int64(w.since), int64(len(p.Data)), p.Data, sizes); err != nil {
		return fmt.Errorf("keep contents: %w", err)
	}
	p.empty()
	return nil
}

// Header sets are kept as "Name: value" lines.

func (w *callWriter) headerLines(h call.Header) []byte {
	w.names = w.names[:0]
	for name := range h {
		w.names = append(w.names, name)
	}
	slices.Sort(w.names)
	w.lines = w.lines[:0]
	for _, name := range w.names {
		for _, value := range h[name] {
			w.lines = appendLine(w.lines, name, value)
		}
	}
	return w.lines
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

// TrimCalls removes the oldest calls until not many more than keep are left and the
// contents take at most maxBytes. It returns how many calls it removed.
func (s *Store) TrimCalls(ctx context.Context, keep int64, maxBytes int64) (removed int64, err error) {
	return s.calls.trim(ctx, keep, maxBytes)
}

func (w *callWriter) trim(ctx context.Context, keep, maxBytes int64) (int64, error) {
	w.most = maxBytes / generations
	var byBytes, byCount int64
	var err error
	if w.total > maxBytes {
		byBytes, err = w.excess(ctx, maxBytes)
	}
	if err == nil && w.count > keep {
		byCount, err = w.beyond(ctx, w.count-keep)
	}
	upTo := max(byCount, byBytes)
	if err != nil || upTo == 0 {
		return 0, err
	}
	removed, err := w.removeUpTo(ctx, upTo, w.mostOwn(keep), maxBytes/4/int64(max(1, len(w.shares))))
	if err == nil {
		err = w.shrink(ctx, maxBytes)
	}
	return removed, err
}

// beyond is up to which call the oldest have to go that are too many; 0 for none.
// Blocks go whole, so a few stay. Numbers do not tell: some were never given to a call.
func (w *callWriter) beyond(ctx context.Context, tooMany int64) (upTo int64, err error) {
	rows, err := w.db.QueryContext(ctx, `SELECT last, calls FROM call_blocks WHERE kept_by = 0 ORDER BY last`)
	if err != nil {
		return 0, fmt.Errorf("count calls: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var last, calls int64
		if err := rows.Scan(&last, &calls); err != nil {
			return 0, fmt.Errorf("count calls: %w", err)
		}
		if tooMany -= calls; tooMany < 0 {
			break
		}
		upTo = last
	}
	return upTo, rows.Err()
}

// shrink gives space of the file back, bit by bit, where much of it is free: some is
// used again soon.
func (w *callWriter) shrink(ctx context.Context, maxBytes int64) error {
	var free struct {
		Pages int64 `db:"freelist_count"`
	}
	if err := w.db.GetContext(ctx, &free, `PRAGMA freelist_count`); err != nil {
		return fmt.Errorf("measure the free space: %w", err)
	}
	const page = 4_096
	if free.Pages*page < max(maxBytes/4, 1<<20) {
		return nil
	}
	if _, err := w.db.ExecContext(ctx, `PRAGMA incremental_vacuum(2000)`); err != nil { // pages
		return fmt.Errorf("give back the space of old calls: %w", err)
	}
	return nil
}

// excess is up to which call the oldest generations have to go so that the contents
// take at most maxBytes; 0 for none.
func (w *callWriter) excess(ctx context.Context, maxBytes int64) (upTo int64, err error) {
	var sizes []struct {
		Since int64 `db:"stored_by"`
		Bytes int64 `db:"bytes"`
	}
	if err := w.db.SelectContext(ctx, &sizes, `SELECT stored_by, sum(size) AS bytes FROM contents GROUP BY stored_by ORDER BY stored_by`); err != nil {
		return 0, fmt.Errorf("measure calls: %w", err)
	}
	stored := int64(0)
	for _, generation := range sizes {
		stored += generation.Bytes
	}
	for i := 0; stored > maxBytes && i+1 < len(sizes); i++ {
		stored -= sizes[i].Bytes
		upTo = sizes[i+1].Since
	}
	if stored > maxBytes { // the present one alone: it ends here, and goes in the next round
		w.forget()
	}
	return upTo, nil
}

// removeUpTo removes the blocks of calls up to a number, and notes from when they
// were. Each group keeps its own last calls, at most so many, of so many bytes together.
func (w *callWriter) removeUpTo(ctx context.Context, upTo int64, mostOwn int, mostBytes int64) (removed int64, err error) {
	count, total := w.count, w.total
	done, freed, err := w.removeIn(ctx, upTo, mostOwn, mostBytes)
	if err != nil {
		w.forget() // contents of the failed transaction do not exist
		w.count, w.total = count, total
		return 0, fmt.Errorf("remove old calls: %w", err)
	}
	w.settle(done, upTo, mostOwn)
	w.count, w.total = w.count-done.removed, w.total-freed
	return done.removed, nil
}

func (w *callWriter) removeIn(ctx context.Context, upTo int64, mostOwn int, mostBytes int64) (done rescued, freed int64, err error) {
	tx, err := w.db.BeginTxx(ctx, nil)
	if err != nil {
		return done, 0, err
	}
	defer func() { _ = tx.Rollback() }() // nothing to do after a commit
	var boundary int64                   // the generation that the first call belongs to which stays
	if err := tx.GetContext(ctx, &boundary, `SELECT coalesce(max(stored_by), 0) FROM contents WHERE stored_by <= ?`, upTo); err != nil {
		return done, 0, err
	}
	if _, err := tx.ExecContext(ctx, `INSERT INTO settings (key, value) SELECT '`+trimmedKey+`', max(newest) FROM call_blocks WHERE last <= ? AND kept_by = 0 HAVING max(last) > 0
		ON CONFLICT (key) DO UPDATE SET value = max(value, excluded.value)`, upTo); err != nil {
		return done, 0, err
	}
	if done, err = w.rescue(ctx, tx, upTo, boundary, mostOwn, mostBytes); err != nil {
		return done, 0, err
	}
	if err := tx.GetContext(ctx, &freed, `SELECT coalesce(sum(size), 0) FROM contents WHERE stored_by < ?`, boundary); err != nil {
		return done, 0, err
	}
	if _, err := tx.ExecContext(ctx, `DELETE FROM contents WHERE stored_by < ?`, boundary); err != nil {
		return done, 0, err
	}
	return done, freed, tx.Commit()
}

// ClearCalls removes every call. Their numbers are not given again.
func (s *Store) ClearCalls(ctx context.Context, now time.Time) error {
	s.calls.forget()
	s.calls.count, s.calls.total = 0, 0
	s.calls.sharing.Lock()
	clear(s.calls.shares)
	s.calls.vanished = false // that the log was cleared is told on its own
	s.calls.sharing.Unlock()
	for _, statement := range []string{
		`INSERT INTO settings (key, value) SELECT 'highest call cleared', max(last) FROM call_blocks HAVING max(last) > 0
			ON CONFLICT (key) DO UPDATE SET value = excluded.value`,
		`INSERT INTO settings (key, value) SELECT '` + clearedKey + `', max(newest) FROM call_blocks HAVING max(last) > 0
			ON CONFLICT (key) DO UPDATE SET value = excluded.value`,
		`DELETE FROM call_blocks`,
		`DELETE FROM contents`,
	} {
		if _, err := s.calls.db.ExecContext(ctx, statement); err != nil {
			return fmt.Errorf("clear calls: %w", err)
		}
	}
	return s.keepMoment(ctx, beginsKey, now)
}
