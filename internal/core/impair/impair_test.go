package impair_test

import (
	"fmt"
	"math"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/impair"
	"rapidmimic.example/spec"
)

func plan(t *testing.T, document string) *impair.Plan {
	i, err := spec.ReadImpairment([]byte(document))
	require.NoError(t, err)
	p, fault := impair.Compile(i, "quay", time.Unix(0, 0), spec.Lines())
	require.Nil(t, fault)
	return p
}

// The share of 10,000 draws lies within three standard deviations of the rate,
// for any seed, and 0 and 100 % are exact.
func TestChance(t *testing.T) {
	for seed := range int64(20) {
		for _, rate := range []float64{0, 0.005, 0.3, 0.5, 1} {
			hits := 0
			for n := range uint64(10_000) {
				if impair.Chance(seed, "errors", n) < rate {
					hits++
				}
			}
			deviation := math.Sqrt(10_000 * rate * (1 - rate))
			assert.LessOrEqual(t, math.Abs(float64(hits)-10_000*rate), 3*deviation, "seed %d, rate %g", seed, rate)
		}
	}
	assert.NotEqual(t, impair.Chance(1, "errors", 7), impair.Chance(1, "latency", 7))
	assert.Equal(t, impair.Chance(1, "errors", 7), impair.Chance(1, "errors", 7))
}

func TestDelays(t *testing.T) {
	for document, want := range map[string][3]time.Duration{ // at 0.01, 0.5 and 0.99
		`latency: 250ms`:                     {250 * time.Millisecond, 250 * time.Millisecond, 250 * time.Millisecond},
		`latency: 100ms..300ms`:              {102 * time.Millisecond, 200 * time.Millisecond, 298 * time.Millisecond},
		`latency: { p50: 80ms, p99: 900ms }`: {7111 * time.Microsecond, 80 * time.Millisecond, 900 * time.Millisecond},
		`errors: { next: 1 }`:                {0, 0, 0},
	} {
		p := plan(t, document)
		for i, draw := range []float64{0.01, 0.5, 0.99} {
			assert.InDelta(t, want[i].Seconds(), p.Delay("", draw).Seconds(), 0.0005, "%s at %g", document, draw)
		}
	}
	assert.LessOrEqual(t, plan(t, `latency: { p50: 1s, p99: 1h }`).Delay("", 1), 10*time.Minute, "the tail is bounded")
}

func TestStatusesByWeight(t *testing.T) {
	p := plan(t, `errors: { next: 1, status: { 503: 3, 429: 1 } }`)
	assert.Equal(t, []int{429, 429, 503, 503, 503}, []int{p.Status(0), p.Status(0.24), p.Status(0.25), p.Status(0.5), p.Status(0.999)})
	assert.Equal(t, 503, plan(t, `errors: { next: 1 }`).Status(0.7))
}

func TestOutages(t *testing.T) {
	for document, want := range map[string][]bool{ // after 0, 19, 20, 119, 120 and 141 s
		`outage: { as: 503 }`:                       {true, true, true, true, true, true},
		`outage: { as: 503, for: 20s }`:             {true, true, false, false, false, false},
		`outage: { as: drop, for: 20s, every: 2m }`: {true, true, false, false, true, false},
		`latency: 1s`:                               {false, false, false, false, false, false},
	} {
		p := plan(t, document)
		var down []bool
		for _, second := range []int64{0, 19, 20, 119, 120, 141} {
			down = append(down, p.Down(time.Unix(second, 0)))
		}
		assert.Equal(t, want, down, document)
	}
}

func TestLinesByName(t *testing.T) {
	p := plan(t, `connection: { line: harbour-radio }`)
	assert.Equal(t, spec.Lines()["harbour-radio"], p.Line)
	_, fault := impair.Compile(spec.Impairment{Connection: &spec.Connection{Line: "tin-can"}}, "", time.Time{}, spec.Lines())
	require.NotNil(t, fault)
	assert.Equal(t, `line "tin-can" not found (there are crowded-quay, far-skerry, harbour-radio, sea-cable)`, fault.Detail)
}

