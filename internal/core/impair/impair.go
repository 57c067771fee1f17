// Package impair computes injected trouble from settings, chance and time: how
// long a call waits, whether it is refused and with what, what becomes of its
// connection. It waits for nothing and keeps nothing; what changes from call to
// call is given to it. Start with Compile.
package impair

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"rapidmimic.example/spec"
	"rapidmimic.example/spec/problem"
)

// Plan is an impairment, compiled. It is immutable.
type Plan struct {
	Spec spec.Impairment
	// Target says in words what it is for.
	Target string
	Seed   int64
	// Since is when it was set, from which outages count.
	Since time.Time
	// Line is how slow the line is; zero for one that is not.
	Line spec.Line
	// LineText says so in words.
	LineText string

	weights []weight // of the statuses of its errors
}

type weight struct {
	status int
	upTo   float64 // of all that is drawn, from 0 to 1
}

// Compile compiles an impairment. A seed must be set. The fault says that its
// line is not there; where lines are nil its name is looked up later, by OnLine.
func Compile(i spec.Impairment, target string, since time.Time, lines map[string]spec.Line) (*Plan, *problem.Item) {
	if i.Latency != nil && i.Latency.Recorded {
		return nil, &problem.Item{At: "/latency", Detail: "recorded latency is written out when it is switched on for a service; here its times must stand, as measured"}
	}
	p := &Plan{Spec: i, Target: target, Since: since}
	if i.Seed != nil {
		p.Seed = *i.Seed
	}
	if c := i.Connection; c != nil {
		p.Line, p.LineText = c.OwnLine(), c.OwnLine().String()
		if c.Line != "" && lines != nil {
			if _, known := lines[c.Line]; !known {
				return nil, &problem.Item{At: "/connection/line", Detail: noLine(c.Line, lines)}
			}
			p = p.OnLine(lines)
		}
	}
	if i.Errors != nil {
		p.weigh(i.Errors.Status)
	}
	return p, nil
}

// OnLine is the plan with the line that it names, as it is now.
func (p *Plan) OnLine(lines map[string]spec.Line) *Plan {
	c := p.Spec.Connection
	if c == nil || c.Line == "" {
		return p
	}
	on := *p
	on.Line = lines[c.Line]
	on.LineText = fmt.Sprintf("line %s: %s", c.Line, on.Line)
	return &on
}

func (p *Plan) weigh(statuses spec.Weights) {
	if len(statuses) == 0 {
		p.weights = []weight{{503, 1}}
		return
	}
	total, sum := 0, 0
	for _, w := range statuses {
		total += w
	}
	for _, status := range statuses.Statuses() {
		sum += statuses[status]
		p.weights = append(p.weights, weight{status, float64(sum) / float64(total)})
	}
}

// Status is the status of an error, by a draw from 0 to 1.
func (p *Plan) Status(draw float64) int {
	for _, w := range p.weights {
		if draw < w.upTo {
			return w.status
		}
	}
	return p.weights[len(p.weights)-1].status
}

// Delay is how long the answer of an operation, "" for none, is held back, by a draw from
// 0 to 1.
func (p *Plan) Delay(operation string, draw float64) time.Duration {
	l := p.Spec.Latency
	switch {
	case l == nil:
		return 0
	case l.Measured != nil:
		return Empirical(l.Of(operation), draw)
	case l.P50 > 0:
		return LogNormal(time.Duration(l.P50), time.Duration(l.P99), draw)
	default:
		return time.Duration(l.Low) + time.Duration(draw*float64(l.High-l.Low))
	}
}

// Empirical is the time below which a share of a distribution lies that is given by times
// with equal shares between them.
func Empirical(times []spec.Duration, share float64) time.Duration {
	at := share * float64(len(times)-1)
	i := min(int(at), len(times)-1)
	if i == len(times)-1 {
		return time.Duration(times[i])
	}
	return time.Duration(times[i]) + time.Duration((at-float64(i))*float64(times[i+1]-times[i]))
}

// normal99 is the 99th percentile of the standard normal distribution.
const normal99 = 2.3263478740408408

// longestDelay bounds the tail of what is drawn.
const longestDelay = 10 * time.Minute

// LogNormal is the time below which a share of a log-normal distribution lies
// that has this median and 99th percentile.
func LogNormal(p50, p99 time.Duration, share float64) time.Duration {
	sigma := math.Log(float64(p99)/float64(p50)) / normal99
	z := math.Sqrt2 * math.Erfinv(2*min(max(share, 1e-9), 1-1e-9)-1)
	return min(time.Duration(float64(p50)*math.Exp(sigma*z)), longestDelay)
}

// Down reports whether the outage is on at a time.
func (p *Plan) Down(now time.Time) bool {
	o := p.Spec.Outage
	if o == nil {
		return false
	}
	since := max(now.Sub(p.Since), 0)
	if o.Every > 0 {
		since %= time.Duration(o.Every)
	}
	return o.For == 0 || since < time.Duration(o.For)
}

// Chance is a number from 0 to 1, without 1, that depends on the seed, on what is
// drawn, and on the number of the draw, and on nothing else.
func Chance(seed int64, what string, number uint64) float64 {
	h := mixed(uint64(seed))
	for i := range len(what) {
		h = mixed(h ^ uint64(what[i]))
	}
	return float64(mixed(h^mixed(number))>>11) / (1 << 53)
}

// mixed is the finaliser of SplitMix64: every bit of its result depends on every
// bit of what it is given.
func mixed(x uint64) uint64 {
	x += 0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

func noLine(name string, lines map[string]spec.Line) string {
	known := slices.Sorted(maps.Keys(lines))
	if near := problem.Closest(name, known); near != "" {
		return fmt.Sprintf("line %q not found (%s?)", name, near)
	}
	return fmt.Sprintf("line %q not found (there are %s)", name, strings.Join(known, ", "))
}
