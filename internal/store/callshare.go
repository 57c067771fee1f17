package store

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/jmoiron/sqlx"

	"rapidmimic.example/internal/core/call"
)

// Retention is fair: whoever calls one service, or in one lane, does not push the calls
// of all others out of the log. Of each the last calls stay, so many as a share is.

// callGroup is the calls of a service in a lane.
type callGroup struct{ service, lane string }

// share is what is known of the last calls of a group.
type share struct {
	last []kept // the calls that stay, the oldest first; at most shareCalls
	// dropped is set when older calls have left the log, or may have.
	dropped bool
}

type kept struct{ number, at int64 } // at in Unix microseconds

// shareCalls is how many calls a group keeps whatever the others do, as long as that
// leaves three quarters of the log to all.
const shareCalls = 200

// note adds a call to its group.
func (w *callWriter) note(service, lane string, number, at int64) {
	w.rescued = min(w.rescued, number-1) // a call that took long comes after later ones
	group := callGroup{service, lane}
	s := w.shares[group]
	if s == nil {
		s = &share{}
		w.shares[group] = s
	}
	i := len(s.last) // nearly always: calls are written in the order of their numbers
	for i > 0 && s.last[i-1].number > number {
		i--
	}
	s.last = slices.Insert(s.last, i, kept{number, at})
	if len(s.last) > 2*shareCalls { // now and then, rather than for each call
		s.last = append(s.last[:0], s.last[len(s.last)-shareCalls:]...)
		s.dropped = true
	}
}

// own are the calls of a group that stay, when it may have so many.
func (s *share) own(most int) []kept { return s.last[max(0, len(s.last)-most):] }

// mostOwn is how many calls each group may keep.
func (w *callWriter) mostOwn(keep int64) int {
	return int(min(shareCalls, keep/4/int64(max(1, len(w.shares)))))
}

// noteAll notes the calls that are in the log when it is opened.
func (w *callWriter) noteAll(ctx context.Context) error {
	w.shares = make(map[callGroup]*share)
	rows, err := w.db.QueryContext(ctx, `SELECT data FROM call_blocks ORDER BY last`)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var data string
		if err := rows.Scan(&data); err != nil {
			return err
		}
		block, err := readBlock(data)
		if err != nil {
			return err
		}
		err = block.each(func(e callEntry) bool {
			w.note(e.service, e.lane, e.number, e.at)
			return true
		})
		if err != nil {
			return err
		}
	}
	if err := rows.Err(); err != nil {
		return err
	}
	var trimmed int
	if err := w.db.GetContext(ctx, &trimmed, `SELECT count(*) FROM settings WHERE key = ?`, trimmedKey); err != nil {
		return err
	}
	w.vanished = trimmed > 0
	for _, s := range w.shares {
		s.dropped = s.dropped || w.vanished // it is not known of whom calls have left
	}
	return nil
}

// TrimmedIn tells when the newest call of a service in a lane came that retention has
// removed; zero for none. "" stands for every service, and for every lane; call.NoLane
// for none.
func (s *Store) TrimmedIn(ctx context.Context, service, lane string) (newest time.Time, err error) {
	all, err := s.Trimmed(ctx)
	if err != nil || all.IsZero() {
		return all, err
	}
	w := s.calls
	w.sharing.Lock()
	defer w.sharing.Unlock()
	anyLane := lane == ""
	if lane == call.NoLane {
		lane = ""
	}
	found := false
	for group, own := range w.shares {
		if service != "" && group.service != service || !anyLane && group.lane != lane {
			continue
		}
		found = true
		if !own.dropped || len(own.last) == 0 {
			continue
		}
		before := time.UnixMicro(own.last[0].at).UTC()
		if before.After(all) {
			before = all
		}
		if before.After(newest) {
			newest = before
		}
	}
	if !found && w.vanished {
		return all, nil
	}
	return newest, nil
}

// rescued is what rescue did.
type rescued struct {
	removed int64       // calls that are in the log no more
	dropped []callGroup // those of which a call was too large to be kept
}

