// Package calllog keeps the calls that were received: a bounded buffer that
// handlers append to, a batch writer that empties it into the store, the live
// stream, counters, and retention.
//
// No answer ever waits for the store; whoever calls faster than it writes waits behind
// the answer. What the buffer cannot take all the same is counted and shown, never
// silently dropped. Start with Log.
package calllog

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/secret"
	"rapidmimic.example/internal/rescue"
)

// Store is where calls are kept. The log calls InsertCalls, TrimCalls and
// ClearCalls one at a time.
type Store interface {
	// InsertCalls keeps all of the records or none.
	InsertCalls(ctx context.Context, records []*call.Record) error
	// InsertExchanges keeps calls with the recordings that they belong to.
	InsertExchanges(ctx context.Context, records []*call.Record) error
	// TrimCalls removes the oldest until the limits hold.
	TrimCalls(ctx context.Context, keep, maxBytes int64) (removed int64, err error)
	ClearCalls(ctx context.Context, now time.Time) error
	// CountCalls tells how many are kept, and the highest number ever used.
	CountCalls(ctx context.Context) (count int64, highest uint64, err error)
	// Trimmed tells when the newest call came that TrimCalls has removed; zero for none.
	Trimmed(ctx context.Context) (time.Time, error)
	// TrimmedIn is Trimmed for the calls of a service, "" for all, in a lane, "" for any.
	TrimmedIn(ctx context.Context, service, lane string) (time.Time, error)
	// Cleared tells when the newest call came that was cleared, and when the log was;
	// zero for never.
	Cleared(ctx context.Context) (last, at time.Time, err error)
	// BeginRun tells until when calls of earlier runs are missing: what EndRun was
	// told last, or now, when the last run did not come to it; zero for never.
	BeginRun(ctx context.Context, now time.Time) (missing time.Time, err error)
	// EndRun is told until when calls are missing, and the highest number given.
	EndRun(ctx context.Context, missing time.Time, given uint64) error
	// ReserveNumbers keeps that numbers up to one may have been given: CountCalls knows
	// it after an end in the middle of the work, so that none is given twice.
	ReserveNumbers(ctx context.Context, upTo uint64) error
}

// Config is what a Log works with.
type Config struct {
	Store  Store
	Masker *secret.Masker
	// Turned is told when the newest call came that has left the log, as some do; nil
	// for nobody.
	Turned func(newest time.Time)
	// Checker is asked about every call; nil means that nothing is checked.
	Checker Checker
	Logger  *slog.Logger
	// Keep is the number of calls to keep, KeepBytes the size of their
	// contents. Zero means the defaults.
	Keep, KeepBytes int64
	// BodyLimit is how many bytes of a body are kept; zero means the default.
	BodyLimit int
	// WriteEvery is how long calls wait for others to be written with; zero means the
	// default.
	WriteEvery time.Duration
	// BufferBytes bounds what waits to be written; zero means the default.
	BufferBytes int
}

// The defaults of Config.
const (
	DefaultKeep      = 100_000
	DefaultKeepBytes = 512 << 20
	DefaultBodyLimit = 1 << 20
	// DefaultBufferBytes counts requests, answers and explanations.
	DefaultBufferBytes = 128 << 20
)

const (
	// writeEvery is how long calls wait for others to be written with.
	writeEvery = 40 * time.Millisecond
	// maxBuffered bounds the calls that wait to be written or are being written;
	// Config.BufferBytes bounds their bytes.
	maxBuffered = 50_000
	// partBytes and partCalls bound what is written at once.
	partBytes, partCalls = 8 << 20, 5_000
	// endWithin is how long a check that goes on may hold up the end.
	endWithin = time.Second
	// trimEvery bounds how many calls over Keep the log may run; a tenth of KeepBytes
	// is how far it may over those.
	trimEvery = 5_000
)

