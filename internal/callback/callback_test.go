package callback_test

import (
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/callback"
	"rapidmimic.example/internal/core/call"
)

// notes is a log that keeps what it is given.
type notes struct {
	mu      sync.Mutex
	number  atomic.Uint64
	records []*call.Record
}

func (n *notes) Number() uint64 { return n.number.Add(1) }

func (*notes) BodyLimit() int { return 8 }

func (n *notes) Add(r *call.Record) func() {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.records = append(n.records, r)
	return func() {}
}

func (n *notes) kept() []*call.Record {
	n.mu.Lock()
	defer n.mu.Unlock()
	return slices.Clone(n.records)
}

func (n *notes) statuses() (all []int) {
	for _, r := range n.kept() {
		all = append(all, r.Answer.Status)
	}
	return all
}

// answering is an upstream that gives one status after the other, the last one again and again; 0 gives
// none.
type answering struct {
	statuses []int
	asked    atomic.Int64
	stuck    bool
}

func (a *answering) RoundTrip(r *http.Request) (*http.Response, error) {
	if a.stuck {
		a.asked.Add(1)
		<-r.Context().Done()
		return nil, r.Context().Err()
	}
	n := int(a.asked.Add(1))
	if r.Body != nil {
		_, _ = io.ReadAll(r.Body)
	}
	status := a.statuses[min(n, len(a.statuses))-1]
	if status == 0 {
		return nil, errors.New("nobody is there")
	}
	return &http.Response{StatusCode: status, Proto: "HTTP/2.0", Header: http.Header{"X-A": {"b"}}, Body: io.NopCloser(strings.NewReader("0123456789")), ContentLength: 10}, nil
}

func (*answering) Explain(err error) (int, string) { return 502, err.Error() }

// How often a callback is made, and when.
func TestPace(t *testing.T) {
	for name, k := range map[string]struct {
		callback call.Callback
		answers  []int
		want     []int
		took     time.Duration
	}{
		"once":                     {call.Callback{}, []int{204}, []int{204}, 0},
		"later":                    {call.Callback{After: time.Minute}, []int{204}, []int{204}, time.Minute},
		"several times":            {call.Callback{Times: 3, Every: time.Second}, []int{204}, []int{204, 204, 204}, 2 * time.Second},
		"no retries":               {call.Callback{}, []int{503}, []int{503}, 0},
		"retries until it is well": {call.Callback{Retries: 5, RetryEvery: time.Second}, []int{503, 0, 404, 200}, []int{503, 0, 404, 200}, 3 * time.Second},
		"a redirect is well":       {call.Callback{Retries: 5, RetryEvery: time.Second}, []int{302}, []int{302}, 0},
		"retries that are used up": {call.Callback{Retries: 2, RetryEvery: time.Second}, []int{400}, []int{400, 400, 400}, 2 * time.Second},
		"retries of each":          {call.Callback{Times: 2, Every: time.Minute, Retries: 1, RetryEvery: time.Second}, []int{500, 500, 500, 200}, []int{500, 500, 500, 200}, time.Minute + 2*time.Second},
	} {
		t.Run(name, func(t *testing.T) {
			synctest.Test(t, func(t *testing.T) {
				log := &notes{}
				s := callback.New(callback.Config{Public: &answering{statuses: k.answers}, Log: log, Logger: slog.New(slog.DiscardHandler)})
				defer s.Close()
				k.callback.Target = "http://quay.example/told"
				begun := time.Now()
				first := s.Follow(&k.callback)
				result := <-first
				assert.Equal(t, k.want[0], result.Status)
				assert.Equal(t, uint64(1), result.Number)
				assert.Equal(t, k.want[0] == 0, result.Why != "")
				_, more := <-first
				assert.False(t, more, "it is told of the first one alone")
				assert.Equal(t, k.took, time.Since(begun))
				assert.Equal(t, k.want, log.statuses())
				for _, r := range log.kept() {
					assert.Equal(t, k.callback.Retries > 0, len(r.Explanation.Steps) > 0)
					assert.Equal(t, map[bool]string{true: "HTTP/1.1", false: "HTTP/2.0"}[r.Answer.Status == 0], r.Request.Protocol)
				}
				if steps := log.kept()[len(k.want)-1].Explanation.Steps; len(steps) > 0 {
					assert.NotContains(t, steps[0].Finding.String(), "the next one")
				}
				synctest.Wait()
				assert.Zero(t, s.Waiting())
			})
		})
	}
}

