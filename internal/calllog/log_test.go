package calllog_test

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/calllog"
	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/secret"
)

// fakeStore keeps records in memory. It blocks while block is open and fails
// while fail is set.
type fakeStore struct {
	mu                 sync.Mutex // guards all below
	records            []*call.Record
	fail               error
	poison             string // a path that it panics on
	block              chan struct{}
	takes              time.Duration // each batch
	trims              int
	missing            time.Time
	given, reserved    uint64
	trimmed            time.Time
	cleared, clearedAt time.Time
}

func (s *fakeStore) InsertCalls(_ context.Context, records []*call.Record) error {
	s.mu.Lock()
	block := s.block
	s.mu.Unlock()
	if block != nil {
		<-block
	}
	time.Sleep(s.takes)
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, r := range records {
		if s.poison != "" && r.Request.Path == s.poison {
			panic("this one cannot be written")
		}
	}
	if s.fail == nil {
		s.records = append(s.records, records...)
	}
	return s.fail
}

func (s *fakeStore) set(change func()) {
	s.mu.Lock()
	defer s.mu.Unlock()
	change()
}

func (s *fakeStore) InsertExchanges(context.Context, []*call.Record) error { return nil }

func (s *fakeStore) TrimCalls(context.Context, int64, int64) (int64, error) {
	s.trims++
	return 0, nil
}

func (s *fakeStore) ClearCalls(_ context.Context, now time.Time) error {
	s.set(func() {
		s.clearedAt = now
		if n := len(s.records); n > 0 {
			s.cleared = s.records[n-1].At
		}
		s.records = nil
	})
	return nil
}

func (s *fakeStore) Trimmed(context.Context) (time.Time, error) { return s.trimmed, nil }
func (s *fakeStore) TrimmedIn(_ context.Context, service, _ string) (time.Time, error) {
	if service == "quiet" {
		return time.Time{}, nil
	}
	return s.trimmed, nil
}
func (s *fakeStore) CountCalls(context.Context) (int64, uint64, error) { return 3, 0x81f2, nil }

func (s *fakeStore) Cleared(context.Context) (last, at time.Time, err error) {
	return s.cleared, s.clearedAt, nil
}

func (s *fakeStore) BeginRun(context.Context, time.Time) (time.Time, error) { return s.missing, nil }

func (s *fakeStore) EndRun(_ context.Context, missing time.Time, given uint64) error {
	s.set(func() { s.missing, s.given = missing, given })
	return nil
}

func (s *fakeStore) ReserveNumbers(_ context.Context, upTo uint64) error {
	s.set(func() { s.reserved = upTo })
	return nil
}

func start(t *testing.T, store *fakeStore) *calllog.Log { return startWith(t, store, nil) }

func startWith(t *testing.T, store *fakeStore, checker calllog.Checker) *calllog.Log {
	log, err := calllog.Open(t.Context(), calllog.Config{
		Store: store, Masker: secret.NewMasker([]byte("k"), secret.NewRules(nil, nil), nil), Checker: checker, Logger: slog.New(slog.NewTextHandler(io.Discard, nil)), BodyLimit: 4,
	})
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() {
		defer close(done)
		assert.NoError(t, log.Run(ctx))
	}()
	t.Cleanup(func() { stop(); <-done })
	return log
}

func answered(log *calllog.Log, source call.Source) *call.Record {
	return &call.Record{
		Number: log.Number(), At: time.Now(), Service: "moorings", Source: source,
		Request: call.Request{Header: call.Header{"Authorization": {"Bearer s3cret"}}},
		Answer:  call.Answer{Status: 200, Body: []byte("longer than the limit")}, AnswerSize: 21,
	}
}

