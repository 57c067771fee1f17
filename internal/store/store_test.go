package store_test

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/call"
	"rapidmimic.example/internal/core/catalog"
	"rapidmimic.example/internal/store"
	"rapidmimic.example/spec"
)

func open(t testing.TB, folder string) *store.Store {
	s, err := store.Open(t.Context(), folder, false)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() }) // some tests close it themselves
	return s
}

func record(number uint64, body string) *call.Record {
	return &call.Record{
		Number: number, At: time.UnixMicro(1_764_580_442_000_000), Service: "moorings",
		Request: call.Request{
			Method: "POST", Address: "/moorings/berths/N7", Path: "/berths/N7", Query: "q=Winter", Host: "h", Protocol: "HTTP/1.1", Caller: "127.0.0.1:9",
			Header: call.Header{"Accept": {"a", "b"}, "X-Odd": {"has: colon"}},
			Body:   call.Body{Bytes: []byte(body), Size: int64(len(body))},
		},
		Answer:     call.Answer{Status: 201, Header: []call.Field{{Name: "Set-Cookie", Value: "a=1"}, {Name: "Set-Cookie", Value: "b=2"}}, Body: []byte{0, 0xff, 1}},
		AnswerSize: 3, Source: call.FromMapping, By: "booked",
		Explanation: &call.Explanation{Summary: call.Find(call.Refused, "Because."), Steps: []call.Step{{Stage: call.Choose,
			Of: call.Subject{Kind: call.KindMapping, ID: "booked", From: "lane mara"}, Verdict: call.Skipped,
			Finding: call.Finding{Code: call.NoneHold, Among: []call.Finding{{Code: call.Differs, Part: "query season", Seen: `"summer"`, Expected: `"winter"`}}}}}},
		Deviations: []call.Deviation{{Side: call.OfRequest, Where: "query season", Detail: "it is required and missing"}},
		Read:       time.Microsecond, Decide: 2 * time.Microsecond, Send: 3 * time.Microsecond,
	}
}