// An attempt is a call in the log, with what was sent and what came back as far as the log keeps it.
func TestAnAttemptIsACall(t *testing.T) {
	var got *http.Request
	var body []byte
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		got = r
		body, _ = io.ReadAll(r.Body)
		w.Header().Set("X-Seen", "yes")
		w.WriteHeader(202)
		_, _ = io.WriteString(w, "0123456789")
	}))
	defer server.Close()
	log := &notes{}
	s := callback.New(callback.Config{Public: &answering{statuses: []int{0}}, Private: plain{http.DefaultTransport}, Log: log, Logger: slog.New(slog.DiscardHandler)})
	defer s.Close()
	c := &call.Callback{By: "pilotAboard", Service: "moorings", Lane: "mara", Scenario: "storm", Cause: 9, Environment: 4, Method: "PUT", Target: server.URL + "/told/a%2Fb?x=1", Private: true,
		Header: call.Header{"X-Given": {"1", "2"}}, Body: []byte("a long body"), Retries: 1, Keys: []call.Key{{In: "header", Name: "Berth"}}}
	result := <-s.Follow(c)
	assert.Equal(t, 202, result.Status)
	assert.Empty(t, result.Why)
	require.NotNil(t, got)
	assert.Equal(t, "PUT /told/a%2Fb?x=1", got.Method+" "+got.RequestURI)
	assert.Equal(t, []string{"1", "2"}, got.Header["X-Given"])
	assert.Equal(t, "a long body", string(body), "all of it is sent")

	r := log.kept()[0]
	assert.Equal(t, call.FromCallback, r.Source)
	assert.Equal(t, []any{"pilotAboard", "moorings", "mara", "storm", uint64(9), int64(4)}, []any{r.By, r.Service, r.Lane, r.Scenario, r.Cause, r.Environment})
	assert.Equal(t, []string{"PUT", "/told/a%2Fb", "x=1", strings.TrimPrefix(server.URL, "http://")}, []string{r.Request.Method, r.Request.Path, r.Request.Query, r.Request.Host})
	assert.Equal(t, call.Body{Bytes: []byte("a long b"), Size: 11, Truncated: true}, r.Request.Body)
	assert.Equal(t, "01234567", string(r.Answer.Body))
	assert.Equal(t, int64(10), r.AnswerSize)
	assert.Equal(t, "yes", r.Answer.Get("X-Seen"))
	assert.True(t, slices.IsSortedFunc(r.Answer.Header, func(a, b call.Field) int { return strings.Compare(a.Name, b.Name) }))
	assert.Equal(t, []call.Key{{In: "header", Name: "Berth"}}, r.Request.Keys, "what is a secret of the service is one here")
	assert.Equal(t, "The service made this call: pilotAboard.", r.Explanation.Summary.String())
	assert.Equal(t, "attempt 1 of at most 2", r.Explanation.Steps[0].Finding.String())
	assert.Equal(t, call.Header{"X-Given": {"1", "2"}}, c.Header, "nothing is added to what others share")

	c.Private, c.Retries, c.RetryEvery = false, 1, time.Millisecond
	chunked := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		_, _ = io.WriteString(w, "01234567")
		_ = http.NewResponseController(w).Flush()
		_, _ = io.WriteString(w, "89")
	}))
	defer chunked.Close()
	long := *c
	long.Target, long.Private, long.Retries = chunked.URL, true, 0
	<-s.Follow(&long)
	assert.Equal(t, "01234567", string(log.kept()[1].Answer.Body))
	assert.Greater(t, log.kept()[1].AnswerSize, int64(8), "it is known that there is more")

	result = <-s.Follow(c)
	assert.Equal(t, "nobody is there", result.Why, "others are asked where the address must be public")
	assert.Equal(t, "The service made this call, pilotAboard, and got no answer: nobody is there.", log.kept()[2].Explanation.Summary.String())
	assert.Equal(t, "attempt 1 of at most 2, the next one in 1ms", log.kept()[2].Explanation.Steps[0].Finding.String())
}

type plain struct{ http.RoundTripper }

func (plain) Explain(err error) (int, string) { return 502, err.Error() }

// What finds no room is in the log; one service leaves room for others.
func TestRoom(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		log := &notes{}
		s := callback.New(callback.Config{Public: &answering{statuses: []int{204}}, Log: log, Logger: slog.New(slog.DiscardHandler), MaxWaiting: 4})
		defer s.Close()
		make := func(service string) *call.Callback {
			return &call.Callback{By: "a", Service: service, Target: "http://quay.example", After: time.Hour}
		}
		for range 3 {
			s.Make(make("moorings"))
		}
		assert.Equal(t, 2, s.Waiting())
		require.Len(t, log.kept(), 1)
		assert.Equal(t, "The service made this call, a, and got no answer: 2 callbacks wait already, 2 of them of this service.", log.kept()[0].Explanation.Summary.String())
		s.Make(make("tides"))
		s.Make(make("customs"))
		assert.Equal(t, 4, s.Waiting())
		_, made := <-s.Follow(make("surveys"))
		assert.False(t, made)
		assert.Len(t, log.kept(), 2)
		time.Sleep(2 * time.Hour)
		synctest.Wait()
		assert.Zero(t, s.Waiting())
		assert.Len(t, log.kept(), 6)
		s.Make(make("moorings"))
		assert.Equal(t, 1, s.Waiting(), "there is room again")
	})
}