func TestCallsAreKeptMaskedAndCut(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		store := &fakeStore{}
		log := start(t, store)
		position := log.Position()
		log.Add(answered(log, call.FromContract))
		log.Add(answered(log, call.FromMiss))
		require.NoError(t, log.Flush(t.Context()))

		require.Len(t, store.records, 2)
		assert.Equal(t, uint64(0x81f3), store.records[0].Number, "numbers go on where the store ended")
		assert.NotContains(t, store.records[0].Request.Header.Get("Authorization"), "s3cret")
		assert.Equal(t, "long", string(store.records[0].Answer.Body))
		assert.Equal(t, int64(5), log.Stored())

		news, err := log.Follow(t.Context(), position)
		require.NoError(t, err)
		assert.Len(t, news.Lines, 2)
		assert.Zero(t, news.Skipped)
		assert.False(t, news.Cleared)
		assert.Equal(t, store.records[0].Summary(), news.Lines[0])
		ctx, cancel := context.WithTimeout(t.Context(), time.Second)
		defer cancel()
		_, err = log.Follow(ctx, news.Position)
		assert.ErrorIs(t, err, context.DeadlineExceeded, "nothing new")

		assert.Equal(t, call.Counts{call.FromContract: 1, call.FromMiss: 1}, log.LastMinute(time.Now()))
		time.Sleep(70 * time.Second)
		assert.Empty(t, log.LastMinute(time.Now()))
		recent := log.Recent("moorings", time.Now())
		assert.Equal(t, call.Counts{call.FromContract: 1, call.FromMiss: 1}, recent[len(recent)-2])
		assert.Equal(t, int64(1), log.Totals()["moorings"][call.FromMiss])

		require.NoError(t, log.Clear(t.Context()))
		assert.Zero(t, log.Stored())
	})
}

func TestAnswersNeverWaitAndWhatIsNotKeptIsCounted(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		store := &fakeStore{block: make(chan struct{})}
		log := start(t, store)
		log.Add(answered(log, call.FromContract))
		time.Sleep(time.Second) // the writer is now stuck in the store
		const more = 60_000
		began := time.Now()
		for range more {
			log.Add(answered(log, call.FromContract))
		}
		assert.Zero(t, time.Since(began), "adding waits for nobody")
		assert.Equal(t, int64(more-37_499), log.NotKept(), "one service leaves a quarter of the buffer to the others")
		for range more {
			r := answered(log, call.FromContract)
			r.Lane = "night"
			log.Add(r)
		}
		assert.Equal(t, int64(2*more-49_999), log.NotKept())
		assert.NotEmpty(t, log.Gap(t.Context(), time.Time{}, "moorings", call.NoLane))
		assert.NotEmpty(t, log.Gap(t.Context(), time.Time{}, "", "night"))
		assert.Empty(t, log.Gap(t.Context(), time.Time{}, "moorings", "other"), "nothing of it was lost")
		assert.Empty(t, log.Gap(t.Context(), time.Time{}, "tides", ""))
		block := store.block
		store.set(func() { store.block = nil })
		close(block)
		require.NoError(t, log.Flush(t.Context()))
		assert.Len(t, store.records, 50_000)
		assert.Equal(t, 2*more+1, log.LastMinute(time.Now())[call.FromContract], "calls that are not kept still count")
		assert.Positive(t, store.trims)
	})
}

func do(work func()) {
	if work != nil {
		work()
	}
}

// While the log keeps up, callers have to do with heavy calls only.
func TestWhoMasksACall(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		store := &fakeStore{}
		log := start(t, store)
		light, heavy := answered(log, call.FromContract), answered(log, call.FromContract)
		heavy.Request.Header = call.Header{"Authorization": {"Bearer tide"}, "X-Cargo": {strings.Repeat("crate ", 1000)}}
		assert.Nil(t, log.Add(light))
		work := log.Add(heavy)
		require.NotNil(t, work)
		work()
		require.NoError(t, log.Flush(t.Context()))
		assert.NotContains(t, store.records[1].Request.Header.Get("Authorization"), "tide")
		assert.Contains(t, heavy.Request.Header.Get("Authorization"), "tide", "the writer masked a copy")
	})
}