// Log is the log of calls. It is safe for concurrent use once Run was started.
type Log struct {
	config Config
	next   atomic.Uint64 // the last number given
	// reserved is up to which number may be given without asking the store. The writer
	// keeps it ahead.
	reserved uint64

	mu          sync.Mutex // guards inWork to lost
	inWork      map[uint64]*call.Record
	buffer      []*entry
	waiting     part           // of all groups: what is buffered or being written; see half
	parts       map[group]part // of each that has some
	counts      counts
	timelines   timelines
	added, done uint64          // calls buffered, and calls written or given up
	changed     chan struct{}   // closed and replaced when done grows
	progress    time.Time       // when done grew last, or something to do came
	lost        map[group]int64 // until when calls of one are missing

	// half is set while more than half of the buffer is taken: callers look at it without mu.
	half    atomic.Bool
	storing sync.Mutex // held while the store is written
	stored  atomic.Int64
	notKept atomic.Int64
	slowed  atomic.Int64
	// missing is until when calls are missing that could not be kept, trimmed when the
	// newest one came that retention has removed, cleared when the newest one came
	// that was cleared, clearedAt when that was done; Unix microseconds, 0 for never.
	missing, trimmed, cleared, clearedAt atomic.Int64
	// lostOfAll is missing for calls of which it is not known whose they were.
	lostOfAll atomic.Int64

	checks     checks
	complained time.Time // when the service's own log last told of calls not kept
	// sinceTrim and bytesSinceTrim are what was kept since old calls were removed.
	sinceTrim, bytesSinceTrim int64

	tally tally
	live  *live
	wake  chan struct{} // something is buffered
	hurry chan struct{} // much is
}

// Open builds the log on what the store holds. It starts nothing; see Run.
func Open(ctx context.Context, c Config) (*Log, error) {
	if c.Keep == 0 {
		c.Keep = DefaultKeep
	}
	if c.KeepBytes == 0 {
		c.KeepBytes = DefaultKeepBytes
	}
	if c.BodyLimit == 0 {
		c.BodyLimit = DefaultBodyLimit
	}
	if c.WriteEvery == 0 {
		c.WriteEvery = writeEvery
	}
	if c.BufferBytes == 0 {
		c.BufferBytes = DefaultBufferBytes
	}
	count, highest, err := c.Store.CountCalls(ctx)
	if err != nil {
		return nil, err
	}
	l := &Log{
		config: c, inWork: make(map[uint64]*call.Record), counts: newCounts(), timelines: timelines{of: make(map[group]*timeline)}, tally: tally{counts: make(map[tallyKey]call.OperationCalls)}, live: newLive(),
		changed: make(chan struct{}), parts: make(map[group]part), lost: make(map[group]int64), wake: make(chan struct{}, 1), hurry: make(chan struct{}, 1),
	}
	l.checks.log, l.checks.work, l.checks.free = l, make(chan *checking), make(chan struct{}, 1)
	l.checks.free <- struct{}{}
	l.next.Store(highest)
	if err := l.reserve(ctx); err != nil {
		return nil, err
	}
	l.stored.Store(count)
	return l, errors.Join(l.noteTrimmed(ctx), l.noteCleared(ctx))
}

// reserveAhead is how many numbers the store knows ahead: those of more than ten
// seconds.
const reserveAhead = 1 << 20

// reserve keeps the numbers that the store knows ahead of those that are given.
func (l *Log) reserve(ctx context.Context) error {
	if next := l.next.Load(); l.reserved < next+reserveAhead/2 {
		if err := l.config.Store.ReserveNumbers(ctx, next+reserveAhead); err != nil {
			return err
		}
		l.reserved = next + reserveAhead
	}
	return nil
}

// Number gives a call its number, when it arrives.
func (l *Log) Number() uint64 { return l.next.Add(1) }

// BodyLimit is how many bytes of a request's body are worth holding for the
// log.
func (l *Log) BodyLimit() int { return l.config.BodyLimit }

// Add takes a finished call, before its answer goes out, so that whoever has the answer finds it. It
// never blocks: when the buffer is full the call is counted as not kept. The log owns r afterwards.
//
// work is for the goroutine of the caller, once the answer has gone out: it masks the call, and waits
// while the log is behind; nil where there is none. Where nobody does it the writer masks the call, and
// the caller is not slowed.
func (l *Log) Add(r *call.Record) (work func()) {
	e := l.add(r)
	if e == nil || e.size < heavyCall && !l.half.Load() {
		return nil
	}
	return func() {
		l.ready(e)
		l.keepPace(e.group)
	}
}