// Nothing is made any more that nobody wants, nor after the end.
func TestGivenUp(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		log, wanted := &notes{}, atomic.Bool{}
		wanted.Store(true)
		s := callback.New(callback.Config{Public: &answering{statuses: []int{500}}, Log: log, Logger: slog.New(slog.DiscardHandler), Wanted: func(*call.Callback) bool { return wanted.Load() }})
		s.Make(&call.Callback{Target: "http://quay.example", Retries: 5, RetryEvery: time.Minute})
		time.Sleep(90 * time.Second)
		assert.Len(t, log.kept(), 2)
		wanted.Store(false)
		time.Sleep(time.Hour)
		assert.Len(t, log.kept(), 2)
		assert.Zero(t, s.Waiting())

		wanted.Store(true)
		for range 3 {
			s.Make(&call.Callback{Target: "http://quay.example", After: time.Minute})
		}
		s.Sweep()
		synctest.Wait()
		assert.Equal(t, 3, s.Waiting())
		wanted.Store(false)
		s.Sweep()
		synctest.Wait()
		assert.Zero(t, s.Waiting(), "it makes room at once")
		wanted.Store(true)
		time.Sleep(time.Hour)
		assert.Len(t, log.kept(), 2, "what was given up does not come when it is wanted again")

		s.Make(&call.Callback{Target: "http://quay.example", After: time.Minute})
		s.Close()
		assert.Zero(t, s.Waiting())
		_, made := <-s.Follow(&call.Callback{Target: "http://quay.example"})
		assert.False(t, made)
		assert.Len(t, log.kept(), 2)
	})
}

// So many are made at the same time, and their bodies take so much memory.
func TestBounds(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		log, up := &notes{}, &answering{stuck: true}
		s := callback.New(callback.Config{Public: up, Log: log, Logger: slog.New(slog.DiscardHandler), Timeout: time.Minute})
		for range 100 {
			s.Make(&call.Callback{Target: "http://quay.example"})
		}
		synctest.Wait()
		assert.Equal(t, int64(64), up.asked.Load())
		time.Sleep(90 * time.Second)
		synctest.Wait()
		assert.Equal(t, int64(100), up.asked.Load())
		assert.Len(t, log.kept(), 64)
		s.Close()
		assert.Equal(t, "The service made this call, , and got no answer: the service stopped.", log.kept()[99].Explanation.Summary.String())

		log = &notes{}
		s = callback.New(callback.Config{Public: &answering{statuses: []int{204}}, Log: log, Logger: slog.New(slog.DiscardHandler)})
		defer s.Close()
		large := func(size int) *call.Callback {
			return &call.Callback{Target: "http://quay.example", After: time.Second, Body: make([]byte, size)}
		}
		for range 2 {
			s.Make(large(100 << 20)) // a single one may be of any size
			s.Make(large(1))
			assert.Equal(t, 1, s.Waiting())
			time.Sleep(2 * time.Second)
			s.Make(large(32 << 20))
			s.Make(large(32 << 20))
			s.Make(large(1))
			assert.Equal(t, 2, s.Waiting())
			time.Sleep(2 * time.Second)
		}
		assert.Len(t, log.kept(), 10)
	})
}

// One that answers never holds nothing up for longer than the timeout.
func TestTimeout(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		log := &notes{}
		s := callback.New(callback.Config{Public: &answering{stuck: true}, Log: log, Logger: slog.New(slog.DiscardHandler), Timeout: time.Minute})
		defer s.Close()
		begun := time.Now()
		result := <-s.Follow(&call.Callback{Target: "http://quay.example"})
		assert.Equal(t, time.Minute, time.Since(begun))
		assert.Equal(t, "context deadline exceeded", result.Why)
		assert.Equal(t, time.Minute, log.kept()[0].Ask)
	})
}

// BenchmarkWaiting is one more callback beside 10,000 that wait, and what looking through them costs.
func BenchmarkWaiting(b *testing.B) {
	s := callback.New(callback.Config{Public: &answering{statuses: []int{204}}, Log: &notes{}, Logger: slog.New(slog.DiscardHandler), MaxWaiting: 1 << 30, Wanted: func(*call.Callback) bool { return true }})
	defer s.Close()
	for range 10_000 {
		s.Make(&call.Callback{Service: "moorings", Target: "http://quay.example", After: time.Hour})
	}
	b.Run("make", func(b *testing.B) {
		for b.Loop() {
			<-s.Follow(&call.Callback{Service: "tides", Target: "http://quay.example"})
		}
	})
	b.Run("sweep", func(b *testing.B) {
		for b.Loop() {
			s.Sweep()
		}
	})
}