// rescue removes the calls up to one, and those kept before whose contents go. Calls of
// groups that would have fewer than most it keeps: it writes them anew, with their
// contents, of which a group has mostBytes.
func (w *callWriter) rescue(ctx context.Context, tx *sqlx.Tx, upTo, boundary int64, most int, mostBytes int64) (done rescued, err error) {
	wanted := make(map[callGroup]int64) // the number of the first call that stays
	again := false
	for group, s := range w.shares {
		own := s.own(most)
		if len(own) == 0 {
			continue
		}
		wanted[group] = own[0].number
		again = again || slices.ContainsFunc(own, func(k kept) bool { return k.number > w.rescued && k.number <= upTo })
	}
	const gone = `kept_by > 0 AND kept_by <= ? OR kept_by = 0 AND last <= ?`
	toRead := upTo
	if !again {
		toRead = -1
	}
	entries := make(map[callGroup][]callEntry)
	var blocks []string
	if err := tx.SelectContext(ctx, &blocks, `SELECT data FROM call_blocks WHERE `+gone, boundary, toRead); err != nil {
		return done, err
	}
	for _, data := range blocks {
		block, err := readBlock(data)
		if err != nil {
			return done, err
		}
		err = block.each(func(e callEntry) bool {
			group := callGroup{e.service, e.lane}
			if first, ok := wanted[group]; ok && e.number >= first && e.number <= upTo {
				entries[group] = append(entries[group], e)
			}
			return true
		})
		if err != nil {
			return done, err
		}
	}
	if err := tx.GetContext(ctx, &done.removed, `SELECT coalesce(sum(calls), 0) FROM call_blocks WHERE `+gone, boundary, upTo); err != nil {
		return done, err
	}
	if _, err := tx.ExecContext(ctx, `DELETE FROM call_blocks WHERE `+gone, boundary, upTo); err != nil {
		return done, err
	}
	for group, list := range entries {
		slices.SortFunc(list, func(a, b callEntry) int { return cmp.Compare(b.number, a.number) })
		fitting, err := w.renew(ctx, tx, list, mostBytes)
		if err != nil {
			return done, err
		}
		if fitting < len(list) {
			done.dropped = append(done.dropped, group)
		}
		list = list[:fitting]
		slices.Reverse(list)
		done.removed -= int64(len(list))
		for len(list) > 0 {
			count := 1
			for count < min(len(list), blockCalls) && list[count].number-list[0].number < blockSpan {
				count++
			}
			if err := w.insertRenewed(ctx, tx, list[:count]); err != nil {
				return done, err
			}
			list = list[count:]
		}
	}
	return done, nil
}

func (w *callWriter) insertRenewed(ctx context.Context, tx *sqlx.Tx, list []callEntry) error {
	data, newest := []byte{blockVersion}, int64(0)
	var before callEntry
	for i := range list {
		data = appendEntry(data, &list[i], &before)
		before, newest = list[i], max(newest, list[i].at)
	}
	_, err := tx.ExecContext(ctx, `INSERT INTO call_blocks (last, first, calls, newest, data, kept_by) VALUES (?, ?, ?, ?, ?, ?)`,
		before.number, list[0].number, len(list), newest, data, int64(w.since)+1)
	return err
}

// renew stores the contents of calls in the present generation, as many calls as
// mostBytes allow.
func (w *callWriter) renew(ctx context.Context, tx *sqlx.Tx, list []callEntry, mostBytes int64) (fitting int, err error) {
	insert := func(values ...any) error {
		_, err := tx.ExecContext(ctx, insertPack, values...)
		return err
	}
	for i := range list {
		parts, err := readParts(ctx, tx, list[i].contents)
		if err != nil {
			return 0, fmt.Errorf("read contents: %w", err)
		}
		for _, data := range parts {
			mostBytes -= int64(len(data))
		}
		if mostBytes < 0 {
			return i, w.storePack(insert)
		}
		for part, data := range parts {
			list[i].contents[part] = w.content(data)
		}
		if len(w.pack.Data) >= packSize {
			if err := w.storePack(insert); err != nil {
				return 0, err
			}
		}
	}
	return len(list), w.storePack(insert)
}

// settle makes the shares tell what is in the log once the calls up to one are gone.
func (w *callWriter) settle(done rescued, upTo int64, most int) {
	w.sharing.Lock()
	defer w.sharing.Unlock()
	for _, group := range done.dropped {
		w.shares[group].dropped = true
	}
	w.rescued = max(w.rescued, upTo)
	for group, s := range w.shares {
		gone := 0
		for gone < len(s.last)-most && s.last[gone].number <= upTo {
			gone++
		}
		if gone > 0 {
			s.last, s.dropped = slices.Delete(s.last, 0, gone), true
		}
		if len(s.last) == 0 {
			delete(w.shares, group)
			w.vanished = true
		}
	}
}
