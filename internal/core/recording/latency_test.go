package recording_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rapidmimic.example/internal/core/impair"
	"rapidmimic.example/internal/core/recording"
	"rapidmimic.example/spec"
)

// took are calls of an operation that took so many microseconds.
func took(path string, times ...int64) (exchanges []recording.Exchange) {
	for _, t := range times {
		x := exchange(uint64(len(exchanges)+1), "GET "+path, "", 200, "", "")
		x.Asked = t
		exchanges = append(exchanges, x)
	}
	return exchanges
}

func TestLatencies(t *testing.T) {
	of := func(x recording.Exchange) string {
		if x.Path == "/berths" {
			return "listBerths"
		}
		return ""
	}
	calls := slices.Concat(took("/berths", 3000, 1000, 2000), took("/other", 9000), took("/unknown", 0))
	ms := func(n float64) spec.Duration { return spec.Duration(n * 1e6) }
	assert.Equal(t, []recording.Latency{
		{Of: "listBerths", Calls: 3, P50: ms(2), P90: ms(2.8), P99: ms(2.98), Times: []spec.Duration{ms(1), ms(2), ms(3)}},
		{Of: "GET /other", Calls: 1, P50: ms(9), P90: ms(9), P99: ms(9), Times: []spec.Duration{ms(9)}},
	}, recording.Latencies(calls, of))
	assert.Equal(t, &spec.Latency{Measured: map[string][]spec.Duration{"": {ms(1), ms(2), ms(3), ms(9)}, "listBerths": {ms(1), ms(2), ms(3)}}}, recording.Measured(calls, of))
	assert.Nil(t, recording.Measured(took("/x", 0), of))
}

// distance is the largest one between two distributions (Kolmogorov).
func distance(a, b []time.Duration) (largest float64) {
	slices.Sort(a)
	slices.Sort(b)
	share := func(times []time.Duration, at time.Duration) float64 {
		below, _ := slices.BinarySearch(times, at+1)
		return float64(below) / float64(len(times))
	}
	for _, at := range slices.Concat(a, b) {
		largest = max(largest, math.Abs(share(a, at)-share(b, at)))
	}
	return largest
}

// played draws what a recording measured, as often as it is called.
func played(tb testing.TB, recorded []time.Duration, calls int, seed int64) (times []time.Duration) {
	var exchanges []recording.Exchange
	for _, d := range recorded {
		exchanges = append(exchanges, took("/berths", d.Microseconds())...)
	}
	measured := recording.Measured(exchanges, func(recording.Exchange) string { return "listBerths" })
	plan, fault := impair.Compile(spec.Impairment{Latency: measured, Seed: &seed}, "quay", time.Time{}, nil)
	require.Nil(tb, fault)
	for i := range calls {
		times = append(times, plan.Delay("listBerths", impair.Chance(plan.Seed, "latency", uint64(i))))
	}
	return times
}

// distributions are shapes that upstreams have.
func distributions() map[string][]time.Duration {
	chance := rand.New(rand.NewPCG(18, 1))
	all := map[string][]time.Duration{}
	for range 3_000 {
		all["log-normal"] = append(all["log-normal"], time.Duration(30e6*math.Exp(0.8*chance.NormFloat64())))
		all["two peaks"] = append(all["two peaks"], time.Duration(5e6+1e6*chance.Float64())+time.Duration(chance.IntN(5)/4)*80*time.Millisecond)
		all["even"] = append(all["even"], time.Duration(1e6+9e6*chance.Float64()))
	}
	all["few"] = all["log-normal"][:40:40]
	return all
}

// What is played is shaped like what was recorded.
func TestWhatIsPlayedIsWhatWasRecorded(t *testing.T) {
	for name, recorded := range distributions() {
		for seed := range int64(3) {
			assert.LessOrEqual(t, distance(slices.Clone(recorded), played(t, recorded, 2_000, seed)), 0.05, "%s, seed %d", name, seed)
		}
	}
	recorded := distributions()["even"]
	assert.Equal(t, played(t, recorded, 10, 7), played(t, recorded, 10, 7), "the same seed gives the same times")
}

func BenchmarkPlayRecordedLatency(b *testing.B) {
	for name, recorded := range distributions() {
		b.Run(fmt.Sprint(name), func(b *testing.B) {
			worst := 0.0
			for b.Loop() {
				worst = max(worst, distance(slices.Clone(recorded), played(b, recorded, 2_000, int64(b.N))))
			}
			b.ReportMetric(worst, "distance")
		})
	}
}