// add buffers a call; nil says that there was no room.
func (l *Log) add(r *call.Record) *entry {
	if r.Recording == "" && len(r.Answer.Body) > l.config.BodyLimit {
		r.Answer.Body = r.Answer.Body[:l.config.BodyLimit]
	}
	e := &entry{came: r, group: groupOf(r), size: r.Weight()}
	l.mu.Lock()
	delete(l.inWork, r.Number)
	l.counts.add(r)
	l.timelines.add(r)
	took := l.takes(e)
	if !took && r.Recording != "" { // the recording names what it could not keep
		r.Trim(l.config.BodyLimit)
		e.size = r.Weight()
		took = l.takes(e)
	}
	if !took {
		l.mu.Unlock()
		l.loseOf(e.group)
		return nil
	}
	if l.waiting.calls == 1 {
		l.progress = time.Now()
	}
	l.buffer = append(l.buffer, e)
	l.added++
	first := len(l.buffer) == 1
	l.mu.Unlock()
	if first {
		signal(l.wake)
	}
	return e
}

// signal tells whoever waits for something, or who will.
func signal(something chan struct{}) {
	select {
	case something <- struct{}{}:
	default:
	}
}

// Run writes calls until ctx ends, and then whatever is left.
func (l *Log) Run(ctx context.Context) error {
	missing, err := l.config.Store.BeginRun(context.WithoutCancel(ctx), time.Now())
	if err != nil {
		l.config.Logger.Error("cannot read the end of the last gap in the log", "error", err)
		missing = time.Now() // nothing is sure before
	}
	if !missing.IsZero() {
		l.missing.Store(missing.UnixMicro())
		l.lostOfAll.Store(missing.UnixMicro())
	}
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		l.checks.run()
	}()
	for {
		select {
		case <-ctx.Done():
			l.write(context.WithoutCancel(ctx))
			l.endChecks(ended)
			return l.config.Store.EndRun(context.WithoutCancel(ctx), moment(l.missing.Load()), l.next.Load())
		case <-l.wake:
		}
		select {
		case <-ctx.Done():
		case <-time.After(l.config.WriteEvery):
		case <-l.hurry:
		}
		l.write(context.WithoutCancel(ctx))
	}
}

// endChecks ends the goroutine that checks calls, unless a check goes on without an
// end.
func (l *Log) endChecks(ended <-chan struct{}) {
	close(l.checks.work)
	select {
	case <-ended:
	case <-time.After(endWithin):
		l.config.Logger.Warn("a check of a call did not end, and was left behind")
	}
}

// write empties the buffer into the store, part by part, and tells whoever follows.
func (l *Log) write(ctx context.Context) {
	l.storing.Lock()
	defer l.storing.Unlock()
	l.mu.Lock()
	rest := l.buffer
	l.buffer = make([]*entry, 0, min(cap(rest), partCalls))
	l.mu.Unlock()
	if len(rest) == 0 {
		return
	}
	if err := l.reserve(ctx); err != nil {
		l.config.Logger.Error("numbers of calls could not be reserved", "error", err)
	}
	for len(rest) > 0 {
		count, bytes := 1, rest[0].size
		for count < len(rest) && count < partCalls && bytes < partBytes {
			bytes += rest[count].size
			count++
		}
		l.keep(ctx, rest[:count])
		l.wrote(rest[:count])
		clear(rest[:count]) // what was written is not held
		rest = rest[count:]
	}
}

// wrote makes room for what was written or given up.
func (l *Log) wrote(batch []*entry) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, e := range batch {
		l.leaves(e)
	}
	l.done += uint64(len(batch))
	l.progress = time.Now()
	close(l.changed)
	l.changed = make(chan struct{})
}