// Who calls faster than the store writes is slowed behind the answer, and loses nothing; who does not
// is not.
func TestFastCallersAreSlowed(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		store := &fakeStore{takes: 300 * time.Millisecond}
		log := start(t, store)
		var callers sync.WaitGroup
		var sent, through atomic.Int64
		begun := time.Now()
		for range 16 {
			callers.Go(func() {
				for range 4_000 {
					work := log.Add(answered(log, call.FromContract))
					sent.Add(1)
					do(work)
				}
				through.Add(1)
			})
		}
		time.Sleep(100 * time.Millisecond)
		waiting := int64(log.LastMinute(time.Now())[call.FromContract])
		assert.Equal(t, waiting, sent.Load(), "no answer waits")
		assert.InDelta(t, 25_016, waiting, 16, "half of the buffer, and a call of each")
		other := answered(log, call.FromContract)
		other.Lane = "night"
		do(log.Add(other))
		assert.Equal(t, 100*time.Millisecond, time.Since(begun), "who calls now and then waits for nobody")
		assert.Equal(t, 16-through.Load(), log.Slowed(), "each of the callers waits that is not through, and is counted once")
		callers.Wait()
		require.NoError(t, log.Flush(t.Context()))
		assert.Len(t, store.records, 64_001)
		assert.Zero(t, log.NotKept())
	})
}

func TestNobodyWaitsForAStoreThatStandsStill(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		store := &fakeStore{block: make(chan struct{})}
		log := start(t, store)
		finish := func() time.Duration {
			begun := time.Now()
			do(log.Add(answered(log, call.FromContract)))
			return time.Since(begun)
		}
		for range 25_000 {
			log.Add(answered(log, call.FromContract))
		}
		assert.Equal(t, 2*time.Second, finish())
		assert.Zero(t, finish(), "nor for a second time")
		close(store.block)
		store.set(func() { store.block = nil })
		require.NoError(t, log.Flush(t.Context()))
		time.Sleep(time.Hour)
		assert.Zero(t, finish())
		assert.Zero(t, log.NotKept())
	})
}

func TestAStoreThatFailsLosesNothingSilently(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		store := &fakeStore{fail: errors.New("disk full")}
		log := start(t, store)
		log.Add(answered(log, call.FromContract))
		require.NoError(t, log.Flush(t.Context()))
		assert.Equal(t, int64(1), log.NotKept())
		store.set(func() { store.fail = nil })
		log.Add(answered(log, call.FromContract))
		require.NoError(t, log.Flush(t.Context()))
		assert.Len(t, store.records, 1, "it goes on when the store does")
	})
}

// checker finds one deviation in every call, and takes almost a millisecond for it.
type checker struct{}

func (checker) Check(context.Context, *call.Record) (string, []call.Deviation, error) {
	time.Sleep(900 * time.Microsecond)
	return "listBerths", []call.Deviation{{Side: call.OfRequest, Where: "query nights"}}, nil
}

func TestCallsAreCheckedAsFarAsThereIsTime(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		store := &fakeStore{}
		log := startWith(t, store, checker{})
		for range 20 { // few enough to be checked whole
			log.Add(answered(log, call.FromContract))
		}
		require.NoError(t, log.Flush(t.Context()))
		assert.Zero(t, log.NotChecked())
		store.records = nil
		for range 1_700 { // one batch
			log.Add(answered(log, call.FromContract))
		}
		require.NoError(t, log.Flush(t.Context()))
		assert.Equal(t, int64(1_689), log.NotChecked(), "ten milliseconds' worth are checked")
		assert.Len(t, store.records[10].Deviations, 1)
		assert.Empty(t, store.records[11].Deviations)
		assert.Len(t, store.records, 1_700, "keeping goes before checking")
		counts, ok := log.OperationCalls("", store.records[0].Service, "listBerths")
		assert.True(t, ok)
		assert.Equal(t, [2]int64{31, 31}, [2]int64{counts.Total, counts.Deviating})
		_, ok = log.OperationCalls("", store.records[0].Service, "other")
		assert.False(t, ok)
	})
}

// oddChecker fails on a call in the way that its path asks for.
type oddChecker struct{}