func TestCallsComeBackWhole(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	var batch []*call.Record
	for n := range uint64(60) { // in one block
		batch = append(batch, record(n+1, fmt.Sprintf(`{"n":%d}`, n%7)))
	}
	require.NoError(t, s.InsertCalls(t.Context(), batch))
	require.NoError(t, s.Close())

	s = open(t, folder)
	for _, want := range []*call.Record{batch[0], batch[30], batch[59]} {
		got, err := s.Call(t.Context(), want.Number)
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
	_, err := s.Call(t.Context(), 61)
	assert.ErrorContains(t, err, "call c-3d is not in the log")
	count, highest, err := s.CountCalls(t.Context())
	require.NoError(t, err)
	assert.Equal(t, int64(60), count)
	assert.Equal(t, uint64(60), highest)
}

func TestListCalls(t *testing.T) {
	s := open(t, t.TempDir())
	miss := record(3, "")
	miss.Service, miss.Source, miss.By, miss.Answer.Status = "tides", call.FromMiss, "100% odd_name", 404
	require.NoError(t, s.InsertCalls(t.Context(), []*call.Record{record(1, ""), record(2, ""), miss}))
	numbers := func(f call.Filter, before uint64, limit int) (list []uint64) {
		records, err := s.ListCalls(t.Context(), f, before, limit)
		require.NoError(t, err)
		for _, r := range records {
			list = append(list, r.Number)
		}
		return list
	}
	assert.Equal(t, []uint64{3, 2, 1}, numbers(call.Filter{}, 0, 10))
	assert.Equal(t, []uint64{3, 2}, numbers(call.Filter{}, 0, 2))
	assert.Equal(t, []uint64{1}, numbers(call.Filter{}, 2, 10))
	assert.Equal(t, []uint64{2}, numbers(call.Filter{After: 1}, 3, 10))
	assert.Empty(t, numbers(call.Filter{After: 3}, 0, 10))
	assert.Equal(t, []uint64{3}, numbers(call.Filter{Service: "tides"}, 0, 10))
	assert.Equal(t, []uint64{2, 1}, numbers(call.Filter{Text: "post /moorings/berths/n7?q=winter 201 MAPPING booked deviates"}, 0, 10))
	assert.Equal(t, []uint64{3}, numbers(call.Filter{Text: "100% odd_name"}, 0, 10))
	assert.Empty(t, numbers(call.Filter{Text: "100_ odd"}, 0, 10))

	// what stands in the bodies, of requests and of answers
	asked, answered := record(4, `{"vessel": "Grey Gannet"}`), record(5, "")
	answered.Answer.Body = []byte(`{"due": "30.82", "to": "Grey Gannet"}`)
	require.NoError(t, s.InsertCalls(t.Context(), []*call.Record{asked, answered}))
	for text, want := range map[string][]uint64{
		"body:Gannet": {5, 4}, `body:"Grey Gannet"`: {5, 4}, "body:Grey 30.82": nil, "body:Gannet body:30.82": {5}, `post body:"30.82`: {5},
		"body:gannet": nil, "body:Winter": nil, "miss body:Gannet": nil, "body:": {5, 4, 3, 2, 1}, "body:a%": nil,
		"-body:Gannet": {3, 2, 1}, "body:30.82 or service:tides": {5, 3}, "-body:30.82 -tides": {4, 2, 1},
	} {
		assert.Equal(t, want, numbers(call.Filter{Text: text}, 0, 10), text)
	}
}

// Calls are listed by their numbers, although they are written in the order in which
// they were answered: one that took long is in a later block than those that came
// after it.
func TestCallsOfManyBlocks(t *testing.T) {
	s := open(t, t.TempDir())
	const calls, apart = 400, 40 // so that blocks end by how far numbers lie apart, too
	var records []*call.Record
	for n := uint64(1); n <= calls; n++ {
		if n != 7 && n != 250 {
			records = append(records, record(n*apart, fmt.Sprint("body ", n%5)))
		}
	}
	records = append(slices.Insert(records, 330, record(250*apart, "slow")), record(7*apart, "slowest"))
	slices.Reverse(records[100:180])
	for i, r := range records { // so that each differs from the one before in other parts
		r.At, r.Decide = r.At.Add(time.Duration(r.Number)*time.Second), time.Duration(i%7)
		r.Request.Path, r.Operation, r.Lane = fmt.Sprint("/berths/N", i%3), []string{"", "getBerth"}[i%2], []string{"", "", "mara"}[i%3]
		r.Answer.Status = 200 + i%5
	}
	for batch := range slices.Chunk(records, 90) {
		require.NoError(t, s.InsertCalls(t.Context(), batch))
	}
	var listed []uint64
	for before := uint64(0); ; before = listed[len(listed)-1] {
		page, err := s.ListCalls(t.Context(), call.Filter{}, before, 23)
		require.NoError(t, err)
		for _, line := range page {
			listed = append(listed, line.Number)
		}
		if len(page) < 23 {
			break
		}
	}
	require.Len(t, listed, calls)
	for _, after := range []uint64{6 * apart, 7 * apart, 250*apart - 1, 250 * apart} {
		page, err := s.ListCalls(t.Context(), call.Filter{After: after}, 0, calls)
		require.NoError(t, err)
		require.Len(t, page, calls-int(after/apart), after)
		assert.Greater(t, page[len(page)-1].Number, after)
	}
	for i, number := range listed {
		require.Equal(t, uint64(calls-i)*apart, number)
	}
	for _, r := range records {
		got, err := s.Call(t.Context(), r.Number)
		require.NoError(t, err)
		assert.Equal(t, r, got)
	}
	_, err := s.Call(t.Context(), calls*apart+1)
	assert.ErrorContains(t, err, "is not in the log")
}

// Whoever floods one service, or calls in one lane, does not push the calls of others
// out of the log: each keeps its last ones, with all that they consist of.
func TestRetentionIsFair(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	number, clock := uint64(0), time.UnixMicro(1_764_580_442_000_000).UTC()
	add := func(s *store.Store, service, lane string, count int) {
		batch := make([]*call.Record, count)
		for i := range batch {
			number++
			clock = clock.Add(time.Millisecond)
			batch[i] = record(number, fmt.Sprintf(`{"%s":%d}`, service, number))
			batch[i].Service, batch[i].Lane, batch[i].At = service, lane, clock
		}
		require.NoError(t, s.InsertCalls(t.Context(), batch))
	}
	flood := func(s *store.Store) {
		for range 22 { // more than one generation of contents spans
			add(s, "tides", "", 1_000)
			_, err := s.TrimCalls(t.Context(), 3_000, 1<<30)
			require.NoError(t, err)
		}
		count, _, err := s.CountCalls(t.Context())
		require.NoError(t, err)
		assert.LessOrEqual(t, count, int64(3_100))
	}
	keeps := func(s *store.Store, service, lane string, first, last uint64) {
		t.Helper()
		list, err := s.ListCalls(t.Context(), call.Filter{Service: service, Lane: lane}, 0, 10_000)
		require.NoError(t, err)
		require.Len(t, list, int(last-first+1))
		assert.Equal(t, []uint64{last, first}, []uint64{list[0].Number, list[len(list)-1].Number})
		for _, line := range []call.Summary{list[0], list[len(list)-1]} {
			whole, err := s.Call(t.Context(), line.Number)
			require.NoError(t, err)
			assert.Equal(t, fmt.Sprintf(`{"%s":%d}`, service, line.Number), string(whole.Request.Body.Bytes))
			assert.Equal(t, record(1, "").Explanation, whole.Explanation)
		}
	}
	trimmed := func(s *store.Store, service, lane string) time.Time {
		at, err := s.TrimmedIn(t.Context(), service, lane)
		require.NoError(t, err)
		return at
	}

	add(s, "moorings", "", 150) // 1 to 150
	add(s, "tides", "night", 1) // 151
	add(s, "pilots", "", 500)   // 152 to 651
	flood(s)
	check := func(s *store.Store) {
		t.Helper()
		keeps(s, "moorings", "", 1, 150)
		keeps(s, "tides", "night", 151, 151)
		keeps(s, "pilots", "", 652-187, 651) // a quarter of the log for four
	}
	check(s)
	assert.Zero(t, trimmed(s, "moorings", ""), "it has all its calls")
	assert.Zero(t, trimmed(s, "tides", "night"))
	assert.Zero(t, trimmed(s, "berths", ""), "it was never called")
	assert.NotZero(t, trimmed(s, "tides", call.NoLane))
	assert.Equal(t, trimmed(s, "tides", call.NoLane), trimmed(s, "", ""), "of all it is the newest")
	firstPilot, err := s.Call(t.Context(), 652-187)
	require.NoError(t, err)
	assert.WithinDuration(t, firstPilot.At, trimmed(s, "pilots", ""), 0)

	require.NoError(t, s.Close()) // what is kept for them is known after a restart too
	s = open(t, folder)
	assert.NotZero(t, trimmed(s, "moorings", ""), "it is not known any more that it has all")
	flood(s)
	check(s)

	require.NoError(t, s.ClearCalls(t.Context(), time.Now()))
	add(s, "tides", "", 4_000)
	_, err = s.TrimCalls(t.Context(), 3_000, 1<<30)
	require.NoError(t, err)
	assert.NotZero(t, trimmed(s, "tides", ""))
	assert.Zero(t, trimmed(s, "moorings", ""))
}

// A call that took long is written after those that came later; it stays like them.
func TestFairRetentionKeepsLateCalls(t *testing.T) {
	s := open(t, t.TempDir())
	next := uint64(10)
	flood := func() {
		for range 3 {
			batch := make([]*call.Record, 1_000)
			for i := range batch {
				next++
				batch[i] = record(next, "")
				batch[i].Service = "tides"
			}
			require.NoError(t, s.InsertCalls(t.Context(), batch))
			_, err := s.TrimCalls(t.Context(), 1_000, 1<<30)
			require.NoError(t, err)
		}
	}
	require.NoError(t, s.InsertCalls(t.Context(), []*call.Record{record(2, "second"), record(3, "third")}))
	flood()
	require.NoError(t, s.InsertCalls(t.Context(), []*call.Record{record(1, "first")}))
	flood()
	for number, body := range map[uint64]string{1: "first", 2: "second", 3: "third"} {
		r, err := s.Call(t.Context(), number)
		require.NoError(t, err)
		assert.Equal(t, body, string(r.Request.Body.Bytes))
	}
}

// What is kept for others takes a part of the room only: of large calls fewer stay.
func TestFairRetentionHasRoom(t *testing.T) {
	s := open(t, t.TempDir())
	const most = 4 << 20
	var batch []*call.Record
	for n := range uint64(20) {
		batch = append(batch, record(n+1, fmt.Sprintf("%d%s", n, strings.Repeat("x", 100_000))))
	}
	require.NoError(t, s.InsertCalls(t.Context(), batch))
	for n := range uint64(100) {
		loud := record(n+21, fmt.Sprintf("%d%s", n, strings.Repeat("y", 100_000)))
		loud.Service = "tides"
		require.NoError(t, s.InsertCalls(t.Context(), []*call.Record{loud}))
		_, err := s.TrimCalls(t.Context(), 1_000, most)
		require.NoError(t, err)
	}
	list, err := s.ListCalls(t.Context(), call.Filter{Service: "moorings"}, 0, 100)
	require.NoError(t, err)
	require.Len(t, list, 5, "a quarter of the room for two")
	assert.Equal(t, uint64(20), list[0].Number, "the newest stay")
	loud, err := s.ListCalls(t.Context(), call.Filter{Service: "tides"}, 0, 100)
	require.NoError(t, err)
	assert.Greater(t, len(loud), 20)
}

func TestTrimmingKeepsWhatIsReferredTo(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	const calls = 60_000 // numbers, of which every tenth is kept: beyond the window in which contents are reused
	for from := uint64(10); from < calls; from += 5_000 {
		var batch []*call.Record
		for n := from; n < from+5_000; n += 10 {
			batch = append(batch, record(n, fmt.Sprintf("body %d", n%3)))
		}
		require.NoError(t, s.InsertCalls(t.Context(), batch))
		_, err := s.TrimCalls(t.Context(), 1_000, 1<<30)
		require.NoError(t, err)
	}
	count, highest, err := s.CountCalls(t.Context())
	require.NoError(t, err)
	assert.InDelta(t, 1_032, count, 32, "whole blocks go")
	for n := highest - 9_990; n <= highest; n += 770 {
		got, err := s.Call(t.Context(), n)
		require.NoError(t, err)
		assert.Equal(t, fmt.Sprintf("body %d", n%3), string(got.Request.Body.Bytes))
		assert.NotNil(t, got.Explanation)
	}
	db, err := sqlx.Open("sqlite", filepath.Join(folder, store.FileName))
	require.NoError(t, err)
	defer db.Close()
	var contents int
	require.NoError(t, db.Get(&contents, `SELECT sum(size) FROM contents`))
	assert.Less(t, contents, 10_000, "what repeats is stored once, and old contents go")

	newest, err := s.Call(t.Context(), highest)
	require.NoError(t, err)
	now := time.UnixMicro(1_764_580_500_000_002)
	require.NoError(t, s.ClearCalls(t.Context(), now))
	last, at, err := s.Cleared(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []int64{newest.At.UnixMicro(), now.UnixMicro()}, []int64{last.UnixMicro(), at.UnixMicro()})
	count, again, err := s.CountCalls(t.Context())
	require.NoError(t, err)
	assert.Zero(t, count)
	assert.Equal(t, highest, again, "numbers are not given twice")
	require.NoError(t, s.InsertCalls(t.Context(), []*call.Record{record(highest+1, "body 1")}))
	got, err := s.Call(t.Context(), highest+1)
	require.NoError(t, err)
	assert.Equal(t, "body 1", string(got.Request.Body.Bytes))
}

// Whatever the bodies, the log takes the bytes that it may take, on disk too, and what
// it still lists is whole.
func TestTheLogKeepsItsBytes(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	const most, body = 2 << 20, 50_000
	number := uint64(0)
	db, err := sqlx.Open("sqlite", filepath.Join(folder, store.FileName))
	require.NoError(t, err)
	defer db.Close()
	fill := func(rounds int) {
		for range rounds {
			var batch []*call.Record
			for range 8 {
				number++
				batch = append(batch, record(number, fmt.Sprintf("%0*d", body, number)))
			}
			require.NoError(t, s.InsertCalls(t.Context(), batch))
			_, err := s.TrimCalls(t.Context(), 1_000_000, most)
			require.NoError(t, err)
			var stored int64
			require.NoError(t, db.Get(&stored, `SELECT coalesce(sum(size), 0) FROM contents`))
			require.Less(t, stored, int64(most+8*(body+1_000)))
		}
		count, highest, err := s.CountCalls(t.Context())
		require.NoError(t, err)
		assert.Equal(t, number, highest)
		assert.Greater(t, count, int64(20))
		page, err := s.ListCalls(t.Context(), call.Filter{}, 0, 1_000)
		require.NoError(t, err)
		assert.Len(t, page, int(count))
		for _, line := range page {
			got, err := s.Call(t.Context(), line.Number)
			require.NoError(t, err)
			require.Equal(t, fmt.Sprintf("%0*d", body, line.Number), string(got.Request.Body.Bytes))
		}
	}
	fill(60)
	require.NoError(t, s.Close())
	s = open(t, folder)
	fill(60)
	require.NoError(t, s.Close())
	info, err := os.Stat(filepath.Join(folder, store.FileName))
	require.NoError(t, err)
	assert.Less(t, info.Size(), int64(2*most), "24 MB went through it")
}

// No number is given twice, also where the service ended in the middle of the work.
func TestNumbersAreNotGivenTwice(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	highest := func() uint64 {
		_, highest, err := s.CountCalls(t.Context())
		require.NoError(t, err)
		return highest
	}
	require.NoError(t, s.ReserveNumbers(t.Context(), 5_000))
	require.NoError(t, s.InsertCalls(t.Context(), []*call.Record{record(17, "")}))
	require.NoError(t, s.Close())
	s = open(t, folder)
	assert.Equal(t, uint64(5_000), highest())
	require.NoError(t, s.EndRun(t.Context(), time.Time{}, 4_100))
	assert.Equal(t, uint64(4_100), highest())
	require.NoError(t, s.InsertCalls(t.Context(), []*call.Record{record(4_200, "")}))
	assert.Equal(t, uint64(4_200), highest())
}

// Until when calls are missing is known after a restart, and after one that came in
// the middle of the work.
func TestMissingCallsAreRemembered(t *testing.T) {
	s := open(t, t.TempDir())
	noon := time.UnixMicro(1_764_580_442_000_001)
	for i, k := range []struct {
		missing time.Time // at the end of the run before
		ended   bool
		want    time.Time
	}{
		{time.Time{}, true, time.Time{}},
		{noon, true, noon},
		{time.Time{}, true, noon}, // nothing more was lost
		{time.Time{}, false, noon.Add(3 * time.Hour)},
	} {
		if k.ended {
			require.NoError(t, s.EndRun(t.Context(), k.missing, 0))
		}
		missing, err := s.BeginRun(t.Context(), noon.Add(time.Duration(i)*time.Hour))
		require.NoError(t, err)
		assert.True(t, k.want.Equal(missing), "run %d: %s", i, missing)
	}
}

func TestDefinitionsComeBack(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	c, err := catalog.Open(t.Context(), s)
	require.NoError(t, err)
	at := time.UnixMicro(1_764_580_442_000_001)
	text := []byte("openapi: 3.1.0\npaths:\n  /berths: {get: {responses: {'200': {description: ok}}}}\n")
	_, err = c.Import(t.Context(), catalog.Import{Text: text, File: "moorings.yaml", At: at})
	require.NoError(t, err)
	_, err = c.Import(t.Context(), catalog.Import{Text: append(text, "# second\n"...), File: "moorings-2.yaml", Into: "moorings"})
	require.NoError(t, err)
	list, err := spec.ReadMappings([]byte("[{id: z, call: {path: /a}, answer: {json: null}}, {id: a, rank: 2, enabled: false, call: {path: /b}, answer: {text: '<>'}}, {id: gone, call: {path: /c}}]"))
	require.NoError(t, err)
	_, _, err = c.PutMappings(t.Context(), "moorings", list)
	require.NoError(t, err)
	_, err = c.RemoveMapping(t.Context(), "moorings", "gone", "")
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), spec.NewService("short-lived"))
	require.NoError(t, err)
	_, err = c.RemoveService(t.Context(), "short-lived", "")
	require.NoError(t, err)
	require.NoError(t, s.Close())

	again, err := catalog.Open(t.Context(), open(t, folder))
	require.NoError(t, err)
	assert.Equal(t, []string{"moorings"}, again.Snapshot().Names())
	before, after := c.Snapshot().Find("moorings"), again.Snapshot().Find("moorings")
	assert.Equal(t, before.Version, after.Version)
	assert.Equal(t, 2, after.Contract.Revision)
	require.Len(t, after.Mappings, 2)
	for i, m := range before.Mappings {
		assert.Equal(t, m.Version, after.Mappings[i].Version)
		assert.Equal(t, m.Replies[0].Answer, after.Mappings[i].Replies[0].Answer)
		assert.Equal(t, m.Spec.Enabled, after.Mappings[i].Spec.Enabled)
	}
	stored, err := again.ContractText(t.Context(), "moorings", 0)
	require.NoError(t, err)
	assert.Contains(t, string(stored.Text), "# second", "the document as it was imported")
	revisions, err := again.Revisions(t.Context(), "moorings")
	require.NoError(t, err)
	require.Len(t, revisions, 2)
	assert.Equal(t, "moorings.yaml", revisions[0].File)
	assert.Equal(t, at, revisions[0].Imported)
	fresh, err := again.CreateService(t.Context(), spec.NewService("next"))
	require.NoError(t, err)
	assert.Greater(t, fresh.Version, after.Version)
	assert.NotEqual(t, after.Spec.ID, fresh.Spec.ID)
}