func (l *Log) keep(ctx context.Context, batch []*entry) {
	kept := l.masked(batch)
	if l.config.Checker != nil {
		l.check(batch)
	}
	for _, r := range kept {
		l.tally.count(r)
	}
	l.record(ctx, kept)
	l.insert(ctx, kept)
	for _, e := range batch { // connections may hold them for long
		e.came, e.kept, e.found = nil, nil, secret.Found{}
	}
	if l.sinceTrim += int64(len(batch)); l.sinceTrim >= min(trimEvery, max(1, l.config.Keep/10)) || l.bytesSinceTrim >= l.config.KeepBytes/10 {
		l.sinceTrim, l.bytesSinceTrim = 0, 0
		l.trim(ctx)
	}
}

// heavyCall is from which weight, in bytes, on its caller masks a call, so that the writer need not.
// Lighter ones cost less where they are masked in a row, and are left to the writer unless it is behind.
// From hugeCall on masking takes long enough to offer the processor to others afterwards.
const (
	heavyCall = 4 << 10
	hugeCall  = 64 << 10
)

// masked is what is kept of calls. Those whose secrets could not be taken out are left
// out.
func (l *Log) masked(batch []*entry) (kept []*call.Record) {
	kept = make([]*call.Record, 0, len(batch))
	for _, e := range batch {
		l.ready(e)
		if e.broken {
			l.lose(1)
			continue
		}
		l.bytesSinceTrim += int64(e.size)
		if e.size >= hugeCall {
			runtime.Gosched() // callers find a processor before the next one
		}
		kept = append(kept, e.kept)
	}
	return kept
}

// insert keeps a batch and tells whoever follows. When the store fails on a call, as
// opposed to failing, the others of the batch are kept all the same.
func (l *Log) insert(ctx context.Context, batch []*call.Record) {
	if len(batch) == 0 {
		return
	}
	var err error
	fault := rescue.Do(l.config.Logger, "keep calls", func() { err = l.config.Store.InsertCalls(ctx, batch) })
	if half := len(batch) / 2; fault != nil && half > 0 {
		l.insert(ctx, batch[:half])
		l.insert(ctx, batch[half:])
		return
	}
	if err = errors.Join(err, fault); err != nil {
		l.lose(len(batch))
		l.complain(err)
		return
	}
	l.stored.Add(int64(len(batch)))
	l.live.publish(batch)
}

// complainEvery is how often the service's own log tells of the same trouble.
const complainEvery = 10 * time.Second

// complain says that calls cannot be kept, not for every batch.
func (l *Log) complain(err error) {
	if now := time.Now(); now.Sub(l.complained) >= complainEvery {
		l.complained = now
		l.config.Logger.Error("calls cannot be kept", "not kept so far", l.notKept.Load(), "error", err)
	}
}

// record keeps the calls of a batch that belong to recordings, secrets masked.
func (l *Log) record(ctx context.Context, batch []*call.Record) {
	var recorded []*call.Record
	for _, r := range batch {
		if r.Recording != "" {
			recorded = append(recorded, r)
		}
	}
	if len(recorded) == 0 {
		return
	}
	var err error
	fault := rescue.Do(l.config.Logger, "record calls", func() { err = l.config.Store.InsertExchanges(ctx, recorded) })
	if err = errors.Join(err, fault); err != nil {
		l.lose(len(recorded))
		l.config.Logger.Error("calls could not be recorded", "calls", len(recorded), "error", err)
	}
	for _, r := range recorded { // the log keeps less of them
		r.Trim(l.config.BodyLimit)
		r.Wire, r.StandIns = nil, nil
	}
}

func (l *Log) trim(ctx context.Context) {
	removed, err := l.config.Store.TrimCalls(ctx, l.config.Keep, l.config.KeepBytes)
	if err != nil {
		l.config.Logger.Error("old calls could not be removed", "error", err)
		return
	}
	l.stored.Add(-removed)
	if removed == 0 {
		return
	}
	if err := l.noteTrimmed(ctx); err != nil {
		l.config.Logger.Error("cannot read since when calls are kept", "error", err)
		l.trimmed.Store(time.Now().UnixMicro()) // nothing is sure before
		return
	}
	l.turned(time.UnixMicro(l.trimmed.Load()))
}

func (l *Log) turned(newest time.Time) {
	if l.config.Turned != nil {
		l.config.Turned(newest)
	}
}

