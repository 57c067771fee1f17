package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/spec/problem"
)

const (
	// headsKept is how many items of an entry can be listed without reading all of it.
	headsKept = 12
	// packedFrom is from how many bytes on documents are packed: an edit should not pay for
	// what hardly saves anything.
	packedFrom = 16 << 10
	// statesKept bounds the documents of one entry as they are packed, in bytes.
	statesKept = 64 << 20
	// bytesKept is how many bytes of what entries need to be undone are kept, removedKept for how
	// long what was removed.
	bytesKept   = 512 << 20
	removedKept = 30 * 24 * time.Hour
	// itemBytes is what an item takes beside its documents.
	itemBytes = 100
	// ageKept is for how long entries are kept.
	ageKept = 400 * 24 * time.Hour
	// activityTrimmedKey is the setting that is there once entries are gone.
	activityTrimmedKey = "activity trimmed"
	// trimEvery is after how many versions that is seen to, beside each start.
	trimEvery = 1024
)

// entriesKept is how many entries are kept; tests keep fewer.
var entriesKept = 100_000

type entryRow struct {
	Version  int64  `db:"version"`
	At       int64  `db:"at"`
	By       string `db:"made_by"`
	Via      string `db:"via"`
	Origin   string `db:"origin"`
	Undoes   int64  `db:"undoes"`
	Undone   int64  `db:"undone"`
	Services string `db:"services"`
	Items    int    `db:"items"`
	Note     string `db:"note"`
	Heads    []byte `db:"heads"`
	States   []byte `db:"states"`
}

func (r entryRow) entry() (catalog.Entry, error) {
	e := catalog.Entry{Version: r.Version, At: time.UnixMicro(r.At), By: r.By, Via: r.Via, From: r.Origin, Undoes: r.Undoes, UndoneBy: r.Undone, Count: r.Items, Note: r.Note}
	if r.Items == 0 {
		e.About = strings.TrimSpace(r.Services)
	}
	if err := json.Unmarshal(r.Heads, &e.Items); err != nil {
		return e, fmt.Errorf("read entry %s: %w", catalog.EntryID(r.Version), err)
	}
	return e, nil
}