func (oddChecker) Check(ctx context.Context, r *call.Record) (string, []call.Deviation, error) {
	switch r.Request.Path {
	case "/panic":
		panic("no chart for this")
	case "/hang": // heeds nobody, for an hour
		time.Sleep(time.Hour)
	case "/large":
		return "listBerths", nil, errors.New("it has too many values")
	case "/slow":
		<-ctx.Done()
		return "", nil, ctx.Err()
	case "/tardy":
		<-ctx.Done()
		time.Sleep(300 * time.Millisecond)
		return "", nil, ctx.Err()
	}
	return "listBerths", nil, nil
}

func TestAFaultOnOneCallCostsTheOthersNothing(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		store := &fakeStore{poison: "/poison"}
		log := startWith(t, store, oddChecker{})
		add := func(path string) {
			r := answered(log, call.FromContract)
			r.Request.Path = path
			log.Add(r)
		}
		for _, path := range []string{"/a", "/panic", "/large", "/poison", "/b"} {
			add(path)
		}
		require.NoError(t, log.Flush(t.Context()))
		var kept, operations []string
		for _, r := range store.records {
			kept, operations = append(kept, r.Request.Path), append(operations, r.Operation)
		}
		assert.Equal(t, []string{"/a", "/panic", "/large", "/b"}, kept)
		assert.Equal(t, []string{"listBerths", "", "listBerths", "listBerths"}, operations, "what is known of a call that was not checked whole is kept")
		assert.Equal(t, int64(2), log.NotChecked())
		assert.Equal(t, int64(1), log.NotKept())
		assert.Equal(t, log.Position(), uint64(4), "followers see what was kept")
	})
}

func TestTheLogNeverWaitsForACheck(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		store := &fakeStore{}
		t.Cleanup(func() { time.Sleep(time.Hour) }) // the log has ended before the check does
		log := startWith(t, store, oddChecker{})
		add := func(path string) time.Duration {
			begun := time.Now()
			r := answered(log, call.FromContract)
			r.Request.Path = path
			log.Add(r)
			require.NoError(t, log.Flush(t.Context()))
			return time.Since(begun)
		}
		assert.Less(t, add("/slow"), 3*time.Second)
		assert.Less(t, add("/a"), 100*time.Millisecond, "a check that heeds that nobody waits is over")
		assert.Equal(t, int64(1), log.NotChecked())
		assert.Less(t, add("/tardy"), 3*time.Second)
		assert.Less(t, add("/a"), 400*time.Millisecond, "one that heeds it late is waited for")
		assert.Equal(t, int64(2), log.NotChecked())
		assert.Equal(t, "listBerths", store.records[3].Operation)
		assert.Less(t, add("/hang"), 3*time.Second)
		assert.Less(t, add("/a"), 3*time.Second)
		assert.Less(t, add("/a"), 100*time.Millisecond, "one that does not is waited for once")
		assert.Equal(t, int64(5), log.NotChecked())
		assert.Len(t, store.records, 7)
	})
}

// What waits to be written is bounded by all that it holds, not by the calls alone.
func TestTheBufferIsBoundedInBytes(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		store := &fakeStore{block: make(chan struct{})}
		log := start(t, store)
		log.Add(answered(log, call.FromContract))
		time.Sleep(time.Second) // the writer is now stuck in the store
		for i := range 300 {
			r := answered(log, call.FromContract)
			if i%2 == 1 { // one service alone gets three quarters
				r.Service = "tides"
			}
			r.Explanation = &call.Explanation{Summary: call.Find(call.Refused, string(make([]byte, 1<<20)))}
			log.Add(r)
		}
		assert.Equal(t, int64(173), log.NotKept(), "127 MB of 128 were taken")
		close(store.block)
		store.set(func() { store.block = nil })
		require.NoError(t, log.Flush(t.Context()))
	})
}

