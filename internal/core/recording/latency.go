package recording

import (
	"cmp"
	"slices"

	"rapidmimic.example/spec"
)

// Latency is how long an operation took at the upstream.
type Latency struct {
	Of            string // an operation, or method and path where there is none
	Calls         int
	P50, P90, P99 spec.Duration
	// Times are from the shortest to the longest, with equal shares of calls between them.
	Times []spec.Duration
}

// mostTimes is how many times tell a distribution: the hundredths of it.
const mostTimes = 101

// Latencies tells how long operations took at the upstream, those with the most calls
// first. of names the operation of a call, "" for none.
func Latencies(exchanges []Exchange, of func(Exchange) string) (latencies []Latency) {
	taken := make(map[string][]spec.Duration)
	for _, x := range exchanges {
		if x.Asked == 0 { // nobody knows
			continue
		}
		name := cmp.Or(of(x), x.Method+" "+x.Path)
		taken[name] = append(taken[name], spec.Duration(x.Asked)*1_000)
	}
	for name, times := range taken {
		latencies = append(latencies, latencyOf(name, times))
	}
	slices.SortFunc(latencies, func(a, b Latency) int { return cmp.Or(cmp.Compare(b.Calls, a.Calls), cmp.Compare(a.Of, b.Of)) })
	return latencies
}

func latencyOf(name string, times []spec.Duration) Latency {
	slices.Sort(times)
	l := Latency{Of: name, Calls: len(times), P50: quantile(times, 0.5), P90: quantile(times, 0.9), P99: quantile(times, 0.99), Times: times}
	if len(times) > mostTimes {
		l.Times = make([]spec.Duration, mostTimes)
		for i := range l.Times {
			l.Times[i] = quantile(times, float64(i)/(mostTimes-1))
		}
	}
	return l
}

// quantile is the time below which a share of sorted times lies.
func quantile(times []spec.Duration, share float64) spec.Duration {
	at := share * float64(len(times)-1)
	i := int(at)
	if i+1 >= len(times) {
		return times[len(times)-1]
	}
	return times[i] + spec.Duration((at-float64(i))*float64(times[i+1]-times[i]))
}

// Measured is a latency as it was measured, nil when nobody did: that of each operation
// that was called often enough, and under "" that of all together.
func Measured(exchanges []Exchange, of func(Exchange) string) *spec.Latency {
	all := Latencies(exchanges, func(Exchange) string { return "all" })
	if len(all) == 0 {
		return nil
	}
	l := &spec.Latency{Measured: map[string][]spec.Duration{"": all[0].Times}}
	named := make(map[string]bool)
	for _, x := range exchanges {
		if name := of(x); name != "" {
			named[name] = true
		}
	}
	for _, one := range Latencies(exchanges, of) {
		if named[one.Of] {
			l.Measured[one.Of] = one.Times
		}
	}
	return l
}