// A limit is exact: in no span of its length are more calls let through than it
// says, at its edges and under parallel callers.
func TestWindows(t *testing.T) {
	var l impair.Limits
	start := time.Unix(1000, 0)
	at := func(ms int) time.Time { return start.Add(time.Duration(ms) * time.Millisecond) }
	for _, c := range []struct {
		ms    int
		taken bool
		used  int
		reset time.Duration
	}{
		{0, true, 1, time.Second}, {400, true, 2, 600 * time.Millisecond}, {999, false, 2, time.Millisecond},
		{1000, true, 2, 400 * time.Millisecond}, {1399, false, 2, time.Millisecond}, {1400, true, 2, 600 * time.Millisecond}, {1401, false, 2, 599 * time.Millisecond},
	} {
		state, taken := l.Take("quay", "", at(c.ms), 2, time.Second)
		assert.Equal(t, c.taken, taken, "at %d ms", c.ms)
		assert.Equal(t, impair.Window{Used: c.used, Reset: c.reset}, state, "at %d ms", c.ms)
	}
	assert.Equal(t, map[string]impair.Window{"": {Used: 2, Reset: 500 * time.Millisecond}}, l.Windows("quay", at(1500)))
	assert.Equal(t, impair.Window{Used: 2, Reset: 500 * time.Millisecond}, l.Window("quay", "", at(1500)))
	assert.Zero(t, l.Window("quay", "somebody", at(1500)))
	assert.Zero(t, l.Window("pier", "", at(1500)))
	assert.Empty(t, l.Windows("quay", at(9000)))

	var all sync.WaitGroup
	var mu sync.Mutex
	var times []time.Duration
	var refused atomic.Int64
	for caller := range 100 {
		all.Go(func() {
			for i := range 100 {
				now := time.Duration(i*100+caller) * 100 * time.Microsecond // all of a second
				if _, taken := l.Take("parallel", "p", start.Add(now), 30, 100*time.Millisecond); !taken {
					refused.Add(1)
					continue
				}
				mu.Lock()
				times = append(times, now)
				mu.Unlock()
			}
		})
	}
	all.Wait()
	slices.Sort(times)
	assert.Equal(t, int64(10_000), refused.Load()+int64(len(times)))
	assert.Equal(t, 30, l.Window("parallel", "p", start.Add(999*time.Millisecond)).Used)

	l.Forget("par")
	_, taken := l.Take("parallel", "p", at(1000), 1, time.Second)
	assert.True(t, taken)
}

func TestInFlightAndHolds(t *testing.T) {
	var l impair.Limits
	assert.True(t, l.Enter("a", 2))
	assert.True(t, l.Enter("a", 2))
	assert.False(t, l.Enter("a", 2))
	l.Leave("a")
	assert.True(t, l.Enter("a", 2))

	now := time.Unix(0, 0)
	left, waited := l.Held("x", "c", now, false)
	assert.Equal(t, time.Duration(0), left)
	assert.False(t, waited)
	l.Hold("x", "c", now.Add(5*time.Second))
	left, waited = l.Held("x", "c", now.Add(2*time.Second), false)
	assert.Equal(t, 3*time.Second, left)
	assert.False(t, waited)
	_, waited = l.Held("x", "c", now.Add(5*time.Second), false)
	assert.True(t, waited, "who waits is served")
	_, waited = l.Held("x", "c", now.Add(6*time.Second), false)
	assert.False(t, waited, "once")
	l.Hold("x", "c", now.Add(time.Hour))
	l.Forget("x")
	left, _ = l.Held("x", "c", now, false)
	assert.Zero(t, left)
}

// However many callers there are, or say that they are, so many are remembered.
func TestLimitsRememberSoManyCallers(t *testing.T) {
	var l impair.Limits
	now := time.Unix(0, 0)
	for i := range 12_000 {
		l.Take("quay", fmt.Sprint("caller ", i), now, 1, time.Hour)
		l.Hold("quay", fmt.Sprint("caller ", i), now.Add(time.Hour))
	}
	assert.Len(t, l.Windows("quay", now), 10_000)
	assert.Equal(t, int64(4_000), l.Evicted())
	_, taken := l.Take("quay", "caller 11999", now, 1, time.Hour)
	assert.False(t, taken, "those that called last are remembered")
	_, taken = l.Take("pier", "caller 11999", now, 1, time.Hour)
	assert.True(t, taken, "another subject has callers of its own")
}

func TestMeasuredLatency(t *testing.T) {
	p := plan(t, `latency: { measured: { "": [10ms, 20ms, 40ms], listBerths: [7ms] } }`)
	for draw, want := range map[float64]time.Duration{0: 10 * time.Millisecond, 0.25: 15 * time.Millisecond, 0.5: 20 * time.Millisecond, 0.75: 30 * time.Millisecond, 0.999999: 39999960 * time.Nanosecond, 1: 40 * time.Millisecond} {
		assert.Equal(t, want, p.Delay("", draw).Round(time.Nanosecond), draw)
		assert.Equal(t, want, p.Delay("another", draw).Round(time.Nanosecond), draw)
		assert.Equal(t, 7*time.Millisecond, p.Delay("listBerths", draw))
	}
	_, fault := impair.Compile(spec.Impairment{Latency: &spec.Latency{Recorded: true}}, "quay", time.Time{}, nil)
	require.NotNil(t, fault)
	assert.Equal(t, "/latency", fault.At)
}