// putEntry keeps what was changed. It comes before the change itself, since it notes the
// contents that payloads have until then.
func (s *Store) putEntry(ctx context.Context, tx *sqlx.Tx, e *catalog.Entry) error {
	if e == nil {
		return nil
	}
	e.At, e.Count = time.Now(), len(e.Items)
	if err := insertEntry(ctx, tx, e); err != nil {
		return err
	}
	if e.Undoes != 0 { // what an undo took back is in force again when that is undone
		_, err := tx.ExecContext(ctx, `UPDATE activity SET undone = CASE version WHEN ? THEN ? ELSE 0 END
			WHERE version = ? OR version = (SELECT undoes FROM activity WHERE version = ?)`, e.Undoes, e.Version, e.Undoes, e.Undoes)
		if err != nil {
			return fmt.Errorf("keep entry: %w", err)
		}
	}
	for i, item := range e.Items {
		if item.Kind == catalog.KindPayload && item.Before != nil {
			_, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO activity_payloads (version, service_id, name, digest)
				SELECT ?, service_id, name, digest FROM payloads WHERE service_id = ? AND name = ?`, e.Version, item.ServiceID, item.ID)
			if err != nil {
				return fmt.Errorf("keep payload %q of entry: %w", item.ID, err)
			}
		}
		if len(item.Secrets) > 0 {
			if err := s.sealAll(ctx, tx, entryOwner(e.Version, i), item.Secrets); err != nil {
				return err
			}
		}
	}
	if e.Version%trimEvery == 0 {
		return trimActivity(ctx, tx)
	}
	return nil
}

// insertEntry writes an entry and what it made of mappings.
func insertEntry(ctx context.Context, tx *sqlx.Tx, e *catalog.Entry) error {
	row := entryRow{Version: e.Version, At: e.At.UnixMicro(), By: e.By, Via: e.Via, Origin: e.From, Undoes: e.Undoes, Items: len(e.Items), Note: e.Note, Services: servicesIn(e.Items, e.About)}
	var err error
	if row.Heads, err = json.Marshal(headsOf(e.Items)); err == nil {
		row.States, err = packed(e.Items)
	}
	if err != nil {
		return fmt.Errorf("write entry: %w", err)
	}
	_, err = tx.NamedExecContext(ctx, `INSERT OR REPLACE INTO activity (version, at, made_by, via, origin, undoes, services, items, note, heads, states)
		VALUES (:version, :at, :made_by, :via, :origin, :undoes, :services, :items, :note, :heads, :states)`, row)
	if err != nil {
		return fmt.Errorf("keep entry: %w", err)
	}
	if row.States == nil {
		return nil
	}
	return putHistory(ctx, tx, e)
}

func entryOwner(version int64, item int) string {
	return fmt.Sprintf("entry %s %d", catalog.EntryID(version), item)
}

// headsOf are the first items without their documents, save short ones, which tell what was
// changed.
func headsOf(items []catalog.Item) []catalog.Item {
	const short = 400
	heads := slices.Clone(items[:min(len(items), headsKept)])
	for i := range heads {
		if len(heads[i].Before)+len(heads[i].After) > short {
			for _, state := range []*json.RawMessage{&heads[i].Before, &heads[i].After} {
				if *state != nil {
					*state = json.RawMessage("{}")
				}
			}
		}
	}
	return heads
}

func servicesIn(items []catalog.Item, about string) string {
	var names []string
	if about != "" {
		names = append(names, about)
	}
	for _, item := range items {
		name := item.Service // "" is the whole environment
		if item.Kind == catalog.KindLane {
			name = "@" + item.ID
		}
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return "\n" + strings.Join(names, "\n") + "\n"
}

func packed(items []catalog.Item) ([]byte, error) {
	if items == nil {
		items = []catalog.Item{}
	}
	text, err := json.Marshal(items)
	switch {
	case err != nil:
		return nil, err
	case len(text) < packedFrom:
		return text, nil
	}
	var b bytes.Buffer
	w, _ := gzip.NewWriterLevel(&b, gzip.BestSpeed) // which is a level
	_, _ = w.Write(text)                            // into memory
	_ = w.Close()
	if b.Len() > statesKept {
		return nil, nil
	}
	return b.Bytes(), nil
}

// unpacked is the inverse of packed.
func unpacked(states []byte) ([]byte, error) {
	if states[0] == '[' {
		return states, nil
	}
	r, err := gzip.NewReader(bytes.NewReader(states))
	if err != nil {
		return nil, err
	}
	return io.ReadAll(r)
}

// Activity implements catalog.Store.
func (s *Store) Activity(ctx context.Context, f catalog.ActivityFilter) ([]catalog.Entry, error) {
	query, args := `SELECT version, at, made_by, via, origin, undoes, undone, services, items, note, heads FROM activity WHERE at > 0`, []any{} // one of no time tells what was there before there was an activity
	where := func(condition string, value any) {
		query += " AND " + condition
		args = append(args, value)
	}
	switch {
	case f.Answering:
		where(`(instr(services, ?) > 0 OR instr(services, char(10, 10)) > 0 OR instr(services, ?) > 0)`, "\n"+f.Service+"\n")
		args = append(args, "\n@"+f.Lane+"\n")
		where(`items > 0 AND undone = 0 AND undoes <= ?`, f.After)
	case f.Service != "":
		where(`instr(services, ?) > 0`, "\n"+f.Service+"\n")
	}
	if f.By != "" {
		where(`made_by = ? COLLATE NOCASE`, f.By)
	}
	if !f.Since.IsZero() {
		where(`at >= ?`, f.Since.UnixMicro())
	}
	if f.Before > 0 {
		where(`version < ?`, f.Before)
	}
	if f.After > 0 {
		where(`version > ?`, f.After)
	}
	var rows []entryRow
	if err := s.read.SelectContext(ctx, &rows, query+` ORDER BY version DESC LIMIT ?`, append(args, f.Limit)...); err != nil {
		return nil, fmt.Errorf("list activity: %w", err)
	}
	entries := make([]catalog.Entry, len(rows))
	for i, row := range rows {
		var err error
		if entries[i], err = row.entry(); err != nil {
			return nil, err
		}
	}
	return entries, nil
}

// Entry implements catalog.Store.
func (s *Store) Entry(ctx context.Context, version int64) (catalog.Entry, error) {
	var row entryRow
	err := s.read.GetContext(ctx, &row, `SELECT version, at, made_by, via, origin, undoes, undone, services, items, note, heads, states FROM activity WHERE version = ?`, version)
	if errors.Is(err, sql.ErrNoRows) {
		return catalog.Entry{}, problem.New(problem.NotFound, "entry %s not found", catalog.EntryID(version))
	}
	if err != nil {
		return catalog.Entry{}, fmt.Errorf("read entry: %w", err)
	}
	e, err := row.entry()
	if err != nil || row.States == nil {
		return e, err
	}
	text, err := unpacked(row.States)
	if err == nil {
		e.Items, e.Whole = nil, true
		err = json.Unmarshal(text, &e.Items)
	}
	if err != nil {
		return e, fmt.Errorf("read entry %s: %w", catalog.EntryID(version), err)
	}
	var sealed []secretRow
	prefix := "entry " + catalog.EntryID(version) + " "
	if err := s.read.SelectContext(ctx, &sealed, `SELECT owner, place, sealed FROM secret_variables WHERE owner >= ? AND owner < ?`, prefix, prefix+"~"); err != nil {
		return e, fmt.Errorf("read secrets of entry: %w", err)
	}
	for i := range e.Items {
		for _, secret := range sealed {
			if secret.Owner != entryOwner(version, i) {
				continue
			}
			value, err := s.open(secret)
			if err != nil {
				continue // then it is a secret without a value
			}
			if e.Items[i].Secrets == nil {
				e.Items[i].Secrets = make(map[string]string)
			}
			e.Items[i].Secrets[secret.Place] = value
		}
	}
	return e, nil
}

// PayloadBefore implements catalog.Store.
func (s *Store) PayloadBefore(ctx context.Context, entry int64, serviceID, name string) (content []byte, err error) {
	err = s.read.GetContext(ctx, &content, `SELECT bytes FROM activity_payloads JOIN payload_contents USING (digest) WHERE version = ? AND service_id = ? AND name = ?`, entry, serviceID, name)
	if err != nil {
		return nil, fmt.Errorf("read what payload %q was: %w", name, err)
	}
	return content, nil
}

// Removed implements catalog.Store.
func (s *Store) Removed(ctx context.Context, serviceID string) (d catalog.Definitions, err error) {
	var id string
	err = s.read.GetContext(ctx, &id, `SELECT id FROM services WHERE id = ? AND removed IS NOT NULL`, serviceID)
	if errors.Is(err, sql.ErrNoRows) {
		return d, problem.New(problem.NotFound, "it is no longer kept: what is removed is kept for %d days", int(removedKept.Hours()/24))
	}
	if err != nil {
		return d, fmt.Errorf("read removed service: %w", err)
	}
	var contracts []contractRow
	if err := s.read.SelectContext(ctx, &contracts, `SELECT service_id, revision, file, main, imported, text FROM contracts WHERE service_id = ? AND withdrawn = 0 ORDER BY revision DESC LIMIT 1`, serviceID); err != nil {
		return d, fmt.Errorf("read contract of removed service: %w", err)
	}
	d.Contracts = storedContracts(contracts)
	var mappings []mappingRow
	if err := s.read.SelectContext(ctx, &mappings, `SELECT service_id, id, version, position, document FROM mappings WHERE service_id = ? ORDER BY position`, serviceID); err != nil {
		return d, fmt.Errorf("read mappings of removed service: %w", err)
	}
	for _, row := range mappings {
		m := catalog.StoredMapping{ServiceID: row.ServiceID, Version: row.Version, Position: row.Position}
		if err := json.Unmarshal(row.Document, &m.Mapping); err != nil {
			return d, fmt.Errorf("read mapping %q of removed service: %w", row.ID, err)
		}
		d.Mappings = append(d.Mappings, m)
	}
	var payloads []payloadRow
	if err := s.read.SelectContext(ctx, &payloads, `SELECT service_id, name, version, bytes FROM payloads JOIN payload_contents USING (digest) WHERE service_id = ?`, serviceID); err != nil {
		return d, fmt.Errorf("read payloads of removed service: %w", err)
	}
	for _, row := range payloads {
		d.Payloads = append(d.Payloads, catalog.StoredPayload(row))
	}
	return d, nil
}

// trimActivity removes what is not kept any more: entries with the secrets that they had,
// what the oldest ones would need to be undone, and services that were removed.
func trimActivity(ctx context.Context, db sqlx.ExtContext) error {
	var gone int64 // the last entry that is not kept
	err := sqlx.GetContext(ctx, db, &gone, `SELECT max(coalesce((SELECT version FROM activity ORDER BY version DESC LIMIT 1 OFFSET ?), 0),
		coalesce((SELECT max(version) FROM activity WHERE at > 0 AND at < ?), 0))`, entriesKept, time.Now().Add(-ageKept).UnixMicro())
	if err == nil && gone > 0 {
		_, err = db.ExecContext(ctx, `DELETE FROM activity WHERE version <= ?`, gone)
		if err == nil { // so that whoever asks for what was before is told
			_, err = db.ExecContext(ctx, `INSERT OR REPLACE INTO settings (key, value) VALUES (?, ?)`, activityTrimmedKey, gone)
		}
	}
	if err == nil { // nothing can come back to before an entry that is gone
		_, err = db.ExecContext(ctx, `DELETE FROM marks WHERE version < ?`, gone)
	}
	if err == nil {
		_, err = db.ExecContext(ctx, `UPDATE activity SET states = NULL WHERE states IS NOT NULL AND version <= coalesce((
			SELECT max(version) FROM (SELECT version, sum(length(states) + items * ?) OVER (ORDER BY version DESC) AS total FROM activity WHERE states IS NOT NULL) WHERE total > ?), 0)`, itemBytes, bytesKept)
	}
	if err == nil { // what cannot be read any more is no version
		_, err = db.ExecContext(ctx, `DELETE FROM activity_mappings WHERE entry IN (SELECT version FROM activity WHERE states IS NULL)`)
	}
	var deleted int64
	for _, table := range []string{"services", "recordings"} {
		var result sql.Result
		if err == nil {
			result, err = db.ExecContext(ctx, `DELETE FROM `+table+` WHERE removed < ?`, time.Now().Add(-removedKept).UnixMicro())
		}
		if err == nil {
			count, _ := result.RowsAffected() // SQLite always knows
			deleted += count
		}
	}
	if err == nil && deleted > 0 {
		err = dropRecordedBodies(ctx, db)
	}
	var owners []string
	if err == nil {
		err = sqlx.SelectContext(ctx, db, &owners, `SELECT DISTINCT owner FROM secret_variables WHERE owner LIKE 'entry %'`)
	}
	for _, owner := range owners {
		version, _ := catalog.ParseEntryID(strings.Fields(owner)[1])
		if err == nil {
			_, err = db.ExecContext(ctx, `DELETE FROM secret_variables WHERE owner = ? AND NOT EXISTS (SELECT 1 FROM activity WHERE version = ?)`, owner, version)
		}
	}
	if err != nil {
		return fmt.Errorf("remove old activity: %w", err)
	}
	return nil
}