func (l *Log) noteTrimmed(ctx context.Context) error {
	last, err := l.config.Store.Trimmed(ctx)
	if err == nil && !last.IsZero() {
		l.trimmed.Store(last.UnixMicro())
	}
	return err
}

func (l *Log) noteCleared(ctx context.Context) error {
	last, at, err := l.config.Store.Cleared(ctx)
	if err == nil && !at.IsZero() {
		l.clearedAt.Store(at.UnixMicro())
	}
	if err == nil && !last.IsZero() {
		l.cleared.Store(last.UnixMicro())
	}
	return err
}

func (l *Log) lose(count int) {
	l.notKept.Add(int64(count))
	now := time.Now().UnixMicro()
	l.missing.Store(now)
	l.lostOfAll.Store(now)
}

// moment is a time from Unix microseconds, of which 0 stands for never.
func moment(micros int64) time.Time {
	if micros == 0 {
		return time.Time{}
	}
	return time.UnixMicro(micros).UTC()
}

// Gap says why the log does not have all calls of a service, "" for all, in a lane,
// "" for any, since a time; "" when it does. The zero time is the beginning of the log, which begins anew when it is cleared.
func (l *Log) Gap(ctx context.Context, since time.Time, service, lane string) string {
	cleared := moment(l.cleared.Load())
	if since.IsZero() {
		since, cleared = moment(l.clearedAt.Load()), time.Time{}
	}
	missing, trimmed := l.lostUntil(service, lane), moment(l.trimmed.Load())
	if !trimmed.IsZero() && !trimmed.Before(since) { // but not of these, perhaps
		if of, err := l.config.Store.TrimmedIn(ctx, service, lane); err == nil {
			trimmed = of
		}
	}
	switch {
	case !cleared.IsZero() && !cleared.Before(since):
		return fmt.Sprintf("the log was cleared, and with it a call of %s", cleared.Format(time.RFC3339))
	case !missing.IsZero() && !missing.Before(since):
		return missingUntil(missing)
	case !trimmed.IsZero() && !trimmed.Before(since):
		return fmt.Sprintf("calls that came until %s have left the log, which keeps the last %d", trimmed.Format(time.RFC3339), l.config.Keep)
	default:
		return ""
	}
}

func missingUntil(at time.Time) string {
	return fmt.Sprintf("calls that came until %s were answered but not all of them could be kept", at.Format(time.RFC3339))
}

// Missing says until when calls are missing in the log that could not be kept, or that
// an end in the middle of the work took along; "" where none is, also after the log was
// cleared.
func (l *Log) Missing() string {
	missing := l.missing.Load()
	if missing == 0 || missing <= l.clearedAt.Load() {
		return ""
	}
	return missingUntil(moment(missing))
}

// Flush waits until every call added before is in the store, or ctx ends.
func (l *Log) Flush(ctx context.Context) error {
	l.mu.Lock()
	target := l.added
	l.mu.Unlock()
	for {
		l.mu.Lock()
		done, changed := l.done, l.changed
		l.mu.Unlock()
		if done >= target {
			return nil
		}
		select {
		case <-changed:
		case <-ctx.Done():
			return errors.New("the calls of the last moment are still being written")
		}
	}
}

// Clear removes all calls from the log.
func (l *Log) Clear(ctx context.Context) error {
	if err := l.Flush(ctx); err != nil {
		return err
	}
	l.storing.Lock()
	defer l.storing.Unlock()
	if err := l.config.Store.ClearCalls(ctx, time.Now()); err != nil {
		return err
	}
	l.stored.Store(0)
	l.mu.Lock()
	clear(l.timelines.of)
	l.mu.Unlock()
	l.turned(time.Now())
	l.live.clear()
	return l.noteCleared(ctx)
}

// Stored is how many calls the log holds, NotKept how many it could not take
// since the start.
func (l *Log) Stored() int64 { return l.stored.Load() }

// Slowed counts the calls after which a caller waited until the log had caught up.
func (l *Log) Slowed() int64 { return l.slowed.Load() }

// NotKept counts the calls that were answered but not logged.
func (l *Log) NotKept() int64 { return l.notKept.Load() }