func TestASecretOfOldIsTakenOnce(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	none, err := s.TakeSecret(t.Context(), "masking")
	require.NoError(t, err)
	assert.Nil(t, none)
	db, err := sqlx.Open("sqlite", filepath.Join(folder, store.FileName))
	require.NoError(t, err)
	_, err = db.Exec(`INSERT INTO settings (key, value) VALUES ('masking', x'0102')`)
	require.NoError(t, errors.Join(err, db.Close()))
	for _, want := range [][]byte{{1, 2}, nil} {
		key, err := s.TakeSecret(t.Context(), "masking")
		require.NoError(t, err)
		assert.Equal(t, want, key)
	}
}

// A database of an earlier schema is kept as it was beside the one that is brought up to date;
// one that is up to date is not copied.
func TestAnOlderDatabaseIsKept(t *testing.T) {
	folder := t.TempDir()
	s := open(t, folder)
	c, err := catalog.Open(t.Context(), s)
	require.NoError(t, err)
	_, err = c.CreateService(t.Context(), spec.NewService("quay"))
	require.NoError(t, err)
	require.NoError(t, s.MakeEarlier(t.Context()))
	require.NoError(t, s.Close())
	require.NoError(t, os.WriteFile(filepath.Join(folder, "environment.db.before-7"), nil, 0o600))
	copied := filepath.Join(folder, "environment.db.before-22")
	for range 2 {
		s = open(t, folder)
		require.NoError(t, s.Close())
		kept, err := filepath.Glob(filepath.Join(folder, "environment.db.before-*"))
		require.NoError(t, err)
		assert.Equal(t, []string{copied}, kept, "one copy, of the schema before")
	}
	info, err := os.Stat(copied)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	require.NoError(t, store.Check(t.Context(), copied))
	again := t.TempDir()
	require.NoError(t, os.Rename(copied, filepath.Join(again, "environment.db")))
	c, err = catalog.Open(t.Context(), open(t, again))
	require.NoError(t, err)
	_, err = c.Find("quay")
	assert.NoError(t, err)
}