// What is counted of a lane is forgotten with it, what is counted of all stays.
func TestCountsByLane(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		log := start(t, &fakeStore{})
		for _, lane := range []string{"", "mara", "mara", "run-1"} {
			r := answered(log, call.FromMapping)
			r.Lane, r.Operation = lane, "listBerths"
			log.Add(r)
		}
		require.NoError(t, log.Flush(t.Context()))
		counted := func(lane string) [2]int64 {
			r := answered(log, call.FromMapping)
			mapping, _ := log.MappingCalls(lane, r.Service, r.By)
			operation, _ := log.OperationCalls(lane, r.Service, "listBerths")
			return [2]int64{mapping.Total, operation.Total}
		}
		for lane, want := range map[string]int64{"": 4, "mara": 2, "run-1": 1, "other": 0} {
			assert.Equal(t, [2]int64{want, want}, counted(lane), lane)
		}
		log.ForgetLane("mara")
		for lane, want := range map[string]int64{"": 4, "mara": 0, "run-1": 1} {
			assert.Equal(t, [2]int64{want, want}, counted(lane), lane)
		}
		made := answered(log, call.FromCallback)
		made.Lane, made.Operation = "run-1", ""
		log.Add(made)
		total, recent := log.LaneCalls("run-1", made.At)
		assert.Equal(t, int64(1), total[call.FromCallback])
		assert.Equal(t, call.Counts{call.FromMapping: 1}, recent, "what the service did itself did not come")
		r := answered(log, call.FromMapping)
		log.ForgetMapping(r.Service, r.By)
		assert.Equal(t, [2]int64{0, 4}, counted(""), "operations are counted on")
		assert.Equal(t, [2]int64{0, 1}, counted("run-1"))
	})
}

func TestASlowFollowerIsToldWhatItMissed(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		log := start(t, &fakeStore{})
		const calls, ring = 20_000, 16_384
		for range calls {
			log.Add(answered(log, call.FromContract))
		}
		require.NoError(t, log.Flush(t.Context()))
		news, err := log.Follow(t.Context(), 0)
		require.NoError(t, err)
		assert.Len(t, news.Lines, ring)
		assert.Equal(t, calls-ring, news.Skipped)

		require.NoError(t, log.Clear(t.Context()))
		cleared, err := log.Follow(t.Context(), news.Position)
		require.NoError(t, err)
		assert.Equal(t, call.Followed{Cleared: true, Position: news.Position + 1}, cleared, "who waits is told at once")
		log.Add(answered(log, call.FromContract))
		require.NoError(t, log.Flush(t.Context()))
		for _, from := range []uint64{0, news.Position - 1} {
			cleared, err = log.Follow(t.Context(), from)
			require.NoError(t, err)
			assert.Len(t, cleared.Lines, 1, "nothing that the log does not have")
			assert.True(t, cleared.Cleared)
			assert.Zero(t, cleared.Skipped)
		}
	})
}

// A call is in work until it is added, kept or not; who looks at it sees no secret.
func TestCallsInWork(t *testing.T) {
	log := start(t, &fakeStore{})
	first, second := answered(log, call.FromContract), answered(log, call.FromUpstream)
	log.Began(second)
	log.Began(first)
	list := log.InWork()
	require.Len(t, list, 2)
	assert.Equal(t, []uint64{first.Number, second.Number}, []uint64{list[0].Number, list[1].Number})
	assert.NotContains(t, list[0].Request.Header.Get("Authorization"), "s3cret")
	assert.Contains(t, first.Request.Header.Get("Authorization"), "s3cret", "it is still being answered")
	log.Add(first)
	assert.Len(t, log.InWork(), 1)
	log.Add(second)
	assert.Empty(t, log.InWork())
}

// The store knows more numbers than were given, whenever it may end, and the right one
// in the end.
func TestNumbersAreReserved(t *testing.T) {
	store := &fakeStore{}
	log, err := calllog.Open(t.Context(), calllog.Config{Store: store, Masker: secret.NewMasker([]byte("k"), secret.NewRules(nil, nil), nil), Logger: slog.New(slog.NewTextHandler(io.Discard, nil))})
	require.NoError(t, err)
	first := log.Number()
	assert.Greater(t, store.reserved, first+500_000)
	for range 600_000 {
		log.Number()
	}
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- log.Run(ctx) }()
	log.Add(answered(log, call.FromContract))
	require.NoError(t, log.Flush(t.Context()))
	store.set(func() { assert.Greater(t, store.reserved, first+1_100_000) })
	stop()
	require.NoError(t, <-ended)
	assert.Equal(t, first+600_001, store.given)
}

// The log says from when on it has all calls, and why not from before.
func TestGaps(t *testing.T) {
	store := &fakeStore{}
	log := start(t, store)
	begun := time.Now().Add(-time.Hour)
	assert.Empty(t, log.Gap(t.Context(), begun, "", ""))
	assert.Empty(t, log.Gap(t.Context(), time.Time{}, "", ""))
	store.set(func() { store.fail = errors.New("the disk is full") })
	log.Add(answered(log, call.FromContract))
	require.NoError(t, log.Flush(t.Context()))
	lost := log.Gap(t.Context(), begun, "", "")
	assert.Regexp(t, `^calls that came until .* were answered but not all of them could be kept$`, lost)
	assert.NotEmpty(t, log.Gap(t.Context(), time.Time{}, "", ""))
	assert.Empty(t, log.Gap(t.Context(), time.Now().Add(time.Second), "", ""), "later calls are all there")

	// what was cleared is missing for who asks about that time; else the log begins with it
	store.set(func() { store.fail = nil })
	log.Add(answered(log, call.FromContract))
	require.NoError(t, log.Clear(t.Context()))
	assert.Regexp(t, `^the log was cleared, and with it a call of `, log.Gap(t.Context(), begun, "", ""))
	assert.Empty(t, log.Gap(t.Context(), time.Time{}, "", ""))
	assert.Empty(t, log.Gap(t.Context(), time.Now(), "", ""))

	// a log that was full when it was opened does not know what has left it
	full, err := calllog.Open(t.Context(), calllog.Config{Store: &fakeStore{trimmed: time.Unix(100, 0)}, Masker: secret.NewMasker([]byte("k"), secret.NewRules(nil, nil), nil), Logger: slog.New(slog.NewTextHandler(io.Discard, nil)), Keep: 3})
	require.NoError(t, err)
	assert.Regexp(t, `^calls that came until 1970-01-01T00:01:40Z have left the log, which keeps the last 3$`, full.Gap(t.Context(), time.Time{}, "", ""))
	assert.Empty(t, full.Gap(t.Context(), time.Unix(200, 0), "", ""))
	assert.Empty(t, full.Gap(t.Context(), time.Time{}, "quiet", ""), "of it none has left")
}

// Calls of a lane are counted by themselves until it is closed; they count among all
// the same.
func TestCountsOfLanes(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		log := start(t, &fakeStore{})
		for i, lane := range []string{"", "mara", "mara", "ben"} {
			r := answered(log, []call.Source{call.FromContract, call.FromMiss}[i%2])
			r.Lane, r.Scenario = lane, []string{"", "ebb"}[i/2]
			log.Add(r)
		}
		total, lastMinute := log.LaneCalls("mara", time.Now())
		assert.Equal(t, map[call.Source]int64{call.FromMiss: 1, call.FromContract: 1}, total)
		assert.Equal(t, call.Counts{call.FromMiss: 1, call.FromContract: 1}, lastMinute)
		assert.Equal(t, call.Counts{call.FromMiss: 2, call.FromContract: 2}, log.LastMinute(time.Now()))
		time.Sleep(61 * time.Second)
		total, lastMinute = log.LaneCalls("mara", time.Now())
		assert.Len(t, total, 2)
		assert.Empty(t, lastMinute)
		assert.Equal(t, map[call.Source]int64{call.FromContract: 1, call.FromMiss: 1}, log.ScenarioCalls("ebb"), "in whatever lane")
		log.ForgetScenario("ebb")
		assert.Empty(t, log.ScenarioCalls("ebb"))
		log.ForgetLane("mara")
		total, _ = log.LaneCalls("mara", time.Now())
		assert.Empty(t, total)
		total, _ = log.LaneCalls("ben", time.Now())
		assert.Len(t, total, 1)
	})
}
